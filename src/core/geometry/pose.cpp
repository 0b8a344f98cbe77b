#include "core/geometry/pose.h"

#include "core/geometry/volume.h"

namespace garland {

std::vector<std::uint32_t> Faces::triangles() const {
    std::vector<std::uint32_t> result = triangle_corners();
    for (std::uint32_t& c : result) c = corners[c];
    return result;
}

std::vector<std::uint32_t> Faces::triangle_corners() const {
    std::vector<std::uint32_t> result;
    result.reserve(corners.size() * 3);
    for (std::size_t f = 0; f < count(); ++f) {
        for (std::uint32_t c = starts[f] + 2; c < starts[f + 1]; ++c)
            result.insert(result.end(), {starts[f], c - 1, c});
    }
    return result;
}

std::size_t Faces::bytes() const {
    std::size_t size = (starts.capacity() + corners.capacity() + material_of.capacity()) * sizeof(std::uint32_t) +
                       corner_uvs.capacity() * sizeof(V2f);
    for (const auto* list : {&attributes, &corner_attributes}) {
        for (const Attribute& a : *list)
            size += a.values.capacity() * sizeof(float) + a.whole.capacity() * sizeof(std::int32_t);
    }
    return size;
}

std::size_t Pose::bytes() const {
    std::size_t size = sizeof(Pose) +
                       (points.capacity() + normals.capacity() + corner_normals.capacity() + velocities.capacity() +
                        colours.capacity()) *
                           sizeof(V3f) +
                       uvs.capacity() * sizeof(V2f);
    for (const auto& a : attributes) size += sizeof(a) + (a.values.capacity() + a.whole.capacity()) * sizeof(float);
    size += ids.capacity() * sizeof(std::int64_t);
    if (volume) size += volume->bytes();
    return size;
}

// Four points at a time, whose twelve numbers are compared at once.
Imath::Box3f bounds_of(const std::vector<V3f>& points) {
    if (points.empty()) return {};
    constexpr std::size_t wide = 12;
    float low[wide], high[wide];
    for (std::size_t k = 0; k < wide; ++k) low[k] = high[k] = points[0][static_cast<int>(k % 3)];
    const float* numbers = &points[0].x;
    const std::size_t count = points.size() * 3;
    std::size_t i = 0;
    for (; i + wide <= count; i += wide) {
        for (std::size_t k = 0; k < wide; ++k) {
            low[k] = numbers[i + k] < low[k] ? numbers[i + k] : low[k];
            high[k] = numbers[i + k] > high[k] ? numbers[i + k] : high[k];
        }
    }
    for (; i < count; ++i)
        low[i % 3] = std::min(low[i % 3], numbers[i]), high[i % 3] = std::max(high[i % 3], numbers[i]);
    Imath::Box3f box;
    for (std::size_t k = 0; k < wide; k += 3) {
        box.extendBy(V3f(low[k], low[k + 1], low[k + 2]));
        box.extendBy(V3f(high[k], high[k + 1], high[k + 2]));
    }
    return box;
}

Imath::Box3f bounds(const Pose& pose) {
    Imath::Box3f box = bounds_of(pose.points);
    if (pose.volume) box.extendBy(pose.volume->box());
    return box;
}

std::vector<V3f> point_normals(const std::vector<V3f>& points, const Faces& faces) {
    std::vector<V3f> normals(points.size(), V3f(0));
    for (std::size_t f = 0; f < faces.count(); ++f) {
        const std::uint32_t begin = faces.starts[f], end = faces.starts[f + 1];
        V3f n(0);
        for (std::uint32_t c = begin; c < end; ++c) {
            const V3f& a = points[faces.corners[c]];
            const V3f& b = points[faces.corners[c + 1 < end ? c + 1 : begin]];
            n += V3f((a.y - b.y) * (a.z + b.z), (a.z - b.z) * (a.x + b.x), (a.x - b.x) * (a.y + b.y));
        }
        for (std::uint32_t c = begin; c < end; ++c) normals[faces.corners[c]] += n;
    }
    for (V3f& n : normals) n.normalize(); // leaves a zero vector zero
    return normals;
}

} // namespace garland
