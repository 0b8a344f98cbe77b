#include "io/usd/usda_write.h"

#include "io/usd/layer_values.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <iterator>
#include <set>

namespace garland {

namespace {

class Writer {
  public:
    Writer(const KeyedModel& model, Rate rate, AtomicFile& file) : m_(model), rate_(rate), file_(file) {}

    void run() {
        line("#usda 1.0");
        line("(");
        line("    defaultPrim = \"garland\"");
        put("    endTimeCode = {}\n", code(m_.end()));
        line("    metersPerUnit = 1");
        put("    startTimeCode = {}\n", code(m_.start()));
        put("    timeCodesPerSecond = {}\n", rate_.per_second());
        line("    upAxis = \"Y\"");
        line(")");
        line("");
        line("def Xform \"garland\"");
        line("{");
        std::set<std::string> used;
        for (std::size_t i = 0; i < m_.nodes.size(); ++i) {
            if (m_.nodes[i].parent < 0) node(i, 1, used);
        }
        line("}");
        file_.write(text_);
    }

  private:
    template <class... Args>
    void put(fmt::format_string<Args...> form, Args&&... args) {
        fmt::format_to(std::back_inserter(text_), form, std::forward<Args>(args)...);
        if (text_.size() < (1u << 20)) return;
        file_.write(text_);
        text_.clear();
    }
    void line(std::string_view words) { put("{}{}\n", indent_, words); }

    // Times are floats in some formats: what is within their rounding of a whole time code is one.
    double code(double seconds) const {
        const double c = rate_.frames_in(Seconds(seconds));
        return std::abs(c - std::round(c)) < 1e-4 ? std::round(c) : c;
    }

    void node(std::size_t index, int depth, std::set<std::string>& used) {
        const PartNode& n = m_.nodes[index];
        const std::string before = indent_;
        indent_.assign(static_cast<std::size_t>(depth) * 4, ' ');
        std::string name = usd_identifier(n.name);
        for (int k = 2; !used.insert(name).second; ++k) name = fmt::format("{}_{}", usd_identifier(n.name), k);
        put("{}def Xform \"{}\"\n{}{{\n", indent_, name, indent_);
        const std::string outer = indent_;
        indent_ += "    ";
        if (n.matrix) {
            put("{}matrix4d xformOp:transform = (", indent_);
            for (int r = 0; r < 4; ++r) {
                put("{}({}, {}, {}, {})", r ? ", " : "", (*n.matrix)[r][0], (*n.matrix)[r][1], (*n.matrix)[r][2],
                    (*n.matrix)[r][3]);
            }
            put(")\n");
            line("uniform token[] xformOpOrder = [\"xformOp:transform\"]");
        } else {
            animated(index, PartPath::translation, "double3 xformOp:translate",
                     {n.translation.x, n.translation.y, n.translation.z});
            animated(index, PartPath::rotation, "quatf xformOp:orient",
                     {n.rotation.v.x, n.rotation.v.y, n.rotation.v.z, n.rotation.r});
            animated(index, PartPath::scale, "float3 xformOp:scale", {n.scale.x, n.scale.y, n.scale.z});
            line("uniform token[] xformOpOrder = [\"xformOp:translate\", \"xformOp:orient\", \"xformOp:scale\"]");
        }
        std::set<std::string> inside;
        for (std::size_t k = 0; k < n.meshes.size(); ++k) {
            const std::string mesh_name = k == 0 ? "mesh" : fmt::format("mesh_{}", k + 1);
            inside.insert(mesh_name);
            mesh(m_.meshes[static_cast<std::size_t>(n.meshes[k])].base, mesh_name);
        }
        for (std::size_t i = index + 1; i < m_.nodes.size(); ++i) {
            if (m_.nodes[i].parent == static_cast<int>(index)) node(i, depth + 1, inside);
        }
        put("{}}}\n", outer);
        indent_ = before;
    }

    void value(PartPath path, const std::vector<double>& v) {
        if (path == PartPath::rotation) {
            put("({}, {}, {}, {})", static_cast<float>(v[3]), static_cast<float>(v[0]), static_cast<float>(v[1]),
                static_cast<float>(v[2]));
        } else if (path == PartPath::scale) {
            put("({}, {}, {})", static_cast<float>(v[0]), static_cast<float>(v[1]), static_cast<float>(v[2]));
        } else {
            put("({}, {}, {})", v[0], v[1], v[2]);
        }
    }

    void animated(std::size_t index, PartPath path, std::string_view declared, std::vector<double> rest) {
        put("{}{}", indent_, declared);
        for (const PartChannel& c : m_.channels) {
            if (c.node != static_cast<int>(index) || c.path != path) continue;
            const KeyTrack& track = m_.tracks[static_cast<std::size_t>(c.track)];
            put(".timeSamples = {{\n");
            for (double seconds : times_of(track)) {
                std::vector<double> v(static_cast<std::size_t>(track.width));
                sample(track, seconds, v);
                put("{}    {}: ", indent_, code(seconds));
                value(path, v);
                put(",\n");
            }
            line("}");
            return;
        }
        put(" = ");
        value(path, rest);
        put("\n");
    }

    // Samples are joined by straight lines there, so other ways between keys are written frame by frame.
    std::vector<double> times_of(const KeyTrack& track) const {
        if (track.way == KeyWay::linear) return track.times;
        std::vector<double> all = track.times;
        const double first = std::ceil(rate_.frames_in(Seconds(track.times.front()))),
                     last = rate_.frames_in(Seconds(track.times.back()));
        for (double f = first; f <= last; ++f) all.push_back(rate_.start_of(f).value);
        std::sort(all.begin(), all.end());
        all.erase(std::unique(all.begin(), all.end(), [&](double a, double b) { return code(a) == code(b); }),
                  all.end());
        return all;
    }

    void vectors(const std::vector<V3f>& list) {
        put("[");
        for (std::size_t i = 0; i < list.size(); ++i)
            put("{}({}, {}, {})", i ? ", " : "", list[i].x, list[i].y, list[i].z);
        put("]");
    }

    void mesh(const Pose& pose, const std::string& name) {
        const Faces& faces = *pose.faces;
        put("{}def Mesh \"{}\"\n{}{{\n", indent_, name, indent_);
        const std::string outer = indent_;
        indent_ += "    ";
        const Imath::Box3f box = bounds(pose);
        put("{}float3[] extent = [({}, {}, {}), ({}, {}, {})]\n", indent_, box.min.x, box.min.y, box.min.z, box.max.x,
            box.max.y, box.max.z);
        put("{}int[] faceVertexCounts = [", indent_);
        for (std::size_t f = 0; f < faces.count(); ++f)
            put("{}{}", f ? ", " : "", faces.starts[f + 1] - faces.starts[f]);
        put("]\n{}int[] faceVertexIndices = [", indent_);
        for (std::size_t c = 0; c < faces.corners.size(); ++c) put("{}{}", c ? ", " : "", faces.corners[c]);
        put("]\n");
        auto varying = [&](std::string_view declared, const auto& write) {
            put("{}{} = ", indent_, declared);
            write();
            put(" (\n{}    interpolation = \"vertex\"\n{})\n", indent_, indent_);
        };
        if (pose.normals.size() == pose.points.size()) varying("normal3f[] normals", [&] { vectors(pose.normals); });
        put("{}point3f[] points = ", indent_);
        vectors(pose.points);
        put("\n");
        if (pose.colours.size() == pose.points.size())
            varying("color3f[] primvars:displayColor", [&] { vectors(pose.colours); });
        if (pose.uvs.size() == pose.points.size()) {
            varying("texCoord2f[] primvars:st", [&] {
                put("[");
                for (std::size_t i = 0; i < pose.uvs.size(); ++i)
                    put("{}({}, {})", i ? ", " : "", pose.uvs[i].x, pose.uvs[i].y);
                put("]");
            });
        }
        line("uniform token subdivisionScheme = \"none\"");
        put("{}}}\n", outer);
        indent_ = outer;
    }

    const KeyedModel& m_;
    Rate rate_;
    AtomicFile& file_;
    std::string text_, indent_;
};

} // namespace

Result<void> write_usda(const std::string& path, const KeyedModel& model, Rate rate, Existing existing) {
    for (const PartMesh& mesh : model.meshes) {
        if (!mesh.targets.empty() || mesh.joint_sets > 0) {
            return fail(Error{ErrorCode::unsupported, "morph targets and skins are not written"}
                            .advise("write it as posed frames")
                            .at(path)
                            .keeping("nothing was written"));
        }
    }
    GARLAND_TRY(file, AtomicFile::create(path, existing));
    Writer(model, rate, file).run();
    return file.commit();
}

} // namespace garland
