// NumPy arrays, the .npy format 1.0 to 3.0 (NumPy Enhancement Proposal 1), of shape (frames, points, 3).
#pragma once

#include "core/base/result.h"
#include "core/geometry/pose.h"
#include "io/file.h"

#include <cstdint>
#include <string>
#include <vector>

namespace garland {

enum class NpyType { f16, f32, f64 };

struct NpyHeader {
    NpyType type = NpyType::f32;
    bool big_endian = false;
    std::vector<std::uint64_t> shape;
    std::uint64_t data_offset = 0;
    std::uint64_t bytes_per_frame() const; // of shape[1] · shape[2] values
};

// Errors: malformed, unsupported (other types, Fortran order, pickled objects, other shapes), too_large (a shape the
// file cannot hold).
Result<NpyHeader> read_npy_header(const std::string& path);
Result<NpyHeader> parse_npy_header(const std::string& head, std::uint64_t file_size, const std::string& path);

// The vectors of one frame, 0 … shape[0] − 1.
Result<std::vector<V3f>> read_npy_frame(const std::string& path, const NpyHeader& header, std::uint64_t frame);

// Writes frames one by one, all with the same number of points.
class NpyWriter {
  public:
    static Result<NpyWriter> create(const std::string& path, std::uint64_t frames, std::uint64_t points, NpyType type,
                                    Existing existing);
    void add(const std::vector<V3f>& frame);
    Result<void> commit();

  private:
    NpyWriter(AtomicFile file, NpyType type) : file_(std::move(file)), type_(type) {}
    AtomicFile file_;
    NpyType type_;
};

} // namespace garland
