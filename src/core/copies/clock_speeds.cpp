// Speeds of copies that change in time: how fast a copy runs by itself, and how far it has come where that has no
// closed integral.
#include "core/copies/clocks.h"

#include "core/base/parallel.h"

#include <algorithm>
#include <cmath>

namespace garland {

// Slowing strengths are made smaller by as much as they are too strong where, all together, they would bring a copy
// below the slowest speed at some moment. Between two keys each strength runs one way only, so a sum of their lower
// ends over a short piece of time is never above what the sum comes to in it.
void CopyClocks::limit_slowing(const std::vector<std::size_t>& changing, const std::vector<CopyClock>& still) {
    std::vector<double> times;
    for (std::size_t k : changing) {
        for (const CurveKey& key : shares_[k].keys) times.push_back(key.at);
    }
    std::sort(times.begin(), times.end());
    times.erase(std::unique(times.begin(), times.end()), times.end());
    constexpr int pieces = 64;
    std::vector<double> at{times.empty() ? 0 : times.front() - 1};
    for (std::size_t i = 0; i + 1 < times.size(); ++i) {
        for (int p = 0; p < pieces; ++p) at.push_back(times[i] + (times[i + 1] - times[i]) * p / pieces);
        at.push_back(std::nextafter(times[i + 1], times[i])); // just before a step
    }
    if (!times.empty()) at.push_back(times.back());
    std::vector<double> strengths(at.size() * changing.size());
    for (std::size_t j = 0; j < at.size(); ++j) {
        for (std::size_t k = 0; k < changing.size(); ++k)
            strengths[j * changing.size() + k] = shares_[changing[k]].amount.at(at[j]) * shares_[changing[k]].share;
    }
    const std::size_t n = still.size();
    std::vector<double> factor(n, 1);
    for (std::size_t i = 0; i < n; ++i) {
        for (std::size_t j = 0; j < at.size(); ++j) {
            const double *here = &strengths[j * changing.size()],
                         *next = &strengths[std::min(j + 1, at.size() - 1) * changing.size()];
            double rate = still[i].rate, slowing = 0;
            for (std::size_t k = 0; k < changing.size(); ++k) {
                const double w = shares_[changing[k]].values[i], least = std::min(w * here[k], w * next[k]);
                (least < 0 ? slowing : rate) += least;
            }
            if (rate + slowing < slowest) factor[i] = std::min(factor[i], std::max((rate - slowest) / -slowing, 0.0));
        }
    }
    for (std::size_t k : changing) {
        std::vector<double> values = shares_[k].values.list();
        for (std::size_t i = 0; i < n; ++i) {
            if (values[i] < 0) values[i] *= factor[i];
        }
        shares_[k].values = std::move(values);
    }
}

double CopyClocks::own_rate_at(std::size_t i, double t) const {
    double rate = still_[i].rate;
    bool in_time = false;
    for (const Share& s : shares_) {
        if (s.target != Target::speed) continue;
        in_time |= s.in_time.has_value();
        rate += (s.in_time ? s.in_time->at(i, t).value / 100 : s.values[i]) * s.share * s.amount.at(t);
    }
    return in_time ? std::max(rate, slowest) : rate;
}

// Where a copy's own rate bends, from one output frame to another.
std::vector<double> CopyClocks::rate_bends(std::size_t i) const {
    std::vector<double> out;
    for (const Share& s : shares_) {
        if (s.target != Target::speed) continue;
        for (const CurveKey& key : s.keys) out.push_back(key.at);
        if (s.in_time) s.in_time->cuts(i, solved_from_, solved_to_, out);
    }
    std::sort(out.begin(), out.end());
    out.erase(std::unique(out.begin(), out.end()), out.end());
    return out;
}

OwnRate CopyClocks::own_rate() const {
    OwnRate out;
    out.at = [this](std::size_t i, double t) { return own_rate_at(i, t); };
    out.bends = [this](std::size_t i) { return rate_bends(i); };
    out.changes = std::any_of(shares_.begin(), shares_.end(), [](const Share& s) { return s.target == Target::speed; });
    return out;
}

// Speeds that zones, sound or drifting noise drive have no closed integral: it is kept as pieces, solved once for all
// copies that are alike. Outside the solved frames a copy runs as at their ends.
void CopyClocks::solve_speeds(const TimingPlan& plan, FrameRange horizon) {
    const bool any = std::any_of(shares_.begin(), shares_.end(),
                                 [](const Share& s) { return s.target == Target::speed && s.in_time; });
    if (!any) return;
    constexpr double margin = 200; // output frames beyond the range
    solved_from_ = static_cast<double>(horizon.first) - margin, solved_to_ = static_cast<double>(horizon.last) + margin;
    std::map<std::vector<double>, std::uint32_t> groups;
    std::vector<std::uint32_t> tracks, first_of;
    for (std::uint32_t i = 0; i < size(); ++i) {
        std::vector<double> key{still_[i].rate, shift_of(i)};
        for (const Share& s : shares_) {
            if (s.target == Target::speed)
                key.push_back(s.in_time ? static_cast<double>(s.in_time->alike(i)) : s.values[i]);
        }
        const auto [at, fresh] = groups.try_emplace(std::move(key), static_cast<std::uint32_t>(first_of.size()));
        if (fresh) first_of.push_back(i);
        tracks.push_back(at->second);
    }
    std::vector<RunTrack> solved(first_of.size());
    parallel_for(solved.size(), 16, [&](std::size_t from, std::size_t to) {
        for (std::size_t k = from; k < to; ++k) {
            const std::uint32_t i = first_of[k];
            const double start = plan.first().value + shift_of(i);
            std::vector<double> bends = rate_bends(i);
            bends.push_back(start);
            for (const Share& s : shares_) {
                if (s.target == Target::speed && s.meets) bends.push_back(*s.meets);
            }
            std::sort(bends.begin(), bends.end());
            bends.erase(std::unique(bends.begin(), bends.end()), bends.end());
            auto rate = [&](double t) { return own_rate_at(i, t); };
            RunTrack& track = solved[k];
            track.before_slope = rate(bends.front() - 1);
            track.after_slope = rate(bends.back() + 1);
            track.nodes.push_back({bends.front(), 0, static_cast<float>(track.before_slope), 0});
            double value = 0, at_start = 0;
            for (std::size_t b = 0; b + 1 < bends.size(); ++b) {
                if (bends[b] == start) at_start = value;
                value = integrate_pieces(rate, bends[b], bends[b + 1], value, track.nodes);
            }
            if (bends.back() == start) at_start = value;
            for (const Share& s : shares_) { // where its copies agree it has given nothing yet
                if (s.target != Target::speed || !s.meets) continue;
                at_start += integral_of(
                    [&](double t) {
                        return (s.in_time ? s.in_time->at(i, t).value / 100 : s.values[i]) * s.share * s.amount.at(t);
                    },
                    start, *s.meets);
            }
            for (RunNode& n : track.nodes) n.value -= at_start;
            track.nodes.back().out = static_cast<float>(track.after_slope);
        }
    });
    auto table = std::make_shared<RunTable>();
    table->add_all(solved);
    speeds_ = std::move(table);
    speed_tracks_ = std::move(tracks);
}

} // namespace garland
