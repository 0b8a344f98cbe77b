#include "core/copies/arrangement.h"

#include <cmath>
#include <fmt/format.h>
#include <numbers>

namespace garland {

namespace {
constexpr double radians = std::numbers::pi / 180;

double drop(const Arrangement& a, std::int64_t index, std::int64_t in_row) {
    if (a.sag == 0) return 0;
    const std::int64_t swag = a.swag > 0 ? std::min<std::int64_t>(a.swag, in_row) : in_row;
    const double x = (static_cast<double>(index % swag) + 0.5) / static_cast<double>(swag);
    return -a.sag * (1 - (2 * x - 1) * (2 * x - 1));
}
} // namespace

std::int64_t copies_in(const Arrangement& a) {
    return a.kind == ArrangementKind::grid ? static_cast<std::int64_t>(a.columns) * a.rows : a.count;
}

Result<void> validate(const Arrangement& a) {
    const bool grid = a.kind == ArrangementKind::grid;
    if (grid ? (a.columns < 1 || a.rows < 1) : a.count < 1) {
        return fail(ErrorCode::invalid, "an arrangement needs at least one copy");
    }
    if (copies_in(a) > copy_limit) {
        return fail(Error{ErrorCode::too_large, fmt::format("{} copies are more than one arrangement may have ({})",
                                                            copies_in(a), copy_limit)}
                        .advise("use fewer copies, or several arrangements"));
    }
    for (double value : {a.spacing, a.row_spacing, a.radius, a.origin.x, a.origin.y, a.origin.z, a.heading, a.sag,
                         a.turn, a.size}) {
        if (!std::isfinite(value) || std::abs(value) > 1e9) {
            return fail(ErrorCode::invalid, "a measure of the arrangement is not a usable number");
        }
    }
    if (a.size <= 0) return fail(ErrorCode::invalid, "the size of copies must be above 0");
    if (a.swag < 0) return fail(ErrorCode::invalid, "a swag cannot have fewer than 0 copies");
    for (const Spread& spread : a.spreads) GARLAND_CHECK(validate(spread));
    for (const Nudge& nudge : a.nudges) {
        if (!std::isfinite(nudge.frames) || std::abs(nudge.frames) > frame_limit) {
            return fail(ErrorCode::invalid, "a nudge is not a usable number of frames");
        }
    }
    return {};
}

std::vector<Placement> placements(const Arrangement& a) {
    std::vector<Placement> result;
    const std::int64_t n = copies_in(a);
    result.reserve(static_cast<std::size_t>(n));
    const double cos_h = std::cos(a.heading * radians), sin_h = std::sin(a.heading * radians);
    auto add = [&](CopyId id, double x, double y, double z, double along, double outward) {
        Placement p;
        p.id = id;
        p.position = a.origin + V3d(x * cos_h + z * sin_h, y, -x * sin_h + z * cos_h);
        const double facing = a.facing == Facing::along ? along : a.facing == Facing::outward ? outward : 0;
        p.turn = a.turn + a.heading + facing;
        p.size = a.size;
        result.push_back(p);
    };
    auto away = [](double x, double z) { return x == 0 && z == 0 ? 0 : std::atan2(x, z) / radians; };
    auto middle = [](std::int64_t i, std::int64_t count, double step) {
        return (static_cast<double>(i) - 0.5 * static_cast<double>(count - 1)) * step;
    };
    switch (a.kind) {
    case ArrangementKind::line:
        for (std::int64_t i = 0; i < n; ++i) {
            const double x = middle(i, n, a.spacing);
            add(CopyId(static_cast<std::uint64_t>(i)), x, drop(a, i, n), 0, 90, away(x, 0));
        }
        break;
    case ArrangementKind::grid:
        for (std::int64_t r = 0; r < a.rows; ++r) {
            for (std::int64_t c = 0; c < a.columns; ++c) {
                const double x = middle(c, a.columns, a.spacing), z = middle(r, a.rows, a.row_spacing);
                add(CopyId(static_cast<std::uint64_t>(r) << 20 | static_cast<std::uint64_t>(c)), x,
                    drop(a, c, a.columns), z, 90, away(x, z));
            }
        }
        break;
    case ArrangementKind::ring:
        for (std::int64_t i = 0; i < n; ++i) {
            const double angle = 360.0 * static_cast<double>(i) / static_cast<double>(n);
            const double x = a.radius * std::sin(angle * radians), z = a.radius * std::cos(angle * radians);
            add(CopyId(static_cast<std::uint64_t>(i)), x, drop(a, i, n), z, angle + 90, angle);
        }
        break;
    }
    return result;
}

const char* to_text(ArrangementKind kind) {
    switch (kind) {
    case ArrangementKind::line: return "line";
    case ArrangementKind::grid: return "grid";
    case ArrangementKind::ring: return "ring";
    }
    return "line";
}

const char* to_text(Facing facing) {
    switch (facing) {
    case Facing::fixed: return "fixed";
    case Facing::along: return "along";
    case Facing::outward: return "outward";
    }
    return "fixed";
}

} // namespace garland
