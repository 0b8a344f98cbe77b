#include "io/gltf/gltf.h"

#include "io/files/file.h"
#include "io/gltf/gltf_bytes.h"
#include "io/sources/pose_check.h"

#include <cmath>
#include <cstring>
#include <fmt/format.h>

namespace garland {

namespace {

bool no_image(tinygltf::Image*, int, std::string*, std::string*, int, int, const unsigned char*, int, void*) {
    return true; // pictures are not looked at
}

struct Bad {
    std::string what;
    ErrorCode code = ErrorCode::malformed;
};

class GltfReader {
  public:
    explicit GltfReader(const tinygltf::Model& g) : g_(g) {}

    void read(GltfContent& out) {
        for (const std::string& needed : g_.extensionsRequired) {
            if (needed != "KHR_mesh_quantization" && needed != "KHR_materials_unlit" &&
                needed != "KHR_texture_transform") {
                throw Bad{fmt::format("it needs the extension {}, which is not read", needed), ErrorCode::unsupported};
            }
        }
        read_meshes();
        read_nodes();
        read_skins();
        read_animations(out.notes);
        if (m_.points() == 0) throw Bad{"there is no mesh in its scene"};
        if (m_.points() > gltf_points_limit) {
            throw Bad{fmt::format("its scene has {} points, above the limit of {}", m_.points(), gltf_points_limit),
                      ErrorCode::too_large};
        }
        out.model = std::move(m_);
        out.lines = std::move(lines_);
    }

  private:
    template <class List>
    const auto& at(const List& list, int index, const char* what) const {
        if (index < 0 || static_cast<std::size_t>(index) >= list.size())
            throw Bad{fmt::format("{} {} is not there", what, index)};
        return list[static_cast<std::size_t>(index)];
    }

    static double component(const unsigned char* p, int type, bool normalised) {
        auto as = [p](auto value) {
            std::memcpy(&value, p, sizeof value);
            return value;
        };
        switch (type) {
        case TINYGLTF_COMPONENT_TYPE_FLOAT: return static_cast<double>(as(0.0f));
        case TINYGLTF_COMPONENT_TYPE_UNSIGNED_BYTE: return normalised ? *p / 255.0 : *p;
        case TINYGLTF_COMPONENT_TYPE_BYTE:
            return normalised ? std::max(as(std::int8_t(0)) / 127.0, -1.0) : as(std::int8_t(0));
        case TINYGLTF_COMPONENT_TYPE_UNSIGNED_SHORT:
            return normalised ? as(std::uint16_t(0)) / 65535.0 : as(std::uint16_t(0));
        case TINYGLTF_COMPONENT_TYPE_SHORT:
            return normalised ? std::max(as(std::int16_t(0)) / 32767.0, -1.0) : as(std::int16_t(0));
        case TINYGLTF_COMPONENT_TYPE_UNSIGNED_INT: return as(std::uint32_t(0));
        }
        throw Bad{fmt::format("numbers of type {} are not known", type)};
    }

    // Bytes of `count` elements `stride` apart in a buffer view, from `offset` on.
    const unsigned char* bytes(int view_index, std::size_t offset, std::size_t count, std::size_t stride,
                               std::size_t size, int accessor) const {
        const auto& view = at(g_.bufferViews, view_index, "buffer view");
        const auto& buffer = at(g_.buffers, view.buffer, "buffer");
        const std::size_t needed = count == 0 ? 0 : (count - 1) * stride + size;
        if (view.byteOffset > buffer.data.size() || view.byteLength > buffer.data.size() - view.byteOffset ||
            offset > view.byteLength || needed > view.byteLength - offset) {
            throw Bad{fmt::format("accessor {} reaches past the end of its buffer view {}", accessor, view_index),
                      ErrorCode::too_large};
        }
        return buffer.data.data() + view.byteOffset + offset;
    }

    std::size_t buffer_bytes() const {
        std::size_t all = 0;
        for (const auto& buffer : g_.buffers) all += buffer.data.size();
        return all;
    }

    // All numbers of an accessor, `width` each.
    std::vector<float> numbers(int index, int width, std::vector<std::uint32_t>* whole = nullptr) const {
        const auto& a = at(g_.accessors, index, "accessor");
        const int components = tinygltf::GetNumComponentsInType(static_cast<std::uint32_t>(a.type));
        const int each = tinygltf::GetComponentSizeInBytes(static_cast<std::uint32_t>(a.componentType));
        if (each <= 0 || components != width) {
            throw Bad{fmt::format("accessor {} has {} numbers an element, {} are needed", index, components, width)};
        }
        if (a.count > point_limit)
            throw Bad{fmt::format("accessor {} claims {} elements", index, a.count), ErrorCode::too_large};
        // Every element has a byte somewhere in the buffers, even where this accessor only says what differs from
        // another.
        if (a.count > buffer_bytes()) {
            throw Bad{fmt::format("accessor {} claims {} elements, but all buffers together have {} bytes", index,
                                  a.count, buffer_bytes()),
                      ErrorCode::too_large};
        }
        // The same data may serve several meshes, but not without end.
        decoded_ += a.count * static_cast<std::size_t>(width);
        if (decoded_ > 64 * buffer_bytes() + (std::size_t(1) << 24)) {
            throw Bad{"its accessors use the same data so often that it would need many times its size in memory",
                      ErrorCode::too_large};
        }
        const auto size = static_cast<std::size_t>(each) * static_cast<std::size_t>(width);
        const std::size_t values = a.count * static_cast<std::size_t>(width);
        std::vector<float> out;
        auto put = [&](const unsigned char* p, std::size_t element) {
            for (std::size_t k = 0; k < static_cast<std::size_t>(width); ++k) {
                const double v = component(p + k * static_cast<std::size_t>(each), a.componentType, a.normalized);
                if (whole) {
                    (*whole)[element * static_cast<std::size_t>(width) + k] = static_cast<std::uint32_t>(v);
                } else {
                    if (!std::isfinite(v))
                        throw Bad{fmt::format("accessor {}, element {}, is not finite", index, element)};
                    out[element * static_cast<std::size_t>(width) + k] = static_cast<float>(v);
                }
            }
        };
        auto room = [&] { whole ? whole->resize(values) : out.resize(values); };
        if (a.bufferView >= 0) {
            const auto& view = at(g_.bufferViews, a.bufferView, "buffer view");
            const std::size_t stride = view.byteStride > 0 ? view.byteStride : size;
            const unsigned char* from = bytes(a.bufferView, a.byteOffset, a.count, stride, size, index);
            room();
            for (std::size_t i = 0; i < a.count; ++i) put(from + i * stride, i);
        } else {
            if (!a.sparse.isSparse) throw Bad{fmt::format("accessor {} has no data", index)};
            room();
        }
        if (a.sparse.isSparse) {
            const auto count = static_cast<std::size_t>(std::max(a.sparse.count, 0));
            const int wide =
                tinygltf::GetComponentSizeInBytes(static_cast<std::uint32_t>(a.sparse.indices.componentType));
            if (count > a.count || wide <= 0)
                throw Bad{fmt::format("accessor {} has more sparse elements than it has elements", index)};
            const auto w = static_cast<std::size_t>(wide);
            const unsigned char* places = bytes(
                a.sparse.indices.bufferView, static_cast<std::size_t>(a.sparse.indices.byteOffset), count, w, w, index);
            const unsigned char* data =
                bytes(a.sparse.values.bufferView, static_cast<std::size_t>(a.sparse.values.byteOffset), count, size,
                      size, index);
            for (std::size_t i = 0; i < count; ++i) {
                const double place = component(places + i * w, a.sparse.indices.componentType, false);
                if (place >= static_cast<double>(a.count))
                    throw Bad{fmt::format("accessor {} has a sparse element beyond its end", index)};
                put(data + i * size, static_cast<std::size_t>(place));
            }
        }
        return out;
    }

    std::vector<V3f> vectors(int index) const {
        const std::vector<float> values = numbers(index, 3);
        std::vector<V3f> out(values.size() / 3);
        if (!out.empty()) std::memcpy(&out[0].x, values.data(), values.size() * sizeof(float));
        return out;
    }

    static int attribute(const std::map<std::string, int>& list, const std::string& name) {
        const auto found = list.find(name);
        return found == list.end() ? -1 : found->second;
    }

    void read_primitive(const tinygltf::Primitive& p, const std::string& mesh, PartMesh& out) const {
        auto need = [&](std::size_t have, const char* what) {
            if (have != out.base.points.size())
                throw Bad{fmt::format("mesh \"{}\" has {} {} for {} points", mesh, have, what, out.base.points.size())};
        };
        out.base.points = vectors(attribute(p.attributes, "POSITION"));
        if (const int i = attribute(p.attributes, "NORMAL"); i >= 0) {
            out.base.normals = vectors(i);
            need(out.base.normals.size(), "normals");
        }
        if (const int i = attribute(p.attributes, "TEXCOORD_0"); i >= 0) {
            const auto uv = numbers(i, 2);
            need(uv.size() / 2, "texture coordinates");
            for (std::size_t k = 0; k + 1 < uv.size(); k += 2)
                out.base.uvs.emplace_back(uv[k], 1 - uv[k + 1]); // its v goes down
        }
        if (const int i = attribute(p.attributes, "COLOR_0"); i >= 0) {
            const auto width =
                static_cast<std::size_t>(at(g_.accessors, i, "accessor").type == TINYGLTF_TYPE_VEC4 ? 4 : 3);
            const auto c = numbers(i, static_cast<int>(width));
            need(c.size() / width, "colours");
            for (std::size_t k = 0; k + width <= c.size(); k += width)
                out.base.colours.emplace_back(c[k], c[k + 1], c[k + 2]);
        }
        for (int set = 0; set < 2; ++set) {
            const int j = attribute(p.attributes, fmt::format("JOINTS_{}", set)),
                      w = attribute(p.attributes, fmt::format("WEIGHTS_{}", set));
            if (j < 0 || w < 0) break;
            ++out.joint_sets;
        }
        if (out.joint_sets > 0) {
            const auto sets = static_cast<std::size_t>(out.joint_sets), points = out.base.points.size();
            out.joints.resize(points * sets);
            out.weights.resize(points * sets);
            for (std::size_t set = 0; set < sets; ++set) {
                std::vector<std::uint32_t> joints;
                numbers(attribute(p.attributes, fmt::format("JOINTS_{}", set)), 4, &joints);
                const auto weights = numbers(attribute(p.attributes, fmt::format("WEIGHTS_{}", set)), 4);
                need(joints.size() / 4, "joints");
                need(weights.size() / 4, "weights");
                for (std::size_t i = 0; i < points; ++i) {
                    for (std::size_t k = 0; k < 4; ++k) {
                        out.joints[i * sets + set][k] = static_cast<std::uint16_t>(joints[i * 4 + k]);
                        out.weights[i * sets + set][k] = weights[i * 4 + k];
                    }
                }
            }
        }
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
        std::vector<std::uint32_t> order;
        if (p.indices >= 0) {
            numbers(p.indices, 1, &order);
        } else {
            for (std::uint32_t i = 0; i < out.base.points.size(); ++i) order.push_back(i);
        }
        for (std::uint32_t i : order) {
            if (i >= out.base.points.size())
                throw Bad{fmt::format("mesh \"{}\" points to point {}, but there are only {}", mesh, i,
                                      out.base.points.size())};
        }
        faces->starts.push_back(0);
        auto triangle = [&](std::size_t a, std::size_t b, std::size_t c) {
            for (std::size_t i : {a, b, c}) faces->corners.push_back(order[i]);
            faces->starts.push_back(static_cast<std::uint32_t>(faces->corners.size()));
        };
        const std::size_t n = order.size();
        switch (p.mode) {
        case TINYGLTF_MODE_TRIANGLES:
            for (std::size_t i = 0; i + 2 < n; i += 3) triangle(i, i + 1, i + 2);
            break;
        case TINYGLTF_MODE_TRIANGLE_STRIP:
            for (std::size_t i = 0; i + 2 < n; ++i) i % 2 == 0 ? triangle(i, i + 1, i + 2) : triangle(i + 1, i, i + 2);
            break;
        case TINYGLTF_MODE_TRIANGLE_FAN:
            for (std::size_t i = 1; i + 1 < n; ++i) triangle(0, i, i + 1);
            break;
        case TINYGLTF_MODE_LINE:
        case TINYGLTF_MODE_LINE_STRIP:
        case TINYGLTF_MODE_LINE_LOOP: {
            GltfLine line{static_cast<int>(m_.meshes.size()) - 1, order, p.mode == TINYGLTF_MODE_LINE_LOOP};
            lines_.push_back(std::move(line));
            break;
        }
        default: break; // points have no faces
        }
        if (p.material >= 0) {
            faces->materials.push_back(at(g_.materials, p.material, "material").name);
            faces->material_of.assign(faces->count(), 0);
        }
        out.base.faces = faces;
    }

    void read_meshes() {
        for (const auto& mesh : g_.meshes) {
            auto& parts = parts_of_.emplace_back();
            for (const auto& primitive : mesh.primitives) {
                if (attribute(primitive.attributes, "POSITION") < 0) continue;
                parts.push_back(static_cast<int>(m_.meshes.size()));
                read_primitive(primitive, mesh.name, m_.meshes.emplace_back());
            }
        }
    }

    void read_nodes() {
        std::vector<int> roots;
        if (!g_.scenes.empty()) {
            roots = at(g_.scenes, std::max(g_.defaultScene, 0), "scene").nodes;
        } else {
            std::vector<char> child(g_.nodes.size(), 0);
            for (const auto& node : g_.nodes) {
                for (int c : node.children) at(g_.nodes, c, "node"), child[static_cast<std::size_t>(c)] = 1;
            }
            for (std::size_t i = 0; i < child.size(); ++i) {
                if (!child[i]) roots.push_back(static_cast<int>(i));
            }
            if (roots.empty() && !g_.nodes.empty())
                throw Bad{"every node is the child of another: nodes go in a circle"};
        }
        index_of_.assign(g_.nodes.size(), -1);
        struct Open {
            int node, parent;
        };
        std::vector<Open> open;
        for (auto i = roots.rbegin(); i != roots.rend(); ++i) open.push_back({*i, -1});
        while (!open.empty()) {
            const int index = open.back().node, parent = open.back().parent;
            open.pop_back();
            const auto& node = at(g_.nodes, index, "node");
            int& mine = index_of_[static_cast<std::size_t>(index)];
            if (mine >= 0)
                throw Bad{fmt::format("node {} (\"{}\") is reached twice: nodes go in a circle, or have two parents",
                                      index, node.name)};
            mine = static_cast<int>(m_.nodes.size());
            PartNode& out = m_.nodes.emplace_back();
            out.name = node.name.empty() ? fmt::format("node {}", index) : node.name;
            out.parent = parent;
            auto finite = [&](const std::vector<double>& list) {
                for (double v : list) {
                    if (!std::isfinite(v))
                        throw Bad{fmt::format("node {} (\"{}\") has a transform that is not finite", index, node.name)};
                }
                return !list.empty();
            };
            if (finite(node.translation) && node.translation.size() == 3)
                out.translation = V3d(node.translation[0], node.translation[1], node.translation[2]);
            if (finite(node.rotation) && node.rotation.size() == 4) {
                out.rotation =
                    Quatd(node.rotation[3], node.rotation[0], node.rotation[1], node.rotation[2]).normalized();
            }
            if (finite(node.scale) && node.scale.size() == 3)
                out.scale = V3d(node.scale[0], node.scale[1], node.scale[2]);
            if (finite(node.matrix) && node.matrix.size() == 16) {
                M44d m;
                for (int r = 0; r < 4; ++r) {
                    for (int c = 0; c < 4; ++c) m[r][c] = node.matrix[static_cast<std::size_t>(r * 4 + c)];
                }
                out.matrix = m;
            }
            if (node.mesh >= 0) {
                out.meshes = at(parts_of_, node.mesh, "mesh");
                const auto& weights =
                    node.weights.empty() ? g_.meshes[static_cast<std::size_t>(node.mesh)].weights : node.weights;
                out.weights.assign(weights.begin(), weights.end());
                if (node.skin >= 0) at(g_.skins, node.skin, "skin"), out.skin = node.skin;
            }
            for (auto c = node.children.rbegin(); c != node.children.rend(); ++c) open.push_back({*c, mine});
        }
    }

    void read_skins() {
        for (std::size_t s = 0; s < g_.skins.size(); ++s) {
            const auto& skin = g_.skins[s];
            PartSkin& out = m_.skins.emplace_back();
            for (int joint : skin.joints) {
                const int mine = at(index_of_, joint, "joint");
                if (mine < 0)
                    throw Bad{fmt::format("skin {} has a joint that is not in the scene (node {})", s, joint)};
                out.joints.push_back(mine);
            }
            out.inverse_bind.resize(out.joints.size());
            if (skin.inverseBindMatrices < 0) continue;
            const auto values = numbers(skin.inverseBindMatrices, 16);
            if (values.size() < out.joints.size() * 16) throw Bad{fmt::format("skin {} has too few bind matrices", s)};
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
                            throw Bad{fmt::format("a point of \"{}\" follows joint {}, but its skin has {}", node.name,
                                                  part.joints[i][k], joints)};
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

    void read_animations(std::vector<std::string>& notes) {
        for (std::size_t n = 0; n < g_.animations.size(); ++n) {
            const auto& animation = g_.animations[n];
            for (const auto& channel : animation.channels) {
                if (channel.target_node < 0) continue; // the specification lets a reader pass over these
                const int node = at(index_of_, channel.target_node, "node");
                if (node < 0) {
                    notes.push_back(
                        fmt::format("animation of node {}, which is not in the scene", channel.target_node));
                    continue;
                }
                const auto& sampler = at(animation.samplers, channel.sampler, "sampler");
                PartChannel out;
                out.node = node;
                KeyTrack track;
                if (channel.target_path == "translation") {
                    out.path = PartPath::translation;
                } else if (channel.target_path == "scale") {
                    out.path = PartPath::scale;
                } else if (channel.target_path == "rotation") {
                    out.path = PartPath::rotation;
                    track.rotation = true;
                    track.width = 4;
                } else if (channel.target_path == "weights") {
                    out.path = PartPath::weights;
                } else {
                    notes.push_back(fmt::format("animation of \"{}\"", channel.target_path));
                    continue;
                }
                const std::string& way = sampler.interpolation;
                if (way != "STEP" && way != "LINEAR" && way != "CUBICSPLINE")
                    throw Bad{fmt::format("animation {}: \"{}\" is no way between keys", n, way)};
                track.way = way == "STEP" ? KeyWay::step : way == "LINEAR" ? KeyWay::linear : KeyWay::cubic;
                for (float t : numbers(sampler.input, 1)) track.times.push_back(t);
                if (out.path == PartPath::weights) {
                    const std::vector<float> values = numbers(sampler.output, 1);
                    track.values.assign(values.begin(), values.end());
                    const std::size_t each = track.times.size() * (track.way == KeyWay::cubic ? 3 : 1);
                    if (each == 0 || track.values.size() % each != 0 || track.values.empty())
                        throw Bad{fmt::format("animation {}: weights do not fit their keys", n)};
                    track.width = static_cast<int>(track.values.size() / each);
                } else {
                    const std::vector<float> values = numbers(sampler.output, track.width);
                    track.values.assign(values.begin(), values.end());
                }
                if (track.rotation) { // near enough to unit length for files that store few digits
                    for (std::size_t i = track.way == KeyWay::cubic ? 4 : 0; i + 3 < track.values.size();
                         i += track.way == KeyWay::cubic ? 12 : 4) {
                        double* q = &track.values[i];
                        const double length = std::sqrt(q[0] * q[0] + q[1] * q[1] + q[2] * q[2] + q[3] * q[3]);
                        if (!(length > 1e-6)) throw Bad{fmt::format("animation {} has a rotation of no length", n)};
                        if (std::abs(length - 1) > 1e-6) {
                            for (int k = 0; k < 4; ++k) q[k] /= length;
                        }
                    }
                }
                if (auto ok = validate(track); !ok) {
                    throw Bad{fmt::format("animation {} (\"{}\"), {} of \"{}\": {}", n, animation.name,
                                          channel.target_path, m_.nodes[static_cast<std::size_t>(node)].name,
                                          ok.error().message)};
                }
                out.track = static_cast<int>(m_.tracks.size());
                m_.tracks.push_back(std::move(track));
                m_.channels.push_back(out);
            }
        }
    }

    const tinygltf::Model& g_;
    mutable std::size_t decoded_ = 0; // numbers so far
    KeyedModel m_;
    mutable std::vector<GltfLine> lines_;    // collected on the way
    std::vector<std::vector<int>> parts_of_; // glTF mesh → ours
    std::vector<int> index_of_;              // glTF node → ours, −1: not in the scene
};

} // namespace

Result<GltfContent> read_gltf(const std::string& path) {
    std::vector<char> bytes;
    GARLAND_CHECK(read_file(path, bytes, std::uint64_t(1) << 32));
    const bool binary = bytes.size() >= 4 && std::memcmp(bytes.data(), "glTF", 4) == 0;
    GARLAND_CHECK(prepare_gltf(bytes, binary, path));
    tinygltf::TinyGLTF loader;
    loader.SetImageLoader(no_image, nullptr);
    GltfFolder beside{folder_of(path)};
    loader.SetFsCallbacks(files_beside(beside));
    tinygltf::Model model;
    std::string error, warning;
    bool fine = false;
    const auto size = static_cast<unsigned>(bytes.size());
    GltfContent out;
    try {
        fine = binary ? loader.LoadBinaryFromMemory(&model, &error, &warning,
                                                    reinterpret_cast<const unsigned char*>(bytes.data()), size,
                                                    beside.folder)
                      : loader.LoadASCIIFromString(&model, &error, &warning, bytes.data(), size, beside.folder);
        if (fine) GltfReader(model).read(out);
    } catch (const Bad& bad) {
        return fail(Error{bad.code, bad.what}.at(path));
    } catch (const std::bad_alloc&) {
        return fail(Error{ErrorCode::too_large, "asks for more memory than there is"}.at(path));
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
    for (const auto& buffer : model.buffers) {
        if (!buffer.uri.empty() && !buffer.uri.starts_with("data:"))
            out.files.push_back(folder_of(path) + "/" + buffer.uri);
    }
    return out;
}

} // namespace garland
