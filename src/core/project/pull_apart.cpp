// Pulling twins apart: copies of one speed by each other first, then those whose speeds differ too little.
#include "core/base/circle.h"
#include "core/base/numbers.h"
#include "core/base/parallel.h"
#include "core/drivers/even_driver.h"
#include "core/project/varying.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <limits>
#include <map>

namespace garland {

namespace {

// Copies of different speeds that are twins all the same, since their speeds differ too little: each is moved to the
// nearest delay at which it is a twin of nobody. Pairs are compared over sampled frames.
struct Apart {
    const ArrangementShow& a;
    const TwinRule& rule;
    const PartOrder& order;
    const std::vector<std::uint32_t>& near;
    const std::vector<std::uint8_t>& runs; // 0: never started, and so nobody's twin
    std::vector<CopyClock>& clocks;
    FrameRange range;
    std::vector<std::pair<std::uint32_t, double>> moves{};

    Result<void> move(Progress& progress) {
        constexpr std::size_t samples = 48;
        const std::size_t n = clocks.size();
        for (std::size_t k = 0; k < samples; ++k) {
            frames.push_back(std::round(static_cast<double>(range.first) + static_cast<double>(k) / (samples - 1) *
                                                                               static_cast<double>(range.count() - 1)));
        }
        shown.assign(n * samples, std::numeric_limits<double>::quiet_NaN());
        std::vector<double> row(samples);
        for (std::uint32_t i = 0; i < n; ++i) {
            if (!runs[i]) continue;
            show_of(clocks[i], row);
            std::copy(row.begin(), row.end(), shown.begin() + static_cast<std::ptrdiff_t>(i * samples));
        }
        double work = 0; // of comparisons; a crowd is left as it is, and said
        const double step = order.whole_frames ? 1 : 0.25;
        for (std::uint32_t i = 0; i < n && work < 3e9; ++i) {
            if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
            if (!runs[i] || !has_twin(i, &shown[i * samples])) continue;
            for (int k = 1; k <= 200; ++k) {
                bool done = false;
                for (const double sign : {1.0, -1.0}) {
                    const double delay = clocks[i].delay + sign * k * step;
                    if ((order.low && delay < *order.low) || (order.high && delay > *order.high)) continue;
                    show_of({delay, clocks[i].rate}, row);
                    work += static_cast<double>(n) * 8;
                    if (has_twin(i, row.data())) continue;
                    std::copy(row.begin(), row.end(), shown.begin() + static_cast<std::ptrdiff_t>(i * samples));
                    moves.emplace_back(i, delay - clocks[i].delay);
                    clocks[i].delay = delay;
                    done = true;
                    break;
                }
                if (done) break;
            }
        }
        return {};
    }

    void show_of(const CopyClock& clock, std::vector<double>& row) {
        std::vector<CopyMoment> moments(frames.size());
        row_moments(a.plan, a.clock, clock, frames, moments);
        for (std::size_t k = 0; k < frames.size(); ++k) {
            const bool counts = !moments[k].has(mark_absent) && !(rule.only_moving && moments[k].speed == 0);
            row[k] = counts ? moments[k].source : std::numeric_limits<double>::quiet_NaN();
        }
    }
    bool twins(const double* x, const double* y) const {
        std::size_t alike = 0, counted = 0;
        for (std::size_t k = 0; k < frames.size(); ++k) {
            counted += !(std::isnan(x[k]) && std::isnan(y[k]));
            alike += apart_on_circle(x[k], y[k], rule.period) < rule.alike_below;
        }
        return alike > 0 && static_cast<double>(alike) > rule.share * static_cast<double>(counted);
    }
    bool has_twin(std::uint32_t i, const double* row) const {
        const std::size_t n = clocks.size(), m = frames.size();
        if (order.neighbours > 0) {
            for (std::size_t j = 0; j < order.neighbours; ++j) {
                const std::uint32_t other = near[i * order.neighbours + j];
                if (other != i && twins(row, &shown[other * m])) return true;
            }
            return false;
        }
        for (std::uint32_t j = 0; j < n; ++j) {
            if (j != i && twins(row, &shown[j * m])) return true;
        }
        return false;
    }
    std::vector<double> frames{}, shown{};
};

// Parts the copies of an arrangement, those of each speed by themselves first, and counts what is left.
class TwinParter {
  public:
    TwinParter(const Show& show, const PartOrder& order, const std::vector<Nudge>& nudges, Progress& progress)
        : show_(show), order_(order), progress_(progress) {
        for (const Nudge& n : nudges) nudges_[n.copy] = n.frames;
    }
    Result<void> part(const ArrangementShow& a);
    PartDone done() const;

  private:
    using Copies = std::vector<std::uint32_t>;
    Result<void> begin(const ArrangementShow& a);
    CopyClocks clocks_now(const ArrangementShow& a) const;
    Result<Parted> part_speed(const Copies& copies, const std::vector<double>& delays, const PartRule& rule);
    Result<void> part_speeds(const ArrangementShow& a, const TwinRule& rule, double apart);
    Result<std::int64_t> twins(const ArrangementShow& a, const CopyClocks& clocks, TwinRule rule, bool all) const;

    const Show& show_;
    const PartOrder& order_;
    Progress& progress_;
    std::map<CopyId, double> nudges_;
    std::vector<CopyClock> clocks_;  // of the arrangement, as they are parted so far, each from where it runs
    std::vector<double> later_;      // of these delays: what a start, or what plays it, gives a copy; output frames
    std::vector<std::uint8_t> runs_; // 0: nothing ever starts it
    Copies near_, place_;            // neighbours of each copy; its place among the copies of one speed
    std::int64_t moved_ = 0, all_ = 0, left_ = 0, far_ = 0;
    double total_ = 0, most_ = 0, apart_ = 0;
};

// Copies of one speed, by each other.
Result<Parted> TwinParter::part_speed(const Copies& copies, const std::vector<double>& delays, const PartRule& rule) {
    if (order_.neighbours == 0) return part_all(delays, rule);
    for (std::uint32_t k = 0; k < copies.size(); ++k) place_[copies[k]] = k;
    Copies beside(copies.size() * order_.neighbours);
    for (std::uint32_t k = 0; k < copies.size(); ++k) {
        for (std::size_t j = 0; j < order_.neighbours; ++j) {
            const std::uint32_t other = place_[near_[copies[k] * order_.neighbours + j]];
            beside[k * order_.neighbours + j] = other == UINT32_MAX ? k : other;
        }
    }
    for (std::uint32_t i : copies) place_[i] = UINT32_MAX;
    return part_near(delays, beside, order_.neighbours, rule);
}

// Copies of one speed are compared with each other; those of different speeds drift apart by themselves, mostly.
Result<void> TwinParter::part_speeds(const ArrangementShow& a, const TwinRule& rule, double apart) {
    std::map<double, Copies> by_rate;
    for (std::uint32_t i = 0; i < a.clocks.size(); ++i) {
        if (runs_[i]) by_rate[a.clocks[i].rate].push_back(i);
    }
    // What starts copies does it at any moment: whole frames are rounded to afterwards, half of one at most.
    const bool round = order_.whole_frames && a.clocks.playing();
    for (const auto& [rate, copies] : by_rate) {
        if (progress_.cancelled()) return fail(ErrorCode::cancelled, "stopped");
        PartRule part;
        part.apart = apart / rate;
        part.period = a.plan.loop() / rate;
        part.whole_frames = order_.whole_frames && !round;
        if (round) part.apart += 1;
        if (order_.low) part.low = *order_.low;
        if (order_.high) part.high = *order_.high;
        std::vector<double> delays;
        for (std::uint32_t i : copies) delays.push_back(clocks_[i].delay);
        GARLAND_TRY(parted, part_speed(copies, delays, part));
        for (std::size_t k = 0; k < copies.size(); ++k) {
            const double exact = parted.delays[k] - delays[k], by = round ? std::round(exact) : exact;
            if (std::abs(by) > 1e-9) nudges_[a.places[copies[k]].id] += by;
            clocks_[copies[k]].delay += by;
        }
        moved_ += parted.moved;
        total_ += parted.total;
        most_ = std::max(most_, parted.most);
        all_ += static_cast<std::int64_t>(copies.size());
    }
    if (by_rate.size() < 2) return {};
    Apart rest{a, rule, order_, near_, runs_, clocks_, show_.settings.range};
    GARLAND_CHECK(rest.move(progress_));
    for (const auto& [copy, by] : rest.moves) {
        nudges_[a.places[copy].id] += by;
        ++moved_;
        total_ += std::abs(by);
        most_ = std::max(most_, std::abs(by));
    }
    return {};
}

// How many copies have a twin: among their neighbours, or among all.
Result<std::int64_t> TwinParter::twins(const ArrangementShow& a, const CopyClocks& clocks, TwinRule rule,
                                       bool all) const {
    rule.most_samples = 48;
    const FrameRange range = show_.settings.range;
    if (!all) return near_twins(a.plan, a.clock, clocks, range, rule, near_, order_.neighbours, progress_);
    GARLAND_TRY(found, have_twins(a.plan, a.clock, clocks, range, rule, progress_));
    return std::count(found.begin(), found.end(), std::uint8_t(1));
}

// Since when each copy runs: a start of its own makes it later too, and so does what starts it. A zone is seen through
// a copy's delay, so that a later copy is reached later by as much.
Result<void> TwinParter::begin(const ArrangementShow& a) {
    clocks_.assign(a.clocks.begin(), a.clocks.end());
    later_.assign(clocks_.size(), 0);
    runs_.assign(clocks_.size(), 1);
    const CopyPlaying* playing = a.clocks.playing();
    if (playing && (order_.low || order_.high))
        return fail(
            Error{ErrorCode::invalid, "delays of copies that are started by something cannot be kept between limits"}
                .advise("leave the limits out"));
    bool whole_set = true; // not some of the copies of another arrangement
    for (std::uint32_t i = 0; i < clocks_.size(); ++i) whole_set &= a.clocks.played(i) == i;
    if (playing) {
        const Play& play = playing->play();
        const bool once = play.by == PlayBy::starts && play.leaving == Leaving::go_on && !play.start_again;
        if (!once || !whole_set || a.clocks.changing() > 0)
            return fail(
                Error{ErrorCode::invalid,
                      fmt::format("\"{}\" is played by {} in a way for which no delays can be worked out that pull its "
                                  "copies apart",
                                  a.spec.name, to_text(playing->levels().rule().kind))}
                    .advise("only copies that are started once and go on can be pulled apart; give the others a spread "
                            "of delay or speed, and look at the twins again"));
    }
    for (std::uint32_t i = 0; i < clocks_.size(); ++i) {
        if (!playing) {
            later_[i] = a.clocks.shift_of(i);
        } else if (const auto visits = playing->visits(i); visits.empty()) {
            runs_[i] = 0;
        } else {
            const double from = std::isfinite(visits.front().from) ? visits.front().from : playing->starts()[i];
            later_[i] = from - a.plan.first().value;
        }
        clocks_[i].delay += later_[i];
    }
    return {};
}

// The clocks as they are parted so far.
CopyClocks TwinParter::clocks_now(const ArrangementShow& a) const {
    if (!a.clocks.playing()) return CopyClocks(clocks_);
    std::vector<CopyClock> own = clocks_;
    for (std::size_t i = 0; i < own.size(); ++i) own[i].delay -= later_[i];
    CopyClocks out(std::move(own));
    out.set_playing(a.clocks.playing_whole());
    return out;
}

Result<void> TwinParter::part(const ArrangementShow& a) {
    GARLAND_CHECK(begin(a));
    const TwinRule rule = twin_rule(show_, a);
    const double apart = least_apart(a.plan, a.clock, show_.settings.range, rule, order_.whole_frames);
    if (apart <= 0) {
        return fail(Error{ErrorCode::invalid,
                          "no delay keeps copies of this timing apart: it stands still for too much of the range"}
                        .advise("shorten its holds, or let the speed vary"));
    }
    apart_ = std::max(apart_, apart);
    near_ = order_.neighbours > 0 ? nearest_copies(a.places.list(), order_.neighbours) : Copies{};
    place_.assign(a.clocks.size(), UINT32_MAX);
    const CopyClocks before_clocks = clocks_now(a);
    GARLAND_CHECK(part_speeds(a, rule, apart));
    // What was promised is looked at: copies may stand still together however far apart their delays are.
    const bool all = order_.neighbours == 0;
    const CopyClocks now = clocks_now(a);
    GARLAND_TRY(before, twins(a, before_clocks, rule, all));
    GARLAND_TRY(after, twins(a, now, rule, all));
    if (before > 0 && after >= before) {
        return fail(Error{ErrorCode::invalid,
                          "delays alone cannot part these copies: they stand still together for most of the range"}
                        .keeping("all delays as they are")
                        .advise("let the timing repeat, shorten its holds, or choose a shorter output range"));
    }
    left_ += after;
    if (all) return {};
    GARLAND_TRY(everywhere, twins(a, now, rule, true));
    far_ += std::max<std::int64_t>(everywhere - after, 0);
    return {};
}

PartDone TwinParter::done() const {
    PartDone out;
    out.apart = apart_, out.left = left_;
    for (const auto& [copy, frames] : nudges_) {
        if (std::abs(frames) > 1e-9) out.nudges.push_back({copy, frames});
    }
    out.words =
        moved_ == 0
            ? std::string("No copy had to be moved")
            : fmt::format("Part twins: {} of {} moved, {} at most, {} in all", moved_, counted(all_, "copy", "copies"),
                          counted_number(std::round(most_ * 1000) / 1000, "frame", "frames"), short_number(total_));
    if (left_ > 0)
        out.words += fmt::format("; {} a twin{} still", counted(left_, "copy has", "copies have"),
                                 order_.neighbours > 0 ? " among its neighbours" : "");
    if (far_ > 0)
        out.words +=
            fmt::format("; {} a twin further away, which was not asked for", counted(far_, "copy has", "copies have"));
    return out;
}

} // namespace

Result<PartDone> part_twins(const Show& show, const Project& project, ArrangementId id, const PartOrder& order,
                            Progress& progress) {
    const Arrangement* arrangement = project.arrangement(id);
    if (!arrangement)
        return fail(Error{ErrorCode::not_found, "this arrangement is not in the project"}.advise(
            "choose one that is in the project"));
    TwinParter parter(show, order, arrangement->by_hand.nudges, progress);
    for (const ArrangementShow& a : show.arrangements) {
        if (a.id == id) GARLAND_CHECK(parter.part(a));
    }
    return parter.done();
}

} // namespace garland
