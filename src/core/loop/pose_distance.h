// How far poses are from each other: every frame of a source against every other.
#pragma once

#include "core/base/progress.h"
#include "core/base/result.h"
#include "core/source/sampler.h"

#include <cstdint>
#include <string>
#include <vector>

namespace garland {

// One number for each two frames, the same both ways; 0 on the diagonal.
struct FrameMatrix {
    std::int64_t first = 0; // file frame of the first row
    std::size_t frames = 0;
    std::vector<float> values; // frames · frames
    std::string unit;          // "m", or "" where it is a share

    float at(std::size_t i, std::size_t j) const { return values[i * frames + j]; }
    float between(std::int64_t a, std::int64_t b) const {
        return at(static_cast<std::size_t>(a - first), static_cast<std::size_t>(b - first));
    }
    bool has(std::int64_t frame) const { return frame >= first && frame < first + static_cast<std::int64_t>(frames); }
    // The middle one of the distances from each frame to the next: how far a usual step goes; 0 below two frames. Of
    // all frames, or of those from … to.
    double usual_step() const { return usual_step(first, first + static_cast<std::int64_t>(frames) - 1); }
    double usual_step(std::int64_t from, std::int64_t to) const;
};

// Rows of equal length, one a frame, whose root mean square difference is the distance: places of points, or what
// stands in for them.
struct Signatures {
    std::int64_t first = 0;
    std::size_t width = 3; // numbers that make one place; the mean is taken over places
    std::vector<std::vector<float>> rows;
    std::string unit;
    bool points = false;   // rows are places of points, so that rigid motion can be taken out
    std::size_t every = 1; // of the points: one in so many
};
inline constexpr double signature_bytes = 5e8; // all rows together, at most

// Reads file frames first … last. Points by themselves; where they differ in number from frame to frame, or have ids,
// how many there are in each of 16³ cells of the common box, as a share; volumes: what the first grid of numbers has in
// each of 24³ cells, as a share of the largest. most_points: at most so many of them, evenly chosen, for a first look;
// 0: all that fit into signature_bytes. Errors: those of reading; cancelled; unsupported, where no frame has anything.
Result<Signatures> signatures_of(const Sampler& sampler, std::int64_t first, std::int64_t last, std::size_t most_points,
                                 Progress& progress = Progress::none());

// All distances, from exact differences (never by a product without its middle taken out first, which loses its digits
// just where poses are alike). rigid: after the common rigid motion of each two has been taken out (see rigid_fit.h).
// Errors: cancelled.
Result<FrameMatrix> distances(const Signatures& signatures, bool rigid, Progress& progress = Progress::none());

// Σ (a − b)² of count floats, in pieces whose order does not depend on the machine: few floats are added up before
// doubles take over.
inline constexpr std::size_t difference_piece = 1024;
double squared_difference(const float* a, const float* b, std::size_t count);
// The same for every row with every column, added to sums[row · columns + column], piece by piece: all rows and columns
// of a piece stay near.
void squared_differences(const float* const* a, std::size_t rows, const float* const* b, std::size_t columns,
                         std::size_t count, double* sums);

} // namespace garland
