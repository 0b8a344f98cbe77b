#include "cli/edit_words.h"

#include "core/base/numbers.h"

#include <algorithm>
#include <cmath>
#include <sstream>

namespace garland {

// "P:Q", two numbers.
Result<std::pair<double, double>> two(const std::string& text, const char* what) {
    const auto colon = text.find(':');
    const auto a = parse_number(text.substr(0, colon));
    const auto b = colon == text.npos ? std::nullopt : parse_number(text.substr(colon + 1));
    if (!a || !b) return wrong(fmt::format("\"{}\" is not {}", text, what), "write two numbers, as in 20:90");
    return std::pair{*a, *b};
}

Result<V3d> place(const std::string& text) {
    std::istringstream words(text);
    V3d v;
    std::string cell;
    for (int k = 0; k < 3; ++k) {
        const auto number = std::getline(words, cell, ',') ? parse_number(cell) : std::nullopt;
        if (!number) return wrong(fmt::format("\"{}\" is not a place", text), "write three numbers, as in 0,1.5,-2");
        v[k] = *number;
    }
    return v;
}

Result<Toward> toward_of(const std::string& text) {
    return word(text, {Toward::step, Toward::linear, Toward::smooth, Toward::hidden, Toward::free},
                "a way towards the next key");
}
Result<bool> on_off(const std::string& text) {
    if (text == "on") return true;
    if (text == "off") return false;
    return wrong(fmt::format("\"{}\" is neither on nor off", text), "write on or off");
}

// "first:last", then words: backward, there-and-back, passes N, speed V, fade N.
Result<Phrase> parse_phrase(const std::string& text) {
    std::istringstream words(text);
    std::string range, next;
    words >> range;
    GARLAND_TRY(ends, two(range, "a phrase's range of source frames"));
    Phrase p;
    p.direction = ends.first > ends.second ? Direction::backward : Direction::forward;
    p.first = SourceFrame(std::min(ends.first, ends.second));
    p.last = SourceFrame(std::max(ends.first, ends.second));
    while (words >> next) {
        if (next == "backward" || next == "forward" || next == "there-and-back") {
            p.direction = *word(next, {Direction::forward, Direction::backward, Direction::there_and_back}, "");
            continue;
        }
        std::string value;
        words >> value;
        const auto number = parse_number(value);
        if (!number) return wrong(fmt::format("\"{}\" of the phrase \"{}\" needs a number", next, text));
        if (next == "passes") {
            if (*number != std::floor(*number) || std::abs(*number) > 1e12)
                return wrong("passes are whole numbers", "write 0 or more further passes");
            p.passes = static_cast<std::int64_t>(*number);
        } else if (next == "speed") {
            p.speed = *number;
        } else if (next == "fade") {
            p.fade = *number;
        } else {
            return wrong(fmt::format("\"{}\" of the phrase \"{}\" is not known", next, text),
                         "after the range write backward, there-and-back, passes N, speed V or fade N");
        }
    }
    return p;
}

// "1:0 50:100": keys of a slider.
Result<TimeMap> parse_slider(const std::string& text, Toward toward) {
    TimeMap map;
    std::istringstream words(text);
    for (std::string one; words >> one;) {
        GARLAND_TRY(key, two(one, "a key of the slider, output frame:per cent"));
        map.keys.push_back({OutputFrame(key.first), SourceFrame(key.second), toward});
    }
    return map;
}

Result<Outside> parse_outside(const std::string& text) {
    const auto colon = text.find(':');
    GARLAND_TRY(mode, word(text.substr(0, colon),
                           {OutsideMode::hold, OutsideMode::repeat, OutsideMode::there_and_back, OutsideMode::run_on,
                            OutsideMode::absent},
                           "what comes before or after"));
    Outside o{mode, 0};
    if (colon == text.npos) return o;
    const auto count = parse_number(text.substr(colon + 1));
    if (!count || *count < 0 || *count > 1e9 || *count != std::floor(*count)) {
        return wrong(fmt::format("\"{}\" is not a count of further passes", text.substr(colon + 1)),
                     "write 0 for endless");
    }
    o.count = static_cast<int>(*count);
    return o;
}

Result<OutputSpan> span_of(const std::string& text) {
    GARLAND_TRY(ends, two(text, "a range of output frames"));
    return OutputSpan{OutputFrame(ends.first), OutputFrame(ends.second)};
}

} // namespace garland
