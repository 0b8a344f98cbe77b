#include "core/time/rate.h"

#include "core/base/numbers.h"

#include <cmath>
#include <fmt/format.h>
#include <numeric>

namespace garland {

namespace {
tl::unexpected<Error> refuse(std::string_view text) {
    return fail(Error{ErrorCode::invalid, fmt::format("\"{}\" is not a frame rate", text)}.advise(
        "write frames per second, as in 24, 23.976 or 24000/1001"));
}
} // namespace

Result<Rate> parse_rate(std::string_view text) {
    const auto slash = text.find('/');
    const auto num = parse_number(text.substr(0, slash));
    const auto den = slash == text.npos ? std::optional<double>(1.0) : parse_number(text.substr(slash + 1));
    if (!num || !den || *num <= 0 || *den <= 0 || *num > 1e9 || *den > 1e9) return refuse(text);

    Rate rate;
    if (slash != text.npos) {
        if (*num != std::floor(*num) || *den != std::floor(*den)) return refuse(text);
        rate = {static_cast<std::int64_t>(*num), static_cast<std::int64_t>(*den)};
    } else {
        // The rounded names of the rates n·1000/1001 (SMPTE ST 12-1; common practice).
        const double whole = std::round(*num * 1.001);
        if (*num != std::floor(*num) && std::abs(whole * 1000 / 1001 - *num) < 0.0051) {
            rate = {static_cast<std::int64_t>(whole) * 1000, 1001};
        } else {
            rate = {static_cast<std::int64_t>(std::llround(*num * 1000)), 1000};
        }
    }
    if (rate.num <= 0) return refuse(text);
    const auto common = std::gcd(rate.num, rate.den);
    rate = {rate.num / common, rate.den / common};
    if (rate.per_second() < 0.001 || rate.per_second() > 100000) return refuse(text);
    return rate;
}

std::string to_text(Rate rate) {
    return rate.den == 1 ? fmt::format("{}", rate.num) : fmt::format("{}/{}", rate.num, rate.den);
}

} // namespace garland
