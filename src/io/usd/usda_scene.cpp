#include "io/usd/usda_scene.h"

#include "core/base/portable_math.h"

#include <Imath/ImathMatrixAlgo.h>

#include <algorithm>
#include <cmath>

namespace garland {

std::shared_ptr<Faces> faces_at(const UsdaScene& scene, const UsdaPrim& prim, double time, std::size_t points) {
    auto faces = std::make_shared<Faces>();
    const UsdaAttribute *counts = prim.find("faceVertexCounts"), *corners = prim.find("faceVertexIndices");
    if (!counts || !corners) return faces;
    const auto counts_text = counts->at(time).a, corners_text = corners->at(time).a;
    const auto each = scene.wholes(*counts, counts_text), all = scene.wholes(*corners, corners_text);
    auto bad = [&](std::string what, std::string_view where) {
        return UsdaBad{Error{ErrorCode::malformed, fmt::format("mesh \"{}\" {}", prim.name, what)}
                           .at(scene.path)
                           .at_line(line_of(scene.text(), where.data()))};
    };
    faces->starts.push_back(0);
    std::uint64_t total = 0;
    for (std::int64_t n : each) {
        if (n < 0 || n > static_cast<std::int64_t>(all.size()))
            throw bad(fmt::format("has a face of {} corners", n), counts_text);
        total += static_cast<std::uint64_t>(n);
        faces->starts.push_back(static_cast<std::uint32_t>(total));
    }
    if (total != all.size())
        throw bad(fmt::format("has {} corners, but its faces need {}", all.size(), total), counts_text);
    for (std::int64_t i : all) {
        if (i < 0 || i >= static_cast<std::int64_t>(points))
            throw bad(fmt::format("points to point {}, but there are only {}", i, points), corners_text);
        faces->corners.push_back(static_cast<std::uint32_t>(i));
    }
    const UsdaAttribute* order = prim.find("orientation");
    if (order && order->value.find("leftHanded") != order->value.npos) {
        for (std::size_t f = 0; f < faces->count(); ++f)
            std::reverse(faces->corners.begin() + faces->starts[f], faces->corners.begin() + faces->starts[f + 1]);
    }
    return faces;
}

Pose mesh_at(const UsdaScene& scene, const UsdaPrim& prim, double time, std::shared_ptr<const Faces> known) {
    Pose pose;
    const UsdaAttribute* points = prim.find("points");
    if (!points) return pose;
    pose.points = scene.vectors_at(*points, time);
    if (const auto* v = prim.find("velocities")) {
        pose.velocities = scene.vectors_at(*v, time);
        if (pose.velocities.size() != pose.points.size()) pose.velocities.clear();
    }
    if (const auto* n = prim.find("normals"); n && (n->interpolation.empty() || n->interpolation == "vertex")) {
        pose.normals = scene.vectors_at(*n, time);
        if (pose.normals.size() != pose.points.size()) pose.normals.clear();
    }
    if (const auto* c = prim.find("primvars:displayColor")) {
        const auto colours = scene.vectors_at(*c, time);
        if (colours.size() == 1) pose.colours.assign(pose.points.size(), colours[0]);
        if (colours.size() == pose.points.size()) pose.colours = colours;
    }
    auto faces = known ? nullptr : faces_at(scene, prim, time, pose.points.size());
    if (const auto* st = prim.find("primvars:st"); st && !known) {
        const auto uv = scene.floats_at(*st, time, 2);
        const std::size_t count = uv.size() / 2;
        auto pairs = [&] {
            std::vector<V2f> out;
            for (std::size_t i = 0; i < count; ++i) out.emplace_back(uv[i * 2], uv[i * 2 + 1]);
            return out;
        };
        if (count == faces->corners.size() && st->interpolation == "faceVarying" && !prim.find("primvars:st:indices"))
            faces->corner_uvs = pairs();
        if (count == pose.points.size() && st->interpolation != "faceVarying") pose.uvs = pairs();
    }
    if (const auto* binding = prim.find("primvars:materialName"); binding && faces) {
        const auto names = usda_words(binding->value);
        if (names.size() == 1) faces->materials = names, faces->material_of.assign(faces->count(), 0);
        if (const auto* each = prim.find("primvars:materialName:indices"); each && names.size() > 1) {
            const auto wanted = scene.wholes(*each, each->at(time).a);
            const auto count = static_cast<std::int64_t>(names.size());
            if (wanted.size() == faces->count() &&
                std::all_of(wanted.begin(), wanted.end(), [count](std::int64_t i) { return i >= 0 && i < count; })) {
                faces->materials = names;
                faces->material_of.assign(wanted.begin(), wanted.end());
            }
        }
    }

    for (const UsdaAttribute& a : prim.attributes) { // other numbers per point
        if (!a.name.starts_with("primvars:") || a.name == "primvars:st" || a.name == "primvars:displayColor" ||
            a.name.find(':', 9) != a.name.npos)
            continue;
        const bool one = a.type == "float[]", turns = a.type == "vector3f[]" || a.type == "normal3f[]",
                   three = turns || a.type == "float3[]" || a.type == "color3f[]" || a.type == "point3f[]";
        if (!one && !three && a.type != "int[]") continue;
        Attribute out{std::string(a.name.substr(9)), three ? 3 : 1};
        out.vector = turns;
        std::size_t count = 0;
        if (a.type == "int[]") {
            for (std::int64_t v : scene.wholes(a, a.at(time).a))
                out.whole.push_back(static_cast<std::int32_t>(std::clamp<std::int64_t>(v, INT32_MIN, INT32_MAX)));
            count = out.whole.size();
        } else {
            out.values = scene.floats_at(a, time, static_cast<std::size_t>(out.width));
            count = out.values.size() / static_cast<std::size_t>(out.width);
        }
        if (a.interpolation == "uniform") {
            if (faces && count == faces->count()) faces->attributes.push_back(std::move(out));
        } else if (count == pose.points.size()) {
            pose.attributes.push_back(std::move(out));
        }
    }
    pose.faces = known ? known : std::shared_ptr<const Faces>(faces);
    return pose;
}

M44d op_matrix(const UsdaScene& scene, const UsdaPrim& prim, std::string_view op, double time) {
    bool inverse = false;
    if (op.starts_with("!invert!")) op.remove_prefix(8), inverse = true;
    const UsdaAttribute* a = prim.find(op);
    if (!a)
        throw UsdaBad{
            Error{ErrorCode::malformed, fmt::format("prim \"{}\" orders by {}, which it does not have", prim.name, op)}
                .at(scene.path)};
    op.remove_prefix(std::min<std::size_t>(op.size(), 8)); // "xformOp:"
    const std::string_view kind = op.substr(0, op.find(':'));
    const auto at = a->at(time);
    std::vector<double> v = scene.need(usda_numbers(at.a), *a, at.a);
    const std::size_t wanted = kind == "transform"                              ? 16
                               : kind == "orient"                               ? 4
                               : kind.size() == 7 && kind.starts_with("rotate") ? 1
                                                                                : 3;
    auto check = [&](const std::vector<double>& list, std::string_view text) {
        if (list.size() != wanted) {
            throw UsdaBad{Error{ErrorCode::malformed, fmt::format("{} of \"{}\" has {} numbers, {} are needed", a->name,
                                                                  prim.name, list.size(), wanted)}
                              .at(scene.path)
                              .at_line(line_of(scene.text(), text.data()))};
        }
    };
    check(v, at.a);
    if (at.weight > 0) {
        const std::vector<double> next = scene.need(usda_numbers(at.b), *a, at.b);
        check(next, at.b);
        if (kind == "orient") {
            const Quatd q = between({V3d(0), Quatd(v[0], v[1], v[2], v[3])},
                                    {V3d(0), Quatd(next[0], next[1], next[2], next[3])}, at.weight)
                                .rotation;
            v = {q.r, q.v.x, q.v.y, q.v.z};
        } else {
            for (std::size_t i = 0; i < v.size(); ++i) v[i] += (next[i] - v[i]) * at.weight;
        }
    }
    M44d m;
    auto turn = [](char axis, double degrees) {
        M44d r; // for row vectors
        const int a = axis == 'X' ? 1 : axis == 'Y' ? 2 : 0, b = (a + 1) % 3;
        const double angle = degrees * M_PI / 180, c = portable::cos(angle), s = portable::sin(angle);
        r[a][a] = r[b][b] = c;
        r[a][b] = s, r[b][a] = -s;
        return r;
    };
    if (kind == "translate") {
        m.setTranslation(V3d(v[0], v[1], v[2]));
    } else if (kind == "scale") {
        m.setScale(V3d(v[0], v[1], v[2]));
    } else if (kind == "orient") {
        const Quatd q(v[0], v[1], v[2], v[3]);
        if (!(q.length() > 1e-9))
            throw UsdaBad{Error{ErrorCode::malformed, fmt::format("{} of \"{}\" has no length", a->name, prim.name)}.at(
                scene.path)};
        m = q.normalized().toMatrix44();
    } else if (kind == "transform") {
        for (int i = 0; i < 16; ++i) m[i / 4][i % 4] = v[static_cast<std::size_t>(i)];
    } else if (kind.starts_with("rotate") && kind.size() == 7) {
        m = turn(kind[6], v[0]);
    } else if (kind.starts_with("rotate") && kind.size() == 9) { // rotateXYZ: about X first
        for (std::size_t k = 0; k < 3; ++k) m *= turn(kind[6 + k], v[static_cast<std::size_t>(kind[6 + k] - 'X')]);
    } else {
        throw UsdaBad{
            Error{ErrorCode::unsupported, fmt::format("{} of \"{}\" is no transform that is read", a->name, prim.name)}
                .at(scene.path)};
    }
    return inverse ? m.inverse() : m;
}

UsdaXform local_at(const UsdaScene& scene, const UsdaPrim& prim, double time) {
    UsdaXform out;
    const UsdaAttribute* order = prim.find("xformOpOrder");
    if (!order) return out;
    const auto ops = usda_words(order->value);
    for (auto op = ops.rbegin(); op != ops.rend(); ++op) { // the last of the list is nearest to the points
        if (*op == "!resetXformStack!") {
            out.resets = true;
        } else {
            out.matrix *= op_matrix(scene, prim, *op, time);
        }
    }
    return out;
}

M44d world_at(const UsdaScene& scene, int prim, double time) {
    M44d m;
    for (int p = prim; p >= 0; p = scene.layer.prims[static_cast<std::size_t>(p)].parent) {
        const UsdaXform local = local_at(scene, scene.layer.prims[static_cast<std::size_t>(p)], time);
        m *= local.matrix;
        if (local.resets) break;
    }
    return m;
}

std::set<double> sample_times(const UsdaPrim& prim, bool transforms) {
    std::set<double> times;
    for (const UsdaAttribute& a : prim.attributes) {
        if (a.name.starts_with("xformOp:") != transforms) continue;
        for (const UsdaSample& s : a.samples) times.insert(s.time);
    }
    return times;
}

} // namespace garland
