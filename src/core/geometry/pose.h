// A pose: a source's geometry at one source frame. Faces are shared between poses wherever they do not change.
#pragma once

#include <Imath/ImathBox.h>
#include <Imath/ImathVec.h>
#include <cstddef>
#include <cstdint>
#include <map>
#include <memory>
#include <string>
#include <vector>

namespace garland {

using Imath::V2f;
using Imath::V3d;
using Imath::V3f;

// A named value per point or face: 1 to 16 floats each, or as many whole numbers; exactly one list is filled, with
// count · width entries.
struct Attribute {
    std::string name;
    int width = 1;
    std::vector<float> values{};
    std::vector<std::int32_t> whole{};
    bool vector = false; // three floats that are a direction: turned with the points
    bool operator==(const Attribute&) const = default;
};

// How points are turned: x, y, z, w of a quaternion each, from a copy's own space into that of the points.
inline bool is_orientation(const Attribute& a) {
    return a.name == "orient" && a.width == 4 && a.whole.empty();
}

class Volume;

// Polygons over points: face f has the corners corners[starts[f]] … corners[starts[f + 1] − 1], counter-clockwise seen
// from outside. starts has one entry more than there are faces (or none at all); every corner is below the point count.
struct Faces {
    std::vector<std::uint32_t> starts;
    std::vector<std::uint32_t> corners;
    std::vector<V2f> corner_uvs;            // one per corner, or empty
    std::vector<std::string> materials;     // names
    std::vector<std::uint32_t> material_of; // one per face, below materials.size(), or empty
    // Of materials by name: the picture of the base colour, absolute where the source names it from its own folder.
    // Carried along, never opened.
    std::map<std::string, std::string> pictures;
    std::vector<Attribute> attributes;        // per face
    std::vector<Attribute> corner_attributes; // per corner

    std::size_t count() const { return starts.empty() ? 0 : starts.size() - 1; }
    bool same_shape(const Faces& other) const { return starts == other.starts && corners == other.corners; }
    bool operator==(const Faces&) const = default; // shape and everything that is kept for faces and corners
    std::size_t bytes() const;                     // what they take in memory
    // Fans around each face's first corner: three point indices a triangle.
    std::vector<std::uint32_t> triangles() const;
    std::vector<std::uint32_t> triangle_corners() const; // the same fans, as places in `corners`
};

struct Pose {
    std::vector<V3f> points;              // in the source's own units
    std::vector<V3f> normals;             // unit length, one per point, or empty
    std::vector<V3f> corner_normals;      // unit length, one per corner where those of a point differ; or empty
    std::vector<V3f> velocities;          // units per second, one per point, or empty
    std::vector<V2f> uvs;                 // one per point, or empty
    std::vector<V3f> colours;             // 0…1 as stored, one per point, or empty
    std::vector<Attribute> attributes;    // per point
    std::vector<std::int64_t> ids;        // particles: one per point, each once; otherwise empty
    std::shared_ptr<const Volume> volume; // volumes: the grids, and no points
    std::shared_ptr<const Faces> faces = std::make_shared<Faces>();

    std::size_t bytes() const; // what the pose takes in memory, without shared faces
};
using PosePtr = std::shared_ptr<const Pose>;

// The corner of the points (a volume: of its active voxels) nearest to −∞ and the one nearest to +∞; empty without any.
Imath::Box3f bounds(const Pose& pose);
Imath::Box3f bounds_of(const std::vector<V3f>& points); // finite ones; empty where there are none

// Unit normals at the points, each the sum of its faces' area-weighted normals; zero where no face touches a point.
// Newell's method for polygons (Sutherland, Sproull and Schumacker 1974).
std::vector<V3f> point_normals(const std::vector<V3f>& points, const Faces& faces);

} // namespace garland
