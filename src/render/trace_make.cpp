// One output frame made ready to be traced, step by step: posed at every moment of the shutter, each distinct pose
// built once with its motion, an instance for each copy, volumes as cells.
#include "render/cloud_boxes.h"
#include "render/render.h"
#include "render/trace_inside.h"

#include "core/base/colour.h"
#include "core/base/parallel.h"
#include "core/geometry/particles.h"
#include "core/project/value_range.h"
#include "core/scene/placed_copy.h"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <fmt/format.h>
#include <map>

namespace garland {

namespace {

// One instruction set, so that every machine meets the same boxes with the same rounding. (A limit of the library's
// threads would hold for the whole process.)
RTCDevice new_device() {
    return rtcNewDevice("set_affinity=0,isa=sse4.2");
}

// Where every point of `pose` is at another moment: by the same faces, by ids, else along its velocities.
std::vector<V3f> points_at(const Pose& pose, const Pose& then, double seconds) {
    if (&pose == &then) return pose.points;
    const bool particles = is_particles(pose);
    if (!particles && then.points.size() == pose.points.size() &&
        (then.faces == pose.faces || then.faces->same_shape(*pose.faces)))
        return then.points;
    std::vector<V3f> out = pose.points;
    if (particles) {
        std::unordered_map<std::int64_t, std::uint32_t> place;
        place.reserve(then.ids.size());
        for (std::uint32_t i = 0; i < then.ids.size(); ++i) place.emplace(then.ids[i], i);
        const bool moving = pose.velocities.size() == pose.points.size();
        for (std::size_t i = 0; i < out.size(); ++i) {
            const auto at = place.find(pose.ids[i]);
            if (at != place.end()) {
                out[i] = then.points[at->second];
            } else if (moving) {
                out[i] += pose.velocities[i] * static_cast<float>(seconds);
            }
        }
        return out;
    }
    if (pose.velocities.size() == pose.points.size()) {
        for (std::size_t i = 0; i < out.size(); ++i) out[i] += pose.velocities[i] * static_cast<float>(seconds);
    }
    return out;
}

V3f linear(const V3f& c) {
    return {static_cast<float>(srgb_linear(static_cast<double>(c.x))),
            static_cast<float>(srgb_linear(static_cast<double>(c.y))),
            static_cast<float>(srgb_linear(static_cast<double>(c.z)))};
}
V3f linear(const Rgb& c) {
    return {static_cast<float>(srgb_linear(c.r)), static_cast<float>(srgb_linear(c.g)),
            static_cast<float>(srgb_linear(c.b))};
}

// Half the width of particles without a size: by how many share their box, as the Scene view draws them.
float usual_radius(const Pose& pose) {
    const V3f box = pose.points.empty() ? V3f(0) : bounds(pose).size();
    return std::max({box.x, box.y, box.z, 1e-3f}) / 240 /
           std::clamp(std::cbrt(static_cast<float>(pose.points.size()) / 20'000), 1.0f, 8.0f);
}

CopyFrame frame_of(const Placement& p) {
    return {axes_of(p), V3d(p.stretch) * p.size, p.position};
}

} // namespace

// Builds the scene step by step.
struct TraceMaker {
    const Show& show;
    const Project& project;
    OutputFrame t;
    const PreviewLook& look;
    Progress& progress;
    std::shared_ptr<TraceScene> scene{new TraceScene};
    TraceScene::Inside& in = *scene->in_;

    std::vector<double> moments{};                                   // output frames; the middle one is t
    std::vector<std::vector<Posed>> posed{};                         // at each moment
    std::vector<Posed> next{};                                       // one output frame later
    using Key = std::vector<std::pair<const Posed*, std::uint32_t>>; // a pose at each moment
    std::map<Key, std::uint32_t> keys{};
    const GivenValues* given = nullptr; // with the colour spread
    ArrangementId given_to{};
    struct Needed {
        Key key;
        std::size_t copy = 0; // in its arrangement: the first that shows it
    };
    std::vector<Needed> needed{};
    std::map<std::pair<const Pose*, const Pose*>, std::uint32_t> next_of{}; // a pose and the one after it

    std::size_t middle() const { return moments.size() / 2; }

    Result<void> pose_moments() {
        const double half = look.shutter / 720;
        const int steps = look.shutter > 0 ? look.motion_steps : 1;
        for (int k = 0; k < steps; ++k)
            moments.push_back(steps == 1 ? t.value : t.value + half * (2.0 * k / (steps - 1) - 1));
        moments[middle()] = t.value;
        for (std::size_t k = 0; k < moments.size(); ++k) {
            progress.report(0.4 * static_cast<double>(k) / static_cast<double>(moments.size()), "posing");
            GARLAND_TRY(all, pose_all(show, OutputFrame(moments[k]), progress));
            posed.push_back(std::move(all));
        }
        if (look.passes) {
            GARLAND_TRY(after, pose_all(show, t + 1, progress));
            next = std::move(after);
        }
        return {};
    }

    // A copy whose motion over the shutter is no motion: it wraps, jumps, comes or goes. It is shown as it is at t.
    bool jumps(std::size_t part, std::size_t copy) const {
        const CopyMoment& m = posed[middle()][part].moments[copy];
        for (std::size_t k = 0; k < moments.size(); ++k) {
            const CopyMoment& o = posed[k][part].moments[copy];
            if (o.has(mark_absent) || o.pass != m.pass) return true;
            const double expected = static_cast<double>(m.speed) * (moments[k] - t.value);
            if (std::abs(o.source - m.source - expected) > 0.5 + std::abs(expected)) return true;
        }
        return false;
    }

    // Whether keys of places or targets that are steps fall into the shutter: a jump is no motion.
    bool places_jump(const ArrangementShow& a) const {
        auto inside = [&](double t) { return t > moments.front() && t <= moments.back(); };
        bool any = std::any_of(a.standing.jumps().begin(), a.standing.jumps().end(), inside);
        for (std::size_t k = 0; k + 1 < a.about.own_keys.size(); ++k)
            any |= a.about.own_keys[k].toward == Toward::step && inside(a.about.own_keys[k + 1].at.value);
        return any;
    }

    V3f tint_of(const ArrangementShow& a, std::size_t i, const CopyMoment& m, const ValueRange& range) const {
        if (!look.marked.empty())
            return std::binary_search(look.marked.begin(), look.marked.end(), a.number(i)) ? V3f(0.85f, 0.10f, 0.22f)
                                                                                           : V3f(0.42f, 0.43f, 0.45f);
        double share = 0;
        RampKind ramp = RampKind::sequential;
        switch (look.colour) {
        case PreviewColour::look: return V3f(0.62f, 0.60f, 0.57f);
        case PreviewColour::copy: return linear(golden_colour(static_cast<int>(a.number(i) % 100'000), 0.68, 0.12));
        case PreviewColour::source_frame: {
            const double first = a.clock.first.value, last = a.clock.last().value;
            share = last > first ? (m.source - first) / (last - first) : 0;
            if (seamless(a)) ramp = RampKind::cyclic;
            break;
        }
        case PreviewColour::delay: share = range.share(m.delay); break;
        case PreviewColour::speed: share = range.share(a.clocks[i].rate); break;
        case PreviewColour::level: {
            const CopyPlaying* playing = a.clocks.playing();
            if (!playing) return V3f(0.45f);
            share = playing->level(a.clocks.played(i), t.value - m.delay).value;
            break;
        }
        case PreviewColour::twins: return V3f(0.42f, 0.43f, 0.45f); // those that have one are marked
        case PreviewColour::spread:
            if (!given || a.id != given_to) return V3f(0.45f);
            share = range.share(given->values[a.in_set_at(i)]);
            break;
        }
        return linear(ramp_colour(ramp, share));
    }

    ValueRange colour_range() {
        if (look.colour == PreviewColour::delay) return delay_range(show);
        if (look.colour != PreviewColour::spread) return rate_range(show);
        given = shown_spread(show, project, look, &given_to);
        return given ? range_of(given->values) : ValueRange{};
    }

    void add_copies() {
        // Over all copies, shown now or not: a colour is the same value in every picture.
        const ValueRange range = colour_range();
        Imath::Box3d all;
        for (std::size_t part = 0; part < posed[middle()].size(); ++part) {
            const Posed& now = posed[middle()][part];
            const ArrangementShow& a = *now.arrangement;
            std::uint32_t source = 0;
            const bool leaps = places_jump(a);
            for (std::size_t s = 0; s < project.sources.size(); ++s) {
                if (project.sources[s].id == a.source) source = static_cast<std::uint32_t>(s + 1);
            }
            for (std::size_t i = 0; i < now.picks.copies.size(); ++i) {
                if (now.picks.copies[i] == no_pose) continue;
                TraceScene::Copy copy;
                copy.number = a.number(i);
                in.water |= a.sampler.source()->facts().kind == SourceKind::water;
                copy.source = source;
                copy.source_frame = now.moments[i].source;
                copy.tint = tint_of(a, i, now.moments[i], range);
                copy.own_colours = look.colour == PreviewColour::look && look.marked.empty();
                Key key;
                const bool still = jumps(part, i);
                for (std::size_t k = 0; k < moments.size(); ++k) {
                    const Posed& then = posed[still ? middle() : k][part];
                    key.emplace_back(&then, then.picks.copies[i]);
                    copy.frames.push_back(frame_of(posed[k][part].places()[i]));
                }
                if (still || leaps) copy.frames.assign(moments.size(), frame_of(now.places()[i]));
                const auto [at, fresh] = keys.try_emplace(key, static_cast<std::uint32_t>(needed.size()));
                if (fresh) needed.push_back({key, i});
                copy.pose = at->second;
                if (look.passes) add_next(part, i, *now.poses[now.picks.copies[i]].pose, copy);
                all.extendBy(copy.frames[0].place);
                in.copies.push_back(std::move(copy));
            }
        }
        if (!all.isEmpty()) in.size = std::max((all.max - all.min).length(), 1.0);
    }

    // Where the copy and its points are one output frame later; compared once for each pair of poses.
    void add_next(std::size_t part, std::size_t i, const Pose& pose, TraceScene::Copy& copy) {
        if (part >= next.size() || i >= next[part].picks.copies.size() || next[part].picks.copies[i] == no_pose) return;
        const PosePtr& after = next[part].poses[next[part].picks.copies[i]].pose;
        copy.next = frame_of(next[part].places()[i]);
        const auto [at, fresh] = next_of.try_emplace({&pose, after.get()}, static_cast<std::uint32_t>(in.nexts.size()));
        copy.next_pose = at->second;
        if (!fresh) return;
        TraceScene::Inside::Next& n = in.nexts.emplace_back();
        n.pose = after;
        n.same_faces = after->points.size() == pose.points.size() &&
                       (after->faces == pose.faces || after->faces->same_shape(*pose.faces));
        if (!is_particles(pose) || !is_particles(*after)) return;
        n.particles.reserve(after->ids.size());
        for (std::uint32_t k = 0; k < after->ids.size(); ++k) n.particles.emplace(after->ids[k], k);
    }

    void build_shape(const Needed& need, PoseShape& shape) {
        const Key& key = need.key;
        const auto& [now, index] = key[middle()];
        // Of the source, in one output frame of the copy's clock.
        const double seconds = velocity_factor(*now, need.copy) / show.settings.rate.per_second();
        const Pose& pose = *now->poses[index].pose;
        shape.pose = now->poses[index].pose;
        shape.dots = is_particles(pose) || (pose.faces->count() == 0 && !pose.points.empty());
        if (pose.volume || pose.points.empty()) return;
        if (pose.colours.size() == pose.points.size()) {
            shape.colours.reserve(pose.colours.size());
            for (const V3f& c : pose.colours) shape.colours.push_back(linear(c));
        }
        if (!shape.dots) {
            if (!pose.corner_normals.empty()) {
                shape.normals = pose.corner_normals;
                shape.normal_of = pose.faces->triangle_corners();
            } else {
                shape.normals =
                    pose.normals.size() == pose.points.size() ? pose.normals : point_normals(pose.points, *pose.faces);
            }
            shape.triangles = std::make_shared<const std::vector<std::uint32_t>>(pose.faces->triangles());
        }
        const bool moves = std::any_of(key.begin(), key.end(),
                                       [&](const auto& k) { return k.first->poses[k.second].pose != shape.pose; });
        const auto steps = static_cast<unsigned>(moves ? moments.size() : 1);
        RTCGeometry g =
            rtcNewGeometry(in.device.get(), shape.dots ? RTC_GEOMETRY_TYPE_SPHERE_POINT : RTC_GEOMETRY_TYPE_TRIANGLE);
        rtcSetGeometryTimeStepCount(g, steps);
        const Attribute* size = shape.dots ? find_scalar(pose, "size") : nullptr;
        const float usual = shape.dots ? usual_radius(pose) : 0;
        for (unsigned k = 0; k < steps; ++k) {
            const std::size_t at = moves ? k : middle();
            const Pose& then = *key[at].first->poses[key[at].second].pose;
            const std::vector<V3f> points = points_at(pose, then, seconds * (moments[at] - t.value));
            if (shape.dots) {
                auto* out = static_cast<float*>(
                    rtcSetNewGeometryBuffer(g, RTC_BUFFER_TYPE_VERTEX, k, RTC_FORMAT_FLOAT4, 16, points.size()));
                for (std::size_t i = 0; i < points.size(); ++i) {
                    for (int c = 0; c < 3; ++c) out[i * 4 + static_cast<std::size_t>(c)] = points[i][c];
                    out[i * 4 + 3] = size ? std::max(0.5f * size->values[i], 0.0f) : usual;
                }
                continue;
            }
            auto* out = static_cast<float*>(
                rtcSetNewGeometryBuffer(g, RTC_BUFFER_TYPE_VERTEX, k, RTC_FORMAT_FLOAT3, 12, points.size()));
            for (std::size_t i = 0; i < points.size(); ++i) {
                for (int c = 0; c < 3; ++c) out[i * 3 + static_cast<std::size_t>(c)] = points[i][c];
            }
        }
        if (!shape.dots) {
            auto* out = static_cast<std::uint32_t*>(rtcSetNewGeometryBuffer(
                g, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT3, 12, shape.triangles->size() / 3));
            std::copy(shape.triangles->begin(), shape.triangles->end(), out);
        }
        rtcCommitGeometry(g);
        shape.scene.reset(rtcNewScene(in.device.get()));
        rtcSetSceneFlags(shape.scene.get(), RTC_SCENE_FLAG_ROBUST);
        rtcAttachGeometry(shape.scene.get(), g);
        rtcReleaseGeometry(g);
        rtcCommitScene(shape.scene.get());
    }

    Result<void> build_shapes() {
        in.shapes.resize(needed.size());
        std::atomic<std::size_t> done{0};
        parallel_for(needed.size(), 1, [&](std::size_t from, std::size_t to) {
            for (std::size_t i = from; i < to && !progress.cancelled(); ++i) {
                build_shape(needed[i], in.shapes[i]);
                progress.report(0.4 + 0.5 * static_cast<double>(++done) / static_cast<double>(needed.size()),
                                "preparing poses");
            }
        });
        if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
        return {};
    }

    void add_instances() {
        in.scene.reset(rtcNewScene(in.device.get()));
        rtcSetSceneFlags(in.scene.get(), RTC_SCENE_FLAG_ROBUST);
        for (std::uint32_t c = 0; c < in.copies.size(); ++c) {
            const TraceScene::Copy& copy = in.copies[c];
            const PoseShape& shape = in.shapes[copy.pose];
            if (!shape.scene) continue;
            RTCGeometry g = rtcNewGeometry(in.device.get(), RTC_GEOMETRY_TYPE_INSTANCE);
            rtcSetGeometryInstancedScene(g, shape.scene.get());
            const bool moves = std::any_of(copy.frames.begin(), copy.frames.end(), [&](const CopyFrame& f) {
                const CopyFrame& first = copy.frames[0];
                return f.place != first.place || f.size != first.size || f.axes.x != first.axes.x ||
                       f.axes.y != first.axes.y;
            });
            const unsigned steps = static_cast<unsigned>(moves ? copy.frames.size() : 1);
            rtcSetGeometryTimeStepCount(g, steps);
            for (unsigned k = 0; k < steps; ++k) {
                const CopyFrame& f = copy.frames[k];
                const V3d x = f.axes.x * f.size.x, y = f.axes.y * f.size.y, z = f.axes.z * f.size.z;
                const float m[12] = {
                    static_cast<float>(x.x),       static_cast<float>(x.y),       static_cast<float>(x.z),
                    static_cast<float>(y.x),       static_cast<float>(y.y),       static_cast<float>(y.z),
                    static_cast<float>(z.x),       static_cast<float>(z.y),       static_cast<float>(z.z),
                    static_cast<float>(f.place.x), static_cast<float>(f.place.y), static_cast<float>(f.place.z)};
                rtcSetGeometryTransform(g, k, RTC_FORMAT_FLOAT3X4_COLUMN_MAJOR, m);
            }
            rtcCommitGeometry(g);
            rtcAttachGeometryByID(in.scene.get(), g, c);
            rtcReleaseGeometry(g);
        }
        rtcCommitScene(in.scene.get());
    }

    void add_clouds() {
        std::map<const Volume*, std::shared_ptr<const VolumeCells>> known;
        for (std::uint32_t c = 0; c < in.copies.size(); ++c) {
            const TraceScene::Copy& copy = in.copies[c];
            const PosePtr& pose = in.shapes[copy.pose].pose;
            if (!pose || !pose->volume) continue;
            auto& cells = known[pose->volume.get()];
            if (!cells) cells = std::make_shared<const VolumeCells>(cells_of(*pose->volume, 4'000'000));
            if (cells->values.empty()) continue;
            TraceScene::Cloud cloud;
            cloud.copy = c;
            cloud.cells = cells;
            const CopyFrame& f = copy.frames[moments.size() / 2];
            const V3d x = f.axes.scene(cells->x * f.size), y = f.axes.scene(cells->y * f.size),
                      z = f.axes.scene(cells->z * f.size);
            cloud.origin = f.point(cells->origin);
            cloud.x = x, cloud.y = y, cloud.z = z;
            const double det = x.dot(y.cross(z));
            cloud.a = y.cross(z) / det, cloud.b = z.cross(x) / det, cloud.c = x.cross(y) / det;
            cloud.step = std::min({x.length(), y.length(), z.length()});
            Imath::Box3d box;
            for (int k = 0; k < 8; ++k) {
                const double i = k & 1 ? cells->nx - 0.5 : -0.5, j = k & 2 ? cells->ny - 0.5 : -0.5,
                             n = k & 4 ? cells->nz - 0.5 : -0.5;
                box.extendBy(cloud.origin + x * i + y * j + z * n);
            }
            cloud.low = box.min, cloud.high = box.max;
            in.clouds.push_back(std::move(cloud));
        }
        if (!in.clouds.empty()) in.cloud_boxes = boxes_of(in.device.get(), in.clouds);
    }
};

Result<std::shared_ptr<const TraceScene>> TraceScene::make(const Show& show, const Project& project, OutputFrame t,
                                                           const PreviewLook& look, Progress& progress) {
    GARLAND_CHECK(validate(look));
    TraceMaker maker{show, project, t, look, progress};
    maker.in.device.reset(new_device());
    if (!maker.in.device)
        return fail(Error{ErrorCode::unsupported, "this machine's processor cannot trace pictures"}.advise(
            "use one with SSE 4.2"));
    GARLAND_CHECK(maker.pose_moments());
    maker.add_copies();
    GARLAND_CHECK(maker.build_shapes());
    maker.add_instances();
    maker.add_clouds();
    if (const RTCError error = rtcGetDeviceError(maker.in.device.get()); error != RTC_ERROR_NONE) {
        return fail(
            error == RTC_ERROR_OUT_OF_MEMORY
                ? Error{ErrorCode::too_large, "there is not enough memory to trace this frame"}.advise(
                      "show fewer copies, or lighter ones")
                : Error{ErrorCode::unsupported, fmt::format("the tracer failed (code {})", static_cast<int>(error))});
    }
    return std::shared_ptr<const TraceScene>(maker.scene);
}

} // namespace garland
