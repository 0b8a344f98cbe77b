// What plays the copies of an arrangement besides their own clock, solved for once: where each copy's clock has come to
// by any output frame, and since when. No running state: entries, the furthest level and integrals are found
// beforehand.
#pragma once

#include "core/base/progress.h"
#include "core/copies/copy_levels.h"
#include "core/drivers/run_table.h"

#include <functional>
#include <memory>

namespace garland {

// A copy's rate by its own speed spreads, without what plays it.
struct OwnRate {
    std::function<double(std::size_t copy, double t)> at;       // of its clock at an output frame
    std::function<std::vector<double>(std::size_t copy)> bends; // output frames at which it bends, rising
    bool changes = false;                                       // for any copy
};

// What the timing says of its span, as playing needs it.
struct PlayedSpan {
    double first = 0, length = 0; // output frames of its own
    double pass = 0;              // output frames of one pass; 0: none to finish
    bool operator==(const PlayedSpan&) const = default;
};

class CopyPlaying {
  public:
    // starts: where each copy's clock starts, output frames; one a copy. Errors: cancelled.
    static Result<std::shared_ptr<const CopyPlaying>> make(const Play& play, CopyLevels levels, const PlayedSpan& span,
                                                           const OwnRate& own, std::vector<double> starts,
                                                           Progress& progress = Progress::none());
    const Play& play() const { return play_; }
    const CopyLevels& levels() const { return levels_; }
    const PlayedSpan& span() const { return span_; }
    std::span<const double> starts() const { return starts_; }

    struct At {
        double run = 0;      // of the copy's clock since its start, output frames
        double rate = 0;     // per output frame
        bool before = false; // it has not been reached yet and is hidden until then
    };
    // u: the output frame, less the copy's delay. lately: kept from copy to copy by who asks for many.
    At at(std::size_t copy, double u, CopyLevels::Lately& lately) const;
    At at(std::size_t copy, double u) const;
    // Asks for the memory of a copy that at() will look up in a moment.
    void expect(std::size_t copy) const {
        if (copy < levels_.size() && climbs_.empty()) table_.expect(track_of(copy));
    }

    // For words and marks.
    struct Level {
        double value = 0, rate = 0; // through the response
    };
    Level level(std::size_t copy, double u) const;
    struct Visit {
        double from, to; // infinite where it was always inside, or stays
    };
    std::vector<Visit> visits(std::size_t copy) const; // with the level above the threshold; rising
    bool reached(std::size_t copy) const;              // its level ever differs from 0
    std::size_t bytes() const;

  private:
    CopyPlaying() = default;
    struct Walk;
    Level through_response(const CopyLevels::Level& level) const;
    // cuts: of the copy's level.
    std::vector<Visit> visits_of(std::size_t copy, const std::vector<double>& cuts) const;
    bool reached(std::size_t copy, const std::vector<double>& cuts) const;
    RunTrack starts_track(std::size_t copy, const std::vector<double>& cuts, const OwnRate& own) const;
    RunTrack speed_track(std::size_t copy, std::vector<double> cuts, const OwnRate& own) const;
    RunTrack furthest_track(std::size_t copy, const std::vector<double>& cuts) const;
    RunTrack track(std::size_t copy, const std::vector<double>& cuts, const OwnRate& own) const;
    void learn_climbs();
    [[gnu::noinline]] At furthest(std::size_t copy, double u, CopyLevels::Lately& lately) const;
    [[gnu::noinline]] At by_rule(std::size_t copy, double u, CopyLevels::Lately& lately) const;
    std::vector<double> thresholds() const;

    Play play_;
    CopyLevels levels_;
    PlayedSpan span_;
    CurvePlan response_{0.0};
    std::vector<double> starts_;
    bool own_changes_ = false;
    std::size_t track_of(std::size_t copy) const { return tracks_.empty() ? copy : tracks_[copy]; }
    double own_rate(std::size_t copy) const { return own_rates_[own_rates_.size() == 1 ? 0 : copy]; }

    std::vector<double> own_rates_; // where they do not change: one a copy, or one for all
    RunTable table_;
    std::vector<std::uint32_t> tracks_; // one a copy, or none where each has its own
    std::vector<std::uint8_t> reached_; // one a track; none where there are no tracks
    // Of levels by place that keep the furthest, one a track: outside the climb nothing else is asked.
    struct Climb {
        double from = 0, to = 0; // u; the same: it never climbs
        double before = 0, after = 0;
    };
    std::vector<Climb> climbs_;
};
using CopyPlayingPtr = std::shared_ptr<const CopyPlaying>;

} // namespace garland
