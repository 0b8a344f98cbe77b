// What people write on the command line, as values: ranges, places, phrases, keys of a slider. Errors say what was written
// and what is wanted.
#pragma once

#include "core/geometry/pose.h"
#include "core/time/operations.h"

#include <fmt/format.h>
#include <initializer_list>
#include <string>
#include <utility>

namespace garland {

inline tl::unexpected<Error> wrong(std::string what, std::string advice = {}) {
    return fail(Error{ErrorCode::invalid, std::move(what)}.advise(std::move(advice)));
}

// One of the values that to_text() names.
template <class E>
Result<E> word(const std::string& text, std::initializer_list<E> all, const char* what) {
    std::string choices;
    for (E e : all) {
        if (text == to_text(e)) return e;
        choices += fmt::format("{}\"{}\"", choices.empty() ? "" : ", ", to_text(e));
    }
    return wrong(fmt::format("\"{}\" is not {}", text, what), "write one of " + choices);
}

Result<std::pair<double, double>> two(const std::string& text, const char* what); // "P:Q"
Result<V3d> place(const std::string& text);                                       // "x,y,z"
Result<Toward> toward_of(const std::string& text);
Result<bool> on_off(const std::string& text);
// "first:last", then words: backward, there-and-back, passes N, speed V, fade N.
Result<Phrase> parse_phrase(const std::string& text);
// "1:0 50:100": output frame:per cent.
Result<TimeMap> parse_master(const std::string& text, Toward toward);
Result<Outside> parse_outside(const std::string& text); // "repeat", "repeat:3"
Result<OutputSpan> span_of(const std::string& text);    // "P:Q", output frames

} // namespace garland
