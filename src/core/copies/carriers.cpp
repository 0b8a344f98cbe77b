#include "core/copies/carriers.h"

#include "core/base/chance.h"
#include "core/copies/attitude.h"
#include "core/geometry/particles.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <limits>
#include <map>

namespace garland {

namespace {

bool finite(const V3f& p) {
    return std::isfinite(p.x) && std::isfinite(p.y) && std::isfinite(p.z);
}

float value_at(const Attribute& a, std::size_t i) {
    const auto w = static_cast<std::size_t>(a.width);
    auto one = [&](std::size_t k) {
        return a.whole.empty() ? a.values[i * w + k] : static_cast<float>(a.whole[i * w + k]);
    };
    if (w == 1) return one(0);
    double squares = 0;
    for (std::size_t k = 0; k < w; ++k) squares += static_cast<double>(one(k)) * one(k);
    return static_cast<float>(std::sqrt(squares));
}

const Attribute* find_attribute(const Pose& pose, std::string_view name, int width) {
    for (const Attribute& a : pose.attributes) {
        if (a.name == name && a.width == width && a.whole.empty()) return &a;
    }
    return nullptr;
}

constexpr float nothing = std::numeric_limits<float>::quiet_NaN();

} // namespace

const Attribute* find_orientations(const Pose& pose) {
    for (const Attribute& a : pose.attributes) {
        if (is_orientation(a) && a.values.size() == pose.points.size() * 4) return &a;
    }
    return nullptr;
}

Imath::Quatd orientation_at(const Attribute& orient, std::size_t point) {
    const float* v = orient.values.data() + point * 4;
    const Imath::Quatd q(static_cast<double>(v[3]), V3d(v[0], v[1], v[2]));
    const double length = std::sqrt(q.r * q.r + q.v.dot(q.v));
    if (!std::isfinite(length) || !(length > 1e-12)) return {};
    return {q.r / length, q.v / length};
}

const CarrierValues* Carriers::find(std::string_view name) const {
    for (const CarrierValues& v : attributes) {
        if (v.name == name) return &v;
    }
    return nullptr;
}

namespace {

// What a pose says of one of its points, beside its place.
struct Guides {
    const Attribute *size, *direction, *orients;
    explicit Guides(const Pose& pose)
        : size(find_scalar(pose, "size")), direction(find_attribute(pose, "direction", 3)),
          orients(find_orientations(pose)) {}
};

Carriers::Point carrier_at(const Pose& pose, std::size_t i, const Guides& guides) {
    Carriers::Point p;
    p.place = pose.points[i];
    if (guides.size) p.size = value_at(*guides.size, i);
    V3f way(0);
    if (guides.orients) {
        p.orient = orientation_at(*guides.orients, i);
        way = V3f(forward_of(p.orient));
    } else if (const Attribute* direction = guides.direction) {
        way = V3f(direction->values[i * 3], direction->values[i * 3 + 1], direction->values[i * 3 + 2]);
    } else if (pose.normals.size() == pose.points.size()) {
        way = pose.normals[i];
    }
    if (finite(way) && (way.x != 0 || way.z != 0)) p.heading = static_cast<float>(heading_of(V3d(way)));
    if (finite(way)) p.way = way;
    return p;
}

// By their ids, and the values of their attributes with them.
void sort_by_id(Carriers& out, const std::map<std::string, std::vector<float>>& values) {
    std::vector<std::size_t> order(out.points.size());
    for (std::size_t i = 0; i < order.size(); ++i) order[i] = i;
    std::sort(order.begin(), order.end(),
              [&](std::size_t x, std::size_t y) { return out.points[x].id < out.points[y].id; });
    std::vector<Carriers::Point> sorted;
    sorted.reserve(order.size());
    for (std::size_t i : order) sorted.push_back(out.points[i]);
    out.points = std::move(sorted);
    for (const auto& [name, list] : values) {
        CarrierValues& v = out.attributes.emplace_back();
        v.name = name;
        v.values.reserve(order.size());
        for (std::size_t i : order) v.values.push_back(list[i]);
    }
}

// Carriers while they are learned, frame by frame.
struct CarrierSearch {
    Carriers& out;
    std::map<std::int64_t, std::size_t> known{}; // id → place in `points`
    std::map<std::string, std::vector<float>> values{};
    std::size_t strange = 0; // points that stand nowhere

    // birth: of what is new in it; death: of what the next frame lacks. Source frames.
    Result<void> look(const Pose& pose, std::int64_t file_frame, double birth, double death) {
        const bool ids = is_particles(pose);
        out.own_ids |= ids;
        const Guides guides(pose);
        out.sizes |= guides.size != nullptr;
        for (std::size_t i = 0; i < pose.points.size(); ++i) {
            if (!finite(pose.points[i])) {
                ++strange;
                continue;
            }
            const std::int64_t id = ids ? pose.ids[i] : static_cast<std::int64_t>(i);
            const auto [place, fresh] = known.try_emplace(id, out.points.size());
            if (!fresh) {
                out.points[place->second].death = death;
                continue;
            }
            if (known.size() > static_cast<std::size_t>(copy_limit)) {
                return fail(
                    Error{ErrorCode::too_large,
                          fmt::format("the source has more than {} points, and one arrangement may have no more copies",
                                      copy_limit)}
                        .at_frame(file_frame)
                        .advise("scatter copies on it, or gather fewer points"));
            }
            Carriers::Point p = carrier_at(pose, i, guides);
            p.id = id, p.birth = birth, p.death = death;
            if (guides.direction || guides.orients) out.directions = true;
            if (guides.orients) out.orients = true;
            for (const Attribute& a : pose.attributes) {
                auto& list = values[a.name];
                list.resize(out.points.size(), nothing); // carriers before it lack it
                list.push_back(value_at(a, i));
            }
            out.points.push_back(p);
        }
        for (auto& [name, list] : values) list.resize(out.points.size(), nothing);
        return {};
    }
};

} // namespace

Result<CarriersPtr> find_carriers(const Sampler& sampler, Progress& progress) {
    const SourceFacts& facts = sampler.source()->facts();
    const SourceClock& clock = sampler.clock();
    if (facts.kind == SourceKind::volume) {
        return fail(Error{ErrorCode::unsupported, "a volume has no points that could carry copies"}.advise(
            "take particles or a mesh"));
    }
    constexpr double always = std::numeric_limits<double>::infinity();
    auto out = std::make_shared<Carriers>();
    CarrierSearch search{*out};
    out->moves = facts.frames() > 1;
    // Points of fixed number are all there from the first frame to the last: one frame tells everything.
    const bool fixed = facts.kind != SourceKind::particles && facts.kind != SourceKind::mesh_sequence;
    const std::int64_t last = fixed ? facts.first : facts.last;
    for (std::int64_t f = facts.first; f <= last; ++f) {
        if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
        progress.report(static_cast<double>(f - facts.first) / static_cast<double>(last - facts.first + 1),
                        "learning what carries copies");
        const SourceFrame at = clock.first + static_cast<double>(f - facts.first) / clock.files_per_frame;
        // It is gone with the first frame that lacks it; what is there at the last frame stays.
        const double gone = f == facts.last || fixed ? always : at.value + 1 / clock.files_per_frame;
        GARLAND_TRY(sampled, sampler.at(at, progress));
        GARLAND_CHECK(search.look(*sampled.pose, f, f == facts.first ? -always : at.value, gone));
    }
    out->not_finite = search.strange;
    if (out->points.empty()) {
        return fail(Error{ErrorCode::invalid,
                          search.strange
                              ? fmt::format("none of the source's {} points has a usable place", search.strange)
                              : "the source has no points that could carry copies"}
                        .advise("choose another source to carry the copies"));
    }
    sort_by_id(*out, search.values);
    return CarriersPtr(out);
}

CarrierPose::CarrierPose(const PosePtr& pose) : pose_(pose) {
    if (!is_particles(*pose)) return;
    places_.reserve(pose->ids.size());
    for (std::uint32_t i = 0; i < pose->ids.size(); ++i) places_.emplace(pose->ids[i], i);
}

const V3f* CarrierPose::find(std::int64_t id) const {
    std::size_t i = 0;
    if (!is_particles(*pose_)) {
        if (id < 0 || static_cast<std::size_t>(id) >= pose_->points.size()) return nullptr;
        i = static_cast<std::size_t>(id);
    } else {
        const auto at = places_.find(id);
        if (at == places_.end()) return nullptr;
        i = at->second;
    }
    return finite(pose_->points[i]) ? &pose_->points[i] : nullptr;
}

std::vector<Placement> on_points(const Arrangement& a, const Carriers& carriers) {
    std::vector<Placement> out;
    out.reserve(carriers.points.size());
    const auto n = static_cast<double>(carriers.points.size());
    for (const Carriers::Point& c : carriers.points) {
        Placement p;
        p.id = CopyId(static_cast<std::uint64_t>(c.id));
        p.position = to_scene(a, V3d(c.place));
        p.turn = a.attitude.turn + a.layout.heading;
        if (a.attitude.facing == Facing::carrier) {
            const V3d way = to_scene(a, V3d(c.way)) - a.layout.origin;
            if ((a.attitude.upright || carriers.directions) && std::isfinite(c.heading)) p.turn += c.heading;
            if (!a.attitude.upright && carriers.orients) {
                p.turn = a.attitude.turn + a.layout.heading;
                stand_as(p, c.orient, a.layout.heading);
            } else if (!a.attitude.upright && carriers.directions) {
                pitch_along(p, way);
            } else if (!a.attitude.upright) {
                stand_on(p, way);
            }
        }
        if (a.attitude.facing == Facing::outward) p.turn += heading_of(V3d(c.place));
        if (!a.attitude.upright && a.attitude.facing == Facing::outward) pitch_along(p, p.position - a.layout.origin);
        p.size = a.size * (std::isfinite(c.size) && c.size > 0 ? static_cast<double>(c.size) : 1.0);
        p.along = static_cast<float>(n > 1 ? static_cast<double>(out.size()) / (n - 1) : 0.5);
        out.push_back(p);
    }
    return out;
}

namespace {

// Cells as wide as the distance that is to be kept: a place's near ones are in the 27 cells around it.
class Neighbourhood {
  public:
    explicit Neighbourhood(double wide) : wide_(wide) {}
    bool any_within(const V3d& p) const {
        if (wide_ <= 0) return false;
        const Cell c = cell(p);
        for (std::int64_t x = c[0] - 1; x <= c[0] + 1; ++x) {
            for (std::int64_t y = c[1] - 1; y <= c[1] + 1; ++y) {
                for (std::int64_t z = c[2] - 1; z <= c[2] + 1; ++z) {
                    const auto found = cells_.find({x, y, z});
                    if (found == cells_.end()) continue;
                    for (const V3d& q : found->second) {
                        if ((q - p).length2() < wide_ * wide_) return true;
                    }
                }
            }
        }
        return false;
    }
    void add(const V3d& p) {
        if (wide_ > 0) cells_[cell(p)].push_back(p);
    }

  private:
    using Cell = std::array<std::int64_t, 3>;
    struct Hash {
        std::size_t operator()(const Cell& c) const {
            return static_cast<std::size_t>(chance_bits(
                static_cast<std::uint64_t>(c[0]), static_cast<std::uint64_t>(c[1]), static_cast<std::uint64_t>(c[2])));
        }
    };
    Cell cell(const V3d& p) const {
        Cell c{};
        for (int k = 0; k < 3; ++k)
            c[static_cast<std::size_t>(k)] =
                static_cast<std::int64_t>(std::floor(std::clamp(p[k] / wide_, -1e15, 1e15)));
        return c;
    }
    double wide_;
    std::unordered_map<Cell, std::vector<V3d>, Hash> cells_;
};

// A mesh's triangles by their areas, so that one can be drawn from it.
struct Surface {
    std::vector<double> sums{};           // the area up to and with each triangle
    std::vector<std::uint32_t> corners{}; // three points each
    double area = 0;

    Surface(const Pose& pose, const std::vector<std::uint32_t>& triangles) {
        for (std::size_t t = 0; t + 2 < triangles.size(); t += 3) {
            const V3f &p = pose.points[triangles[t]], &q = pose.points[triangles[t + 1]],
                      &r = pose.points[triangles[t + 2]];
            if (!finite(p) || !finite(q) || !finite(r)) continue;
            const double one = (V3d(q) - V3d(p)).cross(V3d(r) - V3d(p)).length() / 2;
            if (!(one > 0)) continue;
            area += one;
            sums.push_back(area);
            corners.insert(corners.end(), {triangles[t], triangles[t + 1], triangles[t + 2]});
        }
    }
    struct Hit {
        std::uint32_t a, b, c; // points
        double u, v;           // a + u·(b − a) + v·(c − a)
        V3d of(const V3d& p, const V3d& q, const V3d& r) const { return p + (q - p) * u + (r - p) * v; }
    };
    // Where a dart lands. G. Turk, "Generating random points in triangles", Graphics Gems, 1990.
    Hit hit(std::uint64_t seed, std::uint64_t dart) const {
        const double where = chance(seed, 0, dart) * area;
        const auto t = std::min<std::size_t>(
            static_cast<std::size_t>(std::upper_bound(sums.begin(), sums.end(), where) - sums.begin()),
            sums.size() - 1);
        double u = chance(seed, 1, dart), v = chance(seed, 2, dart);
        if (u + v > 1) u = 1 - u, v = 1 - v;
        return {corners[t * 3], corners[t * 3 + 1], corners[t * 3 + 2], u, v};
    }
};

// How a copy stands where a dart landed.
Placement standing(const Arrangement& a, const Pose& pose, const Surface::Hit& hit, const V3d& place) {
    Placement one;
    one.position = to_scene(a, place);
    one.turn = a.attitude.turn + a.layout.heading;
    one.size = a.size;
    if (a.attitude.facing == Facing::outward) one.turn += heading_of(place);
    if (!a.attitude.upright && a.attitude.facing == Facing::outward) pitch_along(one, one.position - a.layout.origin);
    if (a.attitude.facing != Facing::carrier) return one;
    const V3d p(pose.points[hit.a]), q(pose.points[hit.b]), r(pose.points[hit.c]);
    V3d normal = (q - p).cross(r - p);
    if (pose.normals.size() == pose.points.size())
        normal = V3d(pose.normals[hit.a]) * (1 - hit.u - hit.v) + V3d(pose.normals[hit.b]) * hit.u +
                 V3d(pose.normals[hit.c]) * hit.v;
    if (a.attitude.upright) {
        one.turn += heading_of(normal);
    } else {
        stand_on(one, to_scene(a, normal) - a.layout.origin);
    }
    return one;
}

} // namespace

Result<Scattered> on_surface(const Arrangement& a, const Pose& pose, Progress& progress) {
    const std::vector<std::uint32_t> triangles = pose.faces->triangles();
    const Surface surface(pose, triangles);
    if (surface.area <= 0) {
        return fail(Error{ErrorCode::invalid, triangles.empty() ? "the source to scatter on has no faces"
                                                                : "the faces of the source to scatter on have no area"}
                        .advise("choose a mesh with faces, or place copies on its points"));
    }
    Scattered out;
    out.wanted = a.layout.count;
    Neighbourhood near(a.layout.carried.least_apart);
    constexpr int misses_in_a_row = 5000; // then it is full
    int misses = 0;
    for (std::uint64_t dart = 0;
         misses < misses_in_a_row && static_cast<std::int64_t>(out.places.size()) < a.layout.count; ++dart) {
        if (dart % 4096 == 0 && progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
        const Surface::Hit hit = surface.hit(a.layout.carried.seed, dart);
        const V3d place = hit.of(V3d(pose.points[hit.a]), V3d(pose.points[hit.b]), V3d(pose.points[hit.c]));
        if (near.any_within(place)) {
            ++misses;
            continue;
        }
        misses = 0;
        near.add(place);
        out.places.push_back(standing(a, pose, hit, place));
        out.places.back().id = CopyId(dart);
        out.spots.push_back({hit.a, hit.b, hit.c, static_cast<float>(hit.u), static_cast<float>(hit.v)});
    }
    const auto n = static_cast<double>(out.places.size());
    for (std::size_t i = 0; i < out.places.size(); ++i)
        out.places[i].along = static_cast<float>(n > 1 ? static_cast<double>(i) / (n - 1) : 0.5);
    return out;
}

} // namespace garland
