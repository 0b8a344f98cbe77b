#include "core/time/timing.h"

#include <fmt/format.h>

namespace garland {

Result<void> validate(const Timing& timing) {
    GARLAND_CHECK(validate(timing.map));
    for (const auto& [outside, word] : {std::pair{timing.before, "before"}, std::pair{timing.after, "after"}}) {
        if (outside.count < 0 || outside.count > 1'000'000'000) {
            return fail(ErrorCode::invalid,
                        fmt::format("the count {} of \"{}\" must be 0 (endless) to 1000000000", word, outside.count));
        }
    }
    return {};
}

double pass_length(const Timing& timing, OutsideMode mode) {
    const double length = timing.map.last() - timing.map.first();
    const bool shared_end = mode == OutsideMode::repeat ? timing.last_is_first : !timing.turn_twice;
    const double period = shared_end ? length : length + 1;
    return period > 0 ? period : 1;
}

TimeMap plain_map(OutputFrame start, SourceFrame first, SourceFrame last) {
    TimeMap map;
    map.keys.push_back({start, first, Toward::linear});
    if (last > first) map.keys.push_back({start + (last - first), last, Toward::linear});
    return map;
}

const char* to_text(OutsideMode mode) {
    switch (mode) {
    case OutsideMode::hold: return "hold";
    case OutsideMode::repeat: return "repeat";
    case OutsideMode::there_and_back: return "there-and-back";
    case OutsideMode::run_on: return "run on";
    case OutsideMode::absent: return "absent";
    }
    return "hold";
}

} // namespace garland
