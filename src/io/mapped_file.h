// A file as memory, without reading it first.
#pragma once

#include "core/base/result.h"

#include <cstddef>
#include <cstdint>
#include <string>

namespace garland {

// Movable; unmapped when destroyed. A file that is cut short while mapped ends the program when its lost part is touched,
// so readers ask changed() before they do. Safe to read from several threads.
class MappedFile {
  public:
    MappedFile() = default;
    MappedFile(MappedFile&& other) noexcept;
    MappedFile& operator=(MappedFile&& other) noexcept;
    ~MappedFile();
    static Result<MappedFile> open(const std::string& path); // not_found, unreadable

    const char* data() const { return data_; }
    std::size_t size() const { return size_; }
    bool changed() const; // the file has another size than when it was mapped, or is gone
    // Lets go of the memory behind these bytes; they are read from disk again when asked for.
    void forget(std::size_t from, std::size_t count) const;
    // Tells the system that they will be read soon.
    void want(std::size_t from, std::size_t count) const;

  private:
    std::string path_;
    char* data_ = nullptr;
    std::size_t size_ = 0;
};

} // namespace garland
