#include "core/time/time_words.h"

#include "core/base/numbers.h"

#include <cmath>
#include <fmt/format.h>

namespace garland {

namespace {
// The stretches that run backward although the timing as a whole runs forward. Phrases say their direction themselves.
void add_backward(const Timing& timing, const std::vector<Stretch>& parts, std::vector<MapWarning>& out) {
    if (timing.form == TimingForm::phrases) return;
    double forward = 0, backward = 0;
    for (const Stretch& s : parts) {
        const double moved = s.at(s.length) - s.c[0];
        if (timing.form == TimingForm::positions && s.low == s.high) continue; // a step
        (moved > 0 ? forward : backward) += std::abs(moved);
    }
    if (backward > forward / 2) return; // meant
    const double start = form_first(timing).value;
    for (const Stretch& s : parts) {
        double low = 1e300, at = 0; // the slowest place of the stretch
        for (int k = 0; k <= 16; ++k) {
            const double u = s.length * k / 16, v = s.slope(u);
            if (v < low) low = v, at = u;
        }
        if (low >= -1e-9 || s.low == s.high) continue;
        out.push_back({WarningKind::backward, OutputFrame(start + s.start), OutputFrame(start + s.start + s.length),
                       fmt::format("runs backward at {}× around output frame {}, while the rest runs forward",
                                   short_number(-low, 2), short_number(start + s.start + at, 1))});
    }
}

void add_jumps(const Timing& timing, const std::vector<Stretch>& parts, std::vector<MapWarning>& out) {
    const double start = form_first(timing).value;
    std::vector<OutputFrame> fading;
    if (timing.form == TimingForm::phrases) {
        for (const Fade& f : fades(timing.phrases, timing.turn_twice)) {
            if (!f.wraps) fading.push_back(timing.phrases.start + f.start);
        }
    }
    for (std::size_t i = 0; i + 1 < parts.size(); ++i) {
        const double before = parts[i].at(parts[i].length), after = parts[i + 1].c[0];
        // A pose held for n frames may go on n frames further, as in stepped motion, and half as much again.
        const double allowed = 1.5 * std::max(parts[i].length, 1.0) + 0.5;
        if (std::abs(after - before) <= allowed || parts[i].hidden || parts[i + 1].hidden) continue;
        const OutputFrame at(start + parts[i + 1].start);
        bool faded = false;
        for (OutputFrame f : fading) faded |= std::abs(f - at) < 1e-6;
        if (faded) continue;
        out.push_back({WarningKind::jump, at - 1, at,
                       fmt::format("jumps from source frame {} to {} at output frame {}", short_number(before, 2),
                                   short_number(after, 2), short_number(at.value, 2))});
    }
    if (timing.form == TimingForm::positions && timing.map.keys.size() > 1) { // a step into the last key
        const Key &a = timing.map.keys[timing.map.keys.size() - 2], &b = timing.map.keys.back();
        if (a.toward == Toward::step && std::abs(b.source - a.source) > 1.5 * std::max(b.at - a.at, 1.0) + 0.5) {
            out.push_back(
                {WarningKind::jump, b.at - 1, b.at,
                 fmt::format("jumps from source frame {} to {} at output frame {}", short_number(a.source.value, 2),
                             short_number(b.source.value, 2), short_number(b.at.value, 2))});
        }
    }
}

void add_clamps(const TimingPlan& plan, SourceFrame low, SourceFrame high, OutputFrame from, OutputFrame to,
                std::vector<MapWarning>& out) {
    const double step = std::max(1.0, std::ceil((to - from) / 2000));
    MapWarning run{WarningKind::clamped, {}, {}, {}};
    double furthest = 0;
    int side = 0;
    auto close = [&] {
        if (side == 0) return;
        run.words = side > 0 ? fmt::format("asks for source frames up to {}, but the source ends at {}",
                                           short_number(furthest, 2), short_number(high.value, 2))
                             : fmt::format("asks for source frames down to {}, but the source starts at {}",
                                           short_number(furthest, 2), short_number(low.value, 2));
        out.push_back(run);
        side = 0;
    };
    for (OutputFrame t = from; t <= to; t = t + step) {
        const TimingSample s = plan.at(t);
        const int now = s.absent ? 0 : s.source > high.value + 1e-9 ? 1 : s.source < low.value - 1e-9 ? -1 : 0;
        if (now != side) {
            close();
            side = now;
            run.first = t;
            furthest = s.source;
        }
        if (now == 0) continue;
        run.last = t;
        furthest = now > 0 ? std::max(furthest, s.source) : std::min(furthest, s.source);
    }
    close();
}

} // namespace

std::string motion_words(const TimingPlan& plan, OutputFrame local, double rate) {
    const TimingSample s = plan.at(local);
    if (s.absent) return "nothing shown";
    std::string words;
    if (const auto rest = plan.rest_at(local); rest.held) {
        words = "held at " + short_number(s.source, 2);
        const double passed = rest.passed / rate, left = rest.left / rate;
        if (std::isinf(left) && std::isinf(passed)) {
            words += " all the time";
        } else if (std::isinf(left)) {
            words += " from here on";
        } else if (std::isinf(passed)) {
            words += fmt::format(", {} left", counted_number(left, "frame", "frames"));
        } else {
            words += fmt::format(" for {}, {} left",
                                 counted_number(std::round((passed + left) * 1e6) / 1e6, "frame", "frames"),
                                 short_number(left, 2));
        }
    } else {
        const double speed = s.slope * rate;
        words = speed == 0 ? std::string("momentarily still")
                           : fmt::format("{} at {:.2f}×", speed < 0 ? "backward" : "forward", std::abs(speed));
        const bool whole = std::abs(s.source - std::round(s.source)) < 1e-9;
        if (!whole || (speed != 0 && std::abs(speed) != std::round(std::abs(speed)))) {
            words += ", in-between poses";
        }
    }
    if (plan.fades()) {
        if (const auto f = plan.fading(local); f.weight > 0) {
            words += fmt::format(", fading from {} ({:.0f} %, {} left)", short_number(f.source, 2), f.weight * 100,
                                 counted_number(f.left / rate, "frame", "frames"));
        }
    }
    return words;
}

std::vector<MapWarning> warnings_of(const Timing& timing, SourceFrame low, SourceFrame high, OutputFrame from,
                                    OutputFrame to) {
    std::vector<MapWarning> out;
    const std::vector<Stretch> parts = stretches(timing);
    add_backward(timing, parts, out);
    add_jumps(timing, parts, out);
    add_clamps(TimingPlan(timing), low, high, from, to, out);
    return out;
}

const char* to_text(WarningKind kind) {
    switch (kind) {
    case WarningKind::clamped: return "clamped";
    case WarningKind::backward: return "backward";
    case WarningKind::jump: return "jump";
    }
    return "jump";
}

} // namespace garland
