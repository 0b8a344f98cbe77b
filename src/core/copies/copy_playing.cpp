#include "core/copies/copy_playing.h"

#include "core/base/parallel.h"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <functional>
#include <limits>
#include <map>

namespace garland {

namespace {

constexpr double never = std::numeric_limits<double>::infinity();

} // namespace

// A track while it is made, from moment to moment.
struct CopyPlaying::Walk {
    RunTrack track;
    std::function<double(double)> rate; // of the copy's own clock
    std::span<const double> bends;      // of the rate
    double t = 0, value = 0;

    void begin(double at) {
        t = at;
        track.nodes.push_back({at, 0, static_cast<float>(track.before_slope), 0});
    }
    // Its clock runs on to `to`, its speed going evenly from a to b of what it is by itself.
    void run(double to, double a, double b) {
        if (!(to > t)) return;
        const double from = t;
        auto share = [&](double x) { return a + (b - a) * (x - from) / (to - from); };
        std::vector<double> ends;
        for (double bend : bends) {
            if (bend > t && bend < to) ends.push_back(bend);
        }
        ends.push_back(to);
        for (double end : ends) {
            if (bends.empty()) { // a rate that never changes: the piece is a parabola
                const double r = rate(t), sa = r * share(t), sb = r * share(end);
                value += (sa + sb) / 2 * (end - t);
                track.nodes.back().out = static_cast<float>(sa);
                track.nodes.push_back({end, value, static_cast<float>(sb), static_cast<float>(sb)});
            } else {
                value = integrate_pieces([&](double x) { return rate(x) * share(x); }, t, end, value, track.nodes);
            }
            t = end;
        }
        track.nodes.back().out = 0;
    }
    void rest(double to) {
        if (!(to > t)) return;
        track.nodes.back().out = 0;
        track.nodes.push_back({to, value, 0, 0});
        t = to;
    }
    void jump(double to) {
        if (value == to) return;
        value = to;
        track.nodes.push_back({t, value, 0, 0});
    }
    void glide(double to, double target, double end) { // toward target, which it would reach at `end`
        if (!(to > t)) return;
        const double slope = (target - value) / (end - t);
        track.nodes.back().out = static_cast<float>(slope);
        value = to >= end ? target : value + slope * (to - t);
        track.nodes.push_back({to, value, static_cast<float>(slope), 0});
        t = to;
    }
    // When its clock has run `amount` further.
    double after(double amount) const {
        if (bends.empty()) return t + amount / rate(t);
        double wide = 1;
        while (integral_of(rate, t, t + wide) < amount && wide < 1e7) wide *= 2;
        double low = 0, high = wide;
        for (int k = 0; k < 60; ++k) {
            const double middle = (low + high) / 2;
            (integral_of(rate, t, t + middle) < amount ? low : high) = middle;
        }
        return t + high;
    }
};

std::vector<double> CopyPlaying::thresholds() const {
    std::vector<double> out{play_.threshold};
    if (!play_.response.empty()) {
        out = shares_at(play_.response, play_.threshold);
        for (const CurveKey& k : play_.response) out.push_back(k.at);
    }
    return out;
}

CopyPlaying::Level CopyPlaying::through_response(const CopyLevels::Level& l) const {
    if (!response_.keyed()) return {l.value, l.rate};
    return {response_.at(l.value), l.rate * response_.slope(l.value)};
}

CopyPlaying::Level CopyPlaying::level(std::size_t copy, double u) const {
    return through_response(levels_.at(copy, u));
}

// Between two cuts a level is smooth; where zones are added or multiplied it may cross the threshold there.
std::vector<CopyPlaying::Visit> CopyPlaying::visits_of(std::size_t copy, const std::vector<double>& cuts) const {
    std::vector<Visit> out;
    auto inside = [&](double t) { return level(copy, t).value > play_.threshold; };
    bool now = inside(cuts.empty() ? 0 : cuts.front() - 1);
    if (now) out.push_back({-never, never});
    auto turn = [&](double t) {
        now = !now;
        if (now) {
            out.push_back({t, never});
        } else {
            out.back().to = t;
        }
    };
    const bool joins = levels_.by_place() && levels_.zones().size() > 1 && levels_.rule().join != ZoneJoin::highest;
    for (std::size_t k = 0; k < cuts.size(); ++k) {
        const double from = cuts[k];
        if (k + 1 == cuts.size()) {
            if (inside(from + 1) != now) turn(from);
            break;
        }
        const double to = cuts[k + 1];
        constexpr int parts = 16;
        double a = from;
        for (int p = 0; p < (joins ? parts : 1); ++p) {
            const double b = joins ? from + (to - from) * (p + 1) / parts : to, middle = a + (b - a) / 2;
            if (inside(middle) != now) {
                double low = a, high = middle; // the change lies before the middle; at a cut it lies on the cut
                if (joins && p > 0) {
                    while (high - low > 1e-11 * (1 + std::abs(low))) {
                        const double x = (low + high) / 2;
                        if (x <= low || x >= high) break;
                        (inside(x) == now ? low : high) = x;
                    }
                    turn(high);
                } else {
                    turn(a);
                }
            }
            a = b;
        }
    }
    // A visit that begins too soon after the one before it began counts as none.
    if (play_.shortest > 0) {
        std::vector<Visit> kept;
        for (const Visit& v : out) {
            if (kept.empty() || v.from >= kept.back().from + play_.shortest) kept.push_back(v);
        }
        out = std::move(kept);
    }
    return out;
}

RunTrack CopyPlaying::starts_track(std::size_t copy, const std::vector<double>& cuts, const OwnRate& own) const {
    Walk w;
    const std::vector<double> bends = own_changes_ ? own.bends(copy) : std::vector<double>();
    w.bends = bends;
    if (own_changes_) {
        w.rate = [&](double t) { return own.at(copy, t); };
    } else {
        const double fixed = play_.leaving == Leaving::finish_pass ? own_rate(copy) : 1;
        w.rate = [fixed](double) { return fixed; };
    }
    std::vector<Visit> visits = visits_of(copy, cuts);
    const double start = starts_[copy];
    if (!visits.empty() && visits.front().from == -never) {
        // Inside from the beginning: its clock starts as it would by itself.
        if (visits.front().to > start || play_.leaving == Leaving::go_on) {
            visits.front().from = start;
            visits.front().to = std::max(visits.front().to, start);
            w.track.before_slope = w.rate(start - 1);
        } else {
            visits.erase(visits.begin());
        }
    }
    if (visits.empty()) return w.track;
    if (play_.leaving == Leaving::go_on && !play_.start_again) visits.resize(1);
    w.begin(visits.front().from);
    for (std::size_t i = 0; i < visits.size(); ++i) {
        if (i > 0 && play_.start_again) w.jump(0);
        const double leave = visits[i].to, next = i + 1 < visits.size() ? visits[i + 1].from : never;
        const bool runs_on = play_.leaving == Leaving::go_on || leave == never;
        const double end = runs_on ? next : leave;
        if (end == never) {
            // Runs on for good: up to the last bend of its own rate, from there evenly.
            if (!w.bends.empty()) w.run(w.bends.back(), 1, 1);
            const double slope = w.rate(w.t + 1);
            w.track.nodes.back().out = static_cast<float>(slope);
            w.track.after_slope = slope;
            return w.track;
        }
        w.run(end, 1, 1);
        if (runs_on) continue;
        const double frames = play_.leaving_frames;
        switch (play_.leaving) {
        case Leaving::stop:
        case Leaving::go_on: break;
        case Leaving::back_to_start:
            if (frames > 0) {
                w.glide(std::min(leave + frames, next), 0, leave + frames);
            } else {
                w.jump(0);
            }
            break;
        case Leaving::fade_out: {
            const double stop = std::min(leave + frames, next);
            if (frames > 0) w.run(stop, 1, 1 - (stop - leave) / frames);
            break;
        }
        case Leaving::finish_pass: {
            const double target = span_.pass > 0 ? std::ceil(w.value / span_.pass - 1e-9) * span_.pass : w.value;
            if (target > w.value) w.run(std::min(w.after(target - w.value), next), 1, 1);
            break;
        }
        }
        if (next != never) w.rest(next);
    }
    return w.track;
}

RunTrack CopyPlaying::speed_track(std::size_t copy, std::vector<double> cuts, const OwnRate& own) const {
    const double start = starts_[copy];
    cuts.push_back(start);
    if (own_changes_) {
        const std::vector<double> bends = own.bends(copy);
        cuts.insert(cuts.end(), bends.begin(), bends.end());
    }
    std::sort(cuts.begin(), cuts.end());
    cuts.erase(std::unique(cuts.begin(), cuts.end()), cuts.end());
    auto of_level = [&](double value) { return 1 + value * (play_.speed - 1); };
    auto rate = [&](double t) { return of_level(level(copy, t).value) * (own_changes_ ? own.at(copy, t) : 1); };
    RunTrack track;
    track.before_slope = rate(cuts.front() - 1);
    track.after_slope = rate(cuts.back() + 1);
    track.nodes.push_back(
        {cuts.front(), 0, static_cast<float>(track.before_slope), static_cast<float>(track.after_slope)});
    double value = 0, at_start = 0;
    for (std::size_t k = 0; k + 1 < cuts.size(); ++k) {
        if (cuts[k] == start) at_start = value;
        const Level here = level(copy, cuts[k] + (cuts[k + 1] - cuts[k]) / 2);
        if (!own_changes_ && (here.value == 0 || here.value == 1) && here.rate == 0) { // no ring is crossed in between
            const double slope = of_level(here.value);
            value += slope * (cuts[k + 1] - cuts[k]);
            track.nodes.back().out = static_cast<float>(slope);
            track.nodes.push_back({cuts[k + 1], value, static_cast<float>(slope), static_cast<float>(slope)});
        } else {
            value = integrate_pieces(rate, cuts[k], cuts[k + 1], value, track.nodes);
        }
    }
    if (cuts.back() == start) at_start = value;
    for (RunNode& n : track.nodes) n.value -= at_start;
    track.nodes.back().out = static_cast<float>(track.after_slope);
    track.drop_straight_nodes();
    return track;
}

RunTrack CopyPlaying::track(std::size_t copy, const std::vector<double>& cuts, const OwnRate& own) const {
    switch (play_.by) {
    case PlayBy::clock:
    case PlayBy::level: break;
    case PlayBy::furthest: return furthest_track(copy, cuts);
    case PlayBy::starts: return starts_track(copy, cuts, own);
    case PlayBy::speed: return speed_track(copy, cuts, own);
    }
    return {};
}

Result<CopyPlayingPtr> CopyPlaying::make(const Play& play, CopyLevels levels, const PlayedSpan& span,
                                         const OwnRate& own, std::vector<double> starts, Progress& progress) {
    std::shared_ptr<CopyPlaying> out(new CopyPlaying);
    out->play_ = play;
    out->levels_ = std::move(levels);
    out->span_ = span;
    out->response_ = CurvePlan(play.response, 0);
    out->starts_ = std::move(starts);
    out->own_changes_ = own.changes;
    const std::size_t n = out->levels_.size();
    if (!out->own_changes_) {
        for (std::size_t i = 0; i < n; ++i) out->own_rates_.push_back(own.at(i, 0));
        const bool alike = std::all_of(out->own_rates_.begin(), out->own_rates_.end(),
                                       [&](double r) { return r == out->own_rates_.front(); });
        if (alike && n > 1) out->own_rates_ = {out->own_rates_.front()};
    }
    if (play.by == PlayBy::clock || play.by == PlayBy::level || n == 0) return CopyPlayingPtr(out);
    // One track for all copies with the same level, start and rate.
    const bool shares = !out->levels_.by_place() && !out->own_changes_ && play.leaving != Leaving::finish_pass;
    std::vector<std::uint32_t> first_of;
    std::map<std::pair<std::size_t, double>, std::uint32_t> groups;
    for (std::uint32_t i = 0; i < n; ++i) {
        if (!shares) {
            first_of.push_back(i);
            continue;
        }
        const auto [at, fresh] =
            groups.try_emplace({out->levels_.alike(i), out->starts_[i]}, static_cast<std::uint32_t>(first_of.size()));
        if (fresh) first_of.push_back(i);
        out->tracks_.push_back(at->second);
    }
    std::vector<RunTrack> tracks(first_of.size());
    out->reached_.resize(first_of.size());
    const std::vector<double> levels_of_cuts = out->thresholds();
    std::atomic<std::size_t> done = 0;
    parallel_for(tracks.size(), 64, [&](std::size_t from, std::size_t to) {
        for (std::size_t k = from; k < to && !progress.cancelled(); ++k) {
            const std::vector<double> cuts = out->levels_.cuts(first_of[k], levels_of_cuts);
            tracks[k] = out->track(first_of[k], cuts, own);
            out->reached_[k] = out->reached(first_of[k], cuts);
        }
        progress.report(static_cast<double>(done += to - from) / static_cast<double>(tracks.size()),
                        "solving what plays the copies");
    });
    if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
    out->table_.add_all(tracks);
    out->learn_climbs();
    return CopyPlayingPtr(out);
}

CopyPlaying::At CopyPlaying::at(std::size_t copy, double u) const {
    CopyLevels::Lately none;
    return at(copy, u, none);
}

CopyPlaying::At CopyPlaying::at(std::size_t copy, double u, CopyLevels::Lately& lately) const {
    if (!climbs_.empty()) { // most copies are before their climb or after it
        const Climb& climb = climbs_[copy];
        if (u < climb.from) return {climb.before, 0, false};
        if (u >= climb.to) return {climb.after, 0, false};
        return furthest(copy, u, lately);
    }
    return by_rule(copy, u, lately);
}

CopyPlaying::At CopyPlaying::by_rule(std::size_t copy, double u, CopyLevels::Lately& lately) const {
    At out;
    const double wide = (play_.to - play_.from) * span_.length;
    switch (play_.by) {
    case PlayBy::clock: break;
    case PlayBy::level: {
        const CopyLevels::Level now = levels_.at(copy, u, lately);
        const Level l = response_.keyed() ? through_response(now) : Level{now.value, now.rate};
        return {play_.from * span_.length + l.value * wide, l.rate * wide, false};
    }
    case PlayBy::furthest: return furthest(copy, u, lately);
    case PlayBy::starts:
    case PlayBy::speed: {
        const std::size_t track = track_of(copy);
        const RunTable::At run = table_.at(track, u);
        const bool whole = own_changes_ || (play_.by == PlayBy::starts && play_.leaving == Leaving::finish_pass);
        const double factor = whole ? 1 : own_rate(copy);
        out.run = run.value * factor;
        out.rate = run.rate * factor;
        if (play_.by == PlayBy::starts && play_.hidden_before) {
            const std::span<const RunNode> nodes = table_.nodes(track);
            out.before = nodes.empty() || u < nodes.front().t;
        }
        return out;
    }
    }
    return out;
}

std::vector<CopyPlaying::Visit> CopyPlaying::visits(std::size_t copy) const {
    return visits_of(copy, levels_.cuts(copy, thresholds()));
}

bool CopyPlaying::reached(std::size_t copy) const {
    return reached_.empty() ? reached(copy, levels_.cuts(copy, thresholds())) : reached_[track_of(copy)] != 0;
}

bool CopyPlaying::reached(std::size_t copy, const std::vector<double>& cuts) const {
    if (cuts.empty()) return level(copy, 0).value > play_.threshold;
    if (level(copy, cuts.front() - 1).value > play_.threshold) return true;
    for (std::size_t k = 0; k < cuts.size(); ++k) {
        const double next = k + 1 < cuts.size() ? cuts[k + 1] : cuts[k] + 2;
        if (level(copy, cuts[k] + (next - cuts[k]) / 2).value > play_.threshold) return true;
    }
    return false;
}

std::size_t CopyPlaying::bytes() const {
    return table_.bytes() + tracks_.capacity() * sizeof(std::uint32_t) + reached_.capacity() +
           climbs_.capacity() * sizeof(Climb) + (starts_.capacity() + own_rates_.capacity()) * sizeof(double);
}

} // namespace garland
