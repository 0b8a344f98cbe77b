#include "io/handoff/share.h"

#include "core/base/numbers.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace garland {

Result<Share> parse_share(const std::string& text) {
    const auto slash = text.find('/');
    const auto number = parse_number(text.substr(0, slash)),
               of = slash == text.npos ? std::nullopt : parse_number(text.substr(slash + 1));
    const bool fine = number && of && *number == std::floor(*number) && *of == std::floor(*of) && *of >= 1 &&
                      *of <= 1'000'000 && *number >= 1 && *number <= *of;
    if (!fine)
        return fail(Error{ErrorCode::invalid, fmt::format("\"{}\" is no share", text)}.advise(
            "write 2/5 for the second of five, counted from 1"));
    return Share{static_cast<int>(*number), static_cast<int>(*of)};
}

std::vector<std::size_t> split_by_cost(const std::vector<double>& costs, int of) {
    double all = 0;
    for (double c : costs) all += c;
    std::vector<std::size_t> out{0};
    double passed = 0;
    std::size_t at = 0;
    for (int k = 1; k < of; ++k) {
        const double goal = all * k / of;
        while (at < costs.size() && passed + costs[at] / 2 < goal) passed += costs[at++]; // to the nearer side
        out.push_back(at);
    }
    out.push_back(costs.size());
    return out;
}

Result<std::vector<double>> frame_costs(const Show& show, FrameSteps frames, Progress& progress) {
    std::vector<double> out;
    for (std::int64_t k = 0; k < frames.count(); ++k) {
        const std::int64_t f = frames.range.first + k * frames.step;
        progress.report(static_cast<double>(k) / static_cast<double>(frames.count()), fmt::format("frame {}", f));
        if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
        double cost = 1000;
        for (const ArrangementShow& a : show.arrangements) {
            if (!a.usable) continue;
            const auto moments = moments_at(a, OutputFrame(static_cast<double>(f)));
            const auto there =
                std::count_if(moments.begin(), moments.end(), [](const CopyMoment& m) { return !m.has(mark_absent); });
            cost += static_cast<double>(there) * static_cast<double>(a.sampler.source()->facts().points + 100);
        }
        out.push_back(cost);
    }
    return out;
}

} // namespace garland
