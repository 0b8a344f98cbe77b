// What a file for any viewer holds of each source: which of its poses are morph targets, and the keys of the weights by
// which a copy's clock passes them.
#pragma once

#include "core/project/clock_pieces.h"
#include "io/gltf/viewer_glb.h"

#include <algorithm>
#include <cmath>

namespace garland {

// One source: which of its poses are targets, on a grid of file frames.
struct ViewerShape {
    SourceId source;
    const Sampler* sampler = nullptr;
    std::vector<const ArrangementShow*> shows;
    std::vector<std::vector<ClockPieces>> clocks; // of each show
    int parts = 1;                                // of a file frame
    bool steps = false;
    std::int64_t first = INT64_MAX, last = INT64_MIN; // grid numbers that are used

    double grid(double s) const { return sampler->clock().file_frame(SourceFrame(s)) * parts; }
    double source_at(double number) const {
        const SourceClock& clock = sampler->clock();
        return (clock.first + (number / parts - static_cast<double>(clock.file_first)) / clock.files_per_frame).value;
    }
    std::size_t poses() const { return first > last ? 0 : static_cast<std::size_t>(last - first + 1); }
    void learn(const ClockPieces& clock) {
        for (const ClockPoint& p : clock.points) {
            first = std::min(first, static_cast<std::int64_t>(std::floor(grid(p.source) + 1e-9)));
            last = std::max(last, static_cast<std::int64_t>(std::ceil(grid(p.source) - 1e-9)));
        }
        last = std::max(last, first);
    }
};

// Of one pose: its points and normals, as many times as the format needs them.
double viewer_pose_bytes(const SourceFacts& facts);

// Those of all copies that are shown. What cannot be written so goes into plan.left_out, with the reason. Errors: those
// of reading; cancelled.
Result<std::vector<ViewerShape>> viewer_shapes(const Show& show, const ViewerOrder& order, ViewerPlan& plan,
                                               Progress& progress);

// The keys of one copy's weights: where its clock passes a pose, turns or jumps. Seconds from the first frame.
struct WeightKeys {
    std::vector<float> times;
    std::vector<double> grid; // the place between poses at each
};

// first: output frame at which seconds begin.
WeightKeys weight_keys(const ViewerShape& shape, const ClockPieces& clock, double first, Rate rate);

} // namespace garland
