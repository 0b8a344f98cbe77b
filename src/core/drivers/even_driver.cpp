#include "core/drivers/even_driver.h"

#include "core/base/chance.h"
#include "core/drivers/driver_kinds.h"

#include <algorithm>
#include <cmath>
#include <nanoflann.hpp>
#include <numbers>
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

} // namespace

double even_of(std::int64_t index) {
    const double turn = 0.5 + static_cast<double>(index) / std::numbers::phi;
    return turn - std::floor(turn);
}

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

std::vector<double> best_candidates(std::uint64_t seed, std::uint64_t salt, std::span<const Placement> places) {
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
            const double u = chance(seed + c * 0x9e3779b97f4a7c15u, salt, places[i].id.value);
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

DriverKind even_driver() {
    return {Driver::even, [](const DriverRule&, std::uint64_t, const DrivenCopies& copies) {
                return each_copy(copies, [](std::size_t i) { return even_of(static_cast<std::int64_t>(i)); });
            }};
}

DriverKind even_space_driver() {
    return {Driver::even_space, [](const DriverRule& r, std::uint64_t salt, const DrivenCopies& copies) {
                return DriverValues{best_candidates(r.seed, salt, copies.places), {}};
            }};
}

} // namespace garland
