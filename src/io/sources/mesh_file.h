// What sources of mesh files share.
#pragma once

#include "core/source/source.h"
#include "io/files/file.h"

namespace garland {

double disk_bytes(const std::string& path); // 0 where there is no such file

Result<PosePtr> read_mesh(const std::string& path); // OBJ or PLY, by its ending

struct MeshCounts {
    std::uint64_t points = 0, faces = 0;
    bool operator==(const MeshCounts&) const = default;
};
Result<MeshCounts> read_mesh_counts(const std::string& path);

// Says what of a file is left out in the pose that was read from it.
void tell_left_out(SourceFacts& facts, const std::string& path, const Pose& pose);

// Facts that the first pose tells.
void learn_pose(SourceFacts& facts, const Pose& pose);

} // namespace garland
