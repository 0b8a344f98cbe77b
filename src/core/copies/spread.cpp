#include "core/copies/spread.h"

#include "core/base/chance.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <numbers>

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
    if (!std::isfinite(s.from) || !std::isfinite(s.to) || std::abs(s.from) > frame_limit ||
        std::abs(s.to) > frame_limit) {
        return fail(ErrorCode::invalid, "a spread's amount is not a usable number");
    }
    const Limits l = limits_of(s.target);
    const bool step = s.driver == Driver::order_step; // `to` is a step there
    if (s.from < l.low || s.from > l.high || (!step && (s.to < l.low || s.to > l.high))) {
        Error error{ErrorCode::invalid, l.words};
        if (s.target == Target::speed)
            error.advice = "a copy cannot stand still or run backward by a spread; use a hold or reverse in the timing";
        return fail(std::move(error));
    }
    for (double v : {s.share, s.patch, s.drift.x, s.drift.y, s.drift.z, s.axis.x, s.axis.y, s.axis.z, s.centre.x,
                     s.centre.y, s.centre.z, s.reach, s.changes, s.meets ? s.meets->value : 0}) {
        if (!std::isfinite(v) || std::abs(v) > 1e9)
            return fail(ErrorCode::invalid, "a measure of a spread is not a usable number");
    }
    if (s.share < 0 || s.share > 1) return fail(ErrorCode::invalid, "a spread's amount is 0 to 100 %");
    if (s.patch <= 0) return fail(ErrorCode::invalid, "a patch of noise must be wider than nothing");
    if (s.detail < 1 || s.detail > 8) return fail(ErrorCode::invalid, "the detail of noise is 1 to 8");
    if (s.reach < 0) return fail(ErrorCode::invalid, "a distance reaches 0 or more");
    if (s.changes < 0 || s.changes > 1000)
        return fail(ErrorCode::invalid, "a flicker changes 0 to 1000 times a second");
    if (s.driver == Driver::gradient && !s.along_path && s.axis.length() < 1e-9) {
        return fail(Error{ErrorCode::invalid, "a gradient needs a direction"}.advise(
            "give its axis, or let it follow the path"));
    }
    if (s.driver == Driver::attribute && s.attribute.empty()) {
        return fail(Error{ErrorCode::invalid, "a spread by attribute needs the attribute's name"}.advise(
            "name one that the carrying points have"));
    }
    if (s.driver == Driver::noise && s.drift != V3d(0) && s.target == Target::variant) {
        return fail(
            Error{ErrorCode::invalid, fmt::format("noise that drifts cannot drive the {}", to_text(s.target))}.advise(
                "set its drift to 0, or let it drive the delay"));
    }
    if ((s.driver == Driver::zone || s.driver == Driver::sound) && s.target == Target::variant) {
        return fail(
            Error{ErrorCode::invalid, "which source a copy shows cannot change during the shot, as zones and sound do"}
                .advise("drive it by something that is still"));
    }
    if (s.driver == Driver::zone || s.driver == Driver::sound) GARLAND_CHECK(validate(s.level));
    GARLAND_CHECK(validate(s.amount, "an amount", {-frame_limit, frame_limit, 0, 1}));
    GARLAND_CHECK(validate(s.curve, "a spread's curve", {0, 1, -10, 10}));
    if (s.target == Target::variant && !s.amount.empty())
        return fail(ErrorCode::invalid,
                    "which source a copy shows cannot change during the shot: a variant's amount has no keys");
    return {};
}

bool changes_in_time(const Spread& s) {
    return !s.amount.empty() || (s.driver == Driver::noise && s.drift != V3d(0)) || s.driver == Driver::zone ||
           s.driver == Driver::sound;
}

double scaled(const Spread& s, const CurvePlan& curve, double u) {
    if (curve.keyed()) u = curve.at(u);
    const double value = s.from + u * (s.to - s.from);
    return whole(s) ? std::round(value) : value;
}

double value_of(const Spread& s, CopyId copy, std::int64_t index, std::int64_t count) {
    const CurvePlan curve(s.curve, 0);
    const double place = static_cast<double>(index), all = static_cast<double>(count);
    switch (s.driver) {
    case Driver::chance: {
        double u = chance(s.seed, s.id.value, copy.value);
        if (s.bell) {
            for (std::uint64_t k = 1; k < 4; ++k) u += chance(s.seed + k * 0x9e3779b97f4a7c15u, s.id.value, copy.value);
            u /= 4;
        }
        if (whole(s) && !curve.keyed()) {
            const double low = std::ceil(std::min(s.from, s.to)), high = std::floor(std::max(s.from, s.to));
            if (high < low) return std::round(low);
            const double step = std::min(std::floor(u * (high - low + 1)), high - low);
            return s.from <= s.to ? low + step : high - step; // the other way round, the other copies are late
        }
        return scaled(s, curve, u);
    }
    case Driver::order_step: {
        const double value = s.from + s.to * place;
        return whole(s) ? std::round(value) : value;
    }
    case Driver::order_total: return scaled(s, curve, count > 1 ? place / (all - 1) : 0);
    case Driver::order_loop: return scaled(s, curve, count > 0 ? place / all : 0);
    case Driver::even: {
        const double turn = 0.5 + place / std::numbers::phi;
        return scaled(s, curve, turn - std::floor(turn));
    }
    default: return scaled(s, curve, 0);
    }
}

const char* to_text(Target target) {
    switch (target) {
    case Target::delay: return "delay";
    case Target::speed: return "speed";
    case Target::visibility: return "visibility";
    case Target::size: return "size";
    case Target::turn: return "turn";
    case Target::variant: return "variant";
    case Target::wobble: return "wobble strength";
    }
    return "delay";
}

const char* to_text(Driver driver) {
    switch (driver) {
    case Driver::chance: return "chance";
    case Driver::order_step: return "order, per step";
    case Driver::order_total: return "order, in total";
    case Driver::order_loop: return "order, on a loop";
    case Driver::even: return "even, by order";
    case Driver::even_space: return "even, over space";
    case Driver::noise: return "noise";
    case Driver::gradient: return "gradient";
    case Driver::distance: return "distance";
    case Driver::attribute: return "attribute";
    case Driver::zone: return "zone";
    case Driver::sound: return "sound";
    }
    return "chance";
}

} // namespace garland
