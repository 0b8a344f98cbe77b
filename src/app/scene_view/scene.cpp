#include "app/scene_view/scene.h"

#include "app/theme/ramp.h"

#include "core/base/parallel.h"
#include "core/copies/attitude.h"
#include "core/geometry/particles.h"
#include "core/geometry/stand_in.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <numbers>
#include <utility>

namespace garland {

Imath::Box3d Scene::box(const std::function<const Imath::Box3f*(const SceneCopy&)>& motion) const {
    Imath::Box3d all;
    for (const SceneCopy& c : copies) {
        const Imath::Box3f* whole = motion ? motion(c) : nullptr;
        const Imath::Box3f& b = whole ? *whole : poses[c.pose]->box;
        if (b.isEmpty()) continue;
        for (int corner = 0; corner < 8; ++corner) {
            const float x = corner & 1 ? b.max.x : b.min.x, z = corner & 4 ? b.max.z : b.min.z;
            const float y = corner & 2 ? b.max.y : b.min.y;
            const V3f p = V3f(x, y, z) * c.size;
            all.extendBy(V3d(c.position + c.to_scene(p)));
        }
    }
    return all;
}

std::shared_ptr<const DrawFaces> SceneMaker::draw_faces(const Pose& pose) {
    {
        std::lock_guard lock(mutex_);
        auto found = faces_.find(pose.faces.get());
        if (found != faces_.end()) {
            if (auto alive = found->second.lock()) return alive;
        }
    }
    std::shared_ptr<const DrawFaces> out = with_levels(pose);
    std::lock_guard lock(mutex_);
    auto& kept = faces_[pose.faces.get()];
    if (auto alive = kept.lock()) return alive;
    kept = out;
    return out;
}

std::shared_ptr<const HardSplit> SceneMaker::split_of(const Pose& pose) {
    if (pose.corner_normals.empty()) return nullptr;
    {
        std::lock_guard lock(mutex_);
        const auto found = splits_.find(pose.faces.get());
        if (found != splits_.end() && found->second.of.lock() == pose.faces) return found->second.split;
    }
    auto made = std::make_shared<const HardSplit>(split_where_hard(pose));
    std::lock_guard lock(mutex_);
    Split& kept = splits_[pose.faces.get()];
    if (kept.of.lock() == pose.faces) return kept.split; // another thread was faster
    kept = {pose.faces, made};
    return made;
}

namespace {

// What is drawn of a pose with hard edges.
PosePtr split_pose(const Pose& pose, const HardSplit& split) {
    auto out = std::make_shared<Pose>();
    out->faces = split.faces;
    out->points.reserve(split.point.size());
    out->normals.reserve(split.point.size());
    for (std::size_t v = 0; v < split.point.size(); ++v) {
        out->points.push_back(pose.points[split.point[v]]);
        out->normals.push_back(pose.corner_normals[split.corner[v]]);
        if (pose.colours.size() == pose.points.size()) out->colours.push_back(pose.colours[split.point[v]]);
    }
    return out;
}

// Rounded to whole numbers; 0 for what is no number.
std::uint8_t byte(float share) {
    return share > 0 ? static_cast<std::uint8_t>(std::min(share, 1.0f) * 255 + 0.5f) : std::uint8_t(0);
}
std::int8_t signed_byte(float v) {
    const float steps = v > 0 ? std::min(v, 1.0f) * 127 + 0.5f : v < 0 ? std::max(v, -1.0f) * 127 - 0.5f : 0.0f;
    return static_cast<std::int8_t>(steps);
}

// Particles as round dots of their own size (the attribute `size` is how wide they are), or of a size by how many share
// the box.
void add_dots(const Pose& pose, DrawPose& out) {
    const std::size_t n = pose.points.size();
    const Attribute* size = find_scalar(pose, "size");
    const V3f box = n == 0 ? V3f(0) : bounds(pose).size();
    const float usual = std::max({box.x, box.y, box.z, 1e-3f}) / 240 /
                        std::clamp(std::cbrt(static_cast<float>(n) / 20'000), 1.0f, 8.0f);
    const bool coloured = pose.colours.size() == n;
    out.dot_order = even_order(n);
    out.dots.reserve(n);
    for (const std::uint32_t i : out.dot_order) {
        const V3f& p = pose.points[i];
        DrawDot dot{{p.x, p.y, p.z}, size ? 0.5f * size->values[i] : usual, {255, 255, 255, 255}};
        for (int k = 0; k < 3 && coloured; ++k) dot.colour[k] = byte(pose.colours[i][k]);
        out.dots.push_back(dot);
    }
}
} // namespace

std::shared_ptr<const DrawPose> SceneMaker::draw_pose(const PosePtr& shown) {
    {
        std::lock_guard lock(mutex_);
        auto found = poses_.find(shown.get());
        if (found != poses_.end() && found->second->pose.lock() == shown) return found->second;
    }
    const bool dots = !shown->volume && shown->faces->count() == 0;
    auto out = std::make_shared<DrawPose>();
    out->split = split_of(*shown);
    const PosePtr pose = dots ? shown : out->split ? split_pose(*shown, *out->split) : stand_in(shown);
    out->pose = shown;
    out->faces = draw_faces(*pose);
    out->box = bounds(*pose);
    out->errors = level_errors(*out->faces, pose->points);
    if (dots) add_dots(*shown, *out);
    if (shown->volume) {
        out->puffs = dots_of(*shown->volume, 4000);
        std::size_t kept = 0; // what hides next to nothing is left out
        for (std::size_t i = 0; i < out->puffs.places.size(); ++i) {
            if (out->puffs.strength[i] < 0.01f) continue;
            out->puffs.places[kept] = out->puffs.places[i];
            out->puffs.strength[kept++] = out->puffs.strength[i];
        }
        out->puffs.places.resize(kept);
        out->puffs.strength.resize(kept);
    }
    out->coloured = pose->colours.size() == pose->points.size();
    if (dots)
        out->box = {out->box.min - V3f(out->dots.empty() ? 0 : out->dots[0].radius),
                    out->box.max + V3f(out->dots.empty() ? 0 : out->dots[0].radius)};
    const std::vector<V3f> normals = dots ? std::vector<V3f>(pose->points.size(), V3f(0))
                                     : pose->normals.size() == pose->points.size()
                                         ? pose->normals
                                         : point_normals(pose->points, *pose->faces);
    if (out->coloured && !pose->colours.empty()) {
        const std::vector<V3f>& colours = out->split ? shown->colours : pose->colours;
        V3f sum(0);
        for (const V3f& c : colours) sum += c;
        out->colour = sum / static_cast<float>(colours.size());
    }
    out->vertices.resize(pose->points.size());
    for (std::size_t i = 0; i < out->vertices.size(); ++i) {
        DrawVertex& v = out->vertices[i];
        const V3f &p = pose->points[i], &n = normals[i];
        v.place[0] = p.x, v.place[1] = p.y, v.place[2] = p.z;
        v.normal[0] = signed_byte(n.x), v.normal[1] = signed_byte(n.y), v.normal[2] = signed_byte(n.z);
        v.normal[3] = 0;
        std::fill(std::begin(v.colour), std::end(v.colour), std::uint8_t(255));
    }
    for (std::size_t i = 0; out->coloured && i < out->vertices.size(); ++i) {
        const V3f& c = pose->colours[i];
        std::uint8_t* to = out->vertices[i].colour;
        to[0] = byte(c.x), to[1] = byte(c.y), to[2] = byte(c.z);
    }
    std::lock_guard lock(mutex_);
    out->serial = next_serial_++;
    poses_[shown.get()] = out;
    return out;
}

// What was made for poses that nobody holds any more; once a moment, since it goes through all.
void SceneMaker::let_go() {
    std::lock_guard lock(mutex_);
    if (poses_.size() > 4096) std::erase_if(poses_, [](const auto& entry) { return entry.second->pose.expired(); });
    if (splits_.size() > 64) std::erase_if(splits_, [](const auto& entry) { return entry.second.of.expired(); });
}

Result<ScenePtr> SceneMaker::make(const ShowPtr& show, OutputFrame frame, std::optional<OutputFrame> second,
                                  Progress& progress) {
    GARLAND_TRY(scene, one(show, frame, progress));
    if (second) {
        GARLAND_TRY(other, one(show, *second, progress));
        compare(*scene, *other);
        scene->second = std::move(other);
    }
    return ScenePtr(scene);
}

// Colours the second scene's poses by the distance of their points from the first one's. Each pair of poses that a copy
// shows is compared once.
namespace {

// The poses that the same copies show in two scenes, each pair once.
struct PosePairs {
    std::vector<std::pair<std::uint32_t, std::uint32_t>> order; // of the first scene and of the second
    std::vector<std::int64_t> of_copy;                          // one a copy of the second scene; −1: none
};

PosePairs pairs_of(const Scene& scene, const Scene& second) {
    std::map<std::pair<std::uint32_t, std::uint32_t>, std::uint32_t> known;
    PosePairs out;
    out.of_copy.assign(second.copies.size(), -1);
    auto at = scene.copies.begin();
    for (std::size_t i = 0; i < second.copies.size(); ++i) {
        while (at != scene.copies.end() && at->number < second.copies[i].number) ++at;
        if (at == scene.copies.end() || at->number != second.copies[i].number) continue;
        const std::pair key(at->pose, second.copies[i].pose);
        if (scene.poses[key.first]->vertices.size() != second.poses[key.second]->vertices.size()) continue;
        const auto [place, fresh] = known.try_emplace(key, static_cast<std::uint32_t>(out.order.size()));
        if (fresh) out.order.push_back(key);
        out.of_copy[i] = place->second;
    }
    return out;
}

// How far the points of two poses lie from each other.
struct Gap {
    double most = 0, squares = 0; // the sum of squares
    std::size_t points = 0;
};

Gap gap_between(const DrawPose& a, const DrawPose& b) {
    Gap g;
    std::vector<char> seen(b.split ? a.vertices.size() : 0, 0); // of points with several vertices each counts once
    for (std::size_t k = 0; k < a.vertices.size(); ++k) {
        if (b.split && std::exchange(seen[b.split->point[k]], 1)) continue;
        ++g.points;
        double squares = 0;
        for (int axis = 0; axis < 3; ++axis) {
            const double d = static_cast<double>(b.vertices[k].place[axis]) - a.vertices[k].place[axis];
            squares += d * d;
        }
        g.squares += squares;
        g.most = std::max(g.most, std::sqrt(squares));
    }
    return g;
}

// b, its points coloured by how far they lie from those of a: the ramp's end is at `most`.
std::shared_ptr<DrawPose> shaded_by_gap(const DrawPose& a, const DrawPose& b, double most) {
    const Ramp& ramp = Ramp::get(RampKind::sequential);
    auto shaded = std::make_shared<DrawPose>();
    shaded->vertices = b.vertices;
    shaded->faces = b.faces;
    shaded->split = b.split;
    shaded->box = b.box;
    shaded->pose = b.pose;
    shaded->coloured = true;
    shaded->errors = b.errors;
    shaded->dots = b.dots;
    shaded->dot_order = b.dot_order;
    for (std::size_t k = 0; k < a.vertices.size(); ++k) {
        const float* p = a.vertices[k].place;
        const float* q = b.vertices[k].place;
        const double d = std::hypot(q[0] - p[0], q[1] - p[1], q[2] - p[2]);
        const QRgb colour = ramp.at(d / most);
        std::uint8_t* c = shaded->vertices[k].colour;
        c[0] = static_cast<std::uint8_t>(qRed(colour)), c[1] = static_cast<std::uint8_t>(qGreen(colour));
        c[2] = static_cast<std::uint8_t>(qBlue(colour));
    }
    for (std::size_t k = 0; k < shaded->dots.size(); ++k) {
        const std::uint8_t* c = shaded->vertices[shaded->dot_order[k]].colour;
        std::copy(c, c + 3, shaded->dots[k].colour);
    }
    return shaded;
}

} // namespace

void SceneMaker::compare(Scene& scene, Scene& second) {
    const PosePairs pairs = pairs_of(scene, second);
    std::vector<Gap> gaps(pairs.order.size());
    parallel_for(gaps.size(), 1, [&](std::size_t from, std::size_t to) {
        for (std::size_t i = from; i < to; ++i)
            gaps[i] = gap_between(*scene.poses[pairs.order[i].first], *second.poses[pairs.order[i].second]);
    });
    double squares = 0, points = 0;
    for (std::size_t i = 0; i < second.copies.size(); ++i) {
        if (pairs.of_copy[i] < 0) continue;
        const Gap& g = gaps[static_cast<std::size_t>(pairs.of_copy[i])];
        const V3f& own = second.copies[i].size;
        const double size = std::max({own.x, own.y, own.z});
        scene.gap_most = std::max(scene.gap_most, g.most * size);
        squares += g.squares * size * size;
        points += static_cast<double>(g.points);
    }
    scene.gap_known = points > 0;
    scene.gap_rms = points > 0 ? std::sqrt(squares / points) : 0;
    // Colours a pose's points; past some hundred pairs the copies keep their own colours.
    if (gaps.empty() || gaps.size() > 512) return;
    double most = 1e-12;
    for (const Gap& g : gaps) most = std::max(most, g.most);
    const auto first = static_cast<std::uint32_t>(second.poses.size());
    std::vector<std::shared_ptr<DrawPose>> shaded(gaps.size());
    parallel_for(gaps.size(), 1, [&](std::size_t from, std::size_t to) {
        for (std::size_t i = from; i < to; ++i)
            shaded[i] = shaded_by_gap(*scene.poses[pairs.order[i].first], *second.poses[pairs.order[i].second], most);
    });
    {
        std::lock_guard lock(mutex_);
        for (auto& pose : shaded) pose->serial = next_serial_++;
    }
    second.poses.insert(second.poses.end(), shaded.begin(), shaded.end());
    for (std::size_t i = 0; i < second.copies.size(); ++i) {
        if (pairs.of_copy[i] >= 0) second.copies[i].pose = first + static_cast<std::uint32_t>(pairs.of_copy[i]);
    }
}

Result<std::shared_ptr<Scene>> SceneMaker::one(const ShowPtr& show, OutputFrame frame, Progress& progress) {
    GARLAND_TRY(posed, pose_all(*show, frame, progress));
    auto scene = std::make_shared<Scene>();
    scene->show = show;
    scene->frame = frame;
    for (const Posed& part : posed) {
        const auto first = static_cast<std::uint32_t>(scene->poses.size());
        scene->poses.resize(first + part.poses.size());
        parallel_for(part.poses.size(), 4, [&](std::size_t from, std::size_t to) {
            for (std::size_t i = from; i < to && !progress.cancelled(); ++i) {
                scene->poses[first + i] = draw_pose(part.poses[i].pose);
            }
        });
        if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
        for (const SampledPose& pose : part.poses) scene->nearest_instead += pose.nearest_instead;
        const ArrangementShow& a = *part.arrangement;
        for (std::size_t i = 0; i < part.picks.copies.size(); ++i) {
            if (part.picks.copies[i] == no_pose) continue;
            SceneCopy copy;
            copy.number = a.number(i);
            copy.index = static_cast<std::uint32_t>(i);
            copy.pose = first + part.picks.copies[i];
            copy.position = V3f(part.places()[i].position);
            copy.turn = Imath::Quatf(attitude_of(part.places()[i]));
            copy.size = part.places()[i].stretch * static_cast<float>(part.places()[i].size);
            copy.moment = part.moments[i];
            copy.arrangement = &a;
            scene->copies.push_back(copy);
        }
    }
    std::sort(scene->copies.begin(), scene->copies.end(),
              [](const SceneCopy& x, const SceneCopy& y) { return x.number < y.number; });
    let_go();
    return scene;
}

namespace {

bool hits_box(const Imath::Box3f& box, const V3f& from, const V3f& along, float& near_hit) {
    float low = 0, high = std::numeric_limits<float>::max();
    for (int k = 0; k < 3; ++k) {
        const float inverse = 1 / along[k];
        float a = (box.min[k] - from[k]) * inverse, b = (box.max[k] - from[k]) * inverse;
        if (a > b) std::swap(a, b);
        if (std::isnan(a) || std::isnan(b)) continue;
        low = std::max(low, a);
        high = std::min(high, b);
    }
    near_hit = low;
    return low <= high;
}

// Möller and Trumbore 1997; the nearest distance along the ray, or infinity.
float hit_mesh(const DrawPose& pose, const V3f& from, const V3f& along) {
    float best = std::numeric_limits<float>::infinity();
    for (const DrawDot& dot : pose.dots) { // a ball
        const V3f to = V3f(dot.place[0], dot.place[1], dot.place[2]) - from;
        const float squared = along.length2(), half = to.dot(along),
                    inside = half * half - squared * (to.length2() - dot.radius * dot.radius);
        if (inside < 0) continue;
        const float d = (half - std::sqrt(inside)) / squared;
        if (d > 0) best = std::min(best, d);
    }
    auto point = [&](std::uint32_t i) {
        const float* p = pose.vertices[i].place;
        return V3f(p[0], p[1], p[2]);
    };
    const auto& level = pose.faces->levels[0];
    for (std::size_t t = level.first; t + 2 < level.first + level.count; t += 3) {
        const auto& index = pose.faces->indices;
        const V3f a = point(index[t]), e1 = point(index[t + 1]) - a, e2 = point(index[t + 2]) - a;
        const V3f p = along.cross(e2);
        const float det = e1.dot(p);
        if (std::abs(det) < 1e-12f) continue;
        const V3f s = from - a;
        const float u = s.dot(p) / det;
        if (u < 0 || u > 1) continue;
        const V3f q = s.cross(e1);
        const float v = along.dot(q) / det;
        if (v < 0 || u + v > 1) continue;
        const float d = e2.dot(q) / det;
        if (d > 0) best = std::min(best, d);
    }
    return best;
}

} // namespace

std::int64_t pick_copy(const Scene& scene, const V3d& from, const V3d& along, double* distance) {
    struct Candidate {
        float near_hit;
        const SceneCopy* copy;
        V3f from, along;
    };
    std::vector<Candidate> candidates;
    for (const SceneCopy& c : scene.copies) {
        const V3f f = c.to_own(V3f(from) - c.position) / c.size, d = c.to_own(V3f(along)) / c.size;
        float near_hit = 0;
        if (hits_box(scene.poses[c.pose]->box, f, d, near_hit)) candidates.push_back({near_hit, &c, f, d});
    }
    std::sort(candidates.begin(), candidates.end(),
              [](const Candidate& a, const Candidate& b) { return a.near_hit < b.near_hit; });
    float best = std::numeric_limits<float>::infinity();
    std::int64_t picked = -1;
    for (const Candidate& c : candidates) {
        if (c.near_hit > best) break;
        const float d = hit_mesh(*scene.poses[c.copy->pose], c.from, c.along);
        if (d < best) {
            best = d;
            picked = c.copy->number;
        }
    }
    if (distance) *distance = best;
    return picked;
}

} // namespace garland
