// A share of a hand-off's frames, so that many machines can write it: neighbouring frames, balanced by what they cost.
#pragma once

#include "core/base/progress.h"
#include "core/project/show.h"

#include <string>
#include <vector>

namespace garland {

struct Share {
    int number = 1, of = 1; // 1 … of
    bool whole() const { return of == 1; }
    std::string word() const { return whole() ? std::string() : std::to_string(number) + "-of-" + std::to_string(of); }
    bool operator==(const Share&) const = default;
};

// "2/5". Errors: invalid.
Result<Share> parse_share(const std::string& text);

// The first frame of each of `of` shares, and the end: of + 1 numbers of frames (0 … count). costs: of each frame, 0 or
// more. Every share has its even part of the cost as nearly as whole frames allow; some may be empty.
std::vector<std::size_t> split_by_cost(const std::vector<double>& costs, int of);

// About what each frame costs to write: the points of all visible copies, and a little for the file itself. Errors:
// those of finding who is there; cancelled.
Result<std::vector<double>> frame_costs(const Show& show, FrameSteps frames, Progress& progress = Progress::none());

} // namespace garland
