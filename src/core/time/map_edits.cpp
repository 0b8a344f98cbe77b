// The rules are those of docs/time.md, "Operations on a map".
#include "core/time/map_edits.h"

#include "core/base/numbers.h"
#include "core/time/timing_plan.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace garland {

namespace {

TimingSample sample(const TimeMap& map, double t) {
    Timing timing;
    timing.map = map;
    return TimingPlan(timing).at(OutputFrame(t));
}

Result<TimeMap> checked(TimeMap map) {
    GARLAND_CHECK(validate(map));
    return map;
}

std::size_t key_before(const TimeMap& map, double t) { // the last key at or before t, which is inside the map
    auto after = std::upper_bound(map.keys.begin(), map.keys.end(), t,
                                  [](double x, const Key& key) { return x < key.at.value; });
    return static_cast<std::size_t>(after - map.keys.begin()) - 1;
}

// Turns the smooth stretches whose slopes a change at t touches (its own and both neighbours) into free ones with the
// slopes they have now, so that the change moves nothing else.
TimeMap with_fixed_slopes(TimeMap map, OutputFrame t) {
    const auto slopes = steffen_slopes(map);
    const std::size_t here = key_before(map, t.value);
    for (std::size_t i = here > 0 ? here - 1 : 0; i + 1 < map.keys.size() && i <= here + 1; ++i) {
        if (map.keys[i].toward != Toward::smooth) continue;
        map.keys[i].toward = Toward::free;
        map.keys[i].leave = slopes[i];
        map.keys[i + 1].arrive = slopes[i + 1];
    }
    return map;
}

bool is_whole(double x) {
    return x == std::floor(x);
}

} // namespace

Result<TimeMap> cut_at(const TimeMap& map, OutputFrame t) {
    if (!(t >= map.first() && t <= map.last())) {
        return fail(Error{ErrorCode::invalid,
                          fmt::format("output frame {} lies outside the map ({} to {})", short_number(t.value),
                                      short_number(map.first().value), short_number(map.last().value))}
                        .advise("choose a frame inside the map"));
    }
    const std::size_t i = key_before(map, t.value);
    if (map.keys[i].at == t) return map;
    TimeMap result = with_fixed_slopes(map, t);
    const Toward toward = result.keys[i].toward;
    const TimingSample here = sample(map, t.value);
    result.keys.insert(result.keys.begin() + static_cast<std::ptrdiff_t>(i) + 1,
                       Key{t, SourceFrame(here.source), toward, here.slope, here.slope});
    return result;
}

Result<TimeMap> hold_at(const TimeMap& map, OutputFrame t, double n) {
    if (!(n > 0) || n > frame_limit) {
        return fail(
            Error{ErrorCode::invalid, fmt::format("a hold lasts more than 0 frames, not {}", short_number(n))}.advise(
                "use 1 frame or more"));
    }
    t = std::clamp(t, map.first(), map.last());
    GARLAND_TRY(result, cut_at(with_fixed_slopes(map, t), t));
    const std::size_t i = key_before(result, t.value);
    Key again = result.keys[i];
    for (std::size_t k = i + 1; k < result.keys.size(); ++k) result.keys[k].at = result.keys[k].at + n;
    if (result.keys[i].toward != Toward::hidden) result.keys[i].toward = Toward::linear;
    result.keys[i].leave = 0;
    again.at = again.at + n;
    again.arrive = 0;
    result.keys.insert(result.keys.begin() + static_cast<std::ptrdiff_t>(i) + 1, again);
    return checked(std::move(result));
}

Result<TimeMap> hide_between(const TimeMap& map, OutputFrame p, OutputFrame q) {
    if (!(p >= map.first() && q < map.last() && p <= q)) {
        return fail(
            Error{ErrorCode::invalid, fmt::format("output frames {} to {} cannot be hidden: the timing spans {} to {}",
                                                  short_number(p.value), short_number(q.value),
                                                  short_number(map.first().value), short_number(map.last().value))}
                .advise("choose frames inside it, before its last one; what comes after it is hidden by \"after: "
                        "hidden\""));
    }
    const OutputFrame end = std::min(q + 1, map.last());
    GARLAND_TRY(front, cut_at(map, p));
    GARLAND_TRY(cut, cut_at(with_fixed_slopes(front, p), end));
    for (Key& key : cut.keys) {
        if (key.at >= p && key.at < end) key.toward = Toward::hidden;
    }
    return checked(std::move(cut));
}

namespace {
struct HiddenFrames {
    double first, last; // whole output frames
};
// The whole frames of p … q that are hidden, and the map as if they were not.
std::vector<HiddenFrames> take_hidden(TimeMap& map, OutputFrame p, OutputFrame q) {
    std::vector<HiddenFrames> out;
    for (std::size_t i = 0; i + 1 < map.keys.size(); ++i) {
        if (map.keys[i].toward != Toward::hidden) continue;
        const double from = std::max(std::ceil(map.keys[i].at.value), p.value);
        const double to = std::min(std::ceil(map.keys[i + 1].at.value) - 1, q.value);
        if (map.keys[i].at >= q || map.keys[i + 1].at <= p) continue;
        map.keys[i].toward = Toward::step;
        if (from <= to) out.push_back({from, to});
    }
    return out;
}
Result<TimeMap> reversed_shown(const TimeMap& map, OutputFrame p, OutputFrame q);
} // namespace

Result<TimeMap> reverse(const TimeMap& map, OutputFrame p, OutputFrame q) {
    p = std::max(p, map.first());
    q = std::min(q, map.last());
    TimeMap shown = map;
    const std::vector<HiddenFrames> hidden = take_hidden(shown, p, q);
    GARLAND_TRY(result, reversed_shown(shown, p, q));
    for (const HiddenFrames& h : hidden) {
        const OutputFrame first(p.value + q.value - h.last), last(p.value + q.value - h.first);
        if (last >= result.last()) {
            return fail(Error{
                ErrorCode::unsupported,
                fmt::format("output frame {} is hidden and would become the timing's last frame, which is always shown",
                            short_number(h.first))}
                            .advise("reverse from a frame that is shown"));
        }
        GARLAND_TRY(more, hide_between(result, first, last));
        result = std::move(more);
    }
    return result;
}

namespace {
Result<TimeMap> reversed_shown(const TimeMap& map, OutputFrame p, OutputFrame q) {
    if (!(p < q)) {
        return fail(
            Error{ErrorCode::invalid, "there is nothing to reverse: the range holds less than two frames"}.advise(
                "give a longer range"));
    }
    const bool whole_map = p == map.first() && q == map.last();
    if (!whole_map && !(is_whole(p.value) && is_whole(q.value))) {
        return fail(Error{ErrorCode::invalid, "a range to reverse starts and ends on whole frames"}.advise(
            "use whole output frames"));
    }
    const bool meets = sample(map, p.value).source == sample(map, q.value).source;
    TimeMap cut = map;
    for (OutputFrame end : {p, q}) {
        if (whole_map) break; // mirrored as a whole, smooth stretches stay smooth
        GARLAND_TRY(more, cut_at(with_fixed_slopes(std::move(cut), end), end));
        cut = std::move(more);
    }
    if (!meets && p > map.first() && p.value - 1 >= map.first().value) {
        GARLAND_TRY(more, cut_at(cut, p - 1));
        cut = std::move(more);
    }
    if (!meets && q < map.last() && q.value + 1 <= map.last().value) {
        GARLAND_TRY(more, cut_at(cut, q + 1));
        cut = std::move(more);
    }
    const std::size_t from = key_before(cut, p.value), to = key_before(cut, q.value);

    TimeMap result;
    result.keys.assign(cut.keys.begin(), cut.keys.begin() + static_cast<std::ptrdiff_t>(from));
    if (!meets && !result.keys.empty() && !stays(result.keys.back().toward)) result.keys.back().toward = Toward::step;
    for (std::size_t k = to + 1; k-- > from;) {
        Key key = cut.keys[k];
        const double at = p.value + q.value - key.at.value;
        key.at = OutputFrame(k == to ? p.value : k == from ? q.value : at);
        std::swap(key.leave, key.arrive);
        key.leave = -key.leave;
        key.arrive = -key.arrive;
        const bool last = k == from;
        key.toward = last ? cut.keys[to].toward : cut.keys[k - 1].toward;
        result.keys.push_back(key);
        // A step shows its own value until just before the next key; mirrored, that is from the next whole frame on.
        // Between whole frames there is nothing to show before it.
        if (!last && stays(cut.keys[k - 1].toward)) {
            const double until = p.value + q.value - cut.keys[k - 1].at.value;
            Key rest = key;
            rest.at = OutputFrame(std::floor(key.at.value) + 1);
            rest.source = cut.keys[k - 1].source;
            if (rest.at.value >= until) continue;
            result.keys.push_back(rest);
        }
    }
    if (to + 1 < cut.keys.size()) {
        Key& seam = result.keys.back();
        if (!meets && !stays(seam.toward)) seam.toward = Toward::step;
        seam.leave = cut.keys[to].leave;
        result.keys.insert(result.keys.end(), cut.keys.begin() + static_cast<std::ptrdiff_t>(to) + 1, cut.keys.end());
    }
    if (from > 0) result.keys[from].arrive = cut.keys[from].arrive;
    return checked(std::move(result));
}

} // namespace

Result<TimeMap> fit(SourceFrame a, SourceFrame b, OutputFrame p, OutputFrame q) {
    if (!(p < q))
        return fail(Error{ErrorCode::invalid, "the output range must end after it starts"}.advise(
            "give the first frame first"));
    TimeMap map;
    map.keys = {Key{p, a, Toward::linear}, Key{q, b, Toward::linear}};
    return checked(std::move(map));
}

Result<TimeMap> start_at(const TimeMap& map, OutputFrame start) {
    TimeMap result = map;
    const double by = start - map.first();
    for (Key& key : result.keys) key.at = key.at + by;
    return checked(std::move(result));
}

bool held_around(const TimeMap& map, OutputFrame t, HeldSpan& span) {
    auto flat = [&](std::size_t i) {
        const Key &a = map.keys[i], &b = map.keys[i + 1];
        if (a.toward == Toward::hidden) return false;
        if (a.toward == Toward::step) return true;
        if (a.toward == Toward::free && (a.leave != 0 || b.arrive != 0)) return false;
        return a.source == b.source;
    };
    if (map.keys.size() < 2 || !(t >= map.first() && t <= map.last())) return false;
    std::size_t i = std::min(key_before(map, t.value), map.keys.size() - 2);
    if (!flat(i) && map.keys[i].at == t && i > 0) --i; // the very end of a hold still belongs to it
    if (!flat(i)) return false;
    std::size_t from = i, to = i + 1;
    while (from > 0 && flat(from - 1) && map.keys[from - 1].source == map.keys[i].source) --from;
    while (to + 1 < map.keys.size() && flat(to) && map.keys[to].source == map.keys[i].source) ++to;
    span = {map.keys[from].at, map.keys[to].at};
    return span.last - span.first >= 1;
}

Result<TimeMap> insert_key(const TimeMap& map, Key key) {
    TimeMap result = map;
    auto at = std::lower_bound(result.keys.begin(), result.keys.end(), key.at,
                               [](const Key& k, OutputFrame t) { return k.at < t; });
    if (at != result.keys.end() && at->at == key.at) {
        *at = key;
    } else {
        result.keys.insert(at, key);
    }
    return checked(std::move(result));
}

Result<TimeMap> move_key(const TimeMap& map, std::size_t index, OutputFrame at, SourceFrame source) {
    if (index >= map.keys.size())
        return fail(Error{ErrorCode::not_found, fmt::format("there is no key {}", index + 1)}.advise(
            "choose one that is there"));
    TimeMap result = map;
    result.keys[index].at = at;
    result.keys[index].source = source;
    return checked(std::move(result));
}

Result<TimeMap> remove_key(const TimeMap& map, std::size_t index) {
    if (map.keys.size() <= 1)
        return fail(Error{ErrorCode::invalid, "a time map keeps at least one key"}.advise("move the key instead"));
    if (index >= map.keys.size())
        return fail(Error{ErrorCode::not_found, fmt::format("there is no key {}", index + 1)}.advise(
            "choose one that is there"));
    TimeMap result = map;
    result.keys.erase(result.keys.begin() + static_cast<std::ptrdiff_t>(index));
    return checked(std::move(result));
}

} // namespace garland
