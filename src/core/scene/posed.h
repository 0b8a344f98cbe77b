// Posed copies: what every consumer takes. Distinct poses, each made once, and for every copy which of them it shows,
// where it stands and how it moves.
#pragma once

#include "core/scene/standing.h"

namespace garland {

// One arrangement at one output frame.
struct Posed {
    const ArrangementShow* arrangement = nullptr;
    OutputFrame frame;
    std::vector<CopyMoment> moments; // one a copy
    Picks picks;
    std::vector<SampledPose> poses; // one a picks.poses entry
    std::vector<Placement> moved;   // empty where everything stands still
    std::vector<CopyMotion> motion;

    const std::vector<Placement>& places() const { return moved.empty() ? arrangement->places.list() : moved; }
};

std::vector<CopyMoment> moments_at(const ArrangementShow& arrangement, OutputFrame t);
// One copy over many output frames; out.size() = frames.size().
void row_of(const ArrangementShow& arrangement, std::size_t copy, std::span<const double> frames,
            std::span<CopyMoment> out);

// One needed pose.
Result<SampledPose> pose_of(const Sampler& sampler, const PosePick& pick, Progress& progress = Progress::none());

// Poses of all usable arrangements at one output frame, each distinct pose made once, on the shared pool.
// Errors: those of reading, with the file's path and frame; cancelled.
Result<std::vector<Posed>> pose_all(std::span<const ArrangementShow> arrangements, OutputFrame t,
                                    Progress& progress = Progress::none());

} // namespace garland
