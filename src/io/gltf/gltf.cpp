#include "io/gltf/gltf_animations.h"

#include "io/files/file.h"
#include "io/gltf/gltf_pictures.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <fmt/format.h>
#include <set>

namespace garland {

namespace {

bool no_image(tinygltf::Image*, int, std::string*, std::string*, int, int, const unsigned char*, int, void*) {
    return true; // pictures are not looked at
}

class GltfReader : GltfValues {
  public:
    explicit GltfReader(const tinygltf::Model& g) : GltfValues(g) {}

    void read(GltfContent& out, const std::string& animation) {
        for (const std::string& needed : g_.extensionsRequired) {
            if (!is_read(needed) && !is_look(needed)) {
                throw GltfBad{fmt::format("it needs the extension {}, which is not read", needed),
                              ErrorCode::unsupported};
            }
        }
        const GltfAnimations animations(g_);
        animations.choose(out, animation);
        shown_in_time_ = animations.shown_in_time(out);
        read_meshes(out.notes);
        read_nodes();
        read_instances();
        read_skins();
        animations.read(out, index_of_, m_);
        if (m_.points() == 0) throw GltfBad{"there is no mesh in its scene"};
        if (m_.points() > gltf_points_limit) {
            throw GltfBad{fmt::format("its scene has {} points, above the limit of {}", m_.points(), gltf_points_limit),
                          ErrorCode::too_large};
        }
        out.model = std::move(m_);
        out.lines = std::move(lines_);
    }

  private:
    static bool is_read(const std::string& extension) {
        constexpr const char* names[] = {"KHR_mesh_quantization",   "KHR_draco_mesh_compression",
                                         "EXT_meshopt_compression", "EXT_mesh_gpu_instancing",
                                         "KHR_animation_pointer",   "KHR_node_visibility"};
        return std::find(std::begin(names), std::end(names), extension) != std::end(names);
    }
    // What touches only how things look: geometry is the same without it.
    static bool is_look(const std::string& extension) {
        constexpr const char* begins[] = {"KHR_materials_", "KHR_texture_", "KHR_lights_",   "KHR_technique",
                                          "EXT_texture_",   "EXT_lights_",  "MSFT_texture_", "KHR_xmp"};
        return std::any_of(std::begin(begins), std::end(begins),
                           [&](const char* b) { return extension.starts_with(b); });
    }

    void read_skinning(const PrimitiveValues& values, const std::string& mesh, PartMesh& out) const {
        for (int set = 0; set < 2; ++set) {
            if (!values.has(fmt::format("JOINTS_{}", set)) || !values.has(fmt::format("WEIGHTS_{}", set))) break;
            ++out.joint_sets;
        }
        if (out.joint_sets == 0) return;
        const auto sets = static_cast<std::size_t>(out.joint_sets), points = out.base.points.size();
        out.joints.resize(points * sets);
        out.weights.resize(points * sets);
        for (std::size_t set = 0; set < sets; ++set) {
            const auto joints = values.wholes(fmt::format("JOINTS_{}", set), 4);
            const auto weights = values.floats(fmt::format("WEIGHTS_{}", set), 4);
            need(joints.size() / 4, points, "joints", mesh);
            need(weights.size() / 4, points, "weights", mesh);
            for (std::size_t i = 0; i < points; ++i) {
                for (std::size_t k = 0; k < 4; ++k) {
                    out.joints[i * sets + set][k] = static_cast<std::uint16_t>(joints[i * 4 + k]);
                    out.weights[i * sets + set][k] = weights[i * 4 + k];
                }
            }
        }
    }

    // Values with names of an application's own: "_HEAT" is the attribute HEAT.
    void read_named(const PrimitiveValues& values, const std::string& mesh, Pose& out,
                    std::vector<std::string>& notes) const {
        for (const auto& [name, index] : values.p.attributes) {
            if (!name.starts_with("_") || name.size() < 2) {
                const bool further = name.starts_with("TEXCOORD_") || name.starts_with("COLOR_");
                if (further && !name.ends_with("_0")) notes.push_back(fmt::format("\"{}\"", name));
                continue;
            }
            Attribute a{name.substr(1), values.width(name)};
            if (values.whole(name)) {
                const auto list = values.floats(name, a.width); // exact up to 2²⁴
                const bool fits =
                    std::all_of(list.begin(), list.end(), [](float v) { return std::abs(v) <= 16'777'216.0f; });
                if (!fits) {
                    notes.push_back(fmt::format("\"{}\", whose numbers are too wide,", name));
                    continue;
                }
                for (const float v : list) a.whole.push_back(static_cast<std::int32_t>(v));
                need(a.whole.size() / static_cast<std::size_t>(a.width), out.points.size(), name.c_str(), mesh);
            } else {
                a.values = values.floats(name, a.width);
                need(a.values.size() / static_cast<std::size_t>(a.width), out.points.size(), name.c_str(), mesh);
            }
            out.attributes.push_back(std::move(a));
        }
    }

    void read_colours(const PrimitiveValues& values, const std::string& mesh, Pose& out) const {
        if (values.has("COLOR_0")) {
            const auto width = static_cast<std::size_t>(values.width("COLOR_0") == 4 ? 4 : 3);
            const auto c = values.floats("COLOR_0", static_cast<int>(width));
            need(c.size() / width, out.points.size(), "colours", mesh);
            for (std::size_t k = 0; k + width <= c.size(); k += width)
                out.colours.emplace_back(c[k], c[k + 1], c[k + 2]);
        }
        if (values.p.material < 0) return;
        // The base colour multiplies those of the points (glTF 2.0, section 3.9.2).
        const auto& factor = at(g_.materials, values.p.material, "material").pbrMetallicRoughness.baseColorFactor;
        if (factor.size() < 3 || (factor[0] == 1 && factor[1] == 1 && factor[2] == 1)) return;
        const V3f base(static_cast<float>(factor[0]), static_cast<float>(factor[1]), static_cast<float>(factor[2]));
        if (out.colours.empty()) out.colours.assign(out.points.size(), V3f(1));
        for (V3f& c : out.colours) c *= base;
    }

    static void triangulate(const std::vector<std::uint32_t>& order, int mode, Faces& faces) {
        faces.starts.push_back(0);
        auto triangle = [&](std::size_t a, std::size_t b, std::size_t c) {
            for (std::size_t i : {a, b, c}) faces.corners.push_back(order[i]);
            faces.starts.push_back(static_cast<std::uint32_t>(faces.corners.size()));
        };
        const std::size_t n = order.size();
        switch (mode) {
        case TINYGLTF_MODE_TRIANGLES:
            for (std::size_t i = 0; i + 2 < n; i += 3) triangle(i, i + 1, i + 2);
            break;
        case TINYGLTF_MODE_TRIANGLE_STRIP:
            for (std::size_t i = 0; i + 2 < n; ++i) i % 2 == 0 ? triangle(i, i + 1, i + 2) : triangle(i + 1, i, i + 2);
            break;
        case TINYGLTF_MODE_TRIANGLE_FAN:
            for (std::size_t i = 1; i + 1 < n; ++i) triangle(0, i, i + 1);
            break;
        default: break; // points and lines have no faces
        }
    }

    // The primitive's points in the order of its triangles, strips or lines.
    std::vector<std::uint32_t> order_of(const PrimitiveValues& values, const std::string& mesh,
                                        std::size_t points) const {
        std::vector<std::uint32_t> order;
        if (values.packed) {
            order = values.packed->corners; // always triangles
        } else if (values.p.indices >= 0) {
            numbers(values.p.indices, 1, &order);
        } else {
            for (std::uint32_t i = 0; i < points; ++i) order.push_back(i);
        }
        for (std::uint32_t i : order) {
            if (i >= points)
                throw GltfBad{fmt::format("mesh \"{}\" points to point {}, but there are only {}", mesh, i, points)};
        }
        return order;
    }

    void read_material(int index, Faces& faces) const {
        const auto& material = at(g_.materials, index, "material");
        faces.materials.push_back(material.name);
        if (material.extras.IsObject() && material.extras.Has(gltf_picture) &&
            material.extras.Get(gltf_picture).IsString()) {
            const auto& picture = material.extras.Get(gltf_picture).Get<std::string>();
            // Materials without a name cannot be told apart later, nor their pictures.
            if (!picture.empty() && !material.name.empty()) faces.pictures[material.name] = picture;
        }
        faces.material_of.assign(faces.count(), 0);
    }

    void read_primitive(const tinygltf::Primitive& p, const std::string& mesh, PartMesh& out,
                        std::vector<std::string>& notes) const {
        const PrimitiveValues values = values_of(p);
        out.base.points = values.vectors("POSITION");
        auto need = [&](std::size_t have, const char* what) {
            GltfValues::need(have, out.base.points.size(), what, mesh);
        };
        if (values.has("NORMAL")) {
            out.base.normals = values.vectors("NORMAL");
            need(out.base.normals.size(), "normals");
            for (V3f& n : out.base.normals) {
                if (std::abs(n.length2() - 1) > 1e-4f) n.normalize(); // quantised ones are not quite of unit length
            }
        }
        if (values.has("TEXCOORD_0")) {
            const auto uv = values.floats("TEXCOORD_0", 2);
            need(uv.size() / 2, "texture coordinates");
            for (std::size_t k = 0; k + 1 < uv.size(); k += 2)
                out.base.uvs.emplace_back(uv[k], 1 - uv[k + 1]); // its v goes down
        }
        read_colours(values, mesh, out.base);
        read_named(values, mesh, out.base, notes);
        read_skinning(values, mesh, out);
        for (const auto& target : p.targets) {
            PartMesh::Target& t = out.targets.emplace_back();
            if (const int i = attribute(target, "POSITION"); i >= 0) {
                t.points = vectors(i);
                need(t.points.size(), "points in a morph target");
            }
            if (const int i = attribute(target, "NORMAL"); i >= 0) {
                t.normals = vectors(i);
                need(t.normals.size(), "normals in a morph target");
            }
        }
        auto faces = std::make_shared<Faces>();
        const std::vector<std::uint32_t> order = order_of(values, mesh, out.base.points.size());
        const int mode = values.packed ? TINYGLTF_MODE_TRIANGLES : p.mode;
        triangulate(order, mode, *faces);
        if (mode == TINYGLTF_MODE_LINE || mode == TINYGLTF_MODE_LINE_STRIP || mode == TINYGLTF_MODE_LINE_LOOP)
            lines_.push_back({static_cast<int>(m_.meshes.size()) - 1, order, mode == TINYGLTF_MODE_LINE_LOOP});
        if (p.material >= 0) read_material(p.material, *faces);
        out.base.faces = faces;
    }

    void read_meshes(std::vector<std::string>& notes) {
        for (const auto& mesh : g_.meshes) {
            auto& parts = parts_of_.emplace_back();
            for (const auto& primitive : mesh.primitives) {
                if (attribute(primitive.attributes, "POSITION") < 0) continue;
                parts.push_back(static_cast<int>(m_.meshes.size()));
                read_primitive(primitive, mesh.name, m_.meshes.emplace_back(), notes);
            }
        }
    }

    // The nodes of the scene to be shown; without scenes, those that are nobody's child.
    std::vector<int> root_nodes() const {
        if (!g_.scenes.empty()) return at(g_.scenes, std::max(g_.defaultScene, 0), "scene").nodes;
        std::vector<int> roots;
        std::vector<char> child(g_.nodes.size(), 0);
        for (const auto& node : g_.nodes) {
            for (int c : node.children) at(g_.nodes, c, "node"), child[static_cast<std::size_t>(c)] = 1;
        }
        for (std::size_t i = 0; i < child.size(); ++i) {
            if (!child[i]) roots.push_back(static_cast<int>(i));
        }
        if (roots.empty() && !g_.nodes.empty())
            throw GltfBad{"every node is the child of another: nodes go in a circle"};
        return roots;
    }

    // Where a node stands in its parent: three parts, or a matrix.
    static void read_transform(const tinygltf::Node& node, int index, PartNode& out) {
        auto has = [&](const std::vector<double>& list, std::size_t count) {
            for (double v : list) {
                if (!std::isfinite(v))
                    throw GltfBad{fmt::format("node {} (\"{}\") has a transform that is not finite", index, node.name)};
            }
            return list.size() == count;
        };
        const auto &t = node.translation, &r = node.rotation, &s = node.scale;
        if (has(t, 3)) out.translation = V3d(t[0], t[1], t[2]);
        if (has(r, 4)) out.rotation = Quatd(r[3], r[0], r[1], r[2]).normalized();
        if (has(s, 3)) out.scale = V3d(s[0], s[1], s[2]);
        if (!has(node.matrix, 16)) return;
        M44d m;
        for (int row = 0; row < 4; ++row) {
            for (int c = 0; c < 4; ++c) m[row][c] = node.matrix[static_cast<std::size_t>(row * 4 + c)];
        }
        out.matrix = m;
    }

    void read_nodes() {
        const std::vector<int> roots = root_nodes();
        index_of_.assign(g_.nodes.size(), -1);
        struct Open {
            int node, parent;
            bool seen = true;
        };
        std::vector<Open> open;
        for (auto i = roots.rbegin(); i != roots.rend(); ++i) open.push_back({*i, -1, true});
        while (!open.empty()) {
            const int index = open.back().node, parent = open.back().parent;
            bool seen = open.back().seen;
            open.pop_back();
            const auto& node = at(g_.nodes, index, "node");
            if (const auto v = node.extensions.find("KHR_node_visibility");
                v != node.extensions.end() && v->second.Has("visible") && !shown_in_time_.count(index))
                seen &= v->second.Get("visible").IsBool() && v->second.Get("visible").Get<bool>();
            int& mine = index_of_[static_cast<std::size_t>(index)];
            if (mine >= 0)
                throw GltfBad{fmt::format(
                    "node {} (\"{}\") is reached twice: nodes go in a circle, or have two parents", index, node.name)};
            mine = static_cast<int>(m_.nodes.size());
            PartNode& out = m_.nodes.emplace_back();
            out.name = node.name.empty() ? fmt::format("node {}", index) : node.name;
            out.parent = parent;
            read_transform(node, index, out);
            if (node.mesh >= 0 && seen) {
                out.meshes = at(parts_of_, node.mesh, "mesh");
                const auto& weights =
                    node.weights.empty() ? g_.meshes[static_cast<std::size_t>(node.mesh)].weights : node.weights;
                out.weights.assign(weights.begin(), weights.end());
                if (node.skin >= 0) at(g_.skins, node.skin, "skin"), out.skin = node.skin;
            }
            for (auto c = node.children.rbegin(); c != node.children.rend(); ++c) open.push_back({*c, mine, seen});
        }
    }

    // EXT_mesh_gpu_instancing: the node's mesh stands once for each set of values, in the node's space.
    void read_instances() {
        for (std::size_t n = 0; n < g_.nodes.size(); ++n) {
            const auto said = g_.nodes[n].extensions.find("EXT_mesh_gpu_instancing");
            const int mine = index_of_[n];
            if (said == g_.nodes[n].extensions.end() || mine < 0 || !said->second.Has("attributes")) continue;
            const tinygltf::Value& attributes = said->second.Get("attributes");
            auto values = [&](const char* name, int width) {
                if (!attributes.Has(name)) return std::vector<float>{};
                return numbers(attributes.Get(name).GetNumberAsInt(), width);
            };
            const auto moves = values("TRANSLATION", 3), turns = values("ROTATION", 4), sizes = values("SCALE", 3);
            const std::size_t count = std::max({moves.size() / 3, turns.size() / 4, sizes.size() / 3});
            for (const std::size_t have : {moves.size() / 3, turns.size() / 4, sizes.size() / 3}) {
                if (have != 0 && have != count)
                    throw GltfBad{fmt::format("the instances of node {} have lists of different lengths", n)};
            }
            const PartNode of = m_.nodes[static_cast<std::size_t>(mine)];
            m_.nodes[static_cast<std::size_t>(mine)].meshes.clear();
            for (std::size_t i = 0; i < count; ++i) {
                PartNode& one = m_.nodes.emplace_back();
                one.name = fmt::format("{} {}", of.name, i + 1);
                one.parent = mine, one.meshes = of.meshes, one.weights = of.weights;
                if (!moves.empty()) one.translation = V3d(moves[i * 3], moves[i * 3 + 1], moves[i * 3 + 2]);
                if (!turns.empty())
                    one.rotation =
                        Quatd(turns[i * 4 + 3], turns[i * 4], turns[i * 4 + 1], turns[i * 4 + 2]).normalized();
                if (!sizes.empty()) one.scale = V3d(sizes[i * 3], sizes[i * 3 + 1], sizes[i * 3 + 2]);
            }
        }
    }

    void read_skins() {
        for (std::size_t s = 0; s < g_.skins.size(); ++s) {
            const auto& skin = g_.skins[s];
            PartSkin& out = m_.skins.emplace_back();
            for (int joint : skin.joints) {
                const int mine = at(index_of_, joint, "joint");
                if (mine < 0)
                    throw GltfBad{fmt::format("skin {} has a joint that is not in the scene (node {})", s, joint)};
                out.joints.push_back(mine);
            }
            out.inverse_bind.resize(out.joints.size());
            if (skin.inverseBindMatrices < 0) continue;
            const auto values = numbers(skin.inverseBindMatrices, 16);
            if (values.size() < out.joints.size() * 16)
                throw GltfBad{fmt::format("skin {} has too few bind matrices", s)};
            for (std::size_t j = 0; j < out.joints.size(); ++j) {
                for (int r = 0; r < 4; ++r) {
                    for (int c = 0; c < 4; ++c)
                        out.inverse_bind[j][r][c] = values[j * 16 + static_cast<std::size_t>(r * 4 + c)];
                }
            }
        }
        for (const PartNode& node : m_.nodes) {
            if (node.skin < 0) continue;
            const std::size_t joints = m_.skins[static_cast<std::size_t>(node.skin)].joints.size();
            for (int mesh : node.meshes) {
                const PartMesh& part = m_.meshes[static_cast<std::size_t>(mesh)];
                for (std::size_t i = 0; i < part.joints.size(); ++i) {
                    for (std::size_t k = 0; k < 4; ++k) {
                        if (part.weights[i][k] != 0 && part.joints[i][k] >= joints) {
                            throw GltfBad{fmt::format("a point of \"{}\" follows joint {}, but its skin has {}",
                                                      node.name, part.joints[i][k], joints)};
                        }
                    }
                }
            }
        }
        for (PartMesh& mesh : m_.meshes) { // joints that weigh nothing may point anywhere
            for (std::size_t i = 0; i < mesh.joints.size(); ++i) {
                for (std::size_t k = 0; k < 4; ++k) {
                    if (mesh.weights[i][k] == 0) mesh.joints[i][k] = 0;
                }
            }
        }
    }

    KeyedModel m_;
    std::set<int> shown_in_time_;            // glTF nodes whose visibility is animated
    mutable std::vector<GltfLine> lines_;    // collected on the way
    std::vector<std::vector<int>> parts_of_; // glTF mesh → ours
    std::vector<int> index_of_;              // glTF node → ours, −1: not in the scene
};

} // namespace

Result<GltfContent> read_gltf(const std::string& path, const std::string& animation) {
    std::vector<char> bytes;
    GARLAND_CHECK(read_file(path, bytes, std::uint64_t(1) << 32));
    const bool binary = bytes.size() >= 4 && std::memcmp(bytes.data(), "glTF", 4) == 0;
    GltfContent out;
    std::vector<std::string> pictures;
    GARLAND_CHECK(prepare_gltf(bytes, binary, path, pictures, out.notes));
    tinygltf::TinyGLTF loader;
    loader.SetImageLoader(no_image, nullptr);
    GltfFolder beside{folder_of(path)};
    loader.SetFsCallbacks(files_beside(beside));
    tinygltf::Model model;
    std::string error, warning;
    bool fine = false;
    const auto size = static_cast<unsigned>(bytes.size());
    try {
        fine = binary ? loader.LoadBinaryFromMemory(&model, &error, &warning,
                                                    reinterpret_cast<const unsigned char*>(bytes.data()), size,
                                                    beside.folder)
                      : loader.LoadASCIIFromString(&model, &error, &warning, bytes.data(), size, beside.folder);
        if (fine) GltfReader(model).read(out, animation);
    } catch (const GltfBad& bad) {
        return fail(Error{bad.code, bad.what}.at(path));
    } catch (const std::bad_alloc&) {
        return fail(Error{ErrorCode::too_large, "asks for more memory than there is"}
                        .advise("write it again, or on a machine with more memory")
                        .at(path));
    } catch (const std::exception& what) {
        error = what.what(), fine = false;
    }
    if (!fine) {
        for (char& c : error) c = c == '\n' || c == '\t' ? ' ' : c;
        while (!error.empty() && error.back() == ' ') error.pop_back();
        return fail(Error{ErrorCode::malformed, fmt::format("cannot be read as glTF ({})",
                                                            error.empty() ? "no reason given" : error.substr(0, 300))}
                        .at(path)
                        .advise("write it again; its buffers must lie where it says"));
    }
    out.files.push_back(path);
    out.files.insert(out.files.end(), pictures.begin(), pictures.end());
    for (const auto& buffer : model.buffers) {
        if (!buffer.uri.empty() && !buffer.uri.starts_with("data:"))
            out.files.push_back(folder_of(path) + "/" + buffer.uri);
    }
    return out;
}

} // namespace garland
