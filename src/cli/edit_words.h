// What people write on the command line, as values: ranges, places, phrases, keys of a slider. Errors say what was
// written and what is wanted.
#pragma once

#include "core/base/words.h"
#include "core/geometry/pose.h"
#include "core/source/sampler.h"
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

// One of a table's values, under any of its words; those that to_text() gives are offered.
template <class E, std::size_t N>
Result<E> word(const std::string& text, const Word<E> (&words)[N], const char* what) {
    std::string choices;
    for (const Word<E>& w : words) {
        if (text == w.text) return w.value;
        if (word_of(words, w.value) == w.text) choices += fmt::format("{}{}", choices.empty() ? "" : ", ", w.text);
    }
    return wrong(fmt::format("\"{}\" is not {}", text, what), "write one of " + choices);
}

// The one of a list that is asked for by name or id, or the only one.
template <class List>
Result<std::size_t> find_named(const List& list, const std::string& asked, const char* what) {
    std::string names;
    std::size_t found = list.size();
    for (std::size_t i = 0; i < list.size(); ++i) {
        if (asked == list[i].name || asked == std::to_string(list[i].id.value)) {
            if (found < list.size() && list[found].name == list[i].name) {
                return wrong(fmt::format("several {}s are called \"{}\"", what, asked), "give the id instead");
            }
            found = i;
        }
        names += fmt::format("{}\"{}\" ({})", names.empty() ? "" : ", ", list[i].name, list[i].id.value);
    }
    if (found < list.size()) return found;
    if (list.empty())
        return fail(Error{ErrorCode::not_found, fmt::format("there is no {}: there are none yet", what)}.advise(
            "add one first"));
    if (asked.empty() && list.size() == 1) return std::size_t(0);
    if (asked.empty()) return wrong(fmt::format("which {}? There are {}", what, names), fmt::format("give --{}", what));
    return fail(
        Error{ErrorCode::not_found, fmt::format("there is no {} \"{}\"", what, asked)}.advise("there are " + names));
}

Result<std::pair<double, double>> two(const std::string& text, const char* what); // "P:Q"
Result<V3d> place(const std::string& text);                                       // "x,y,z"
Result<Toward> toward_of(const std::string& text);
Result<bool> on_off(const std::string& text);
// "first:last", then words: backward, there-and-back, passes N, speed V, fade N.
Result<Phrase> parse_phrase(const std::string& text);
// "1:0 50:100": output frame:per cent.
Result<TimeMap> parse_slider(const std::string& text, Toward toward);
Result<Outside> parse_outside(const std::string& text); // "repeat", "repeat:3"
Result<OutputSpan> span_of(const std::string& text);    // "P:Q", output frames

} // namespace garland
