#include "core/copies/arrangement.h"

#include "core/base/angles.h"
#include "core/base/measure.h"
#include "core/base/numbers.h"
#include "core/base/portable_math.h"
#include "core/copies/attitude.h"
#include "core/geometry/path.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace garland {

namespace {

// How far the cord hangs at `at` of its row, in copies from the row's first one; a post stands half a copy before each
// swag.
double drop(const Arrangement& a, double at, std::int64_t in_row) {
    if (a.layout.swag.sag == 0) return 0;
    const auto swag =
        static_cast<double>(a.layout.swag.every > 0 ? std::min<std::int64_t>(a.layout.swag.every, in_row) : in_row);
    const double from_post = at + 0.5;
    const double x = (from_post - std::floor(from_post / swag) * swag) / swag;
    return -a.layout.swag.sag * (1 - (2 * x - 1) * (2 * x - 1));
}

struct Spot {
    double x = 0, z = 0;           // before heading and origin
    double along = 0, outward = 0; // degrees
};
double middle(double i, std::int64_t count, double step) {
    return (i - 0.5 * static_cast<double>(count - 1)) * step;
}
bool rowed(ArrangementKind kind) {
    return kind == ArrangementKind::grid || kind == ArrangementKind::box;
}
double ring_radius(const Arrangement& a, std::int64_t ring) {
    return a.layout.radius + static_cast<double>(ring) * a.layout.row_spacing;
}
// As many copies a metre as on the innermost ring.
std::int64_t in_ring(const Arrangement& a, std::int64_t ring) {
    if (a.layout.kind == ArrangementKind::ring || a.layout.radius <= 0) return a.layout.count;
    const double many = static_cast<double>(a.layout.count) * ring_radius(a, ring) / a.layout.radius;
    return std::max<std::int64_t>(1, std::llround(std::min(many, 1e12)));
}

Spot spot(const Arrangement& a, std::int64_t row, double i) {
    if (a.layout.kind == ArrangementKind::ring || a.layout.kind == ArrangementKind::rings) {
        const double angle = 360.0 * i / static_cast<double>(in_ring(a, row)), radius = ring_radius(a, row);
        return {radius * portable::sin(angle * radians), radius * portable::cos(angle * radians), angle + 90, angle};
    }
    const bool grid = rowed(a.layout.kind);
    const double x = middle(i, grid ? a.layout.columns : a.layout.count, a.layout.spacing);
    const double z = grid ? middle(static_cast<double>(row), a.layout.rows, a.layout.row_spacing) : 0;
    return {x, z, 90, heading_of({x, 0, z})};
}

// Rows of the rule, each with its own number of copies; a box's layers one after another.
std::int64_t rows_of(const Arrangement& a) {
    switch (a.layout.kind) {
    case ArrangementKind::grid:
    case ArrangementKind::rings: return a.layout.rows;
    case ArrangementKind::box: return static_cast<std::int64_t>(a.layout.rows) * a.layout.layers;
    default: return 1;
    }
}
std::int64_t in_row_of(const Arrangement& a, std::int64_t row) {
    return rowed(a.layout.kind)                      ? a.layout.columns
           : a.layout.kind == ArrangementKind::rings ? in_ring(a, row)
                                                     : a.layout.count;
}

double facing_of(const Arrangement& a, double along, double outward) {
    return a.attitude.facing == Facing::along ? along : a.attitude.facing == Facing::outward ? outward : 0;
}

// The share of a curve at which its i-th copy stands; i may be a fraction.
double curve_share(const Arrangement& a, double i) {
    const auto n = static_cast<double>(a.layout.count);
    return a.layout.path.closed ? i / n : a.layout.count > 1 ? i / (n - 1) : 0.5;
}
// On it, or beside it, before any swag.
V3d beside(const Arrangement& a, const Path::At& at) {
    V3d side(-at.direction.z, 0, at.direction.x); // to the right of where it goes, y being up
    if (side.length() > 0) side.normalize();
    return at.place + side * a.layout.path.side;
}
Placement on_curve(const Arrangement& a, const Path& path, std::int64_t i) {
    const double share = curve_share(a, static_cast<double>(i));
    const Path::At at = path.at(share);
    const V3d place = beside(a, at);
    Placement p;
    p.id = CopyId(static_cast<std::uint64_t>(i));
    p.position = to_scene(a, place + V3d(0, drop(a, static_cast<double>(i), a.layout.count), 0));
    p.turn = a.attitude.turn + a.layout.heading + facing_of(a, heading_of(at.direction), heading_of(place));
    if (!a.attitude.upright && a.attitude.facing == Facing::along)
        pitch_along(p, to_scene(a, at.direction) - a.layout.origin);
    if (!a.attitude.upright && a.attitude.facing == Facing::outward)
        pitch_along(p, to_scene(a, place) - a.layout.origin);
    p.size = a.size;
    p.along = static_cast<float>(share);
    return p;
}

Result<void> validate_counts(const Arrangement& a) {
    int least = a.layout.count;
    if (rowed(a.layout.kind))
        least =
            std::min({a.layout.columns, a.layout.rows, a.layout.kind == ArrangementKind::box ? a.layout.layers : 1});
    if (a.layout.kind == ArrangementKind::rings) least = std::min(a.layout.count, a.layout.rows);
    if (a.layout.kind != ArrangementKind::points && least < 1) {
        return fail(
            Error{ErrorCode::invalid, "an arrangement needs at least one copy"}.advise("use a count of 1 or more"));
    }
    if (a.layout.kind == ArrangementKind::rings && a.layout.rows > copy_limit)
        return fail(Error{ErrorCode::too_large, fmt::format("there are {} rings", a.layout.rows)}.advise(
            fmt::format("use at most {}", copy_limit)));
    if (copies_in(a) > copy_limit) {
        return fail(
            Error{ErrorCode::too_large,
                  fmt::format("{} copies are more than one arrangement may have ({}); so many would take about {} "
                              "beside their geometry",
                              grouped(copies_in(a)), grouped(copy_limit),
                              byte_count(static_cast<double>(copies_in(a)) * bytes_a_copy))}
                .advise("use fewer copies, or several arrangements"));
    }
    return {};
}

} // namespace

V3d to_scene(const Arrangement& a, V3d p) {
    const double c = portable::cos(a.layout.heading * radians), n = portable::sin(a.layout.heading * radians);
    return a.layout.origin + V3d(p.x * c + p.z * n, p.y, -p.x * n + p.z * c);
}

V3d from_scene(const Arrangement& a, V3d p) {
    const double c = portable::cos(a.layout.heading * radians), n = portable::sin(a.layout.heading * radians);
    const V3d d = p - a.layout.origin;
    return {d.x * c - d.z * n, d.y, d.x * n + d.z * c};
}

double heading_of(const V3d& d) {
    return d.x == 0 && d.z == 0 ? 0 : portable::atan2(d.x, d.z) / radians;
}

bool is_carried(ArrangementKind kind) {
    return kind == ArrangementKind::scatter || kind == ArrangementKind::points;
}

std::int64_t copies_in(const Arrangement& a) {
    switch (a.layout.kind) {
    case ArrangementKind::grid: return static_cast<std::int64_t>(a.layout.columns) * a.layout.rows;
    case ArrangementKind::box: {
        const std::int64_t layer = static_cast<std::int64_t>(a.layout.columns) * a.layout.rows;
        return layer > 1'000'000'000
                   ? layer
                   : layer * a.layout.layers; // what is too many anyway need not be counted, and cannot overflow
    }
    case ArrangementKind::rings: {
        std::int64_t n = 0;
        for (std::int64_t r = 0; r < a.layout.rows && n <= copy_limit; ++r) n += in_ring(a, r);
        return n;
    }
    case ArrangementKind::points: return 0;
    default: return a.layout.count;
    }
}

namespace {

Result<void> validate(const LayoutPath& path) {
    if (path.points.size() > path_limit)
        return fail(Error{ErrorCode::too_large, fmt::format("a curve has at most {} points", path_limit)}.advise(
            "draw it with fewer points"));
    for (const V3d& p : path.points) {
        for (int k = 0; k < 3; ++k) {
            if (!std::isfinite(p[k]) || std::abs(p[k]) > 1e9)
                return fail(Error{ErrorCode::invalid,
                                  fmt::format("point {} of the curve is no place", &p - path.points.data() + 1)}
                                .advise("give numbers of at most 1e9 m"));
        }
    }
    if (Path(path.points, path.closed, path.smooth).length() <= 0) {
        return fail(Error{ErrorCode::invalid, "the curve has no length"}.advise(
            "draw at least two different points, or take it from a file"));
    }
    return {};
}

Result<void> validate(const Attitude& attitude) {
    for (std::size_t i = 0; i < attitude.targets.size(); ++i) {
        const TargetKey& k = attitude.targets[i];
        for (double v : {k.at.value, k.place.x, k.place.y, k.place.z}) {
            if (!std::isfinite(v) || std::abs(v) > frame_limit)
                return fail(
                    Error{ErrorCode::invalid, fmt::format("key {} of what copies face is no place", i + 1)}.advise(
                        "give its frame and its place as numbers of at most 1e9"));
        }
        if (k.toward == Toward::free || k.toward == Toward::hidden) {
            return fail(
                Error{ErrorCode::invalid, fmt::format("a key of what copies face is {}", to_text(k.toward))}.advise(
                    "use step, linear or smooth"));
        }
        if (i > 0 && k.at <= attitude.targets[i - 1].at)
            return fail(Error{ErrorCode::invalid,
                              fmt::format("key {} of what copies face does not come after the one before it", i + 1)}
                            .advise("order the keys by their output frames"));
    }
    if (attitude.facing == Facing::target && attitude.targets.empty()) {
        return fail(Error{ErrorCode::invalid, "copies that face a target need one"}.advise("give the place they face"));
    }
    return {};
}

Result<void> validate(const Choice& choice) {
    if (choice.own_weight < 0)
        return fail(
            Error{ErrorCode::invalid, "a weight is 0 or more"}.advise("use 0 to leave a source out, 1 as usual"));
    double weights = choice.own_weight;
    for (const Variant& v : choice.variants) {
        if (!std::isfinite(v.weight) || v.weight < 0 || v.weight > 1e9)
            return fail(
                Error{ErrorCode::invalid, "a weight is 0 or more"}.advise("use 0 to leave a source out, 1 as usual"));
        weights += v.weight;
    }
    if (!choice.variants.empty() && weights <= 0)
        return fail(
            Error{ErrorCode::invalid, "the sources' weights are all 0"}.advise("give one of them a weight above 0"));
    return {};
}

} // namespace

Result<void> validate(const Arrangement& a) {
    GARLAND_CHECK(validate_counts(a));
    const Layout& l = a.layout;
    GARLAND_CHECK(within(joined({{{"the spacing", l.spacing, -1e9, 1e9, "m"},
                                  {"the distance between rows", l.row_spacing, -1e9, 1e9, "m"},
                                  {"the distance between layers", l.layer_spacing, -1e9, 1e9, "m"},
                                  {"the radius", l.radius, -1e9, 1e9, "m"},
                                  {"the heading", l.heading, -1e9, 1e9, "°"},
                                  {"the sag of a swag", l.swag.sag, -1e9, 1e9, "m"},
                                  {"the turn of copies", a.attitude.turn, -1e9, 1e9, "°"},
                                  {"the size of copies", a.size},
                                  {"how far copies stand beside the curve", l.path.side, -1e9, 1e9, "m"},
                                  {"the minimum distance", l.carried.least_apart, -1e9, 1e9, "m"},
                                  {"the weight of the arrangement's own source", a.choice.own_weight},
                                  {"the output frame that copies begin at", a.begins.frame.value, -1e9, 1e9, "f"},
                                  {"the jitter of turn", a.jitter.turn, -1e9, 1e9, "°"},
                                  {"the jitter of size", a.jitter.size}},
                                 parts("the place", l.origin),
                                 parts("the jitter of position", a.jitter.position),
                                 parts("the point that the order goes out from", a.order.from)})));
    if (a.size <= 0)
        return fail(Error{ErrorCode::invalid, "the size of copies must be above 0"}.advise(
            "use 1 for the size of the source itself"));
    if (a.layout.swag.every < 0)
        return fail(Error{ErrorCode::invalid, "a swag cannot have fewer than 0 copies"}.advise("use 0 or more"));
    if (a.layout.carried.least_apart < 0)
        return fail(Error{ErrorCode::invalid, "copies cannot be less than 0 apart"}.advise("use 0 or more"));
    if (a.jitter.size < 0 || a.jitter.size > 0.99)
        return fail(Error{ErrorCode::invalid, "jitter may change the size by 0 to 99 %"}.advise("use 0 to 99 %"));
    if (a.layout.kind == ArrangementKind::rings && (a.layout.radius <= 0 || a.layout.row_spacing < 0)) {
        return fail(
            Error{ErrorCode::invalid, "rings need a radius above 0, and a distance between them of 0 or more"}.advise(
                "make the radius larger than 0"));
    }
    if (a.layout.kind == ArrangementKind::curve) GARLAND_CHECK(validate(a.layout.path));
    if (is_carried(a.layout.kind) && !a.layout.carried.source) {
        return fail(Error{ErrorCode::invalid, "copies on a source need that source"}.advise(
            "gather one, and choose it as what carries them"));
    }
    GARLAND_CHECK(validate(a.attitude));
    GARLAND_CHECK(validate(a.play));
    for (const Pulse& pulse : a.pulses) GARLAND_CHECK(validate(pulse));
    GARLAND_CHECK(validate(a.stretch.width, "the width along the order", {0, 1, 0.001, 1000}));
    GARLAND_CHECK(validate(a.stretch.height, "the height along the order", {0, 1, 0.001, 1000}));
    GARLAND_CHECK(validate(a.by_hand.amount, "the nudges' amount", {-frame_limit, frame_limit, 0, 1}));
    GARLAND_CHECK(validate(a.choice));
    if (a.begins.passes < 0)
        return fail(Error{ErrorCode::invalid, "a repeat has 0 or more passes"}.advise("use 0 for no end"));
    if (a.order.by == OrderBy::attribute && a.order.attribute.empty())
        return fail(Error{ErrorCode::invalid, "an order by attribute needs the attribute's name"}.advise(
            "name an attribute of the carrier, or order by something else"));
    for (const Spread& spread : a.spreads) GARLAND_CHECK(validate(spread));
    for (const Nudge& nudge : a.by_hand.nudges) {
        if (std::isfinite(nudge.frames) && std::abs(nudge.frames) <= frame_limit) continue; // there may be very many
        GARLAND_CHECK(within({{"a nudge", nudge.frames, -frame_limit, frame_limit, "f"}}));
    }
    if (!std::isfinite(a.attitude.bank) || a.attitude.bank < 0 || a.attitude.bank > 10)
        return fail(Error{ErrorCode::invalid, "copies bank by 0 to 1000 % of the lean that is in balance"}.advise(
            "use 0 to 1000 %"));
    GARLAND_CHECK(validate(a.place_keys, fmt::format("the place keys of \"{}\"", a.name), 1e-6));
    GARLAND_CHECK(validate(a.wobble));
    return {};
}

std::vector<Placement> placements(const Arrangement& a) {
    std::vector<Placement> result;
    if (is_carried(a.layout.kind)) return result;
    const std::int64_t n = copies_in(a);
    result.reserve(static_cast<std::size_t>(n));
    if (a.layout.kind == ArrangementKind::curve) {
        const Path path(a.layout.path.points, a.layout.path.closed, a.layout.path.smooth);
        for (std::int64_t i = 0; i < n; ++i) result.push_back(on_curve(a, path, i));
        return result;
    }
    const bool box = a.layout.kind == ArrangementKind::box,
               round = a.layout.kind == ArrangementKind::ring || a.layout.kind == ArrangementKind::rings;
    for (std::int64_t r = 0; r < rows_of(a); ++r) {
        const std::int64_t in_row = in_row_of(a, r), row = box ? r % a.layout.rows : r,
                           layer = box ? r / a.layout.rows : 0;
        for (std::int64_t i = 0; i < in_row; ++i) {
            const Spot s = spot(a, row, static_cast<double>(i));
            const auto id = static_cast<std::uint64_t>(layer) << 40 | static_cast<std::uint64_t>(row) << 20 |
                            static_cast<std::uint64_t>(i);
            const double height =
                drop(a, static_cast<double>(i), in_row) + static_cast<double>(layer) * a.layout.layer_spacing;
            Placement p;
            p.id = CopyId(id);
            p.position = to_scene(a, {s.x, height, s.z});
            p.turn = a.attitude.turn + a.layout.heading + facing_of(a, s.along, s.outward);
            if (!a.attitude.upright && a.attitude.facing == Facing::outward)
                pitch_along(p, p.position - a.layout.origin);
            p.size = a.size;
            p.along = static_cast<float>(round        ? static_cast<double>(i) / static_cast<double>(in_row)
                                         : in_row > 1 ? static_cast<double>(i) / static_cast<double>(in_row - 1)
                                                      : 0.5);
            result.push_back(p);
        }
    }
    return result;
}

std::vector<std::vector<V3d>> cords(const Arrangement& a) {
    std::vector<std::vector<V3d>> result;
    if (a.layout.kind == ArrangementKind::curve) {
        // From its first copy to its last, as fine as its bends and its swags ask for.
        const Path path(a.layout.path.points, a.layout.path.closed, a.layout.path.smooth);
        const double last = a.layout.path.closed ? a.layout.count : a.layout.count - 1;
        const auto pieces = static_cast<std::int64_t>(std::clamp<double>(
            a.layout.swag.sag != 0 ? 4 * last : 12.0 * static_cast<double>(a.layout.path.points.size()), 24, 4000));
        auto& line = result.emplace_back();
        for (std::int64_t k = 0; k <= pieces; ++k) {
            const double share = static_cast<double>(k) / static_cast<double>(pieces), i = share * last;
            line.push_back(to_scene(a, beside(a, path.at(share)) + V3d(0, drop(a, i, a.layout.count), 0)));
        }
        return result;
    }
    if (a.layout.swag.sag == 0 || is_carried(a.layout.kind)) return result;
    for (std::int64_t r = 0; r < rows_of(a); ++r) {
        const bool box = a.layout.kind == ArrangementKind::box;
        const std::int64_t in_row = in_row_of(a, r), row = box ? r % a.layout.rows : r;
        const double height = box ? static_cast<double>(r / a.layout.rows) * a.layout.layer_spacing : 0;
        auto& cord = result.emplace_back();
        for (std::int64_t k = 0; k <= in_row * 4; ++k) {
            const double at = static_cast<double>(k) / 4 - 0.5;
            const Spot s = spot(a, row, at);
            cord.push_back(to_scene(a, {s.x, height + (k == in_row * 4 ? 0 : drop(a, at, in_row)), s.z}));
        }
    }
    return result;
}

const char* to_text(ArrangementKind kind) {
    return word_of(kind_words, kind);
}

const char* to_text(Facing facing) {
    return word_of(facing_words, facing);
}

const char* to_text(OrderBy by) {
    return word_of(order_words, by);
}

const char* to_text(StartKind start) {
    return word_of(start_words, start);
}

} // namespace garland
