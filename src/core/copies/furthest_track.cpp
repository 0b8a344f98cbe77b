// A level that keeps the furthest it has come: every climb above all before it, and the rest between them.
#include "core/copies/copy_playing.h"

#include <algorithm>
#include <cmath>
#include <functional>

namespace garland {

namespace {

// Whether a level that runs the same way at both ends of a piece may turn twice inside: by the cubic through both ends
// and their rates, whose own rate is a parabola. Rates times the piece's width.
bool may_turn_twice(double first, double last, double rise) {
    const double bend = 3 * (first + last) - 6 * rise, slope = 6 * rise - 4 * first - 2 * last;
    if (bend == 0) return false;
    const double at = -slope / (2 * bend);
    if (!(at > 0 && at < 1)) return false;
    const double turned = first + at * (slope + at * bend), usual = std::max(std::abs(first), std::abs(last));
    return first > 0 ? turned < usual / 4 : turned > -usual / 4;
}

} // namespace

// Every moment at which a level is higher than ever before and then falls.
RunTrack CopyPlaying::furthest_track(std::size_t copy, const std::vector<double>& cuts) const {
    RunTrack track;
    if (cuts.empty()) return track;
    double highest = level(copy, cuts.front() - 1).value;
    track.nodes.push_back({cuts.front() - 1, highest, 0, 0});
    auto take = [&](double t, double value) {
        if (value <= highest) return;
        highest = value;
        track.nodes.push_back({t, value, 0, 0});
    };
    struct End {
        double t;
        Level level;
    };
    // Peaks between two moments, in order; a piece in which the level may turn twice is halved.
    const std::function<void(const End&, const End&, int)> peaks = [&](const End& from, const End& to, int depth) {
        const double wide = to.t - from.t, first = from.level.rate, last = to.level.rate;
        if (first > 0 && last <= 0) { // 0: where a sum has reached 1
            double a = from.t, b = to.t;
            for (int n = 0; n < 60 && b - a > 1e-12 * (1 + std::abs(a)); ++n) {
                const double middle = a + (b - a) / 2;
                (level(copy, middle).rate > 0 ? a : b) = middle;
            }
            take(b, std::max(level(copy, a).value, level(copy, b).value));
        } else if (depth > 0 && first * last > 0 &&
                   may_turn_twice(first * wide, last * wide, to.level.value - from.level.value)) {
            const double t = from.t + wide / 2;
            const End middle{t, level(copy, t)};
            peaks(from, middle, depth - 1);
            peaks(middle, to, depth - 1);
        }
    };
    // No level is above 1 (a drawn response may be, between its keys).
    auto done = [&] { return highest >= 1 && !response_.keyed(); };
    for (std::size_t k = 0; k < cuts.size() && !done(); ++k) {
        take(cuts[k], level(copy, cuts[k]).value);
        if (k + 1 == cuts.size() || done()) break;
        const double wide = cuts[k + 1] - cuts[k];
        const Level middle = level(copy, cuts[k] + wide / 2);
        const bool flat = levels_.by_place() && (middle.value == 0 || middle.value == 1) && middle.rate == 0;
        if (flat) { // no ring is crossed in between
            if (track.nodes.size() == 1 && middle.value == highest)
                track.nodes.front().t = cuts[k + 1]; // still as before
            take(cuts[k] + wide / 2, middle.value);
            continue;
        }
        const int parts = static_cast<int>(std::clamp(std::ceil(wide * 4), 16.0, 100'000.0)); // a quarter of a frame
        auto end_at = [&](double t) { return End{t, level(copy, t)}; };
        End before = end_at(cuts[k] + wide / parts * 1e-9);
        for (int p = 1; p <= parts && !done(); ++p) {
            const End after = end_at(cuts[k] + wide * p / parts - wide / parts * 1e-9);
            peaks(before, after, 10);
            before = after;
        }
        const double just = std::nextafter(cuts[k + 1], cuts[k]);
        take(just, level(copy, just).value);
    }
    return track;
}

void CopyPlaying::learn_climbs() {
    if (play_.by != PlayBy::furthest || !levels_.by_place()) return;
    const double low = play_.from * span_.length, wide = (play_.to - play_.from) * span_.length;
    climbs_.reserve(table_.size());
    for (std::size_t k = 0; k < table_.size(); ++k) {
        const std::span<const RunNode> records = table_.nodes(k);
        if (records.empty()) { // its level never changes
            const double still = low + level(k, 0).value * wide;
            climbs_.push_back({0, 0, still, still});
        } else {
            climbs_.push_back({records.front().t, records.back().t, low + records.front().value * wide,
                               low + records.back().value * wide});
        }
    }
}

CopyPlaying::At CopyPlaying::furthest(std::size_t copy, double u, CopyLevels::Lately& lately) const {
    const std::span<const RunNode> records = table_.nodes(track_of(copy));
    const std::size_t after = nodes_until(records, u);
    const CopyLevels::Level now = levels_.at(copy, u, lately);
    Level l = response_.keyed() ? through_response(now) : Level{now.value, now.rate};
    if (after > 0 && records[after - 1].value > l.value) l = {records[after - 1].value, 0};
    if (l.rate < 0) l.rate = 0;
    const double wide = (play_.to - play_.from) * span_.length;
    return {play_.from * span_.length + l.value * wide, l.rate * wide, false};
}

} // namespace garland
