// The one buffer of a .glb that is written, with a view and an accessor for each list.
#pragma once

#include "core/geometry/pose.h"
#include "io/files/file.h"

#include <nlohmann/json.hpp>
#include <string>

namespace garland {

// Of the specification: kinds of numbers, and what a view is for.
inline constexpr int gl_float = 5126, gl_unsigned = 5125, gl_vertices = 34962, gl_indices = 34963;

class GlbBuffer {
  public:
    // count elements of `width` numbers of four bytes; target 0: neither vertices nor indices. box: with the least and
    // the largest value. Gives the accessor's number.
    int add(const void* data, std::size_t count, int width, int component, int target, bool box);
    int vectors(const std::vector<V3f>& list, bool box) {
        return add(list.data(), list.size(), 3, gl_float, gl_vertices, box);
    }
    int numbers(const std::vector<float>& list, int width, bool box) { // of animations
        return add(list.data(), list.size() / static_cast<std::size_t>(width), width, gl_float, 0, box);
    }
    const std::string& bytes() const { return bytes_; }
    nlohmann::ordered_json views = nlohmann::ordered_json::array(), accessors = nlohmann::ordered_json::array();

  private:
    std::string bytes_;
};

// The container: adds accessors, views and the buffer to `json`. Errors: too_large, above 4 GB; exists, disk_full …
Result<void> write_glb_file(const std::string& path, nlohmann::ordered_json json, const GlbBuffer& buffer,
                            Existing existing);

} // namespace garland
