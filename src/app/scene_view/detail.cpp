#include "app/scene_view/detail.h"

#include <algorithm>
#include <cmath>
#include <meshoptimizer.h>
#include <nanoflann.hpp>
#include <numeric>

namespace garland {

namespace {

constexpr std::size_t worth_it = 600; // indices; below that the full mesh is light enough
constexpr std::size_t lightest = 36;  // indices of the lightest level
constexpr std::size_t most_probes = 256;
constexpr std::size_t around = 12; // triangles looked at for each probe

struct Middles { // of triangles, as nanoflann asks for them
    std::vector<V3f> list;
    std::size_t kdtree_get_point_count() const { return list.size(); }
    float kdtree_get_pt(std::size_t i, std::size_t axis) const { return list[i][static_cast<int>(axis)]; }
    template <class Box>
    bool kdtree_get_bbox(Box&) const {
        return false;
    }
};
using MiddleTree = nanoflann::KDTreeSingleIndexAdaptor<nanoflann::L2_Simple_Adaptor<float, Middles>, Middles, 3>;

// The place of a triangle nearest to p, as weights of its corners. C. Ericson, "Real-Time Collision Detection",
// 2005, 5.1.5.
std::array<float, 3> nearest_on(const V3f& p, const V3f& a, const V3f& b, const V3f& c) {
    const V3f ab = b - a, ac = c - a, ap = p - a, bp = p - b, cp = p - c;
    const float d1 = ab.dot(ap), d2 = ac.dot(ap), d3 = ab.dot(bp), d4 = ac.dot(bp), d5 = ab.dot(cp), d6 = ac.dot(cp);
    if (d1 <= 0 && d2 <= 0) return {1, 0, 0};
    if (d3 >= 0 && d4 <= d3) return {0, 1, 0};
    const float vc = d1 * d4 - d3 * d2;
    if (vc <= 0 && d1 >= 0 && d3 <= 0) return {1 - d1 / (d1 - d3), d1 / (d1 - d3), 0};
    if (d6 >= 0 && d5 <= d6) return {0, 0, 1};
    const float vb = d5 * d2 - d1 * d6;
    if (vb <= 0 && d2 >= 0 && d6 <= 0) return {1 - d2 / (d2 - d6), 0, d2 / (d2 - d6)};
    const float va = d3 * d6 - d5 * d4;
    if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0) {
        const float w = (d4 - d3) / ((d4 - d3) + (d5 - d6));
        return {0, 1 - w, w};
    }
    const float all = va + vb + vc;
    if (!(all > 0)) return {1, 0, 0}; // no triangle at all
    return {va / all, vb / all, vc / all};
}

std::vector<Probe> probes_of(const std::vector<V3f>& points, const std::vector<std::uint32_t>& full,
                             const std::uint32_t* level, std::size_t count) {
    Middles middles;
    middles.list.reserve(count / 3);
    for (std::size_t t = 0; t + 2 < count; t += 3)
        middles.list.push_back((points[level[t]] + points[level[t + 1]] + points[level[t + 2]]) / 3.0f);
    std::vector<Probe> out;
    if (middles.list.empty()) return out;
    const MiddleTree tree(3, middles, nanoflann::KDTreeSingleIndexAdaptorParams(16));
    const std::size_t step = std::max<std::size_t>(full.size() / most_probes, 1);
    std::vector<std::uint32_t> found(around);
    std::vector<float> away(around);
    for (std::size_t i = 0; i < full.size(); i += step) {
        const V3f& p = points[full[i]];
        const std::size_t n = tree.knnSearch(&p.x, around, found.data(), away.data());
        Probe best;
        float nearest = std::numeric_limits<float>::infinity();
        for (std::size_t k = 0; k < n; ++k) {
            const std::uint32_t* t = level + found[k] * 3;
            const auto w = nearest_on(p, points[t[0]], points[t[1]], points[t[2]]);
            const float d = (points[t[0]] * w[0] + points[t[1]] * w[1] + points[t[2]] * w[2] - p).length2();
            if (d >= nearest) continue;
            nearest = d;
            best = {full[i], {t[0], t[1], t[2]}, w};
        }
        out.push_back(best);
    }
    return out;
}

} // namespace

std::shared_ptr<DrawFaces> with_levels(const Pose& pose) {
    auto out = std::make_shared<DrawFaces>();
    out->faces = pose.faces;
    out->indices = pose.faces->triangles();
    out->levels.push_back({0, out->indices.size(), {}});
    if (out->indices.size() < worth_it) return out;
    const std::vector<std::uint32_t> full = out->indices;
    std::vector<std::uint32_t> last = full, next(full.size());
    while (last.size() > lightest) {
        const std::size_t wanted = std::max(last.size() / 6 * 3, lightest); // half of it, in whole triangles
        std::size_t count = meshopt_simplify(next.data(), last.data(), last.size(), &pose.points[0].x,
                                             pose.points.size(), sizeof(V3f), wanted, 1.0f, 0, nullptr);
        if (count > wanted * 3 / 2)
            count = meshopt_simplifySloppy(next.data(), last.data(), last.size(), &pose.points[0].x, pose.points.size(),
                                           sizeof(V3f), wanted, 1e9f, nullptr);
        if (count == 0 || count > last.size() * 9 / 10) break;
        last.assign(next.begin(), next.begin() + static_cast<std::ptrdiff_t>(count));
        out->levels.push_back({out->indices.size(), count, probes_of(pose.points, full, last.data(), count)});
        out->indices.insert(out->indices.end(), last.begin(), last.end());
    }
    return out;
}

std::vector<float> level_errors(const DrawFaces& faces, const std::vector<V3f>& points) {
    std::vector<float> out;
    out.reserve(faces.levels.size());
    for (const DrawFaces::Level& level : faces.levels) {
        float most = 0;
        for (const Probe& p : level.probes) {
            const V3f there = points[p.corners[0]] * p.weights[0] + points[p.corners[1]] * p.weights[1] +
                              points[p.corners[2]] * p.weights[2];
            most = std::max(most, (there - points[p.point]).length());
        }
        out.push_back(out.empty() ? 0 : std::max(out.back(), most * 1.5f)); // a lighter level is never nearer
    }
    return out;
}

std::uint32_t level_within(const std::vector<float>& errors, double allowed) {
    std::uint32_t level = 0;
    while (level + 1 < errors.size() && errors[level + 1] <= allowed) ++level;
    return level;
}

std::vector<std::uint32_t> even_order(std::size_t count) {
    std::vector<std::uint32_t> out(count);
    std::size_t step = static_cast<std::size_t>(static_cast<double>(count) * 0.6180339887498949);
    while (step > 1 && std::gcd(step, count) != 1) --step;
    step = std::max<std::size_t>(step, 1);
    for (std::size_t i = 0, at = 0; i < count; ++i, at = (at + step) % count) out[i] = static_cast<std::uint32_t>(at);
    return out;
}

} // namespace garland
