#include "core/base/measure.h"

#include "core/base/numbers.h"

#include <cmath>
#include <fmt/format.h>

namespace garland {

namespace {
// As people write it: "−1 000 000", "0.5".
std::string written(double value) {
    const double size = std::abs(value);
    const bool whole = size == std::floor(size) && size < 1e15;
    return (value < 0 ? "−" : "") + (whole ? grouped(static_cast<long long>(size)) : short_number(size, 6));
}
} // namespace

Result<void> within(const std::vector<Measure>& measures) {
    for (const Measure& m : measures) {
        if (std::isfinite(m.value) && m.value >= m.least && m.value <= m.most) continue;
        const std::string unit = *m.unit ? std::string(" ") + m.unit : std::string();
        const std::string value = std::isfinite(m.value) ? written(m.value) + unit : "not a number";
        return fail(Error{ErrorCode::invalid, fmt::format("{} is {}", m.name, value)}.advise(
            fmt::format("give a number from {} to {}{}", written(m.least), written(m.most), unit)));
    }
    return {};
}

std::vector<Measure> joined(std::initializer_list<std::vector<Measure>> lists) {
    std::vector<Measure> out;
    for (const auto& list : lists) out.insert(out.end(), list.begin(), list.end());
    return out;
}

} // namespace garland
