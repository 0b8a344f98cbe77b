// A file as memory, without reading it first.
#pragma once

#include "core/base/result.h"

#include <cstddef>
#include <cstdint>
#include <string>

namespace garland {

// Movable; unmapped when destroyed. Safe to read from several threads.
// A file that is cut short while it is mapped reads as zeros from there on, and changed() says so: see
// docs/decisions/0020-mapped-files-that-change.md. So a reader uses what it made of the bytes only if unchanged() holds
// after reading them.
class MappedFile {
  public:
    MappedFile() = default;
    MappedFile(MappedFile&& other) noexcept;
    MappedFile& operator=(MappedFile&& other) noexcept;
    ~MappedFile();
    // Errors: not_found; unreadable, for folders, pipes and devices too.
    static Result<MappedFile> open(const std::string& path);

    const char* data() const { return data_; }
    std::size_t size() const { return size_; }
    // The file is another one than when it was mapped, has another size or time of writing, or is gone.
    bool changed() const;
    Result<void> unchanged() const; // the same as an error: changed
    // Lets go of the memory behind these bytes; they are read from disk again when asked for.
    void forget(std::size_t from, std::size_t count) const;
    // Tells the system that they will be read soon.
    void want(std::size_t from, std::size_t count) const;

  private:
    struct Stamp { // what tells one writing of a file from another
        std::uint64_t device = 0, number = 0, size = 0;
        std::int64_t seconds = 0, nanoseconds = 0;
        bool operator==(const Stamp&) const = default;
    };
    template <class Stat>
    static Stamp stamp_of(const Stat& about);
    std::string path_;
    char* data_ = nullptr;
    std::size_t size_ = 0;
    Stamp stamp_;
    int guard_ = -1; // its place among the guarded mappings
};

} // namespace garland
