#include "core/geometry/blend.h"

#include "core/base/cubic.h"
#include "core/base/parallel.h"
#include "core/geometry/corner_normals.h"
#include "core/geometry/particles.h"
#include "core/geometry/volume.h"

namespace garland {

namespace {

constexpr std::size_t grain = 1u << 16; // floats a piece

template <class Vector>
void mix_all(const std::vector<Vector>& a, const std::vector<Vector>& b, float w, std::vector<Vector>& out) {
    if (a.size() != b.size() || a.empty()) return;
    constexpr std::size_t width = sizeof(Vector) / sizeof(float);
    out.resize(a.size());
    const auto* pa = reinterpret_cast<const float*>(a.data());
    const auto* pb = reinterpret_cast<const float*>(b.data());
    auto* po = reinterpret_cast<float*>(out.data());
    parallel_for(a.size() * width, grain,
                 [&](std::size_t from, std::size_t to) { mix(pa + from, pb + from, w, po + from, to - from); });
}

// Cubic Hermite with the velocities as slopes, times in seconds.
void hermite(const Pose& a, const Pose& b, float w, float seconds, std::vector<V3f>& out) {
    out.resize(a.points.size());
    const HermiteBasis<float> by(w);
    const float va = by.leave * seconds, vb = by.arrive * seconds;
    parallel_for(out.size(), grain / 3, [&](std::size_t from, std::size_t to) {
        for (std::size_t i = from; i < to; ++i) {
            out[i] = a.points[i] * by.start + b.points[i] * by.end + a.velocities[i] * va + b.velocities[i] * vb;
        }
    });
}

} // namespace

bool mixable(const Pose& a, const Pose& b) {
    if (a.volume || b.volume) return a.volume && b.volume;
    if (!a.ids.empty() || !b.ids.empty()) return is_particles(a) && is_particles(b);
    return a.points.size() == b.points.size() && (a.faces == b.faces || a.faces->same_shape(*b.faces));
}

// What is kept for faces and corners of the same shape, mixed; materials are those of the nearer.
static std::shared_ptr<const Faces> mix_faces(const Faces& a, const Faces& b, float w) {
    auto out = std::make_shared<Faces>(w < 0.5f ? a : b);
    if (a.corner_uvs.size() == b.corner_uvs.size()) mix_all(a.corner_uvs, b.corner_uvs, w, out->corner_uvs);
    out->attributes = mix_attributes(a.attributes, b.attributes, w);
    out->corner_attributes = mix_attributes(a.corner_attributes, b.corner_attributes, w);
    return out;
}

PosePtr blend(const PosePtr& a, const PosePtr& b, double w, SubFrame how, double seconds) {
    if (w <= 0 || a == b) return a;
    if (w >= 1) return b;
    if (how == SubFrame::nearest) return w < 0.5 ? a : b;
    if (a->volume) {
        auto out = std::make_shared<Pose>();
        out->volume =
            how == SubFrame::carried ? mix_carried(*a->volume, *b->volume, w, seconds) : mix(*a->volume, *b->volume, w);
        return out;
    }
    if (is_particles(*a)) return blend_particles({}, a, b, {}, w, how, seconds);
    if (how == SubFrame::carried) return carried(a, b, w, seconds);

    auto out = std::make_shared<Pose>();
    out->faces = a->faces;
    const auto wf = static_cast<float>(w);
    const std::size_t n = a->points.size();
    if (how == SubFrame::smooth && a->velocities.size() == n && b->velocities.size() == n) {
        hermite(*a, *b, wf, static_cast<float>(seconds), out->points);
    } else {
        mix_all(a->points, b->points, wf, out->points);
    }
    mix_all(a->velocities, b->velocities, wf, out->velocities);
    mix_all(a->colours, b->colours, wf, out->colours);
    mix_all(a->uvs, b->uvs, wf, out->uvs);
    if (a->corner_normals.empty() && b->corner_normals.empty()) {
        mix_all(a->normals, b->normals, wf, out->normals);
    } else if (!a->corner_normals.empty() && !b->corner_normals.empty()) {
        mix_all(a->corner_normals, b->corner_normals, wf, out->corner_normals);
    } else { // one of them has the same normal at all corners of each point
        mix_all(normals_at_corners(*a), normals_at_corners(*b), wf, out->corner_normals);
    }
    for (V3f& normal : out->normals) normal.normalize();
    for (V3f& normal : out->corner_normals) normal.normalize();
    out->attributes = mix_attributes(a->attributes, b->attributes, wf);
    if (a->faces != b->faces && !(*a->faces == *b->faces)) out->faces = mix_faces(*a->faces, *b->faces, wf);
    return out;
}

PosePtr blend_through(const Beside& before, const PosePtr& a, const PosePtr& b, const Beside& after, double w) {
    if (w <= 0 || a == b) return a;
    if (w >= 1) return b;
    if (a->volume) return blend(a, b, w, SubFrame::linear, 0);
    if (is_particles(*a)) return blend_particles(before, a, b, after, w, SubFrame::smooth, 0);
    auto out = std::make_shared<Pose>(*blend(a, b, w, SubFrame::linear, 0));
    const HermiteBasis<float> by(static_cast<float>(w));
    parallel_for(out->points.size(), grain / 3, [&](std::size_t from, std::size_t to) {
        for (std::size_t i = from; i < to; ++i) {
            const V3f &p = a->points[i], &q = b->points[i];
            V3f leave, arrive;
            parabolic_slopes(before.pose ? &before.pose->points[i] : nullptr, before.away, p, q,
                             after.pose ? &after.pose->points[i] : nullptr, after.away, leave, arrive);
            out->points[i] = p * by.start + q * by.end + leave * by.leave + arrive * by.arrive;
        }
    });
    return out;
}

std::vector<Attribute> mix_attributes(const std::vector<Attribute>& a, const std::vector<Attribute>& b, float w) {
    std::vector<Attribute> out;
    for (const Attribute& one : a) {
        for (const Attribute& other : b) {
            if (other.name != one.name || other.width != one.width || other.whole.size() != one.whole.size()) continue;
            Attribute mixed{one.name, one.width};
            mixed.vector = one.vector;
            mixed.whole = w < 0.5f ? one.whole : other.whole;
            mix_all(one.values, other.values, w, mixed.values);
            out.push_back(std::move(mixed));
        }
    }
    return out;
}

PosePtr moved_along(const PosePtr& pose, double seconds) {
    if (seconds == 0 || pose->velocities.empty() || pose->velocities.size() != pose->points.size()) return pose;
    auto out = std::make_shared<Pose>(*pose);
    const auto s = static_cast<float>(seconds);
    parallel_for(out->points.size(), grain / 3, [&](std::size_t from, std::size_t to) {
        for (std::size_t i = from; i < to; ++i) out->points[i] += pose->velocities[i] * s;
    });
    return out;
}

PosePtr carried(const PosePtr& a, const PosePtr& b, double w, double seconds) {
    return w < 0.5 ? moved_along(a, w * seconds) : moved_along(b, (w - 1) * seconds);
}

PosePtr with_normals_of_faces(const PosePtr& pose) {
    if (pose->faces->count() == 0) return pose;
    auto out = std::make_shared<Pose>(*pose);
    if (pose->corner_normals.empty()) {
        out->normals = point_normals(out->points, *out->faces);
    } else {
        out->corner_normals = corner_normals_of_faces(*pose);
    }
    return out;
}

const char* to_text(SubFrame how) {
    return word_of(sub_frame_words, how);
}

} // namespace garland
