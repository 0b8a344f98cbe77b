// UsdGeomMesh, UsdGeomPoints and their primvars (Alliance for OpenUSD, UsdGeom schemas).
#include "core/geometry/corner_normals.h"
#include "io/files/file.h"
#include "io/sources/pose_check.h"
#include "io/usd/usd_scene.h"

#include <algorithm>
#include <cmath>

namespace garland {

namespace {

enum class Interpolation { constant, uniform, vertex, corner, unknown };

struct Values { // of a primvar, its indices resolved
    std::vector<float> floats{};
    std::vector<std::int32_t> wholes{};
    std::size_t width = 1, count = 0;
    Interpolation spread = Interpolation::unknown;
    bool whole = false, too_wide = false;
};

struct Counts {
    std::size_t points, faces, corners;
};

Interpolation spread_of(std::string_view said, std::size_t count, const Counts& n) {
    if (said == "constant") return Interpolation::constant;
    if (said == "uniform") return Interpolation::uniform;
    if (said == "vertex" || said == "varying") return Interpolation::vertex;
    if (said == "faceVarying") return Interpolation::corner;
    // Not said, or not a word of the format: by its count; the format's own answer is constant.
    return count == n.points && count != 1   ? Interpolation::vertex
           : count == n.corners && count > 1 ? Interpolation::corner
                                             : Interpolation::constant;
}

bool fits(const Values& v, const Counts& n) {
    switch (v.spread) {
    case Interpolation::constant: return v.count == 1;
    case Interpolation::uniform: return v.count == n.faces;
    case Interpolation::vertex: return v.count == n.points;
    case Interpolation::corner: return v.count == n.corners;
    case Interpolation::unknown: return false;
    }
    return false;
}

template <class T>
std::vector<T> picked(const UsdScene& scene, const UsdPrim& p, const UsdAttribute& a, const std::vector<T>& from,
                      std::size_t width, const std::vector<std::int64_t>& indices) {
    std::vector<T> out;
    out.reserve(indices.size() * width);
    const auto count = static_cast<std::int64_t>(from.size() / width);
    for (const std::int64_t i : indices) {
        if (i < 0 || i >= count)
            scene.bad(p, fmt::format("has the index {} in {}, which has {} values", i, a.name, count));
        const auto at = from.begin() + static_cast<std::ptrdiff_t>(static_cast<std::size_t>(i) * width);
        out.insert(out.end(), at, at + static_cast<std::ptrdiff_t>(width));
    }
    return out;
}

Values values_of(const UsdScene& scene, const UsdPrim& p, const UsdAttribute& a, double time, const Counts& n) {
    Values out;
    out.width = usd_width(a.type) * static_cast<std::size_t>(a.element_size);
    if (out.width == 0) return out;
    const std::string_view base = a.type.substr(0, a.type.find('['));
    out.whole = base.starts_with("int") || base.starts_with("uint") || base == "uchar" || base == "bool";
    const UsdAttribute* order = p.find(std::string(a.name) + ":indices");
    std::vector<std::int64_t> indices;
    if (order) indices = scene.wholes(*order, time);
    if (out.whole) {
        std::vector<std::int64_t> wide = scene.wholes(a, time);
        if (wide.size() % out.width != 0)
            scene.bad(p, fmt::format("has {} numbers in {}, no groups of {}", wide.size(), a.name, out.width));
        if (order) wide = picked(scene, p, a, wide, out.width, indices);
        for (const std::int64_t v : wide) {
            out.too_wide |= v < INT32_MIN || v > INT32_MAX;
            out.wholes.push_back(static_cast<std::int32_t>(v));
        }
        out.count = out.wholes.size() / out.width;
    } else {
        out.floats = scene.floats(a, time, out.width);
        if (order) out.floats = picked(scene, p, a, out.floats, out.width, indices);
        out.count = out.floats.size() / out.width;
    }
    out.spread = spread_of(a.interpolation, out.count, n);
    return out;
}

std::vector<V3f> triples(const std::vector<float>& v) {
    std::vector<V3f> out(v.size() / 3);
    for (std::size_t i = 0; i < out.size(); ++i) out[i] = V3f(v[i * 3], v[i * 3 + 1], v[i * 3 + 2]);
    return out;
}

// A primvar of the prim, or a constant one of what it stands in.
const UsdAttribute* primvar(const UsdScene& scene, int prim, std::string_view name, int* owner = nullptr) {
    for (int p = prim; p >= 0; p = scene.prim(p).parent) {
        const UsdAttribute* a = scene.prim(p).find(name);
        if (!a) continue;
        if (p != prim && !a->interpolation.empty() && a->interpolation != "constant") continue;
        if (owner) *owner = p;
        return a;
    }
    return nullptr;
}

bool is_plain_primvar(const UsdAttribute& a) {
    return a.name.starts_with("primvars:") && a.name != "primvars:st" && a.name != "primvars:displayColor" &&
           a.name != "primvars:normals" && a.name != "primvars:materialName" && a.name != "primvars:materialPicture" &&
           a.name.find(':', 9) == a.name.npos;
}

bool is_direction(const UsdAttribute& a) {
    return a.type.starts_with("vector3") || a.type.starts_with("normal3");
}

const UsdAttribute* normals_of(const UsdPrim& p) {
    const UsdAttribute* own = p.find("primvars:normals");
    return own ? own : p.find("normals");
}

void put(Attribute out, Values&& v, const Counts& n, Pose& pose, Faces* faces) {
    out.width = static_cast<int>(v.width);
    if (v.spread == Interpolation::constant) {
        for (std::size_t i = 1; i < n.points; ++i) {
            for (std::size_t k = 0; k < v.width; ++k) {
                if (v.whole) {
                    v.wholes.push_back(v.wholes[k]);
                } else {
                    v.floats.push_back(v.floats[k]);
                }
            }
        }
        if (n.points == 0) v.wholes.clear(), v.floats.clear();
    }
    out.whole = std::move(v.wholes), out.values = std::move(v.floats);
    if (v.spread == Interpolation::constant || v.spread == Interpolation::vertex) {
        pose.attributes.push_back(std::move(out));
    } else if (faces) {
        auto& list = v.spread == Interpolation::uniform ? faces->attributes : faces->corner_attributes;
        list.push_back(std::move(out));
    }
}

bool left_handed(const UsdScene& scene, const UsdPrim& p, double time) {
    return scene.word(p, "orientation", "rightHanded", time) == "leftHanded";
}

// shape: as the file has it, or turned round where the mesh is left-handed and its faces are known already.
void put_normals(const Values& v, const Counts& n, const Faces& shape, bool turned, Pose& pose) {
    std::vector<V3f> all = triples(v.floats), at_corners;
    if (!all_finite(all)) return; // said by tell_of_mesh
    if (v.spread != Interpolation::vertex) {
        for (V3f& one : all) one.normalize();
    }
    switch (v.spread) {
    case Interpolation::constant: pose.normals.assign(n.points, all[0]); return;
    case Interpolation::vertex: pose.normals = std::move(all); return;
    case Interpolation::uniform:
        for (std::size_t f = 0; f < shape.count(); ++f)
            at_corners.insert(at_corners.end(), shape.starts[f + 1] - shape.starts[f], all[f]);
        break;
    case Interpolation::corner:
        at_corners = std::move(all);
        if (turned) turn_corners_round(at_corners, shape);
        break;
    case Interpolation::unknown: return;
    }
    set_corner_normals(pose, shape, std::move(at_corners));
}

} // namespace

std::shared_ptr<Faces> usd_faces(const UsdScene& scene, int prim, double time, std::size_t points) {
    const UsdPrim& p = scene.prim(prim);
    auto faces = std::make_shared<Faces>();
    const UsdAttribute *counts = p.find("faceVertexCounts"), *corners = p.find("faceVertexIndices");
    if (!counts || !corners) return faces;
    const auto each = scene.wholes(*counts, time), all = scene.wholes(*corners, time);
    auto bad = [&](std::string what, const UsdAttribute& where) {
        Error error{ErrorCode::malformed, fmt::format("mesh \"{}\" {}", p.name, what)};
        const auto at = where.at(time);
        error.path = at.layer ? at.layer->bytes.name() : scene.stage->path;
        if (at.layer && !at.a.text.empty()) error.line = usd_line_of(at.layer->bytes.view(), at.a.text.data());
        return UsdBad{std::move(error)};
    };
    faces->starts.reserve(each.size() + 1);
    faces->starts.push_back(0);
    std::uint64_t total = 0;
    for (std::int64_t n : each) {
        if (n < 0 || n > static_cast<std::int64_t>(all.size()))
            throw bad(fmt::format("has a face of {} corners", n), *counts);
        total += static_cast<std::uint64_t>(n);
        faces->starts.push_back(static_cast<std::uint32_t>(total));
    }
    if (total != all.size())
        throw bad(fmt::format("has {} corners, but its faces need {}", all.size(), total), *counts);
    faces->corners.reserve(all.size());
    for (std::int64_t i : all) {
        if (i < 0 || i >= static_cast<std::int64_t>(points))
            throw bad(fmt::format("points to point {}, but there are only {}", i, points), *corners);
        faces->corners.push_back(static_cast<std::uint32_t>(i));
    }
    return faces;
}

void usd_primvars(const UsdScene& scene, int prim, double time, Pose& pose, Faces* faces) {
    const UsdPrim& p = scene.prim(prim);
    const Faces& shape = faces ? *faces : *pose.faces;
    const Counts n{pose.points.size(), shape.count(), shape.corners.size()};
    const bool turned = !faces && left_handed(scene, p, time);
    if (const UsdAttribute* a = normals_of(p)) {
        Values v = values_of(scene, p, *a, time, n);
        if (a->interpolation.empty() && v.count == n.points)
            v.spread = Interpolation::vertex; // normals are of vertices
        if (v.width == 3 && fits(v, n)) put_normals(v, n, shape, turned, pose);
    }
    int owner = prim;
    if (const UsdAttribute* a = primvar(scene, prim, "primvars:displayColor", &owner)) {
        Values v = values_of(scene, scene.prim(owner), *a, time, n);
        if (v.width == 3 && fits(v, n)) {
            if (v.spread == Interpolation::constant) pose.colours.assign(n.points, triples(v.floats)[0]);
            if (v.spread == Interpolation::vertex) pose.colours = triples(v.floats);
            bool kept_apart = v.spread == Interpolation::uniform;
            if (v.spread == Interpolation::corner) {
                std::vector<V3f> at_corners = triples(v.floats);
                if (turned) turn_corners_round(at_corners, shape);
                kept_apart = !agree_at_points(at_corners, shape, n.points, 1e-5f, pose.colours);
                if (kept_apart) pose.colours.clear();
            }
            if (kept_apart) put({"displayColor", 3}, std::move(v), n, pose, faces);
        }
    }
    if (const UsdAttribute* a = p.find("primvars:st")) {
        Values v = values_of(scene, p, *a, time, n);
        if (v.width == 2 && fits(v, n)) {
            std::vector<V2f> pairs(v.count);
            for (std::size_t i = 0; i < v.count; ++i) pairs[i] = V2f(v.floats[i * 2], v.floats[i * 2 + 1]);
            if (v.spread == Interpolation::vertex) pose.uvs = std::move(pairs);
            if (v.spread == Interpolation::corner && faces) faces->corner_uvs = std::move(pairs);
        }
    }
    for (const UsdAttribute& a : p.attributes) { // other numbers
        if (!is_plain_primvar(a) || !p.find(a.name)) continue;
        Values v = values_of(scene, p, a, time, n);
        if (v.width == 0 || v.width > 16 || v.too_wide || !fits(v, n)) continue;
        Attribute out{std::string(a.name.substr(9)), 1};
        out.vector = is_direction(a);
        put(std::move(out), std::move(v), n, pose, faces);
    }
}

Pose usd_mesh(const UsdScene& scene, int prim, double time, std::shared_ptr<const Faces> known) {
    const UsdPrim& p = scene.prim(prim);
    Pose pose;
    const UsdAttribute* points = p.find("points");
    if (!points) return pose;
    pose.points = scene.vectors(*points, time);
    if (const UsdAttribute* v = p.find("velocities")) {
        pose.velocities = scene.vectors(*v, time);
        if (pose.velocities.size() != pose.points.size()) pose.velocities.clear();
    }
    // No points for a time: nothing is there, whatever the faces say.
    auto faces = known && !pose.points.empty() ? nullptr
                 : pose.points.empty()         ? std::make_shared<Faces>()
                                               : usd_faces(scene, prim, time, pose.points.size());
    if (!faces) pose.faces = known;
    usd_primvars(scene, prim, time, pose, faces.get());
    if (faces) {
        usd_materials(scene, prim, time, *faces);
        if (left_handed(scene, p, time)) {
            turn_corners_round(pose.corner_normals, *faces);
            turn_round(*faces);
        }
        pose.faces = faces;
    }
    return pose;
}

Pose usd_points(const UsdScene& scene, int prim, double time) {
    const UsdPrim& p = scene.prim(prim);
    Pose out;
    if (const UsdAttribute* points = p.find("points")) out.points = scene.vectors(*points, time);
    if (const UsdAttribute* v = p.find("velocities")) {
        out.velocities = scene.vectors(*v, time);
        if (out.velocities.size() != out.points.size()) out.velocities.clear();
    }
    usd_primvars(scene, prim, time, out, nullptr);
    if (const UsdAttribute* ids = p.find("ids")) out.ids = scene.wholes(*ids, time);
    if (out.ids.empty()) {
        for (std::size_t i = 0; i < out.points.size(); ++i) out.ids.push_back(static_cast<std::int64_t>(i));
    }
    if (const UsdAttribute* widths = p.find("widths")) {
        Attribute size{"size", 1};
        size.values = scene.floats(*widths, time, 1);
        if (size.values.size() == 1) size.values.assign(out.points.size(), size.values[0]);
        if (size.values.size() == out.points.size() && !out.points.empty()) out.attributes.push_back(std::move(size));
    }
    return out;
}

void tell_of_mesh(const UsdScene& scene, int prim, std::vector<SourceProblem>& problems) {
    const UsdPrim& p = scene.prim(prim);
    auto say = [&](std::string what, std::string instead) {
        problems.push_back({fmt::format("\"{}\" {}", p.name, what), std::move(instead), std::nullopt});
    };
    const UsdAttribute* points = p.find("points");
    if (!points) return;
    const auto times = points->sample_times();
    const double time = times.empty() ? scene.start() : times.front();
    const Pose pose = usd_mesh(scene, prim, time, nullptr);
    const Counts n{pose.points.size(), pose.faces->count(), pose.faces->corners.size()};
    if (n.points == 0) return;
    for (const UsdAttribute& a : p.attributes) {
        const bool wanted =
            is_plain_primvar(a) || a.name == "primvars:st" || a.name == "primvars:displayColor" || &a == normals_of(p);
        if (!wanted || !p.find(a.name)) continue;
        const std::string_view name = a.name.starts_with("primvars:") ? a.name.substr(9) : a.name;
        Values v = values_of(scene, p, a, time, n);
        if (v.count == 0 && v.width != 0) continue;
        if (a.name == "normals" && a.interpolation.empty() && v.count == n.points) v.spread = Interpolation::vertex;
        if (v.width == 0) {
            if (a.name != "primvars:materialName")
                say(fmt::format("has \"{}\", which is no number", name), "it is left out");
        } else if (!fits(v, n)) {
            say(fmt::format("has {} values of \"{}\", which fit neither its points nor its faces", v.count, name),
                "they are left out");
        } else if (v.width > 16 || v.too_wide) {
            say(fmt::format("has values of \"{}\" that are too wide to be kept", name), "they are left out");
        } else if (&a == normals_of(p)) {
            if (v.width != 3) {
                say(fmt::format("has normals of {} numbers", v.width), "they are left out");
            } else if (pose.normals.empty() && pose.corner_normals.empty()) {
                say("has normals that are no finite numbers", "smooth ones are made from its faces");
            }
        } else if (a.name == "primvars:displayColor") {
            if (v.spread == Interpolation::uniform)
                say("has colours of faces", "they are kept as values of faces, and not shown");
            if (v.spread == Interpolation::corner && pose.colours.empty())
                say("has colours that differ at the corners of a point",
                    "they are kept as values of corners, and not shown");
        } else if (a.name == "primvars:st") {
            if (v.spread == Interpolation::constant || v.spread == Interpolation::uniform)
                say("has texture coordinates that are not of points or corners", "they are left out");
        }
    }
    if (const auto* scheme = p.find("subdivisionScheme")) {
        const auto word = scene.words(*scheme, time);
        if (!word.empty() && word[0] != "none")
            say(fmt::format("is to be subdivided ({})", word[0]), "the mesh is shown as it stands in the file");
    }
    if (const auto* holes = p.find("holeIndices"); holes && !scene.wholes(*holes, time).empty())
        say("has holes", "they are shown as faces");
}

} // namespace garland
