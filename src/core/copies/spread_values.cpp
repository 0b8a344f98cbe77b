#include "core/copies/spread_values.h"

#include "core/base/chance.h"
#include "core/base/noise.h"
#include "core/base/numbers.h"
#include "core/base/parallel.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <limits>
#include <nanoflann.hpp>
#include <numeric>

namespace garland {

namespace {

struct PlaceCloud { // as nanoflann asks for it
    std::span<const Placement> places;
    std::size_t kdtree_get_point_count() const { return places.size(); }
    double kdtree_get_pt(std::size_t i, std::size_t axis) const { return places[i].position[static_cast<int>(axis)]; }
    template <class Box>
    bool kdtree_get_bbox(Box&) const {
        return false;
    }
};
using PlaceTree = nanoflann::KDTreeSingleIndexAdaptor<nanoflann::L2_Simple_Adaptor<double, PlaceCloud>, PlaceCloud, 3>;

double circular(double a, double b) {
    const double d = std::abs(a - b);
    return std::min(d, 1 - d);
}

// Values stretched so that the smallest is 0 and the largest 1; all 0 where they are the same. NaN stays.
void stretched(std::vector<double>& values) {
    double low = std::numeric_limits<double>::infinity(), high = -low;
    for (double v : values) {
        if (std::isfinite(v)) low = std::min(low, v), high = std::max(high, v);
    }
    for (double& v : values) {
        if (std::isfinite(v)) v = high > low ? (v - low) / (high - low) : 0;
    }
}

template <class Function>
void each(std::vector<double>& values, const Function& value) {
    parallel_for(values.size(), 4096, [&](std::size_t from, std::size_t to) {
        for (std::size_t i = from; i < to; ++i) values[i] = value(i);
    });
}

} // namespace

std::vector<std::uint32_t> nearest_copies(std::span<const Placement> places, std::size_t k) {
    std::vector<std::uint32_t> out(places.size() * k);
    if (places.empty() || k == 0) return out;
    const PlaceCloud cloud{places};
    const PlaceTree tree(3, cloud, nanoflann::KDTreeSingleIndexAdaptorParams(16));
    parallel_for(places.size(), 512, [&](std::size_t from, std::size_t to) {
        std::vector<std::uint32_t> found(k + 1);
        std::vector<double> away(k + 1);
        for (std::size_t i = from; i < to; ++i) {
            const double at[3] = {places[i].position.x, places[i].position.y, places[i].position.z};
            const std::size_t n = tree.knnSearch(at, k + 1, found.data(), away.data());
            std::size_t kept = 0;
            for (std::size_t j = 0; j < n && kept < k; ++j) {
                if (found[j] != i) out[i * k + kept++] = found[j];
            }
            while (kept < k) out[i * k + kept++] = static_cast<std::uint32_t>(i);
        }
    });
    return out;
}

std::vector<double> best_candidates(std::uint64_t seed, SpreadId rule, std::span<const Placement> places) {
    constexpr std::size_t around = 8, candidates = 24;
    const std::vector<std::uint32_t> near = nearest_copies(places, around);
    std::vector<std::uint32_t> order(places.size());
    std::iota(order.begin(), order.end(), 0u);
    std::sort(order.begin(), order.end(),
              [&](std::uint32_t a, std::uint32_t b) { return places[a].id < places[b].id; });
    std::vector<double> out(places.size(), -1);
    for (std::uint32_t i : order) {
        double best = -1;
        for (std::uint64_t c = 0; c < candidates; ++c) {
            const double u = chance(seed + c * 0x9e3779b97f4a7c15u, rule.value, places[i].id.value);
            double least = 1;
            for (std::size_t k = 0; k < around; ++k) {
                const double other = out[near[i * around + k]];
                if (other >= 0) least = std::min(least, circular(u, other));
            }
            if (least > best) best = least, out[i] = u;
        }
    }
    return out;
}

DriftingValue noise_value(const Spread& s, const CurvePlan& curve, const V3d& place, double seconds) {
    const V3d at = (place - s.drift * seconds) / s.patch;
    const NoiseSample n = noise_at({s.seed, s.id.value, s.detail}, at.x, at.y, at.z);
    DriftingValue out;
    const double u = curve.keyed() ? curve.at(n.value) : n.value;
    out.value = s.from + u * (s.to - s.from);
    const double slope = -(n.slope[0] * s.drift.x + n.slope[1] * s.drift.y + n.slope[2] * s.drift.z) / s.patch;
    out.rate = slope * (curve.keyed() ? curve.slope(n.value) : 1) * (s.to - s.from);
    return out;
}

SpacePattern::SpacePattern(const Spread& spread, std::span<const Placement> places)
    : spread_(spread), curve_(spread.curve, 0) {
    const bool gradient = spread.driver == Driver::gradient && !spread.along_path,
               distance = spread.driver == Driver::distance;
    there_ = !places.empty() && (gradient || distance || spread.driver == Driver::noise);
    if (gradient) spread_.axis.normalize();
    spread_.whole_frames = false;
    low_ = distance ? 0 : std::numeric_limits<double>::infinity();
    high_ = distance ? spread.reach : -low_;
    for (const Placement& p : places) {
        const double v = distance ? (p.position - spread.centre).length() : p.position.dot(spread_.axis);
        if (!distance) low_ = std::min(low_, v);
        if (!distance || spread.reach <= 0) high_ = std::max(high_, v);
    }
}

double SpacePattern::at(const V3d& place, double seconds) const {
    if (spread_.driver == Driver::noise) return noise_value(spread_, curve_, place, seconds).value;
    const double v = spread_.driver == Driver::distance ? (place - spread_.centre).length() : place.dot(spread_.axis);
    return scaled(spread_, curve_, high_ > low_ ? std::clamp((v - low_) / (high_ - low_), 0.0, 1.0) : 0.0);
}

SpreadValues spread_values(const Spread& s, const CopyGround& ground) {
    SpreadValues out;
    const auto places = ground.places;
    const CurvePlan curve(s.curve, 0);
    std::vector<double>& v = out.values;
    v.resize(places.size());
    switch (s.driver) {
    case Driver::chance:
    case Driver::order_step:
    case Driver::order_total:
    case Driver::order_loop:
    case Driver::even:
        each(v, [&](std::size_t i) {
            return value_of(s, places[i].id, static_cast<std::int64_t>(i), static_cast<std::int64_t>(places.size()));
        });
        return out;
    case Driver::even_space: v = best_candidates(s.seed, s.id, places); break;
    case Driver::noise: {
        const bool drifts = s.drift != V3d(0), whole = s.whole_frames && s.target == Target::delay && !drifts;
        each(v, [&](std::size_t i) {
            const double value = noise_value(s, curve, places[i].position, 0).value;
            return whole ? std::round(value) : value;
        });
        return out;
    }
    case Driver::gradient: {
        const V3d axis = s.along_path ? V3d(0) : s.axis.normalized();
        for (std::size_t i = 0; i < v.size(); ++i)
            v[i] = s.along_path ? static_cast<double>(places[i].along) : places[i].position.dot(axis);
        stretched(v);
        break;
    }
    case Driver::distance: {
        double farthest = 0;
        for (std::size_t i = 0; i < v.size(); ++i)
            farthest = std::max(farthest, v[i] = (places[i].position - s.centre).length());
        const double reach = s.reach > 0 ? s.reach : farthest;
        for (double& d : v) d = reach > 0 ? std::min(d / reach, 1.0) : 0;
        break;
    }
    case Driver::zone:
    case Driver::sound: // at level 0; what they give changes from moment to moment
        each(v, [&](std::size_t) { return scaled(s, curve, 0); });
        return out;
    case Driver::attribute: {
        const CarrierValues* values = ground.carriers ? ground.carriers->find(s.attribute) : nullptr;
        std::size_t missing = 0;
        for (std::size_t i = 0; i < v.size(); ++i) {
            v[i] = values && i < ground.carrier_of.size() ? static_cast<double>(values->values[ground.carrier_of[i]])
                                                          : std::numeric_limits<double>::quiet_NaN();
            missing += !std::isfinite(v[i]);
        }
        if (!values) {
            out.note =
                fmt::format("what carries the copies has no attribute \"{}\": all take the first value", s.attribute);
        } else if (missing > 0) {
            out.note = fmt::format("{} of {} {} no \"{}\" and {} the first value", missing,
                                   counted(static_cast<long long>(v.size()), "copy", "copies"),
                                   missing == 1 ? "has" : "have", s.attribute, missing == 1 ? "takes" : "take");
        }
        if (!s.as_it_is) {
            stretched(v);
            break;
        }
        const bool whole = s.whole_frames && s.target == Target::delay;
        for (double& x : v)
            x = std::isfinite(x) ? std::clamp(whole ? std::round(x) : x, -frame_limit, frame_limit) : s.from;
        return out;
    }
    }
    each(v, [&](std::size_t i) { return std::isfinite(v[i]) ? scaled(s, curve, v[i]) : s.from; });
    return out;
}

} // namespace garland
