// How options of garland-cli edit read their values: words of a table, numbers, curves, and fields set by them.
#pragma once

#include "cli/copy_options.h"
#include "cli/edit_changes.h"
#include "cli/edit_words.h"
#include "io/files/json_part.h"

#include <algorithm>
#include <cstdint>
#include <fmt/format.h>
#include <map>
#include <string>
#include <vector>

namespace garland {

template <class E, std::size_t N>
Result<E> of(const Word<E> (&words)[N], const std::string& text, const char* what) {
    std::string choices;
    const auto plain = [](std::string word) { // "there and back", there-and-back and there_and_back are one word
        std::replace_if(
            word.begin(), word.end(), [](char c) { return c == '-' || c == ' '; }, '_');
        return word;
    };
    for (const auto& w : words) {
        if (text == w.text || plain(text) == plain(w.text)) return w.value;
        choices += fmt::format("{}\"{}\"", choices.empty() ? "" : ", ", w.text);
    }
    return wrong(fmt::format("\"{}\" is not {}", text, what), "write one of " + choices);
}

inline Result<int> count_of(const std::string& text) {
    GARLAND_TRY(v, whole(text));
    return static_cast<int>(std::clamp<std::int64_t>(v, -1, 2'000'000'000));
}
inline Result<std::uint64_t> seed_of(const std::string& text) {
    GARLAND_TRY(v, whole(text));
    if (v < 0) return wrong(fmt::format("\"{}\" is no seed", text), "seeds are whole numbers from 0 on");
    return static_cast<std::uint64_t>(v);
}

template <class T, class V, class Parse>
Option<T> field(const char* name, const char* help, V T::*member, Parse parse) {
    return {name, help, [member, parse](T& t, const Project&, const std::string& text) -> Result<void> {
                auto v = parse(text);
                if (!v) return tl::unexpected(v.error());
                t.*member = static_cast<V>(*v);
                return {};
            }};
}

// The same of a value inside a part.
template <class T, class U, class V, class Parse>
Option<T> field(const char* name, const char* help, U T::*part, V U::*member, Parse parse) {
    return {name, help, [part, member, parse](T& t, const Project&, const std::string& text) -> Result<void> {
                auto v = parse(text);
                if (!v) return tl::unexpected(v.error());
                (t.*part).*member = static_cast<V>(*v);
                return {};
            }};
}

// And inside a part of a part.
template <class T, class U, class P, class V, class Parse>
Option<T> field(const char* name, const char* help, U T::*part, P U::*inner, V P::*member, Parse parse) {
    return {name, help, [part, inner, member, parse](T& t, const Project&, const std::string& text) -> Result<void> {
                auto v = parse(text);
                if (!v) return tl::unexpected(v.error());
                ((t.*part).*inner).*member = static_cast<V>(*v);
                return {};
            }};
}

inline Result<KeyedCurve> curve_of(const std::string& text) {
    if (text == "none") return KeyedCurve{};
    return parse_keys(text, "a curve");
}

// Options as they were written on the command line, and those of them that one thing has, set; in words.
using Given = std::map<std::string, std::vector<std::string>>;

template <class T>
Result<std::string> set_given(T& to, const Project& p, const std::vector<Option<T>>& options, const Given& given) {
    std::string words;
    for (const Option<T>& o : options) {
        const auto at = given.find(o.name);
        if (at == given.end()) continue;
        GARLAND_CHECK(o.set(to, p, at->second.back()));
        words += fmt::format("{}{} {}", words.empty() ? "" : ", ", o.name, at->second.back());
    }
    return words;
}

inline Result<ArrangementId> arrangement_called(const Project& p, const Words& w) {
    GARLAND_TRY(i, find_named(p.arrangements, w.arrangement, "arrangement"));
    return p.arrangements[i].id;
}

// A table's options as those of a subcommand, kept as they were written.
template <class T>
void add_options(CLI::App& sub, const std::vector<Option<T>>& all, Given& given) {
    for (const Option<T>& o : all)
        sub.add_option("--" + std::string(o.name), given[o.name], o.help)->expected(1)->allow_extra_args(false);
}

// Without those that were not written.
inline const Given& only_written(Given& given) {
    std::erase_if(given, [](const auto& entry) { return entry.second.empty(); });
    return given;
}

} // namespace garland
