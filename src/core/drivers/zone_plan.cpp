#include "core/drivers/zone_plan.h"

#include "core/base/angles.h"
#include "core/base/cubic.h"
#include "core/base/portable_math.h"
#include "core/drivers/wave.h"

#include <algorithm>
#include <cmath>

namespace garland {

namespace {

// The most |slope| over [low, high]: at an end, or where the slope itself turns.
double steepest_slope(const std::array<double, 4>& c, double low, double high) {
    double most = std::max(std::abs(cubic_slope(c, low)), std::abs(cubic_slope(c, high)));
    if (c[3] != 0) {
        const double turn = -c[2] / (3 * c[3]);
        if (turn > low && turn < high) most = std::max(most, std::abs(cubic_slope(c, turn)));
    }
    return most;
}

std::array<double, 7> numbers_of(const ZoneKey& k) {
    return {k.place.x, k.place.y, k.place.z, k.turn.x, k.turn.y, k.turn.z, k.size};
}

// Where in a carriage an output frame falls.
V3d carried(const ZoneCarriage& c, double t, V3d* rate) {
    if (rate) *rate = V3d(0);
    if (c.places.empty()) return V3d(0);
    const double x = t - static_cast<double>(c.first), last = static_cast<double>(c.places.size()) - 1;
    if (!(x > 0)) return c.places.front();
    if (x >= last) return c.places.back();
    const auto i = static_cast<std::size_t>(x);
    const V3d step = c.places[i + 1] - c.places[i];
    if (rate) *rate = step;
    return c.places[i] + step * (x - static_cast<double>(i));
}

double to_segment(const V3d& p, const V3d& a, const V3d& b, V3d& nearest) {
    const V3d way = b - a;
    const double length2 = way.length2(), share = length2 > 0 ? std::clamp((p - a).dot(way) / length2, 0.0, 1.0) : 0;
    nearest = a + way * share;
    return (p - nearest).length();
}

} // namespace

PlaceTrack::At PlaceTrack::at(double t) const {
    if (places_.empty()) return {still_, V3d(0)};
    const double x = t - static_cast<double>(first_), last = static_cast<double>(places_.size()) - 1;
    if (!(x > 0)) return {V3d(places_.front()), V3d(0)};
    if (x >= last) return {V3d(places_.back()), V3d(0)};
    const auto i = static_cast<std::size_t>(x);
    const V3d from(places_[i]), step = V3d(places_[i + 1]) - from;
    return {from + step * (x - static_cast<double>(i)), step};
}

double PlaceTrack::fastest(double from, double to) const {
    if (!moves()) return 0;
    const double last = static_cast<double>(places_.size()) - 2;
    const double low = from - static_cast<double>(first_), high = to - static_cast<double>(first_);
    if (high <= 0 || low >= last + 1) return 0;
    double most = 0;
    for (double i = std::max(std::floor(low), 0.0); i <= std::min(std::floor(high), last); ++i) {
        const auto k = static_cast<std::size_t>(i);
        most = std::max(most, (V3d(places_[k + 1]) - V3d(places_[k])).length());
    }
    return most;
}

ZonePlan::ZonePlan(const Zone& zone, DistanceGridPtr grid, const ZoneCarriage& carriage)
    : zone_(zone), grid_(std::move(grid)), carriage_(carriage), response_(zone.response, 0) {
    std::vector<double> at;
    for (const ZoneKey& k : zone.keys) at.push_back(k.at.value);
    if (carriage.places.size() > 1) {
        for (std::size_t i = 0; i < carriage.places.size(); ++i)
            at.push_back(static_cast<double>(carriage.first) + static_cast<double>(i));
    }
    std::sort(at.begin(), at.end());
    at.erase(std::unique(at.begin(), at.end()), at.end());
    // Each number by itself runs between its keys as a strength over output frames does.
    std::array<CurvePlan, 7> curves;
    for (std::size_t k = 0; k < curves.size(); ++k) {
        KeyedCurve curve;
        for (const ZoneKey& key : zone.keys) curve.push_back({key.at.value, numbers_of(key)[k], key.toward});
        curves[k] = CurvePlan(curve, 0);
    }
    for (std::size_t i = 0; i + 1 < at.size(); ++i) {
        Segment s;
        s.from = at[i], s.wide = at[i + 1] - at[i];
        V3d rate;
        const V3d start = carried(carriage, at[i], nullptr);
        carried(carriage, at[i] + s.wide / 2, &rate);
        for (std::size_t k = 0; k < 7; ++k) {
            // A cubic by its values and slopes at the ends, taken inside the segment: steps jump at its far end.
            const double just = std::nextafter(at[i + 1], at[i]);
            const double a = curves[k].at(at[i]), b = curves[k].at(just), w = s.wide;
            const double middle = curves[k].slope(at[i] + w / 2), sa = curves[k].slope(at[i]),
                         sb = curves[k].slope(just);
            const bool smooth = sa != middle || sb != middle;
            s.c[k] = smooth ? std::array<double, 4>{a, sa, (3 * (b - a) / w - 2 * sa - sb) / w,
                                                    (sa + sb - 2 * (b - a) / w) / (w * w)}
                            : std::array<double, 4>{a, middle, 0, 0};
            if (k < 3) s.c[k][0] += start[static_cast<int>(k)], s.c[k][1] += rate[static_cast<int>(k)];
        }
        segments_.push_back(s);
    }
    if (!segments_.empty()) bends_ = at;
    auto still = [&](const ZoneKey& k, double t) {
        return Motion{k.place + carried(carriage, t, nullptr), k.turn, V3d(0), V3d(0), k.size, 0};
    };
    before_ = still(zone.keys.front(), at.front());
    after_ = still(zone.keys.back(), at.back());

    rings_.push_back(zone.outer);
    for (auto k = zone.response.begin(); k != zone.response.end(); ++k)
        rings_.push_back(zone.outer - k->at * (zone.outer - zone.inner));
    rings_.push_back(zone.inner);
    rings_.erase(std::unique(rings_.begin(), rings_.end()), rings_.end());

    const V3d half = zone.size / 2;
    switch (zone.shape) {
    case ZoneShape::ball: radius_ = half.x; break;
    case ZoneShape::box: radius_ = half.length(); break;
    case ZoneShape::cylinder: radius_ = std::hypot(half.x, half.y); break;
    case ZoneShape::wall: break;
    case ZoneShape::tube:
        line_ = Path(zone.path, zone.path_closed, true).polyline();
        for (const V3d& p : line_) radius_ = std::max(radius_, p.length() + half.x);
        break;
    case ZoneShape::mesh: radius_ = grid_ ? grid_->radius() : 0; break;
    }
}

const ZonePlan::Segment* ZonePlan::segment_at(double t) const {
    if (segments_.empty() || !(t >= segments_.front().from) || t >= bends_.back()) return nullptr;
    const auto after = std::upper_bound(bends_.begin(), bends_.end(), t);
    return &segments_[static_cast<std::size_t>(after - bends_.begin()) - 1];
}

ZonePlan::Motion ZonePlan::motion(double t) const {
    const Segment* s = segment_at(t);
    if (!s) return !bends_.empty() && t >= bends_.back() ? after_ : before_;
    const double x = t - s->from;
    auto value = [&](std::size_t k) { return cubic(s->c[k], x); };
    auto slope = [&](std::size_t k) { return cubic_slope(s->c[k], x); };
    return {V3d(value(0), value(1), value(2)),
            V3d(value(3), value(4), value(5)),
            V3d(slope(0), slope(1), slope(2)),
            V3d(slope(3), slope(4), slope(5)),
            value(6),
            slope(6)};
}

ZoneKey ZonePlan::pose_at(double t) const {
    const Motion m = motion(t);
    return {OutputFrame(t), m.place, m.turn, m.size, Toward::linear};
}

double ZonePlan::shape(const V3d& p, V3d& gradient) const {
    const V3d half = zone_.size / 2;
    auto along = [](double v) { return v < 0 ? -1.0 : 1.0; };
    switch (zone_.shape) {
    case ZoneShape::ball: {
        const double away = p.length();
        gradient = away > 0 ? p / away : V3d(0);
        return away - half.x;
    }
    case ZoneShape::box: {
        const V3d d(std::abs(p.x) - half.x, std::abs(p.y) - half.y, std::abs(p.z) - half.z);
        const V3d out(std::max(d.x, 0.0), std::max(d.y, 0.0), std::max(d.z, 0.0));
        if (const double away = out.length(); away > 0) {
            gradient = V3d(out.x * along(p.x), out.y * along(p.y), out.z * along(p.z)) / away;
            return away;
        }
        const int k = d.x >= d.y && d.x >= d.z ? 0 : d.y >= d.z ? 1 : 2;
        gradient = V3d(0);
        gradient[k] = along(p[k]);
        return d[k];
    }
    case ZoneShape::cylinder: {
        const double from_axis = std::hypot(p.x, p.z), side = from_axis - half.x, cap = std::abs(p.y) - half.y;
        const V3d outward = from_axis > 0 ? V3d(p.x, 0, p.z) / from_axis : V3d(0), up(0, along(p.y), 0);
        if (side > 0 && cap > 0) {
            const double away = std::hypot(side, cap);
            gradient = (outward * side + up * cap) / away;
            return away;
        }
        gradient = side > cap ? outward : up;
        return std::max(side, cap);
    }
    case ZoneShape::wall: gradient = V3d(0, 0, 1); return p.z;
    case ZoneShape::tube: {
        double least = 1e300;
        V3d nearest(0), best(0);
        for (std::size_t i = 0; i + 1 < line_.size(); ++i) {
            const double d = to_segment(p, line_[i], line_[i + 1], nearest);
            if (d < least) least = d, best = nearest;
        }
        gradient = least > 0 ? (p - best) / least : V3d(0);
        return least - half.x;
    }
    case ZoneShape::mesh:
        if (grid_) return grid_->at(p, &gradient);
        gradient = V3d(0);
        return 1e300;
    }
    return 1e300;
}

ZonePlan::Moment ZonePlan::moment(double t) const {
    Moment out{motion(t), {}, V3d(0)};
    const Motion& m = out.motion;
    out.axes = turned_axes(m.turn);
    // How the zone turns: about y, the turned x and the turned z.
    if (m.turn_rate != V3d(0)) {
        const SinCos y(m.turn.y);
        out.spin =
            (V3d(0, m.turn_rate.y, 0) + V3d(y.c, 0, -y.s) * m.turn_rate.x + out.axes.z * m.turn_rate.z) * radians;
    }
    return out;
}

ZonePlan::Distance ZonePlan::distance(const Moment& moment, const PlaceTrack::At& copy) const {
    const Motion& m = moment.motion;
    const V3d arm = copy.place - m.place;
    Distance out;
    out.size = m.size, out.size_rate = m.size_rate;
    if (m.size <= 0) {
        out.size = 0;
        out.value = arm.length();
        return out;
    }
    V3d gradient;
    const V3d turned = moment.axes.local(arm), q = m.size == 1 ? turned : turned / m.size;
    const double f = shape(q, gradient);
    out.value = f * m.size;
    const V3d moving = copy.rate - m.place_rate - moment.spin.cross(arm);
    out.rate = gradient.dot(moment.axes.local(moving));
    if (m.size_rate != 0) out.rate += m.size_rate * (f - gradient.dot(q));
    return out;
}

ZonePlan::Level ZonePlan::level(const Distance& d) const {
    Level out;
    const double edge = (zone_.outer - zone_.inner) * d.size, over = zone_.outer * d.size - d.value;
    if (d.size <= 0) {
        out.value = 0;
    } else if (edge <= 0) {
        out.value = over >= 0 ? 1 : 0;
    } else {
        const double share = over / edge;
        out.value = std::clamp(share, 0.0, 1.0);
        if (share > 0 && share < 1)
            out.rate = (zone_.outer * d.size_rate - d.rate - share * (zone_.outer - zone_.inner) * d.size_rate) / edge;
    }
    if (response_.keyed()) {
        out.rate *= response_.slope(out.value);
        out.value = response_.at(out.value);
    }
    if (zone_.inverted) out.value = 1 - out.value, out.rate = -out.rate;
    return out;
}

ZonePlan::Level ZonePlan::level(const Moment& now, const PlaceTrack::At& copy) const {
    const double size = now.motion.size;
    if (zone_.shape == ZoneShape::ball && size > 0) {
        constexpr double surely = 1 + 1e-9;
        const double squared = (copy.place - now.motion.place).length2();
        const double outer = (zone_.size.x / 2 + zone_.outer) * size, inner = (zone_.size.x / 2 + zone_.inner) * size;
        const bool outside = outer > 0 && squared > outer * outer * surely,
                   within = inner > 0 && squared * surely < inner * inner;
        if (outside || within) {
            if (zone_.response.empty()) return {outside == zone_.inverted ? 1.0 : 0.0, 0};
            Distance there;
            there.size = size;
            there.value =
                outside ? zone_.outer * size + std::max(outer, 1.0) : zone_.inner * size - std::max(inner, 1.0);
            return level(there);
        }
    }
    return level(distance(now, copy));
}

double ZonePlan::steepest(double from, double to, const PlaceTrack& copy, double ring) const {
    const double middle = from + (to - from) / 2, half = (to - from) / 2, along = copy.fastest(from, to);
    const Segment* s = segment_at(middle);
    double speed = 0, spin = 0, growth = 0, arm = (copy.at(middle).place - motion(middle).place).length();
    if (s) {
        const double low = from - s->from, high = to - s->from;
        V3d moving;
        for (int k = 0; k < 3; ++k) {
            moving[k] = steepest_slope(s->c[static_cast<std::size_t>(k)], low, high);
            spin += steepest_slope(s->c[static_cast<std::size_t>(k) + 3], low, high) * radians;
        }
        speed = moving.length();
        growth = steepest_slope(s->c[6], low, high);
    }
    arm += (along + speed) * half;
    const double steep = zone_.shape == ZoneShape::mesh ? DistanceGrid::steepest : 1;
    return (steep * (along + speed + spin * arm + growth * radius_) + growth * std::abs(ring)) * (1 + 1e-9);
}

std::vector<double> ZonePlan::rings_at(double level) const {
    if (zone_.inverted) level = 1 - level;
    std::vector<double> out;
    const double edge = zone_.outer - zone_.inner;
    if (edge <= 0) return out;
    if (!response_.keyed()) {
        if (level >= 0 && level <= 1) out.push_back(zone_.outer - level * edge);
        return out;
    }
    for (double share : shares_at(zone_.response, level)) out.push_back(zone_.outer - share * edge);
    return out;
}

} // namespace garland
