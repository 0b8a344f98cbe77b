// Whole files in, and files out that appear complete or not at all.
#pragma once

#include "core/base/result.h"

#include <cstdint>
#include <cstdio>
#include <memory>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace garland {

// A file that is open for reading; closed when it goes.
class OpenFile {
  public:
    OpenFile() = default;
    explicit OpenFile(int number) : number_(number) {}
    OpenFile(OpenFile&& other) noexcept : number_(std::exchange(other.number_, -1)) {}
    OpenFile& operator=(OpenFile&& other) noexcept { return std::swap(number_, other.number_), *this; }
    ~OpenFile();
    int number() const { return number_; }

  private:
    int number_ = -1;
};

// Opens without ever waiting: pipes, devices and folders are refused with words. Sets `size`. Errors: not_found,
// unreadable.
Result<OpenFile> open_regular(const std::string& path, std::uint64_t& size);
// Whether it could be opened so; the errors say why not.
Result<void> readable(const std::string& path);

// Bytes of a file in a buffer that can be used again for the next one.
// Errors: not_found, unreadable, too_large (above `most`).
Result<void> read_file(const std::string& path, std::vector<char>& bytes, std::uint64_t most = std::uint64_t(1) << 36);
// At most `count` bytes from the start; sets `size` to the whole file's size.
Result<std::string> read_head(const std::string& path, std::size_t count, std::uint64_t& size);

enum class Existing {
    refuse,  // an existing file is an error and stays as it is
    replace, // swapped for the new one once that is complete
};

// What was written of a file.
struct WrittenFile {
    std::string name;        // without its folder
    std::uint64_t bytes = 0; // 0 with an empty hash: not known
    std::string hash;        // XXH3 of 128 bits, as 32 digits
};

// Writes beside the target under a temporary name that cannot be guessed, then renames. Destroyed without commit(), it
// removes the temporary file and leaves the target as it was. A link is followed to the file it names; the mode of a
// file that is replaced stays, its owner where the system allows it. Errors of write() are kept and given by commit():
// disk_full, unreadable. Errors of create(): exists; unreadable, for a file that is read-only, or that is a folder, a
// device or a pipe.
class AtomicFile {
  public:
    static Result<AtomicFile> create(const std::string& path, Existing existing);
    AtomicFile(AtomicFile&& other) noexcept;
    AtomicFile& operator=(AtomicFile&&) = delete;
    ~AtomicFile();

    void write(const void* data, std::size_t bytes);
    void write(std::string_view text) { write(text.data(), text.size()); }
    void seek(std::uint64_t from_start); // where the next bytes go, for formats that fill in their beginning last
    std::uint64_t written() const { return written_; }
    WrittenFile about() const; // its hash only where everything was written in order, or it was asked for:
    void forgo_hash();         // for what will not be
    void hash_in_any_case();   // what was not is read again by finish(), while it waits for the disk
    Result<void> commit();     // both of these:
    Result<void> finish();     // everything is on the disk, under the temporary name, so that it can be read back
    Result<void> publish();    // under its own name
    const std::string& temporary() const { return temporary_; }

  private:
    struct Hash;
    AtomicFile();
    Error failure(int number) const;
    void hash_again();
    std::FILE* file_ = nullptr;
    std::string path_, temporary_;
    Existing existing_ = Existing::refuse;
    std::uint64_t written_ = 0, begun_ = 0; // begun: how much of it the disk was asked to take
    int failed_ = 0;                        // errno of the first failed write
    std::unique_ptr<Hash> hash_;            // null once something was written out of order
    bool hash_late_ = false;
    WrittenFile late_; // what was read again
};

Result<void> write_file(const std::string& path, std::string_view text, Existing existing);

// 32 digits of an XXH3 of 128 bits, and the hash of a text so.
std::string hash_digits(std::uint64_t high, std::uint64_t low);
std::string text_hash(std::string_view text);

// Free bytes on the disk that holds `folder` (or its nearest existing parent); −1 when the system does not say.
double free_space(const std::string& folder);

// The folder part of a path ("." if there is none), and what follows it.
std::string folder_of(const std::string& path);
// `name` as `file` names it: a relative path becomes absolute, an address (http://…) stays.
std::string path_seen_from(const std::string& name, const std::string& file);
std::string file_name(const std::string& path);
// Lower-case ending with its point: ".ply", or "".
std::string extension(const std::string& path);
bool file_exists(const std::string& path);

} // namespace garland
