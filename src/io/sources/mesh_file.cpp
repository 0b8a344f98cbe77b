#include "io/sources/mesh_file.h"

#include "io/files/packed_file.h"
#include "io/obj/obj.h"
#include "io/ply/ply.h"

#include <algorithm>
#include <filesystem>
#include <fmt/format.h>

namespace garland {

double disk_bytes(const std::string& path) {
    std::error_code error;
    const auto size = std::filesystem::file_size(path, error);
    return error ? 0 : static_cast<double>(size);
}

Result<PosePtr> read_mesh(const std::string& path) {
    return content_ending(path) == ".obj" ? read_obj(path) : read_ply(path);
}

Result<MeshCounts> read_mesh_counts(const std::string& path) {
    if (content_ending(path) == ".obj") {
        GARLAND_TRY(c, read_obj_counts(path));
        return MeshCounts{c.points, c.faces};
    }
    GARLAND_TRY(c, read_ply_counts(path));
    return MeshCounts{c.points, c.faces};
}

void tell_left_out(SourceFacts& facts, const std::string& path, const Pose& pose) {
    const auto list = content_ending(path) == ".obj"   ? obj_left_out(path)
                      : content_ending(path) == ".ply" ? ply_left_out(path, pose)
                                                       : std::vector<std::string>{};
    for (const std::string& what : list)
        facts.problems.push_back(
            {fmt::format("{} {} left out", what, what.starts_with("1 item") || what.starts_with("\"") ? "is" : "are"),
             "the rest is shown", std::nullopt});
}

void learn_pose(SourceFacts& facts, const Pose& pose) {
    facts.points = pose.points.size();
    facts.varies.most_points = std::max(facts.varies.most_points, facts.points);
    facts.faces = pose.faces->count();
    facts.carries.velocities = !pose.velocities.empty();
    facts.carries.normals = !pose.normals.empty() || !pose.corner_normals.empty();
    facts.carries.normal_corners = pose.corner_normals.size();
    facts.carries.uvs = !pose.uvs.empty() || !pose.faces->corner_uvs.empty();
    for (const auto& a : pose.attributes) facts.carries.attributes.push_back(a.name);
    if (!pose.colours.empty()) facts.carries.colours = true;
    facts.box = bounds(pose);
}

} // namespace garland
