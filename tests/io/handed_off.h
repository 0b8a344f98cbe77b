// A small festival that is handed off, and what independent readers see of the files.
#pragma once

#include "support/case.h"
#include "support/files.h"
#include "support/node.h"
#include "support/notation.h"

#include "core/scene/placed_copy.h"
#include "io/files/series.h"
#include "io/handoff/outputs.h"
#include "io/ply/ply.h"
#include "io/project/open_project.h"
#include "io/project/project_file.h"
#include "io/usd/crate_pack.h"
#include "io/usd/stage_files.h"

#include <QJsonArray>
#include <QJsonObject>
#include <algorithm>
#include <cmath>
#include <functional>
#include <map>

namespace garland::testing {

// A paper lantern in short: four points that sway, at 24 frames a second, in a project of the same rate.
struct Festival {
    Folder folder;
    OpenedProject opened;
    std::unique_ptr<PoseCache> cache = std::make_unique<PoseCache>(std::size_t(1) << 26);
    ShowPtr show;

    explicit Festival(const std::function<void(Project&)>& change) {
        write_lantern();
        open("lantern0000.ply", change);
    }
    // Another source: `write` makes its 20 frames, the first of which is called so.
    Festival(const std::function<void(const Folder&)>& write, const std::string& first,
             const std::function<void(Project&)>& change) {
        write(folder);
        open(first, change);
    }
    void write_lantern() {
        for (int f = 0; f < 20; ++f) {
            Pose pose = tetrahedron(0);
            for (std::size_t i = 0; i < 4; ++i) {
                const auto k = static_cast<double>(i + 1);
                pose.points[i] += V3f(static_cast<float>(std::sin(0.37 * f * k)), static_cast<float>(0.1 * f),
                                      static_cast<float>(std::cos(0.21 * f + k)));
            }
            pose.normals.assign(4, V3f(0, 1, 0));
            pose.normals[1] = V3f(static_cast<float>(std::sin(0.1 * f)), static_cast<float>(std::cos(0.1 * f)), 0);
            pose.colours.assign(4, V3f(1, 0.5f, 0.25f));
            if (!write_ply(folder / numbered("lantern", f, 4, ".ply"), pose, PlyForm::little_endian, Existing::refuse))
                qFatal("no room");
        }
    }
    void open(const std::string& first, const std::function<void(Project&)>& change) {
        Project p;
        p.settings.range = {1, 60};
        p.settings.rate = {24, 1};
        add_source(p, "lantern", first, {0, 19, {24, 1}});
        Arrangement& a = p.arrangements[0];
        a.layout.kind = ArrangementKind::ring, a.layout.count = 9, a.layout.radius = 5, a.size = 1.5;
        change(p);
        const auto saved = save_project(folder / "p.garland", p, Existing::refuse);
        if (!saved) qFatal("%s", describe(saved.error()).c_str());
        auto open = open_project(folder / "p.garland");
        if (!open) qFatal("%s", describe(open.error()).c_str());
        opened = std::move(*open);
        show = make_show(opened.project, opened.sources, *cache);
    }
    HandoffInput input() { return {opened.project, opened.sources, show, *cache}; }

    // Where the points of every visible copy are, by its number from 1.
    std::map<int, std::vector<V3f>> points(double t) const {
        std::map<int, std::vector<V3f>> out;
        const auto all = pose_all(*show, OutputFrame(t));
        PlacedCopy placed;
        for (const Posed& posed : *all) {
            for (std::size_t i = 0; i < posed.picks.copies.size(); ++i) {
                if (posed.picks.copies[i] == no_pose) continue;
                place_copy(posed, i, placed);
                out[static_cast<int>(posed.arrangement->number(i)) + 1] = placed.points;
            }
        }
        return out;
    }
};

// The largest distance of a point from where it should be, over all copies; −1 where copies or points are missing.
inline double apart(const std::map<int, std::vector<V3f>>& is, const std::map<int, std::vector<V3f>>& should,
                    int* which = nullptr) {
    double most = 0;
    for (const auto& [copy, points] : should) {
        const auto at = is.find(copy);
        if (at == is.end() || at->second.size() != points.size()) return -1;
        for (std::size_t i = 0; i < points.size(); ++i) {
            const auto off = static_cast<double>((points[i] - at->second[i]).length());
            if (off > most && which) *which = copy;
            most = std::max(most, off);
        }
    }
    return most;
}

// "/copies/c3/mesh" is copy 3.
inline int number_in(const QString& path) {
    for (const QString& part : path.split('/')) {
        bool fine = false;
        const int n = part.mid(1).toInt(&fine);
        if (part.startsWith('c') && fine) return n;
    }
    return 0;
}

inline std::map<int, std::vector<V3f>> read_meshes(const QJsonArray& meshes) {
    std::map<int, std::vector<V3f>> out;
    for (const auto& m : meshes) {
        const QJsonObject mesh = m.toObject();
        const QString name = mesh.contains("path") ? mesh["path"].toString() : mesh["name"].toString();
        std::vector<V3f>& points = out[number_in(name)];
        const QJsonArray list = mesh["points"].toArray();
        if (!list.isEmpty() && list[0].isArray()) {
            for (const auto& p : list) {
                const QJsonArray v = p.toArray();
                points.emplace_back(v[0].toDouble(), v[1].toDouble(), v[2].toDouble());
            }
        } else {
            for (int i = 0; i + 2 < list.size(); i += 3)
                points.emplace_back(list[i].toDouble(), list[i + 1].toDouble(), list[i + 2].toDouble());
        }
    }
    return out;
}

inline QString words_of(const std::vector<double>& times) {
    QStringList out;
    for (double t : times) out << QString::number(t, 'g', 17);
    return out.join(',');
}

struct UsdText { // a layer as it stands in its file
    UsdFiles files;
    UsdLayerPtr layer;
    explicit UsdText(const std::string& path) {
        auto read = files.open(path);
        if (!read) qFatal("%s", describe(read.error()).c_str());
        layer = *read;
    }
    const UsdSpec* prim(std::string_view type, std::string_view name = {}) const {
        for (const UsdSpec& p : layer->specs()) {
            if (p.type == type && (name.empty() || usd_name(p.path) == name)) return &p;
        }
        return nullptr;
    }
    UsdRef at(const UsdProperty& p, double time) const { // the sample on a time or before it
        if (p.samples.empty()) return p.value;
        std::size_t i = 0;
        while (i + 1 < p.samples.size() && (*p.samples.times)[i + 1] <= time) ++i;
        return p.samples.ref(i);
    }
    std::vector<float> floats(const UsdSpec& prim, const char* name, double time, std::size_t width) const {
        const UsdProperty* a = prim.find(name);
        return a ? *layer->floats(at(*a, time), width) : std::vector<float>{};
    }
    std::vector<std::int64_t> wholes(const UsdSpec& prim, const char* name, double time) const {
        const UsdProperty* a = prim.find(name);
        return a ? *layer->wholes(at(*a, time)) : std::vector<std::int64_t>{};
    }
};

// The instancer of a layer of shared poses at a time code that has a sample, put together as the schema says: scale,
// then orientation, then position, applied to the prototype (UsdGeomPointInstancer). half: by its orientations as half
// floats, otherwise by orientationsf.
inline std::map<int, std::vector<V3f>> instanced(const UsdText& usd, double time, bool half) {
    const UsdSpec& prim = *usd.prim("PointInstancer");
    const auto picks = usd.wholes(prim, "protoIndices", time), ids = usd.wholes(prim, "ids", time),
               hidden = usd.wholes(prim, "invisibleIds", time);
    const auto places = usd.floats(prim, "positions", time, 3), sizes = usd.floats(prim, "scales", time, 3),
               turns = usd.floats(prim, half ? "orientations" : "orientationsf", time, 4);
    std::map<int, std::vector<V3f>> out;
    for (std::size_t i = 0; i < ids.size(); ++i) {
        if (std::find(hidden.begin(), hidden.end(), ids[i]) != hidden.end()) continue;
        const UsdSpec* pose = usd.prim("Mesh", "pose_" + std::to_string(picks[i]));
        const auto points = usd.floats(*pose, "points", time, 3);
        Imath::Quatd q(turns[4 * i], turns[4 * i + 1], turns[4 * i + 2], turns[4 * i + 3]); // the real part first
        q.normalize();
        for (std::size_t k = 0; k + 2 < points.size(); k += 3) {
            const V3d p(points[k] * sizes[3 * i], points[k + 1] * sizes[3 * i + 1], points[k + 2] * sizes[3 * i + 2]);
            out[static_cast<int>(ids[i])].push_back(
                V3f(q.rotateVector(p) + V3d(places[3 * i], places[3 * i + 1], places[3 * i + 2])));
        }
    }
    return out;
}

} // namespace garland::testing
