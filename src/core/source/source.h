// A source: baked frames on disk, read-only. What it is (facts) is learned when it is opened; poses are read one by
// one.
#pragma once

#include "core/base/progress.h"
#include "core/base/result.h"
#include "core/base/words.h"
#include "core/geometry/blend.h"
#include "core/time/rate.h"

#include <cstdint>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace garland {

enum class SourceKind {
    mesh_cache,    // points move, faces fixed
    mesh_sequence, // faces may change from frame to frame
    pieces,        // rigid parts of a mesh that move as wholes
    keyed_parts,   // a hierarchy with animated transforms, exact at any time
    particles,     // points with ids, births and deaths
    volume,        // grids per frame
    shapes,        // a handful of meshes of equal points, each shown some frames
    water,         // a computed periodic surface
};

enum class UpAxis { y, z }; // of the files; scenes have y up
inline constexpr Word<UpAxis> up_words[] = {{"y", UpAxis::y}, {"z", UpAxis::z}};

struct GridFacts; // core/geometry/volume.h

// Something about a source that its user should know, and what can be done about it.
struct SourceProblem {
    std::string what;   // "frames 13 and 14 are missing"
    std::string advice; // "frame 12 is shown in their place"
    std::optional<std::int64_t> frame;
};

// Something in a file that can be taken in several ways: a set of variants, one of several animations.
struct SourceChoice {
    std::string name;   // in import settings: "/quay/lantern{paper}", "animation"
    std::string title;  // "paper of lantern"
    std::string chosen; // one of the options; empty: none of them
    std::vector<std::string> options;
    bool operator==(const SourceChoice&) const = default;
};
using SourceChoices = std::map<std::string, std::string>; // what is taken instead of what the file says, by name

// How points and faces differ from frame to frame.
struct VaryingShape {
    std::size_t most_points = 0;                 // of any frame
    std::optional<std::int64_t> faces_change_at; // the first frame whose points or faces differ in number
    std::vector<std::int64_t> odd_frames; // whose points or faces differ in number from the first frame's; rising
};

// What comes with the points.
struct CarriedValues {
    bool velocities = false, normals = false, uvs = false, colours = false;
    std::size_t normal_corners = 0; // how many, where normals are of corners; otherwise 0
    // Velocities are made from the source's motion, in units a frame: the source has no clock of its own.
    bool velocities_a_frame = false;
    std::vector<std::string> attributes;
};

// What the files say of themselves.
struct FilesSay {
    std::optional<Rate> rate;
    UpAxis up = UpAxis::y;
    double scale = 1; // metres in one of their units
};

struct SourceFacts {
    SourceKind kind = SourceKind::mesh_cache;
    std::string format;                // "PLY series", "OBJ and NumPy array"
    std::int64_t first = 0;            // as the files count
    std::int64_t last = 0;             // ≥ first
    std::vector<std::int64_t> missing; // frames between first and last that are not there, rising
    std::size_t points = 0;            // of the first frame
    std::size_t faces = 0;
    VaryingShape varies;
    CarriedValues carries;
    FilesSay says;
    double bytes_on_disk = 0;
    Imath::Box3f box; // of the first pose
    std::size_t pieces = 0;
    bool root = false; // its root's motion can be left out
    std::vector<SourceProblem> problems;
    std::vector<SourceChoice> choices;

    std::int64_t frames() const { return last - first + 1; }
};

class Source {
  public:
    virtual ~Source() = default;
    virtual const SourceFacts& facts() const = 0;
    // The pose of one whole frame as the files count. A missing frame gives the nearest earlier one. Safe to call from
    // several threads at once. Errors: whatever the file brings, with path, frame and line or byte.
    virtual Result<PosePtr> read(std::int64_t file_frame, Progress& progress) const = 0;
    virtual std::vector<std::string> files() const = 0; // everything it reads

    // Its parts by number, where they have names and stand below one another. See part_numbers().
    struct PartName {
        std::string name;
        int parent = -1;
    };
    virtual std::vector<PartName> parts() const { return {}; }

    // Whether poses between frames, made so, are the source's own affair, not a mix of points.
    virtual bool makes_between(SubFrame how) const {
        static_cast<void>(how);
        return false;
    }
    // Its pose at `weight` of the way from frame a to frame b, both present and neighbours; smooth looks at `before`
    // and `after` as well (the same as a and b: there is none). Errors as read.
    struct Between {
        std::int64_t a = 0, b = 0, before = 0, after = 0;
        double weight = 0;
        bool smooth = false;
        double seconds = 0; // from a to b, on the clock of the files
    };
    virtual Result<PosePtr> between(const Between&, Progress&) const {
        return fail(Error{ErrorCode::unsupported, "this source makes no poses between frames"}.advise(
            "show it at the nearest frame"));
    }

    // Whether it has its own exact pose at any file frame; exact_at() then answers instead of read and between. `how`:
    // only shapes go by it.
    virtual bool any_time() const { return false; }
    virtual Result<PosePtr> exact_at(double file_frame, SubFrame how, Progress& progress) const {
        static_cast<void>(how);
        return read(static_cast<std::int64_t>(file_frame), progress);
    }
    // The file frames that are laid over each other at a time, with their weights; nothing for a source that has no
    // layers.
    struct LayersAt {
        double a = 0, b = 0, weight_a = 1, weight_b = 0;
    };
    virtual std::optional<LayersAt> layers_at(double file_frame) const {
        static_cast<void>(file_frame);
        return {};
    }
    // Where its root is, for sources whose facts say that it has one.
    virtual V3d root_at(double file_frame) const {
        static_cast<void>(file_frame);
        return V3d(0);
    }

    // The file frame that stands in for a possibly missing one.
    std::int64_t present(std::int64_t file_frame) const;
    // The first one that is there from file_frame on; the last one where there is none.
    std::int64_t next_present(std::int64_t file_frame) const;
};
using SourcePtr = std::shared_ptr<const Source>;

// A source that answers for any file frame by itself.
class ExactSource : public Source {
  public:
    bool any_time() const final { return true; }
    Result<PosePtr> read(std::int64_t frame, Progress& progress) const final {
        return exact_at(static_cast<double>(frame), SubFrame::linear, progress);
    }
};

// A source with some of its frames left out: they count as missing. The same source where nothing is dropped.
SourcePtr without_frames(const SourcePtr& source, const std::vector<std::int64_t>& dropped);

// "frame 13", "frames 13 to 17", "frames 13, 15 and 9 more"; frames: rising, at least one.
std::string frame_list(const std::vector<std::int64_t>& frames);

const char* to_text(SourceKind kind); // "moving mesh", "changing mesh", "pieces", …
const char* to_text(UpAxis up);       // "y", "z"

} // namespace garland
