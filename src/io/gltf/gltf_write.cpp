#include "core/geometry/corner_normals.h"
#include "io/gltf/glb_buffer.h"
#include "io/gltf/gltf.h"
#include "io/gltf/gltf_pictures.h"

namespace garland {

namespace {

using Json = nlohmann::ordered_json;

Json mesh_json(const PartMesh& mesh, GlbBuffer& buffer, Json& materials) {
    const bool split = !mesh.base.corner_normals.empty(); // the format has normals of points only
    const Pose apart = split ? split_at_corners(mesh.base) : Pose();
    const Pose& pose = split ? apart : mesh.base;
    Json attributes{{"POSITION", buffer.vectors(pose.points, true)}};
    if (pose.normals.size() == pose.points.size()) attributes["NORMAL"] = buffer.vectors(pose.normals, false);
    if (pose.uvs.size() == pose.points.size()) {
        std::vector<V2f> down;
        for (const V2f& uv : pose.uvs) down.emplace_back(uv.x, 1 - uv.y);
        attributes["TEXCOORD_0"] = buffer.add(down.data(), down.size(), 2, gl_float, gl_vertices, false);
    }
    if (pose.colours.size() == pose.points.size()) attributes["COLOR_0"] = buffer.vectors(pose.colours, false);
    const auto triangles = pose.faces->triangles();
    Json primitive{{"attributes", attributes}, {"mode", 4}};
    if (!triangles.empty())
        primitive["indices"] = buffer.add(triangles.data(), triangles.size(), 1, gl_unsigned, gl_indices, false);
    if (!pose.faces->materials.empty()) {
        primitive["material"] = materials.size();
        Json look{{"name", pose.faces->materials.front()}, {"doubleSided", true}};
        if (const auto picture = pose.faces->pictures.find(pose.faces->materials.front());
            picture != pose.faces->pictures.end())
            look["extras"][gltf_picture] = picture->second;
        materials.push_back(std::move(look));
    }
    return {{"primitives", Json::array({primitive})}};
}

Json node_json(const KeyedModel& model, std::size_t index) {
    const PartNode& node = model.nodes[index];
    Json out{{"name", node.name}};
    Json children = Json::array();
    for (std::size_t i = index + 1; i < model.nodes.size(); ++i) {
        if (model.nodes[i].parent == static_cast<int>(index)) children.push_back(i);
    }
    if (!children.empty()) out["children"] = children;
    if (node.matrix) {
        Json m = Json::array();
        for (int r = 0; r < 4; ++r) {
            for (int c = 0; c < 4; ++c) m.push_back((*node.matrix)[r][c]);
        }
        out["matrix"] = m;
    } else {
        out["translation"] = {node.translation.x, node.translation.y, node.translation.z};
        out["rotation"] = {node.rotation.v.x, node.rotation.v.y, node.rotation.v.z, node.rotation.r};
        out["scale"] = {node.scale.x, node.scale.y, node.scale.z};
    }
    return out;
}

} // namespace

Result<void> write_glb(const std::string& path, const KeyedModel& model, Existing existing) {
    for (const PartMesh& mesh : model.meshes) {
        if (!mesh.targets.empty() || mesh.joint_sets > 0) {
            return fail(Error{ErrorCode::unsupported, "morph targets and skins are not written"}
                            .advise("write it as posed frames")
                            .at(path)
                            .keeping("nothing was written"));
        }
    }
    GlbBuffer buffer;
    Json nodes = Json::array(), meshes = Json::array(), materials = Json::array(), roots = Json::array();
    for (std::size_t i = 0; i < model.nodes.size(); ++i) {
        Json node = node_json(model, i);
        if (!model.nodes[i].meshes.empty()) {
            node["mesh"] = meshes.size();
            Json mesh;
            for (int m : model.nodes[i].meshes) {
                Json one = mesh_json(model.meshes[static_cast<std::size_t>(m)], buffer, materials);
                if (mesh.is_null()) {
                    mesh = std::move(one);
                } else {
                    mesh["primitives"].push_back(one["primitives"][0]);
                }
            }
            mesh["name"] = model.nodes[i].name;
            meshes.push_back(mesh);
        }
        nodes.push_back(node);
        if (model.nodes[i].parent < 0) roots.push_back(i);
    }
    Json samplers = Json::array(), channels = Json::array();
    for (const PartChannel& c : model.channels) {
        static const char* const paths[] = {"translation", "rotation", "scale", "weights"};
        static const char* const ways[] = {"STEP", "LINEAR", "CUBICSPLINE"};
        const KeyTrack& track = model.tracks[static_cast<std::size_t>(c.track)];
        const std::vector<float> times(track.times.begin(), track.times.end());
        const int input = buffer.add(times.data(), times.size(), 1, gl_float, 0, true);
        const std::size_t elements = track.values.size() / static_cast<std::size_t>(track.width);
        const std::vector<float> values(track.values.begin(), track.values.end());
        const int output = buffer.add(values.data(), elements, track.width, gl_float, 0, false);
        channels.push_back(
            {{"sampler", samplers.size()}, {"target", {{"node", c.node}, {"path", paths[static_cast<int>(c.path)]}}}});
        samplers.push_back(
            {{"input", input}, {"output", output}, {"interpolation", ways[static_cast<int>(track.way)]}});
    }
    Json j{{"asset", {{"version", "2.0"}, {"generator", "Garland"}}},
           {"scene", 0},
           {"scenes", {{{"nodes", roots}}}},
           {"nodes", nodes}};
    if (!meshes.empty()) j["meshes"] = meshes;
    if (!materials.empty()) j["materials"] = materials;
    if (!channels.empty()) j["animations"] = {{{"channels", channels}, {"samplers", samplers}}};
    return write_glb_file(path, std::move(j), buffer, existing);
}

} // namespace garland
