// A source's pose at any source frame, whole or not, through the pose cache.
#pragma once

#include "core/base/words.h"
#include "core/geometry/blend.h"
#include "core/geometry/parts.h"
#include "core/source/pose_cache.h"
#include "core/source/source.h"
#include "core/source/source_clock.h"

namespace garland {

enum class RootMotion { along, left_out };
inline constexpr Word<bool> normals_words[] = {{"blended", false}, {"recomputed", true}}; // of poses between frames
inline constexpr Word<RootMotion> root_words[] = {{"followed", RootMotion::along},
                                                  {"left out", RootMotion::left_out},
                                                  {"along", RootMotion::along}}; // the last as earlier files have it
enum class GapFix {
    hold,  // a missing frame shows the one before the gap
    blend, // made between the frames before and after the gap
};
inline constexpr Word<GapFix> gap_words[] = {{"hold", GapFix::hold}, {"blend", GapFix::blend}};

// How a source's files are taken into the scene.
struct ImportSettings {
    SubFrame how = SubFrame::linear;
    GapFix gaps = GapFix::hold;
    UpAxis up = UpAxis::y;
    double scale = 1;                    // scene units in one unit of the files
    RootMotion root = RootMotion::along; // left out: the root stays where it is at the first frame
    bool fresh_normals = false;          // normals of poses made between frames are those of their faces
    double voxel = 0;                    // for level sets, units of the files; 0: a hundredth of the box's longest side
    std::vector<std::int64_t> dropped{}; // frames that count as missing; rising
    std::vector<std::int32_t> parts{};   // with part_of_it: only these parts of it (or all but these); rising
    bool part_of_it = false, parts_left_out = false;
    bool operator==(const ImportSettings&) const = default;
    bool as_it_is() const { return !part_of_it && up == UpAxis::y && scale == 1; }
};

// Which stored frames a pose is made of, told before it is made.
struct PoseRecipe {
    std::int64_t frame_a = 0, frame_b = 0; // as the files count; present ones
    double weight = 0;                     // of frame_b
    bool missing = false;                  // a missing frame is replaced by an earlier one, or bridged
    double file_frame = 0;                 // the asked one
    // Smooth without velocities looks at the frames on both sides too; the same as a (b): there is none.
    std::int64_t before = 0, after = 0;
    bool exact = false;          // the source has its own pose at any time
    bool may_be_nearest = false; // between frames of a mesh sequence: where the faces change, the nearest is shown
};

struct SampledPose {
    PosePtr pose;
    PoseRecipe recipe;
    bool mixed = false; // a second pose is mixed in: velocities then are those of the mix for a copy's clock at rate 1
    bool nearest_instead = false; // the faces changed in between, so no pose could be made there: the nearest is shown
};

class Sampler {
  public:
    Sampler() = default;
    Sampler(const SourcePtr& source, SourceClock clock, const ImportSettings& settings, std::uint64_t serial,
            PoseCache* cache);

    PoseRecipe recipe(SourceFrame s) const;
    // The source frame at `s`, held inside the source's range. Errors: those of reading; cancelled.
    Result<SampledPose> at(SourceFrame s, Progress& progress = Progress::none()) const;

    // The source frame at `s` with the one at `other` mixed in by `weight`, as phrases fade. Its velocities follow the
    // mix: (1 − w)·v·speed + w·v'·other_speed + weight_speed·(difference of the points), in source units a second of
    // the source's clock. Poses that cannot be mixed give the heavier of the two. Errors: those of reading; cancelled.
    struct Mix {
        SourceFrame other;
        double weight = 0;                                   // of the other pose
        double speed = 0, other_speed = 0, weight_speed = 0; // an output frame
    };
    Result<SampledPose> mixed(SourceFrame s, const Mix& mix, Progress& progress = Progress::none()) const;

    // Whether the pose there, or a stored frame, is in the cache; and reading a stored frame into it.
    bool is_here(SourceFrame s) const { return cache_->has(key(s)); }
    bool is_stored(std::int64_t file_frame) const { return cache_->has({serial_, static_cast<double>(file_frame)}); }
    Result<PosePtr> warm(std::int64_t file_frame, Progress& progress) const { return stored(file_frame, progress); }

    const SourceClock& clock() const { return clock_; }
    const SourcePtr& source() const { return source_; }
    SubFrame how() const { return settings_.how; }
    const ImportSettings& import_settings() const { return settings_; }
    std::uint64_t serial() const { return given_serial_; } // as it was given
    // Whether poses between frames follow velocities; otherwise smooth goes through the frames on both sides.
    bool follows_velocities() const {
        return source_->facts().carries.velocities && !source_->facts().carries.velocities_a_frame;
    }
    PoseKey key(SourceFrame s) const; // what a made pose is known by
    std::uint64_t identity() const;   // another one whenever any of its poses may be another: other files, another
                                      // closing, axis, frame left out

  private:
    Result<PosePtr> stored(std::int64_t file_frame, Progress& progress) const;
    Result<PosePtr> made(const PoseRecipe& recipe, const PosePtr& a, const PosePtr& b, Progress& progress) const;
    PosePtr taken(const PosePtr& pose, double file_frame) const;
    PosePtr in_scene(const PosePtr& pose, double file_frame,
                     bool stays) const; // turned, sized, its root's motion left out

    SourcePtr source_;
    SourceClock clock_;
    ImportSettings settings_;
    std::shared_ptr<const PartTaker> parts_; // where only a part is shown
    std::uint64_t given_serial_ = 0;
    std::uint64_t serial_ = 0;      // of stored poses
    std::uint64_t made_serial_ = 0; // of poses between them, which depend on how they are made
    PoseCache* cache_ = nullptr;
};

const char* to_text(GapFix mend);     // "hold", "blend"
const char* to_text(RootMotion root); // "followed", "left out"

} // namespace garland
