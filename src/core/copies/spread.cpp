#include "core/copies/spread.h"

#include "core/base/measure.h"
#include "core/drivers/chance_driver.h"
#include "core/drivers/even_driver.h"
#include "core/drivers/order_driver.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace garland {

namespace {

bool whole(const Spread& s) {
    return s.whole_frames && s.target == Target::delay;
}

// What a target can take; past it an amount makes no sense.
struct Limits {
    double low, high;
    const char* words;
};
Limits limits_of(Target target) {
    switch (target) {
    case Target::delay: return {-frame_limit, frame_limit, "a delay is a usable number of frames"};
    case Target::speed: return {-99.9999999, 1e6, "a spread of speed must stay above −100 %"};
    case Target::visibility: return {0, 100, "a copy is shown for 0 to 100 % of the time"};
    case Target::size: return {-99.9, 1e5, "a spread of size must stay above −100 %"};
    case Target::turn: return {-36'000, 36'000, "a turn is at most 36 000 degrees"};
    case Target::variant: return {-1000, 1000, "a variant is chosen by 0 to 100 % of the way through the sources"};
    case Target::wobble: return {0, 10'000, "a wobble's amount is 0 to 10 000 %"};
    }
    return {0, 0, ""};
}

} // namespace

Result<void> validate(const Spread& s) {
    GARLAND_CHECK(within({{"what a spread goes from", s.from, -frame_limit, frame_limit},
                          {"what a spread goes to", s.to, -frame_limit, frame_limit}}));
    const Limits l = limits_of(s.target);
    const bool step = s.by.kind == Driver::order_step; // `to` is a step there
    if (s.from < l.low || s.from > l.high || (!step && (s.to < l.low || s.to > l.high))) {
        Error error{ErrorCode::invalid, l.words};
        if (s.target == Target::speed)
            error.advice = "a copy cannot stand still or run backward by a spread; use a hold or reverse in the timing";
        return fail(std::move(error));
    }
    GARLAND_CHECK(within({{"a spread's amount", s.strength.share},
                          {"how often a flicker changes a second", s.changes},
                          {"the output frame that copies meet at", s.meets ? s.meets->value : 0, -1e9, 1e9, "f"}}));
    if (s.strength.share < 0 || s.strength.share > 1)
        return fail(Error{ErrorCode::invalid, "a spread's amount is 0 to 100 %"}.advise("use 0 to 100 %"));
    if (s.changes < 0 || s.changes > 1000)
        return fail(Error{ErrorCode::invalid, "a flicker changes 0 to 1000 times a second"}.advise("use 0 to 1000 Hz"));
    GARLAND_CHECK(validate(s.by));
    if (changes_in_time(s.by) && s.target == Target::variant) {
        if (s.by.kind == Driver::noise) {
            return fail(
                Error{ErrorCode::invalid, fmt::format("noise that drifts cannot drive the {}", to_text(s.target))}
                    .advise("set its drift to 0, or let it drive the delay"));
        }
        return fail(
            Error{ErrorCode::invalid, "which source a copy shows cannot change during the shot, as zones and sound do"}
                .advise("drive it by something that is still"));
    }
    GARLAND_CHECK(validate(s.strength.keys, "an amount", {-frame_limit, frame_limit, 0, 1}));
    GARLAND_CHECK(validate(s.curve, "a spread's curve", {0, 1, -10, 10}));
    if (s.target == Target::variant && !s.strength.keys.empty())
        return fail(Error{ErrorCode::invalid,
                          "which source a copy shows cannot change during the shot: a variant's amount has no keys"}
                        .advise("remove the keys of its strength"));
    return {};
}

bool changes_in_time(const Spread& s) {
    return !s.strength.keys.empty() || changes_in_time(s.by);
}

double scaled(const Spread& s, const CurvePlan& curve, double u) {
    if (curve.keyed()) u = curve.at(u);
    const double value = s.from + u * (s.to - s.from);
    return whole(s) ? std::round(value) : value;
}

double value_at(const Spread& s, const CurvePlan& curve, double u) {
    if (!std::isfinite(u)) return s.from;
    if (s.by.kind == Driver::order_step) {
        const double value = s.from + s.to * u;
        return whole(s) ? std::round(value) : value;
    }
    if (s.by.kind == Driver::attribute && s.by.carrier.as_it_is)
        return std::clamp(whole(s) ? std::round(u) : u, -frame_limit, frame_limit);
    if (s.by.kind == Driver::chance && whole(s) && !curve.keyed()) {
        const double low = std::ceil(std::min(s.from, s.to)), high = std::floor(std::max(s.from, s.to));
        if (high < low) return std::round(low);
        const double step = std::min(std::floor(u * (high - low + 1)), high - low);
        return s.from <= s.to ? low + step : high - step; // the other way round, the other copies are late
    }
    return scaled(s, curve, u);
}

double value_of(const Spread& s, CopyId copy, std::int64_t index, std::int64_t count) {
    const CurvePlan curve(s.curve, 0);
    switch (s.by.kind) {
    case Driver::chance: return value_at(s, curve, chance_of(s.by, s.id.value, copy));
    case Driver::order_step: return value_at(s, curve, static_cast<double>(index));
    case Driver::order_total: return value_at(s, curve, order_total_of(index, count));
    case Driver::order_loop: return value_at(s, curve, order_loop_of(index, count));
    case Driver::even: return value_at(s, curve, even_of(index));
    default: return value_at(s, curve, 0);
    }
}

const char* to_text(Target target) {
    return word_of(target_words, target);
}

} // namespace garland
