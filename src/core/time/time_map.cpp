#include "core/time/time_map.h"

#include "core/base/numbers.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <limits>

namespace garland {

Result<void> validate_frames(std::span<const OutputFrame> at, std::string_view what) {
    if (at.empty())
        return fail(Error{ErrorCode::invalid, fmt::format("{} needs at least one key", what)}.advise("set one"));
    if (at.size() > key_limit) {
        return fail(
            Error{ErrorCode::too_large, fmt::format("{} may have {} keys, not {}", what, key_limit, at.size())}.advise(
                "use fewer keys"));
    }
    for (std::size_t i = 0; i < at.size(); ++i) {
        if (!std::isfinite(at[i].value)) {
            return fail(Error{ErrorCode::invalid, fmt::format("key {} stands at no output frame", i + 1)}.advise(
                "give its output frame as a number"));
        }
        if (std::abs(at[i].value) > frame_limit) {
            return fail(
                Error{ErrorCode::invalid, fmt::format("key {} lies beyond frame {:.0f}", i + 1, frame_limit)}.advise(
                    "use frames nearer to 0"));
        }
        if (i == 0) continue;
        const double step = at[i] - at[i - 1];
        if (step == 0) {
            return fail(
                Error{ErrorCode::invalid,
                      fmt::format("keys {} and {} are both on output frame {}", i, i + 1, short_number(at[i].value))}
                    .advise("move or remove one of them; a jump is a step key followed by the next frame's key"));
        }
        if (step < 0)
            return fail(Error{ErrorCode::invalid, fmt::format("key {} comes before key {}", i + 1, i)}.advise(
                "order the keys by their output frames"));
    }
    return {};
}

Result<void> validate(const TimeMap& map) {
    std::vector<OutputFrame> at;
    at.reserve(map.keys.size());
    for (const Key& key : map.keys) at.push_back(key.at);
    GARLAND_CHECK(validate_frames(at, "a time map"));
    for (std::size_t i = 0; i < map.keys.size(); ++i) {
        const Key& key = map.keys[i];
        if (!std::isfinite(key.source.value) || !std::isfinite(key.leave) || !std::isfinite(key.arrive)) {
            return fail(
                Error{ErrorCode::invalid, fmt::format("key {} has a source frame or slope that is not a number", i + 1)}
                    .advise("give its source frame as a number"));
        }
        for (const double slope : {key.leave, key.arrive}) {
            if (std::abs(slope) > slope_limit) {
                return fail(Error{ErrorCode::invalid, fmt::format("key {} has a slope of {:g}", i + 1, slope)}.advise(
                    fmt::format("use {:.0f} source frames per output frame at most", slope_limit)));
            }
        }
        if (std::abs(key.source.value) > frame_limit) {
            return fail(
                Error{ErrorCode::invalid, fmt::format("key {} lies beyond frame {:.0f}", i + 1, frame_limit)}.advise(
                    "use frames nearer to 0"));
        }
    }
    return {};
}

std::vector<double> steffen_slopes(const TimeMap& map) {
    const std::size_t n = map.keys.size();
    std::vector<double> slopes(n, 0.0);
    if (n < 2) return slopes;
    auto length = [&](std::size_t i) { return map.keys[i + 1].at - map.keys[i].at; };
    auto secant = [&](std::size_t i) {
        return stays(map.keys[i].toward) ? 0.0 : (map.keys[i + 1].source - map.keys[i].source) / length(i);
    };
    slopes[0] = secant(0);
    slopes[n - 1] = secant(n - 2);
    for (std::size_t i = 1; i + 1 < n; ++i) {
        const double h0 = length(i - 1), h1 = length(i);
        const double s0 = secant(i - 1), s1 = secant(i);
        const double p = (s0 * h1 + s1 * h0) / (h0 + h1);
        const double sign = std::copysign(1.0, s0) + std::copysign(1.0, s1);
        slopes[i] = sign * std::min({std::abs(s0), std::abs(s1), 0.5 * std::abs(p)});
    }
    return slopes;
}

std::vector<Stretch> stretches(const TimeMap& map) {
    std::vector<Stretch> result;
    if (map.keys.size() < 2) return result;
    const auto slopes = steffen_slopes(map);
    result.reserve(map.keys.size() - 1);
    for (std::size_t i = 0; i + 1 < map.keys.size(); ++i) {
        const Key &a = map.keys[i], &b = map.keys[i + 1];
        Stretch s;
        s.start = a.at - map.first();
        s.length = b.at - a.at;
        s.c[0] = a.source.value;
        s.low = std::min(a.source.value, b.source.value);
        s.high = std::max(a.source.value, b.source.value);
        const double secant = (b.source - a.source) / s.length;
        auto hermite = [&](double leave, double arrive) {
            s.c[1] = leave;
            s.c[2] = (3 * secant - 2 * leave - arrive) / s.length;
            s.c[3] = (leave + arrive - 2 * secant) / (s.length * s.length);
        };
        switch (a.toward) {
        case Toward::hidden: s.hidden = true; [[fallthrough]];
        case Toward::step: s.low = s.high = a.source.value; break;
        case Toward::linear: s.c[1] = secant; break;
        case Toward::smooth: hermite(slopes[i], slopes[i + 1]); break;
        case Toward::free:
            hermite(a.leave, b.arrive);
            s.low = -std::numeric_limits<double>::infinity();
            s.high = std::numeric_limits<double>::infinity();
            break;
        }
        result.push_back(s);
    }
    return result;
}

const char* to_text(Toward toward) {
    return word_of(toward_words, toward);
}

} // namespace garland
