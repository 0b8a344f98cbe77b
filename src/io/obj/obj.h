// Wavefront OBJ text (the published "Object Files" appendix): v (with colours r g b), vt, vn, f with absolute or
// negative indices, g and o (the attribute `group` of faces, counted from 0 in the order of their first appearance,
// where there are several), usemtl, and of mtllib the names of pictures. Lines and curves are passed over.
#pragma once

#include "core/base/result.h"
#include "core/geometry/pose.h"
#include "io/files/file.h"

#include <string>

namespace garland {

// Errors: not_found, unreadable, malformed (with the line). Normals are those of points where the corners of
// each agree, otherwise those of corners.
Result<PosePtr> read_obj(const std::string& path);
Result<PosePtr> parse_obj(const char* data, std::size_t size, const std::string& path);

// What of a file is not in the pose that is read from it, in words.
std::vector<std::string> obj_left_out(const std::string& path);

struct ObjCounts {
    std::size_t points = 0, faces = 0;
};
Result<ObjCounts> read_obj_counts(const std::string& path); // counts lines only

// Points, faces, texture coordinates and normals of corners; without groups and materials.
Result<void> write_obj(const std::string& path, const Pose& pose, Existing existing);

} // namespace garland
