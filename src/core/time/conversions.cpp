#include "core/time/conversions.h"

#include "core/base/numbers.h"
#include "core/base/portable_math.h"
#include "core/time/timing_plan.h"

#include <cmath>
#include <fmt/format.h>

namespace garland {

namespace {

std::string words_of(const Converted& c) {
    std::string words = c.error < 1e-6 ? "exact" : fmt::format("within {} source frames", short_number(c.error, 4));
    if (c.jumps > 0) {
        words += fmt::format("; {} became {} of one frame", counted(c.jumps, "jump", "jumps"),
                             c.jumps == 1 ? "a run" : "runs");
    }
    if (c.lost_fades) words += "; the cross-fades are gone";
    return words;
}

Timing emptied(const Timing& timing, TimingForm form) {
    Timing out = timing;
    out.form = form;
    out.map = {};
    out.speeds = {};
    out.phrases = {};
    return out;
}

// A stretch of time in which the speed runs evenly from v0 to v1 while the source moves by `moved`.
struct Ramp {
    double start, length, v0, v1, moved;
};

// Two even ramps over u0 … u1 of a cubic stretch, with the right speeds at both ends and the right distance: the middle
// speed follows from it.
void add_pair(const Stretch& s, double u0, double u1, std::vector<Ramp>& out) {
    const double h = u1 - u0, v0 = s.slope(u0), v1 = s.slope(u1);
    const double moved = s.at(u1) - s.at(u0);
    const double middle = 2 * moved / h - (v0 + v1) / 2;
    out.push_back({s.start + u0, h / 2, v0, middle, h * (v0 + middle) / 4});
    out.push_back({s.start + u0 + h / 2, h / 2, middle, v1, h * (middle + v1) / 4});
}

void add_cubic(const Stretch& s, double tolerance, std::vector<Ramp>& out) {
    // The position is off by at most |v''|·h³/124 in a pair of ramps over h (found by maximising the difference).
    const double bend = std::abs(6 * s.c[3]);
    double pieces = std::ceil(s.length * portable::cbrt(bend / (100 * tolerance)));
    pieces = std::min(std::max(pieces, 1.0), 256.0);
    for (double k = 0; k < pieces; ++k) add_pair(s, s.length * k / pieces, s.length * (k + 1) / pieces, out);
}

// Where the last key stands for the last phrase, from its start. A map's last key lasts one frame in a repeat, and a
// phrase's last frame 1/speed: above speed 1 the mode after decides what can be kept.
double last_key_of_phrases(const Timing& timing, bool& last_is_first) {
    const double length = length_of(timing.phrases, timing.turn_twice);
    const Phrase& last = timing.phrases.list.back();
    if (last.speed <= 1 || timing.after.mode == OutsideMode::there_and_back) return std::max(length - 1, 0.0);
    if (timing.after.mode != OutsideMode::repeat) return last.holds() ? length : length - 1 / last.speed;
    if (last_is_first) return std::max(length - 1, 0.0);
    last_is_first = true;
    return length;
}

// The largest difference on whole output frames, before, in and after the span.
double difference_on_frames(Timing a, Timing b) {
    a.slider.reset();
    b.slider.reset();
    const TimingPlan one(a), other(b);
    const double from = std::floor(form_first(a).value), length = std::min(std::ceil(form_length(a)), 20'000.0);
    double most = 0;
    for (double t = from - 2 * length; t <= from + 3 * length; ++t) {
        const TimingSample x = one.at(OutputFrame(t)), y = other.at(OutputFrame(t));
        if (!x.absent && !y.absent) most = std::max(most, std::abs(x.source - y.source));
    }
    return most;
}

} // namespace

Result<Converted> to_positions(const Timing& timing) {
    Converted out;
    out.timing = timing;
    out.words = "exact";
    if (timing.form == TimingForm::positions) return out;
    out.timing = emptied(timing, TimingForm::positions);
    auto& keys = out.timing.map.keys;
    const std::vector<Stretch> parts = stretches(timing);
    if (timing.form == TimingForm::speeds) {
        const auto& from = timing.speeds.keys;
        double source = timing.speeds.from.value;
        for (std::size_t i = 0; i < from.size(); ++i) {
            Key key;
            key.at = from[i].at;
            key.source = SourceFrame(i < parts.size() ? parts[i].c[0] : source);
            const bool even =
                i + 1 == from.size() || from[i].toward == Toward::step || from[i].speed == from[i + 1].speed;
            const bool runs_on = i + 1 == from.size(); // with its own speed
            key.toward = even && !runs_on ? Toward::linear : Toward::free;
            if (key.toward == Toward::free) key.leave = from[i].speed;
            if (i > 0 && keys.back().toward == Toward::free) key.arrive = from[i].speed;
            keys.push_back(key);
            if (i < parts.size()) {
                source = parts[i].c[0] + parts[i].length * (from[i].toward == Toward::step
                                                                ? from[i].speed
                                                                : 0.5 * (from[i].speed + from[i + 1].speed));
            }
        }
        return out;
    }
    if (parts.size() > key_limit) {
        return fail(Error{ErrorCode::too_large, fmt::format("the phrases would become {} keys", parts.size())}.advise(
            "let the list repeat instead of its phrases"));
    }
    const double start = timing.phrases.start.value;
    const double end = last_key_of_phrases(timing, out.timing.last_is_first);
    for (const Stretch& s : parts) {
        if (s.start > end - 1e-9 && !keys.empty()) break;
        Key key;
        key.at = OutputFrame(start + s.start);
        key.source = SourceFrame(s.c[0]);
        key.toward = s.c[1] == 0 ? Toward::step : Toward::linear;
        keys.push_back(key);
    }
    if (end > keys.back().at.value - start) {
        const double shown = TimingPlan(timing).at(OutputFrame(start + end)).source;
        keys.push_back({OutputFrame(start + end), SourceFrame(shown), Toward::linear});
    }
    for (const Phrase& p : timing.phrases.list) out.lost_fades |= p.fade > 0;
    out.error = difference_on_frames(timing, out.timing);
    out.words = words_of(out);
    return out;
}

namespace {

// A position map as ramps of speed, stretch by stretch.
struct Ramps {
    std::vector<Ramp> list;
    std::vector<bool> jumps; // one a stretch: it is a jump, made by a fast run
    std::int64_t jumped = 0;
};

Result<Ramps> ramps_of(const TimeMap& map, const std::vector<Stretch>& parts, double tolerance) {
    Ramps out;
    out.jumps.resize(parts.size());
    for (std::size_t i = 0; i < parts.size(); ++i) {
        const Stretch& s = parts[i];
        const double moved = map.keys[i + 1].source - map.keys[i].source;
        if (map.keys[i].toward == Toward::step && moved != 0) {
            // The run goes from the last whole frame before the jump to the jump.
            const double at = map.first().value + s.start + s.length;
            const double rest = std::max(std::ceil(at - 1e-9) - 1 - map.first().value - s.start, 0.0);
            if (rest > 0) out.list.push_back({s.start, rest, 0, 0, 0});
            const double pace = moved / (s.length - rest);
            out.list.push_back({s.start + rest, s.length - rest, pace, pace, moved});
            ++out.jumped;
            out.jumps[i] = true;
        } else if (std::abs(s.c[3]) * s.length * s.length * s.length < 1e-9) {
            out.list.push_back({s.start, s.length, s.c[1], s.slope(s.length), moved});
        } else {
            add_cubic(s, tolerance, out.list);
        }
        if (out.list.size() > key_limit / 2) {
            return fail(Error{ErrorCode::too_large, "the curve would need more speed keys than a map may have"}.advise(
                "convert a shorter span, or allow a larger difference"));
        }
    }
    return out;
}

std::vector<SpeedKey> keys_of(const std::vector<Ramp>& ramps, OutputFrame first, OutputFrame last, double tolerance) {
    std::vector<SpeedKey> keys;
    for (std::size_t i = 0; i < ramps.size(); ++i) {
        const Ramp& r = ramps[i];
        const bool even = std::abs(r.v1 - r.v0) < 1e-12 * (1 + std::abs(r.v0));
        keys.push_back({first + r.start, r.v0, even ? Toward::step : Toward::linear});
        const bool meets = i + 1 == ramps.size() || std::abs(ramps[i + 1].v0 - r.v1) < 1e-9 * (1 + std::abs(r.v1));
        if (even || meets) continue;
        // A ramp that ends in a sudden change: a last sliver at constant speed, so that the next key can have its own.
        const double sliver = std::min({1.0 / 64, tolerance / std::abs(r.v1 - r.v0), r.length / 2});
        const double ramp = r.length - sliver;
        const double pace = (r.moved - r.v0 * ramp / 2) / (ramp / 2 + sliver);
        keys.push_back({first + r.start + ramp, pace, Toward::step});
    }
    keys.push_back({last, ramps.empty() ? 0 : ramps.back().v1, Toward::step});
    // Runs of equal speeds need one key only.
    for (std::size_t i = keys.size() - 1; i-- > 1;) {
        const SpeedKey &a = keys[i - 1], &b = keys[i];
        if (a.toward == Toward::step && b.toward == Toward::step && a.speed == b.speed)
            keys.erase(keys.begin() + static_cast<std::ptrdiff_t>(i));
    }
    return keys;
}

// The largest difference of what two timings show, sliders aside, where no jump is.
double difference_between_jumps(Timing was, Timing is, const std::vector<Stretch>& parts,
                                const std::vector<bool>& jumps) {
    was.slider.reset();
    is.slider.reset();
    const TimingPlan a(was), b(is);
    const double steps = std::min(64.0, std::max(8.0, 4e6 / static_cast<double>(parts.size())));
    double most = 0;
    for (std::size_t i = 0; i < parts.size(); ++i) {
        if (jumps[i]) continue;
        for (double k = 0; k < steps; ++k) {
            const OutputFrame t(was.map.first().value + parts[i].start + parts[i].length * k / steps);
            most = std::max(most, std::abs(a.at(t).source - b.at(t).source));
        }
    }
    return most;
}

} // namespace

Result<Converted> to_speeds(const Timing& timing, double tolerance) {
    Converted out;
    out.timing = timing;
    out.words = "exact";
    if (timing.form == TimingForm::speeds) return out;
    Timing from = timing;
    if (timing.form == TimingForm::phrases) {
        GARLAND_TRY(keys, to_positions(timing));
        from = std::move(keys.timing);
        out.lost_fades = keys.lost_fades;
    }
    for (const Key& key : from.map.keys) {
        if (key.toward != Toward::hidden) continue;
        return fail(Error{ErrorCode::unsupported,
                          fmt::format("the copies are hidden from output frame {} on, which speed keys cannot say",
                                      short_number(key.at.value))}
                        .keeping("the position keys")
                        .advise("show that stretch first, by another way towards the next key"));
    }
    const TimeMap& map = from.map;
    const std::vector<Stretch> parts = stretches(map);
    GARLAND_TRY(ramps, ramps_of(map, parts, tolerance));
    out.jumps = ramps.jumped;
    out.timing = emptied(from, TimingForm::speeds);
    out.timing.speeds.from = map.keys.front().source;
    out.timing.speeds.keys = keys_of(ramps.list, map.first(), map.last(), tolerance);
    GARLAND_CHECK(validate(out.timing.speeds));
    out.error = difference_between_jumps(from, out.timing, parts, ramps.jumps);
    out.words = words_of(out);
    return out;
}

} // namespace garland
