#include "render/cloud_boxes.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace garland {

namespace {

// What is asked for, behind the context that the library hands on.
struct Ask {
    RTCIntersectContext context;
    V3d from, way;
    std::vector<TraceScene::CloudSpan>* found;
};

void bounds_of(const RTCBoundsFunctionArguments* args) {
    const auto& clouds = *static_cast<const std::vector<TraceScene::Cloud>*>(args->geometryUserPtr);
    const TraceScene::Cloud& c = clouds[args->primID];
    const double more = 1e-4 * (c.high - c.low).length(); // floats are less exact than the test that decides
    RTCBounds& b = *args->bounds_o;
    b.lower_x = static_cast<float>(c.low.x - more), b.upper_x = static_cast<float>(c.high.x + more);
    b.lower_y = static_cast<float>(c.low.y - more), b.upper_y = static_cast<float>(c.high.y + more);
    b.lower_z = static_cast<float>(c.low.z - more), b.upper_z = static_cast<float>(c.high.z + more);
}

// Never a hit: every box on the way is visited.
void visit(const RTCIntersectFunctionNArguments* args) {
    if (!args->valid[0]) return;
    const auto& clouds = *static_cast<const std::vector<TraceScene::Cloud>*>(args->geometryUserPtr);
    const Ask& ask = *reinterpret_cast<const Ask*>(args->context); // its first member
    double low = 0, high = std::numeric_limits<double>::max();
    if (clouds[args->primID].crossed(ask.from, ask.way, low, high)) ask.found->push_back({args->primID, low, high});
}

} // namespace

EmbreeScene boxes_of(RTCDevice device, const std::vector<TraceScene::Cloud>& clouds) {
    RTCGeometry g = rtcNewGeometry(device, RTC_GEOMETRY_TYPE_USER);
    rtcSetGeometryUserPrimitiveCount(g, static_cast<unsigned>(clouds.size()));
    rtcSetGeometryUserData(g, const_cast<std::vector<TraceScene::Cloud>*>(&clouds));
    rtcSetGeometryBoundsFunction(g, bounds_of, nullptr);
    rtcSetGeometryIntersectFunction(g, visit);
    rtcCommitGeometry(g);
    EmbreeScene scene(rtcNewScene(device));
    rtcSetSceneFlags(scene.get(), RTC_SCENE_FLAG_ROBUST);
    rtcAttachGeometry(scene.get(), g);
    rtcReleaseGeometry(g);
    rtcCommitScene(scene.get());
    return scene;
}

void TraceScene::clouds_along(const V3d& from, const V3d& way, std::vector<CloudSpan>& out) const {
    out.clear();
    if (!in_->cloud_boxes) return;
    Ask ask{{}, from, way, &out};
    rtcInitIntersectContext(&ask.context);
    RTCRayHit r{};
    r.ray.org_x = static_cast<float>(from.x), r.ray.org_y = static_cast<float>(from.y);
    r.ray.org_z = static_cast<float>(from.z);
    r.ray.dir_x = static_cast<float>(way.x), r.ray.dir_y = static_cast<float>(way.y);
    r.ray.dir_z = static_cast<float>(way.z);
    r.ray.tfar = std::numeric_limits<float>::infinity();
    r.ray.mask = 0xffffffffu;
    r.hit.geomID = RTC_INVALID_GEOMETRY_ID;
    rtcIntersect1(in_->cloud_boxes.get(), &ask.context, &r);
    std::sort(out.begin(), out.end(), [](const CloudSpan& a, const CloudSpan& b) { return a.cloud < b.cloud; });
}

bool TraceScene::Cloud::crossed(const V3d& from, const V3d& way, double& near, double& far) const {
    for (int k = 0; k < 3; ++k) {
        const double inverse = 1 / way[k];
        double first = (low[k] - from[k]) * inverse, last = (high[k] - from[k]) * inverse;
        if (first > last) std::swap(first, last);
        if (std::isnan(first) || std::isnan(last)) continue;
        near = std::max(near, first), far = std::min(far, last);
    }
    return far > near;
}

// Between eight cells, straight along each axis; outside there is nothing.
double TraceScene::Cloud::density(const V3d& p) const {
    const VolumeCells& g = *cells;
    if (!(p.x > -1 && p.y > -1 && p.z > -1 && p.x < g.nx && p.y < g.ny && p.z < g.nz)) return 0;
    const double fx = std::floor(p.x), fy = std::floor(p.y), fz = std::floor(p.z);
    const int i = static_cast<int>(fx), j = static_cast<int>(fy), k = static_cast<int>(fz);
    const double u = p.x - fx, v = p.y - fy, w = p.z - fz;
    float eight[8];
    const auto row = static_cast<std::ptrdiff_t>(g.nx), slice = row * g.ny;
    if (i >= 0 && j >= 0 && k >= 0 && i + 1 < g.nx && j + 1 < g.ny && k + 1 < g.nz) {
        const float* at = g.values.data() + i + row * j + slice * k;
        eight[0] = at[0], eight[1] = at[1], eight[2] = at[row], eight[3] = at[row + 1];
        at += slice;
        eight[4] = at[0], eight[5] = at[1], eight[6] = at[row], eight[7] = at[row + 1];
    } else {
        for (int n = 0; n < 8; ++n) {
            const int xi = i + (n & 1), yi = j + (n >> 1 & 1), zi = k + (n >> 2);
            const bool inside = xi >= 0 && yi >= 0 && zi >= 0 && xi < g.nx && yi < g.ny && zi < g.nz;
            eight[n] = inside ? g.values[static_cast<std::size_t>(xi + row * yi + slice * zi)] : 0;
        }
    }
    auto between = [](double a, double b, double way) { return a * (1 - way) + b * way; };
    const double c00 = between(static_cast<double>(eight[0]), static_cast<double>(eight[1]), u),
                 c10 = between(static_cast<double>(eight[2]), static_cast<double>(eight[3]), u),
                 c01 = between(static_cast<double>(eight[4]), static_cast<double>(eight[5]), u),
                 c11 = between(static_cast<double>(eight[6]), static_cast<double>(eight[7]), u);
    return between(between(c00, c10, v), between(c01, c11, v), w);
}

} // namespace garland
