// Whole files in, and files out that appear complete or not at all.
#pragma once

#include "core/base/result.h"

#include <cstdint>
#include <cstdio>
#include <string>
#include <string_view>
#include <vector>

namespace garland {

// Bytes of a file in a buffer that can be used again for the next one.
// Errors: not_found, unreadable, too_large (above `most`).
Result<void> read_file(const std::string& path, std::vector<char>& bytes, std::uint64_t most = std::uint64_t(1) << 36);
// At most `count` bytes from the start; sets `size` to the whole file's size.
Result<std::string> read_head(const std::string& path, std::size_t count, std::uint64_t& size);

enum class Existing {
    refuse,  // an existing file is an error and stays as it is
    replace, // swapped for the new one once that is complete
};

// Writes beside the target under a temporary name, then renames. Destroyed without commit(), it removes the temporary
// file and leaves the target as it was. Errors of write() are kept and given by commit(): disk_full, unreadable.
class AtomicFile {
  public:
    static Result<AtomicFile> create(const std::string& path, Existing existing);
    AtomicFile(AtomicFile&& other) noexcept;
    AtomicFile& operator=(AtomicFile&&) = delete;
    ~AtomicFile();

    void write(const void* data, std::size_t bytes);
    void write(std::string_view text) { write(text.data(), text.size()); }
    std::uint64_t written() const { return written_; }
    Result<void> commit();

  private:
    AtomicFile() = default;
    Error failure(int number) const;
    std::FILE* file_ = nullptr;
    std::string path_, temporary_;
    Existing existing_ = Existing::refuse;
    std::uint64_t written_ = 0;
    int failed_ = 0; // errno of the first failed write
};

Result<void> write_file(const std::string& path, std::string_view text, Existing existing);

// Free bytes on the disk that holds `folder` (or its nearest existing parent); −1 when the system does not say.
double free_space(const std::string& folder);

// The folder part of a path ("." if there is none), and what follows it.
std::string folder_of(const std::string& path);
std::string file_name(const std::string& path);
// Lower-case ending with its point: ".ply", or "".
std::string extension(const std::string& path);
bool file_exists(const std::string& path);

} // namespace garland
