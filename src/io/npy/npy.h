// NumPy arrays, the .npy format 1.0 to 3.0 (NumPy Enhancement Proposal 1), of shape (frames, points, 3).
#pragma once

#include "core/base/result.h"
#include "core/geometry/pose.h"
#include "io/files/file.h"
#include "io/files/mapped_file.h"

#include <cstdint>
#include <string>
#include <vector>

namespace garland {

enum class NpyType { f16, f32, f64, i32, i64 };

struct NpyHeader {
    NpyType type = NpyType::f32;
    bool big_endian = false;
    std::vector<std::uint64_t> shape;
    std::uint64_t data_offset = 0;
    std::uint64_t bytes_per_frame() const; // of all values but for the first dimension
    bool whole() const { return type == NpyType::i32 || type == NpyType::i64; }
};

// Errors: malformed, unsupported (other types, Fortran order, pickled objects, other shapes), too_large (a shape the
// file cannot hold).
Result<NpyHeader> read_npy_header(const std::string& path);
// The same for 1 to 3 dimensions of floats or whole numbers of 4 or 8 bytes.
Result<NpyHeader> parse_npy_array(const std::string& head, std::uint64_t file_size, const std::string& path);
Result<NpyHeader> parse_npy_header(const std::string& head, std::uint64_t file_size, const std::string& path);

// An array mapped into memory: frames are copied out of it, and the memory behind them is let go of again, so that
// playing a large file does not fill the memory. Errors of the readers: malformed, where the file was cut short
// meanwhile.
class NpyFile {
  public:
    static Result<NpyFile> open(const std::string& path);
    const NpyHeader& header() const { return header_; }
    std::size_t size() const { return file_.size(); }                    // bytes; 0: no file
    Result<std::vector<V3f>> vectors(std::uint64_t frame) const;         // of a (frames, points, 3) array
    Result<std::vector<float>> floats(std::uint64_t frame) const;        // all numbers of a frame of floats
    Result<std::vector<std::int64_t>> wholes(std::uint64_t frame) const; // of a (frames, n) array of whole numbers
    // w of the way from frame a to b, without converting either as a whole; little-endian half floats only.
    bool mixes() const { return header_.type == NpyType::f16 && !header_.big_endian; }
    Result<std::vector<V3f>> mixed(std::uint64_t a, std::uint64_t b, float w) const;
    void want(std::uint64_t frame) const; // it will be asked for soon

  private:
    void convert(const char* raw, float* to, std::size_t count) const;
    Result<const char*> bytes(std::uint64_t frame) const;
    // The memory behind a frame is not needed any more. Error: changed, so that what was read of it is not to be used.
    Result<void> done(std::uint64_t frame) const;
    std::string path_;
    NpyHeader header_;
    MappedFile file_;
};

// Writes frames one by one, all with the same number of points.
class NpyWriter {
  public:
    static Result<NpyWriter> create(const std::string& path, std::uint64_t frames, std::uint64_t points, NpyType type,
                                    Existing existing);
    void add(const std::vector<V3f>& frame);
    // An array of the shape (frames, n) of 8-byte whole numbers.
    static Result<NpyWriter> create_wholes(const std::string& path, std::uint64_t frames, std::uint64_t each,
                                           Existing existing);
    void add(const std::vector<std::int64_t>& frame);
    // An array of the shape (frames, each) of numbers; each: "12" or "12, 3".
    static Result<NpyWriter> create_numbers(const std::string& path, std::uint64_t frames, const std::string& each,
                                            NpyType type, Existing existing);
    void add(const float* values, std::size_t count);
    void add(const std::vector<std::int32_t>& frame);
    Result<void> commit();
    WrittenFile about() const { return file_.about(); }

  private:
    NpyWriter(AtomicFile file, NpyType type) : file_(std::move(file)), type_(type) {}
    AtomicFile file_;
    NpyType type_;
};

} // namespace garland
