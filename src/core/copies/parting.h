// Parting: moving delays as little as possible until copies are far enough apart in time.
#pragma once

#include "core/base/result.h"

#include <cstdint>
#include <limits>
#include <span>
#include <vector>

namespace garland {

struct PartRule {
    double apart = 1;         // output frames by which delays must differ; above 0
    double period = 0;        // of a loop in output frames: differences go round it; 0: no loop
    bool whole_frames = true; // delays become whole output frames, `apart` is rounded up
    double low = -std::numeric_limits<double>::infinity(); // what delays may become
    double high = std::numeric_limits<double>::infinity();
};

struct Parted {
    std::vector<double> delays; // as given, moved
    std::int64_t moved = 0;
    double total = 0, most = 0; // by how much, output frames
};

// How many delays fit so far apart: into the loop, or between low and high; −1: any number.
std::int64_t room_for(const PartRule& rule);

// Every pair at least `apart`: the least total change. Along a line the order of the delays stays and the problem is an
// isotonic regression under the sum of absolute changes (solved with one heap, after G. Rote, "Isotonic regression by
// dynamic programming", 2019); round a loop the same between every cut (above 64 delays: the three widest gaps).
// Errors: too_large when they do not fit, with how many would.
Result<Parted> part_all(std::span<const double> delays, const PartRule& rule);

// Only pairs of neighbours: near[i·k … i·k + k − 1] are those of i (its own number: none). Copy by copy each moves to
// the nearest free delay, then all that moved try to come closer to where they were; a good answer, not always the
// least. Errors: too_large, naming how many neighbours would not fit.
Result<Parted> part_near(std::span<const double> delays, std::span<const std::uint32_t> near, std::size_t k,
                         const PartRule& rule);

} // namespace garland
