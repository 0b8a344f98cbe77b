#include "core/time/unroll.h"

#include "core/base/numbers.h"
#include "core/time/map_edits.h"

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <fmt/format.h>

namespace garland {

namespace {

// Smooth stretches as free ones with the slopes they have, since the keys beside them will be others.
TimeMap with_own_slopes(TimeMap map) {
    const std::vector<double> slopes = steffen_slopes(map);
    for (std::size_t i = 0; i + 1 < map.keys.size(); ++i) {
        if (map.keys[i].toward != Toward::smooth) continue;
        map.keys[i].toward = Toward::free;
        map.keys[i].leave = slopes[i];
        map.keys[i + 1].arrive = slopes[i + 1];
    }
    map.keys.back().toward = Toward::linear;
    return map;
}

// How many passes reach to x output frames beyond the span's start.
std::int64_t passes_to(double x, double period, const Outside& side) {
    if (!folds(side)) return 0;
    if (side.count > 0) return side.count;
    return std::max<std::int64_t>(static_cast<std::int64_t>(std::floor(x / period)), 0);
}

Result<TimeMap> mirrored(const TimeMap& map) {
    const auto whole = [](OutputFrame f) { return f.value == std::floor(f.value); };
    const bool steps = std::any_of(map.keys.begin(), map.keys.end() - 1, [](const Key& k) { return stays(k.toward); });
    if (steps && !(whole(map.first()) && whole(map.last()))) {
        return fail(
            Error{ErrorCode::unsupported, fmt::format("the way back cannot be written out: the timing has steps, and "
                                                      "spans {} to {}, which are not whole frames",
                                                      short_number(map.first().value), short_number(map.last().value))}
                .advise("move its first and last key to whole frames"));
    }
    return reverse(map, map.first(), map.last());
}

// A seamless pass without its last frame's very end, which is the next pass's beginning: two keys cannot stand on one
// frame.
Result<TimeMap> open_ended(const TimeMap& map) {
    const OutputFrame end(map.last().value - unroll_sliver);
    if (end <= map.first()) return map;
    GARLAND_TRY(cut, cut_at(map, end));
    std::erase_if(cut.keys, [&](const Key& k) { return k.at > end; });
    return cut;
}

// Puts one more pass behind what there is, `by` output frames later than it stands.
void append(std::vector<Key>& keys, const TimeMap& pass, double by) {
    const double start = pass.first().value + by;
    Key& last = keys.back();
    std::size_t from = 0;
    if (start - last.at.value < 1e-9) { // a turn: the key that both share
        last.toward = pass.keys.front().toward;
        last.leave = pass.keys.front().leave;
        from = 1;
    } else {
        last.toward = Toward::step; // the pose stays until the next pass begins
    }
    for (std::size_t i = from; i < pass.keys.size(); ++i) {
        keys.push_back(pass.keys[i]);
        keys.back().at = OutputFrame(pass.keys[i].at.value + by);
    }
}

// The passes of one timing, forward and back.
struct Passes {
    TimeMap own, back, open; // open: own without its very end
    const Timing& timing;
    double period_before, period_after;

    OutsideMode mode(std::int64_t k) const { return k < 0 ? timing.before.mode : timing.after.mode; }
    double start(std::int64_t k) const { return static_cast<double>(k) * (k < 0 ? period_before : period_after); }
    const TimeMap& at(std::int64_t k, bool last) const {
        if (mode(k) == OutsideMode::there_and_back && std::abs(k) % 2 == 1) return back;
        const bool seamless = !last && mode(k + 1 > 0 ? k + 1 : k) == OutsideMode::repeat && timing.last_is_first &&
                              own.keys.front().source != own.keys.back().source;
        return seamless ? open : own;
    }
};

std::vector<Key> written(const Passes& passes, std::int64_t first, std::int64_t last) {
    std::vector<Key> keys = passes.at(first, first == last).keys;
    for (Key& key : keys) key.at = OutputFrame(key.at.value + passes.start(first));
    for (std::int64_t k = first + 1; k <= last; ++k) append(keys, passes.at(k, k == last), passes.start(k));
    return keys;
}

// How many passes are written out, and what goes on in front of them and behind them.
struct Plan {
    std::int64_t before = 0, after = 0;
    OutsideMode in_front = OutsideMode::hold, behind = OutsideMode::hold;
};
Plan plan_of(const Timing& timing, OutputFrame first, OutputFrame last) {
    const double start = timing.map.first().value;
    Plan plan;
    plan.in_front = timing.before.mode;
    plan.behind = timing.after.mode;
    const double period_before = pass_length(timing, timing.before.mode),
                 period_after = pass_length(timing, timing.after.mode);
    if (last > timing.map.last()) plan.after = passes_to(last.value - start, period_after, timing.after);
    if (first < timing.map.first())
        plan.before = passes_to(start - first.value + period_before - 1e-9, period_before, timing.before);
    if (plan.before + plan.after == 0) return plan;
    // A counted repeat counts spans: with another span it is written out whole.
    if (folds(timing.after) && timing.after.count > 0) plan.after = timing.after.count, plan.behind = OutsideMode::hold;
    if (folds(timing.before) && timing.before.count > 0)
        plan.before = timing.before.count, plan.in_front = OutsideMode::hold;
    const bool turns = folds(timing.after) ? timing.after.mode == OutsideMode::there_and_back
                                           : timing.before.mode == OutsideMode::there_and_back;
    const bool alike = timing.before.mode == timing.after.mode && timing.before.count == 0 && timing.after.count == 0;
    const bool endless_after = folds(timing.after) && timing.after.count == 0,
               endless_before = folds(timing.before) && timing.before.count == 0;
    // An endless side goes on repeating what was written out, where that holds nothing of the other side's passes.
    if (endless_after) plan.behind = alike || !folds(timing.before) ? OutsideMode::repeat : OutsideMode::hold;
    if (endless_before) plan.in_front = alike || !folds(timing.after) ? OutsideMode::repeat : OutsideMode::hold;
    // There and back ends where it began, so that it can repeat.
    if (turns && (plan.before + plan.after) % 2 == 0) {
        if (plan.behind == OutsideMode::repeat) {
            ++plan.after;
        } else if (plan.in_front == OutsideMode::repeat) {
            ++plan.before;
        }
    }
    return plan;
}

} // namespace

Result<Unrolled> unrolled(const Timing& timing, OutputFrame first, OutputFrame last) {
    Unrolled out{timing, 0, 0};
    if (timing.form != TimingForm::positions || timing.slider || !(timing.map.first() < timing.map.last())) return out;
    const Plan plan = plan_of(timing, first, last);
    if (plan.before + plan.after == 0) return out;
    const double all =
        (static_cast<double>(plan.before + plan.after) + 1) * static_cast<double>(timing.map.keys.size() + 1);
    if (all > static_cast<double>(key_limit)) {
        return fail(Error{
            ErrorCode::too_large,
            fmt::format("written out, the repeat would have {:.0f} keys; a timing has at most {}", all, key_limit)}
                        .advise("change the span itself, or choose a frame that is nearer to it"));
    }
    Passes passes{with_own_slopes(timing.map),           {}, {}, timing, pass_length(timing, timing.before.mode),
                  pass_length(timing, timing.after.mode)};
    const bool turns =
        timing.after.mode == OutsideMode::there_and_back || timing.before.mode == OutsideMode::there_and_back;
    if (turns) {
        GARLAND_TRY(back, mirrored(passes.own));
        passes.back = std::move(back);
    }
    GARLAND_TRY(open, open_ended(passes.own));
    passes.open = std::move(open);
    passes.open.keys.back().toward = Toward::step;
    out.before = plan.before;
    out.after = plan.after;
    out.timing.map.keys = written(passes, -plan.before, plan.after);
    GARLAND_CHECK(validate(out.timing.map));
    out.timing.before = {plan.in_front, folds(timing.before) ? 0 : timing.before.count};
    out.timing.after = {plan.behind, folds(timing.after) ? 0 : timing.after.count};
    if (turns && (plan.behind == OutsideMode::repeat || plan.in_front == OutsideMode::repeat))
        out.timing.last_is_first = !timing.turn_twice;
    return out;
}

} // namespace garland
