// PLY, the polygon file format (Turk 1994): ASCII and binary of either byte order.
// Per point: x y z, nx ny nz, vx vy vz (velocity, units a second), s t or u v or texture_u texture_v, red green blue;
// every other number per point or face becomes an attribute of its name, whole numbers as such. Points without faces
// that have a whole number `id` are particles. Faces: the list vertex_indices or vertex_index; texture coordinates of
// their corners as the list texcoord (common practice, no source); `material`, a whole number, where comments name the
// materials; the pictures of their base colours as comments, carried along by name.
#pragma once

#include "core/base/result.h"
#include "core/geometry/pose.h"
#include "io/files/file.h"

#include <cstdint>
#include <string>
#include <vector>

namespace garland {

// Errors: not_found, unreadable, malformed (with line or byte), too_large (a count the file cannot hold, told before
// anything is allocated). Whole numbers of 64 bits are kept as ids; an attribute with one that does not fit 32 bits is
// left out.
Result<PosePtr> read_ply(const std::string& path);
Result<PosePtr> parse_ply(const char* data, std::size_t size, const std::string& path);

// What of a file is not in the pose that was read from it, in words.
std::vector<std::string> ply_left_out(const std::string& path, const Pose& pose);

struct PlyCounts {
    std::uint64_t points = 0, faces = 0;
};
Result<PlyCounts> read_ply_counts(const std::string& path); // from the header alone

bool has_large_face(const Faces& faces, std::uint32_t most = 255); // one with more corners than that

enum class PlyForm { ascii, little_endian, big_endian };
Result<void> write_ply(const std::string& path, const Pose& pose, PlyForm form, Existing existing);

// One PLY file of many poses, written piece by piece: little-endian, all points first, then all faces.
class PlyMerger {
  public:
    struct Content {
        std::uint64_t points = 0, faces = 0;
        bool normals = false, velocities = false, uvs = false, colours = false, copy = false;
        bool many_corners = false; // some face has more corners (or numbers of their texture coordinates) than 255
        std::uint64_t corners = 0; // for the size told before
        bool ids = false;
        bool large_ids = false; // some id does not fit four bytes: all are written as doubles, exact below 2⁵³
        std::vector<Attribute> attributes{};           // of points: what they are called, without values
        bool corner_uvs = false;                       // some face has texture coordinates of its corners
        std::vector<std::string> materials{};          // of all faces
        std::map<std::string, std::string> pictures{}; // of materials
        std::vector<Attribute> face_attributes{};      // without values
        void add_faces(const Faces& faces);            // counts them, and what they have
    };
    static Result<PlyMerger> create(const std::string& path, const Content& content, Existing existing,
                                    const std::string& comment);
    static std::uint64_t size_of(const Content& content); // bytes of the file, within the header's length
    // Points, normals and velocities as they are placed; everything else is taken from the pose, and is 0 where it has
    // none. `copy` is the number written for every point.
    void add_points(const std::vector<V3f>& points, const std::vector<V3f>& normals, const std::vector<V3f>& velocities,
                    const std::vector<Attribute>& attributes, const Pose& pose, std::int32_t copy);
    void add_faces(const Faces& faces, std::uint32_t first_point); // what they lack is 0, a material −1
    Result<void> finish() { return file_.finish(); }               // see AtomicFile
    Result<void> publish() { return file_.publish(); }
    const std::string& temporary() const { return file_.temporary(); }
    std::uint64_t written() const { return file_.written(); }
    WrittenFile about() const { return file_.about(); }

  private:
    PlyMerger(AtomicFile file, const Content& content) : file_(std::move(file)), content_(content) {}
    AtomicFile file_;
    Content content_;
    std::vector<char> buffer_;
};

} // namespace garland
