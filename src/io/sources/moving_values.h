// Values beside positions that move, as arrays of their own: stem_NAME.npy of the shape (frames, n) or (frames, n,
// width), next to stem.npy. NAME is "normal", "colour" or "uv" for those lists of a pose, otherwise an attribute's
// name.
#pragma once

#include "core/source/source.h"
#include "io/npy/npy.h"

#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace garland {

// A list of a pose that can be kept: values or whole, `width` for each of its points.
struct ValueList {
    std::string name;
    std::size_t width = 1;
    const float* values = nullptr;
    const std::int32_t* whole = nullptr;
    std::size_t count = 0; // of numbers
    bool same_as(const ValueList& other) const;
};
// Normals, colours, texture coordinates and attributes, as far as the pose has them.
std::vector<ValueList> value_lists(const Pose& pose);

class MovingValues {
  public:
    // All that lie beside the stem and fit: as many frames and points. What has ids of its own is another source's.
    // `taken`: endings that mean something else ("_velocity").
    // only: where it is set, just the files of these names.
    static Result<MovingValues> find(const std::string& stem, std::uint64_t frames, std::uint64_t points,
                                     const std::vector<std::string>& taken,
                                     const std::optional<std::vector<std::string>>& only = {});

    bool any() const { return !arrays_.empty(); }
    // Puts the values of a frame, or those w of the way to frame b, in place of the pose's own. Errors: malformed,
    // where a file was cut short meanwhile.
    Result<void> put(Pose& pose, std::uint64_t a, std::uint64_t b = 0, float w = 0) const;
    void add_files(std::vector<std::string>& files) const;
    // Which attributes of three numbers are directions; not set: all but those whose names are those of colours.
    void set_directions(std::vector<std::string> names) { directions_ = std::move(names); }

  private:
    struct Array {
        std::string name, path;
        NpyFile file;
        std::size_t width = 1;
    };
    std::vector<std::shared_ptr<const Array>> arrays_;
    std::optional<std::vector<std::string>> directions_;
};

// Writes such arrays frame by frame.
class MovingWriter {
  public:
    MovingWriter(std::string stem, std::uint64_t frames, std::uint64_t points, NpyType type, Existing existing)
        : stem_(std::move(stem)), frames_(frames), points_(points), type_(type), existing_(existing) {}
    // A list's numbers at a frame. Its file begins with the first call, whose numbers also stand for frames before it.
    // Numbers that are missing at the end are 0. Errors: those of writing; unsupported, where a number is too large for
    // halves.
    Result<void> add(const ValueList& list, std::uint64_t frame);
    // The list has been the same in all frames so far: nothing is written until one differs.
    Result<void> add_if_moving(const ValueList& list, const ValueList& first, std::uint64_t frame);
    Result<std::vector<std::string>> commit(); // the files
    std::string path_of(const std::string& name) const;

  private:
    struct Open {
        std::string name, path;
        NpyWriter writer;
        std::uint64_t frames = 0;
    };
    Result<void> write(Open& open, const ValueList& list);
    Result<Open*> open(const ValueList& list);
    std::string stem_;
    std::uint64_t frames_, points_;
    NpyType type_;
    Existing existing_;
    std::vector<Open> open_;
};

} // namespace garland
