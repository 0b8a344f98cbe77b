#include "core/drivers/playing.h"

#include "core/base/numbers.h"

#include <cmath>
#include <fmt/format.h>

namespace garland {

Result<void> validate(const LevelRule& rule) {
    if (rule.kind == LevelKind::pulse) GARLAND_CHECK(validate(rule.wave, "the pulse that plays"));
    if (rule.kind == LevelKind::sound) {
        const V3d& a = rule.hearing.axis;
        if (rule.hearing.deal == SoundDeal::axis && !(a.length() > 0 && std::isfinite(a.length())))
            return fail(Error{ErrorCode::invalid, "the axis along which bands are dealt has no length"}.advise(
                "use an axis such as 1, 0, 0"));
    }
    return {};
}

Result<void> validate(const Play& p) {
    auto wrong = [](std::string field, std::string advice) {
        return fail(Error{ErrorCode::invalid, "what plays the copies: " + field}.advise(std::move(advice)));
    };
    GARLAND_CHECK(validate(p.level));
    GARLAND_CHECK(validate(p.response, "the response of what plays the copies", {0, 1, 0, 1}));
    if (!std::isfinite(p.from) || !std::isfinite(p.to) || p.from < 0 || p.from > 1 || p.to < 0 || p.to > 1)
        return wrong(
            fmt::format("the part of the motion is {} to {} %", short_number(p.from * 100), short_number(p.to * 100)),
            "use 0 to 100 %");
    if (!std::isfinite(p.threshold) || p.threshold < 0 || p.threshold >= 1)
        return wrong(fmt::format("the threshold is {} %", short_number(p.threshold * 100)),
                     "use 0 % up to below 100 %");
    if (!std::isfinite(p.leaving_frames) || p.leaving_frames < 0 || p.leaving_frames > frame_limit)
        return wrong(fmt::format("leaving takes {} frames", short_number(p.leaving_frames)), "use 0 frames or more");
    if (!std::isfinite(p.shortest) || p.shortest < 0 || p.shortest > frame_limit)
        return wrong(fmt::format("the shortest time between starts is {} frames", short_number(p.shortest)),
                     "use 0 frames or more");
    if (!std::isfinite(p.speed) || p.speed < -1 || p.speed > 10)
        return wrong(fmt::format("the speed at full level is {}×", short_number(p.speed)), "use −1× to 10×");
    return {};
}

const char* to_text(LevelKind kind) {
    switch (kind) {
    case LevelKind::zones: return "zones";
    case LevelKind::pulse: return "pulse";
    case LevelKind::sound: return "sound";
    }
    return "zones";
}

const char* to_text(ZoneJoin join) {
    switch (join) {
    case ZoneJoin::highest: return "highest";
    case ZoneJoin::sum: return "sum";
    case ZoneJoin::product: return "product";
    }
    return "highest";
}

const char* to_text(SoundDeal deal) {
    switch (deal) {
    case SoundDeal::order: return "order";
    case SoundDeal::axis: return "axis";
    case SoundDeal::attribute: return "attribute";
    case SoundDeal::together: return "together";
    }
    return "order";
}

const char* to_text(PlayBy by) {
    switch (by) {
    case PlayBy::clock: return "own clock";
    case PlayBy::level: return "level";
    case PlayBy::furthest: return "level, keeps the furthest";
    case PlayBy::starts: return "starts";
    case PlayBy::speed: return "speed";
    }
    return "own clock";
}

const char* to_text(Leaving leaving) {
    switch (leaving) {
    case Leaving::stop: return "stop";
    case Leaving::back_to_start: return "back to the start";
    case Leaving::go_on: return "go on";
    case Leaving::finish_pass: return "finish the pass";
    case Leaving::fade_out: return "fade out";
    }
    return "go on";
}

} // namespace garland
