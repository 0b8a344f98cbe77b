#include "render/trace_inside.h"

#include <cmath>
#include <limits>

namespace garland {

TraceScene::TraceScene() : in_(std::make_unique<Inside>()) {}
TraceScene::~TraceScene() {
    in_->scene.reset();
    in_->cloud_boxes.reset();
    in_->shapes.clear();
}
const std::vector<TraceScene::Copy>& TraceScene::copies() const {
    return in_->copies;
}
const std::vector<TraceScene::Cloud>& TraceScene::clouds() const {
    return in_->clouds;
}
bool TraceScene::has_water() const {
    return in_->water;
}
double TraceScene::size() const {
    return in_->size;
}

namespace {

RTCRay ray_of(const V3d& from, const V3d& way, double near, double time) {
    RTCRay r{};
    r.org_x = static_cast<float>(from.x), r.org_y = static_cast<float>(from.y), r.org_z = static_cast<float>(from.z);
    r.dir_x = static_cast<float>(way.x), r.dir_y = static_cast<float>(way.y), r.dir_z = static_cast<float>(way.z);
    r.tnear = static_cast<float>(near), r.tfar = std::numeric_limits<float>::infinity();
    r.time = static_cast<float>(time);
    r.mask = 0xffffffffu;
    return r;
}

} // namespace

bool TraceScene::hit(const V3d& from, const V3d& way, double near, double time, Hit& hit) const {
    RTCRayHit r{};
    r.ray = ray_of(from, way, near, time);
    r.hit.geomID = RTC_INVALID_GEOMETRY_ID;
    r.hit.instID[0] = RTC_INVALID_GEOMETRY_ID;
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    rtcIntersect1(in_->scene.get(), &context, &r);
    if (r.hit.geomID == RTC_INVALID_GEOMETRY_ID) return false;
    hit.distance = static_cast<double>(r.ray.tfar);
    hit.place = from + way * hit.distance;
    hit.copy = r.hit.instID[0];
    hit.face_number = r.hit.primID;
    hit.u = r.hit.u, hit.v = r.hit.v;
    const Copy& copy = in_->copies[hit.copy];
    const PoseShape& shape = in_->shapes[copy.pose];
    const auto step = static_cast<std::size_t>(std::lround(time * static_cast<double>(copy.frames.size() - 1)));
    const CopyFrame& frame = copy.frames[step];
    hit.face = frame.normal(V3d(r.hit.Ng_x, r.hit.Ng_y, r.hit.Ng_z).normalized());
    hit.normal = hit.face;
    V3f albedo = copy.tint;
    if (shape.dots) {
        if (copy.own_colours && !shape.colours.empty()) albedo = shape.colours[hit.face_number];
    } else {
        const std::uint32_t* corner = &(*shape.triangles)[std::size_t(hit.face_number) * 3];
        const float w = 1 - hit.u - hit.v;
        const std::uint32_t* n = shape.normal_of.empty() ? corner : &shape.normal_of[std::size_t(hit.face_number) * 3];
        const V3f smooth = shape.normals[n[0]] * w + shape.normals[n[1]] * hit.u + shape.normals[n[2]] * hit.v;
        if (smooth.length2() > 1e-12f) hit.normal = frame.normal(V3d(smooth));
        if (copy.own_colours && !shape.colours.empty())
            albedo = shape.colours[corner[0]] * w + shape.colours[corner[1]] * hit.u + shape.colours[corner[2]] * hit.v;
    }
    hit.albedo = albedo;
    if (hit.face.dot(way) > 0) hit.face = -hit.face;
    if (hit.normal.dot(hit.face) < 0) hit.normal = -hit.normal;
    return true;
}

bool TraceScene::blocked(const V3d& from, const V3d& way, double near, double time) const {
    RTCRay r = ray_of(from, way, near, time);
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    rtcOccluded1(in_->scene.get(), &context, &r);
    return r.tfar < 0;
}

bool TraceScene::later(const Hit& hit, V3d& place) const {
    const Copy& copy = in_->copies[hit.copy];
    if (copy.next_pose == UINT32_MAX) return false;
    const PoseShape& shape = in_->shapes[copy.pose];
    const Inside::Next& after = in_->nexts[copy.next_pose];
    const Pose &now = *shape.pose, &next = *after.pose;
    const CopyFrame& frame = copy.frames[copy.frames.size() / 2];
    if (shape.dots) { // carried along as a whole
        std::uint32_t at = hit.face_number;
        if (!now.ids.empty()) {
            const auto found = after.particles.find(now.ids[at]);
            if (found == after.particles.end()) return false;
            at = found->second;
        } else if (next.points.size() != now.points.size()) {
            return false;
        }
        const V3d here(now.points[hit.face_number]), there(next.points[at]);
        place = copy.next.point(there) + hit.place - frame.point(here);
        return true;
    }
    if (!after.same_faces) return false;
    const std::uint32_t* corner = &(*shape.triangles)[std::size_t(hit.face_number) * 3];
    const V3f own =
        next.points[corner[0]] * (1 - hit.u - hit.v) + next.points[corner[1]] * hit.u + next.points[corner[2]] * hit.v;
    place = copy.next.point(V3d(own));
    return true;
}

} // namespace garland
