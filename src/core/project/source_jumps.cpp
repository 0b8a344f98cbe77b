#include "core/project/source_jumps.h"

#include "core/project/looping.h"
#include "core/project/time_findings.h"

#include <algorithm>

namespace garland {

namespace {

Result<SourceJumps::Found> jumps_of(const ArrangementShow& a, Progress& progress) {
    SourceJumps::Found out;
    const SourceFacts& facts = a.sampler.source()->facts();
    const double first = a.clock.first.value, last = a.clock.last().value;
    const bool points = facts.kind != SourceKind::volume && facts.points > 0;
    if (!points || static_cast<double>(facts.varies.most_points) * (last - first + 1) > most_points_read) return out;
    std::vector<double> gaps; // from frame to frame; below 0: the points differ in number
    PosePtr before;
    for (double at = first; at <= last; at += 1) {
        if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
        auto pose = a.sampler.at(SourceFrame(at), progress);
        if (!pose) return out; // told where the frame is in use
        if (before) gaps.push_back(pose_gap(*before, *pose->pose).value_or(-1));
        before = pose->pose;
    }
    std::vector<double> sorted = gaps;
    std::erase_if(sorted, [](double g) { return g < 0; });
    std::sort(sorted.begin(), sorted.end());
    const double usual = sorted.empty() ? 0 : sorted[sorted.size() / 2],
                 least = static_cast<double>(bounds(*before).size().length()) * 1e-3;
    for (std::size_t i = 0; i < gaps.size(); ++i) {
        const double beside = std::max(i > 0 ? gaps[i - 1] : 0, i + 1 < gaps.size() ? gaps[i + 1] : 0);
        if (gaps[i] > least && gaps[i] > pop_factor * std::max(usual, beside))
            out.jumps.push_back({first + static_cast<double>(i), gaps[i], usual > 0 ? gaps[i] / usual : 0});
    }
    out.looked = true;
    if (out.jumps.size() > most_jumps_told) {
        std::sort(out.jumps.begin(), out.jumps.end(), [](const auto& x, const auto& y) { return x.gap > y.gap; });
        out.jumps.resize(most_jumps_told);
        std::sort(out.jumps.begin(), out.jumps.end(), [](const auto& x, const auto& y) { return x.frame < y.frame; });
    }
    return out;
}

} // namespace

Result<SourceJumps::Found> SourceJumps::of(const ArrangementShow& a, Progress& progress) {
    const std::uint64_t source = a.sampler.identity();
    {
        const std::lock_guard guard(lock_);
        if (const auto at = known_.find(source); at != known_.end()) return at->second;
    }
    GARLAND_TRY(found, jumps_of(a, progress)); // two at once read it twice, and find the same
    const std::lock_guard guard(lock_);
    if (found.looked) known_.emplace(source, found);
    return found;
}

} // namespace garland
