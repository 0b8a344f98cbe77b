// The level of every copy at any output frame: from zones it stands in, a pulse, or what it hears.
#pragma once

#include "core/copies/copy_set.h"
#include "core/drivers/playing.h"
#include "core/drivers/zone_plan.h"

#include <limits>
#include <map>
#include <memory>
#include <span>
#include <vector>

namespace garland {

using ZonePlans = std::map<ZoneId, std::shared_ptr<const ZonePlan>>;
using SoundLevelsMap = std::map<SoundId, SoundLevelsPtr>;

// What levels are made from, the same for a whole project.
struct LevelGround {
    ZonePlans zones;       // those that are on
    SoundLevelsMap sounds; // those that were analysed
    FrameRange range;      // the project's
};

// Copies by their places: those that stand still, or where each is at whole output frames.
struct CopyTracks {
    SharedList<Placement> still;
    std::shared_ptr<const std::vector<PlaceTrack>> moving; // one a copy; null where all stand still
    PlaceTrack::At at(std::size_t copy, double t) const {
        return moving ? (*moving)[copy].at(t) : PlaceTrack::At{still[copy].position, V3d(0)};
    }
    PlaceTrack track(std::size_t copy) const { return moving ? (*moving)[copy] : PlaceTrack(still[copy].position); }
};

class CopyLevels {
  public:
    struct Level {
        double value = 0, rate = 0; // 0 … 1; per output frame
    };
    CopyLevels() = default;
    CopyLevels(const LevelRule& rule, const LevelGround& ground, CopyTracks tracks, const CopySet& set);
    std::size_t size() const { return tracks_.still.size(); }
    // How the zones stood when they were last asked for; kept by who asks for many copies one after another, most of
    // them at the same output frame.
    struct Lately {
        double t = std::numeric_limits<double>::quiet_NaN();
        std::vector<ZonePlan::Moment> zones;
    };
    Level at(std::size_t copy, double t) const;
    Level at(std::size_t copy, double t, Lately& lately) const; // the same; lately: of these levels only
    // Output frames at which a copy's level may bend, jump or cross one of `levels`, rising. Between two of them,
    // before the first and after the last it is smooth; before the first and after the last it stays as it is.
    std::vector<double> cuts(std::size_t copy, std::span<const double> levels) const;
    // Copies with the same number have the same level at every output frame.
    std::size_t alike(std::size_t copy) const;
    // Which band a copy hears; all of them: none.
    std::optional<std::size_t> band_of(std::size_t copy) const;
    bool there() const { return !zones_.empty() || rule_.kind == LevelKind::pulse || sound_; } // has anything to go by
    bool by_place() const { return rule_.kind == LevelKind::zones; }
    const LevelRule& rule() const { return rule_; }
    std::span<const std::shared_ptr<const ZonePlan>> zones() const { return zones_; }
    const CopyTracks& tracks() const { return tracks_; }
    const SoundLevelsPtr& sound() const { return sound_; }

  private:
    Level without_place(std::size_t copy, double t) const;
    template <class OfZone>
    Level joined(const OfZone& of_zone) const;
    void zone_cuts(const ZonePlan& zone, const PlaceTrack& copy, std::span<const double> levels,
                   std::vector<double>& out) const;
    LevelRule rule_;
    CopyTracks tracks_;
    std::vector<std::shared_ptr<const ZonePlan>> zones_;
    WavePlan wave_;
    SoundLevelsPtr sound_;
    std::vector<std::uint16_t> bands_; // one a copy; empty: all hear everything
    double from_ = 0, to_ = 0;         // pulse, sound: where cuts are looked for
};

// Bands dealt to copies; empty for `together`.
std::vector<std::uint16_t> dealt_bands(const Hearing& hearing, std::size_t bands, const CopySet& set);

} // namespace garland
