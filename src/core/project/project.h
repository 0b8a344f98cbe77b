// The document as a plain value: everything the user made, nothing that is computed from it.
#pragma once

#include "core/copies/arrangement.h"
#include "core/drivers/sound.h"
#include "core/drivers/zone.h"
#include "core/geometry/blend.h"
#include "core/loop/closing.h"
#include "core/project/camera.h"
#include "core/source/sampler.h"
#include "core/source/source_clock.h"
#include "core/source/water.h"
#include "core/time/beats.h"
#include "core/time/rate.h"
#include "core/time/timing.h"

#include <optional>
#include <string>
#include <vector>

namespace garland {

struct SourceSpec {
    SourceId id{};
    std::string name{};
    std::string path{}; // as written in the project file: relative to it where possible
    Rate rate{};        // of the files
    Join join = Join::by_clock;
    std::optional<std::int64_t> first{};        // what the first file frame is called here; unset: as the files count
    ImportSettings import_settings{};           // without parts: those are a single-out's
    SourceChoices choices{};                    // of variants and animations; see SourceFacts
    std::optional<std::int64_t> changes_from{}; // the user knows that points or faces change from this frame on
    std::optional<WaterSpec> water{};           // computed: there is no path
    std::vector<std::string> shapes{};          // paths of hand-made meshes: path is the first of them
    std::int64_t shape_frames = 12;             // how many frames each of them is shown
    std::optional<Closing>
        closing{}; // a range of it, by file frames, closed into a loop: the source is that range then
    std::vector<Timing> before_closing{}; // the timings that the closing's repeat took the place of, as they were
    Wobble wobble{};                      // of all its copies, wherever they are arranged
    std::string extra{};
    bool operator==(const SourceSpec&) const = default;
};

// A finding of Check that the user has looked at and leaves as it is.
struct IgnoredFinding {
    std::string finding{}; // its key, see findings.h
    std::string words{};   // what it said
    std::string reason{};  // why it stays; may be empty
    std::string extra{};
    bool operator==(const IgnoredFinding&) const = default;
};

struct Settings {
    std::string name{};
    Rate rate{}; // output frames a second
    FrameRange range{1, 240};
    Camera camera{};                      // where there are no camera keys
    std::vector<CameraKey> camera_keys{}; // by output frame, strictly rising
    Tempo tempo{};
    std::vector<Marker> markers{}; // by output frame; several may stand on one
    double alike_below = 0.5;      // twins: source frames
    double twin_share = 0.5;       // twins: share of the range
    bool twins_only_moving = true; // twins: only frames at which copies move count
    std::vector<IgnoredFinding> ignored{};
    std::string extra{};
    bool operator==(const Settings&) const = default;
};

struct Project {
    Settings settings{};
    std::vector<SourceSpec> sources{};
    std::vector<Timing> timings{};
    std::vector<Arrangement> arrangements{};
    std::vector<Zone> zones{};
    std::vector<SoundSpec> sounds{};
    std::uint64_t next_id = 1; // ids are never given twice

    bool operator==(const Project&) const = default;

    const SourceSpec* source(SourceId id) const;
    const Timing* timing(TimingId id) const;
    const Arrangement* arrangement(ArrangementId id) const;
    const Zone* zone(ZoneId id) const;
    const SoundSpec* sound(SoundId id) const;
    SourceSpec* source(SourceId id);
    Timing* timing(TimingId id);
    Arrangement* arrangement(ArrangementId id);
    Zone* zone(ZoneId id);
    SoundSpec* sound(SoundId id);

    std::int64_t copies() const; // in all arrangements
};

inline constexpr std::int64_t range_limit = 10'000'000; // output frames of a project

// Errors: the first thing that is wrong, in words: ids used twice or pointing nowhere, invalid parts, an empty range.
Result<void> validate(const Project& project);

// What one learned about a source when it is added: enough to make its timing.
struct SourceLength {
    std::int64_t file_first = 0, file_last = 0;
    Rate rate{};
    UpAxis up = UpAxis::y;
    double scale = 1;
    double spacing = 1; // of its copies, scene units
};
// rate: for files that do not say theirs.
SourceLength length_of(const SourceFacts& facts, Rate rate);

SourceClock clock_of(const SourceSpec& spec, std::int64_t file_first, std::int64_t file_last, Rate project);

// Adds a source with a timing that plays it once from the range's first frame, and an arrangement of one copy. Returns
// its id.
SourceId add_source(Project& project, std::string name, std::string path, const SourceLength& length);

// Adds water at the project's rate. With a loop its timing repeats, and knows that its last pose is its first.
SourceId add_water(Project& project, std::string name, const WaterSpec& water);

// Removes an arrangement, and what was singled out of it.
void remove_arrangement(Project& project, ArrangementId id);

// Removes a zone or a sound, and takes it out of everything that goes by it: what named it alone goes by its own clock.
void remove_zone(Project& project, ZoneId id);
void remove_sound(Project& project, SoundId id);

// Removes a source, its arrangements and those that stand on it, and timings that nothing uses any more. Zones that
// have its shape become balls; those that ride on it stay where their keys are.
void remove_source(Project& project, SourceId id);

} // namespace garland
