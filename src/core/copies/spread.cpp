#include "core/copies/spread.h"

#include "core/base/chance.h"

#include <algorithm>
#include <cmath>

namespace garland {

Result<void> validate(const Spread& s) {
    if (!std::isfinite(s.from) || !std::isfinite(s.to) || std::abs(s.from) > frame_limit ||
        std::abs(s.to) > frame_limit) {
        return fail(ErrorCode::invalid, "a spread's amount is not a usable number");
    }
    if (s.target == Target::speed && (s.from <= -100 || s.to <= -100)) {
        return fail(Error{ErrorCode::invalid, "a spread of speed must stay above −100 %"}.advise(
            "a copy cannot stand still or run backward by a spread; use a hold or reverse in the timing"));
    }
    return {};
}

double value_of(const Spread& s, CopyId copy, std::int64_t index, std::int64_t count) {
    const bool whole = s.whole_frames && s.target == Target::delay;
    double value = s.from;
    switch (s.driver) {
    case Driver::chance: {
        const double u = chance(s.seed, s.id.value, copy.value);
        if (whole) {
            const double low = std::ceil(std::min(s.from, s.to)), high = std::floor(std::max(s.from, s.to));
            return high < low ? std::round(low) : std::min(low + std::floor(u * (high - low + 1)), high);
        }
        value = s.from + u * (s.to - s.from);
        break;
    }
    case Driver::order_step: value = s.from + s.to * static_cast<double>(index); break;
    case Driver::order_total:
        if (count > 1) value = s.from + (s.to - s.from) * static_cast<double>(index) / static_cast<double>(count - 1);
        break;
    }
    return whole ? std::round(value) : value;
}

const char* to_text(Target target) {
    return target == Target::delay ? "delay" : "speed";
}

const char* to_text(Driver driver) {
    switch (driver) {
    case Driver::chance: return "chance";
    case Driver::order_step: return "order, per step";
    case Driver::order_total: return "order, in total";
    }
    return "chance";
}

} // namespace garland
