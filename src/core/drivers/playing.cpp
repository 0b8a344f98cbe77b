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
    return word_of(level_words, kind);
}

const char* to_text(ZoneJoin join) {
    return word_of(zone_join_words, join);
}

const char* to_text(SoundDeal deal) {
    return word_of(deal_words, deal);
}

const char* to_text(PlayBy by) {
    return word_of(play_words, by);
}

const char* to_text(Leaving leaving) {
    return word_of(leaving_words, leaving);
}

} // namespace garland
