#include "core/copies/arrangement.h"

#include <cmath>
#include <fmt/format.h>
#include <numbers>

namespace garland {

namespace {
constexpr double radians = std::numbers::pi / 180;

// How far the cord hangs at `at` of its row, in copies from the row's first one; a post stands half a copy before each
// swag.
double drop(const Arrangement& a, double at, std::int64_t in_row) {
    if (a.sag == 0) return 0;
    const auto swag = static_cast<double>(a.swag > 0 ? std::min<std::int64_t>(a.swag, in_row) : in_row);
    const double from_post = at + 0.5;
    const double x = (from_post - std::floor(from_post / swag) * swag) / swag;
    return -a.sag * (1 - (2 * x - 1) * (2 * x - 1));
}

struct Spot {
    double x = 0, z = 0;           // before heading and origin
    double along = 0, outward = 0; // degrees
};
double away(double x, double z) {
    return x == 0 && z == 0 ? 0 : std::atan2(x, z) / radians;
}
double middle(double i, std::int64_t count, double step) {
    return (i - 0.5 * static_cast<double>(count - 1)) * step;
}

Spot spot(const Arrangement& a, std::int64_t row, double i) {
    if (a.kind == ArrangementKind::ring) {
        const double angle = 360.0 * i / static_cast<double>(a.count);
        return {a.radius * std::sin(angle * radians), a.radius * std::cos(angle * radians), angle + 90, angle};
    }
    const bool grid = a.kind == ArrangementKind::grid;
    const double x = middle(i, grid ? a.columns : a.count, a.spacing);
    const double z = grid ? middle(static_cast<double>(row), a.rows, a.row_spacing) : 0;
    return {x, z, 90, away(x, z)};
}

V3d to_scene(const Arrangement& a, const Spot& s, double height) {
    const double c = std::cos(a.heading * radians), n = std::sin(a.heading * radians);
    return a.origin + V3d(s.x * c + s.z * n, height, -s.x * n + s.z * c);
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
    for (double value :
         {a.spacing, a.row_spacing, a.radius, a.origin.x, a.origin.y, a.origin.z, a.heading, a.sag, a.turn, a.size}) {
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
    GARLAND_CHECK(validate(a.wobble));
    return {};
}

std::vector<Placement> placements(const Arrangement& a) {
    std::vector<Placement> result;
    const std::int64_t n = copies_in(a);
    result.reserve(static_cast<std::size_t>(n));
    const bool grid = a.kind == ArrangementKind::grid;
    const std::int64_t rows = grid ? a.rows : 1, in_row = grid ? a.columns : a.count;
    for (std::int64_t r = 0; r < rows; ++r) {
        for (std::int64_t i = 0; i < in_row; ++i) {
            const Spot s = spot(a, r, static_cast<double>(i));
            const double facing = a.facing == Facing::along ? s.along : a.facing == Facing::outward ? s.outward : 0;
            const auto id = static_cast<std::uint64_t>(r) << 20 | static_cast<std::uint64_t>(i);
            result.push_back({CopyId(id), to_scene(a, s, drop(a, static_cast<double>(i), in_row)),
                              a.turn + a.heading + facing, a.size});
        }
    }
    return result;
}

std::vector<std::vector<V3d>> cords(const Arrangement& a) {
    std::vector<std::vector<V3d>> result;
    if (a.sag == 0) return result;
    const bool grid = a.kind == ArrangementKind::grid;
    const std::int64_t rows = grid ? a.rows : 1, in_row = grid ? a.columns : a.count;
    for (std::int64_t r = 0; r < rows; ++r) {
        auto& cord = result.emplace_back();
        for (std::int64_t k = 0; k <= in_row * 4; ++k) {
            const double at = static_cast<double>(k) / 4 - 0.5;
            cord.push_back(to_scene(a, spot(a, r, at), k == in_row * 4 ? 0 : drop(a, at, in_row)));
        }
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
