#include "io/mapped_file.h"

#include <cerrno>
#include <cstring>
#include <fcntl.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>
#include <utility>

namespace garland {

namespace {
// Whole pages around a range.
std::pair<std::size_t, std::size_t> pages(std::size_t from, std::size_t count, std::size_t size) {
    const auto page = static_cast<std::size_t>(sysconf(_SC_PAGESIZE));
    const std::size_t begin = from / page * page, end = std::min(size, from + count);
    return {begin, end > begin ? end - begin : 0};
}
} // namespace

MappedFile::MappedFile(MappedFile&& o) noexcept : path_(std::move(o.path_)), data_(std::exchange(o.data_, nullptr)), size_(std::exchange(o.size_, 0)) {}

MappedFile& MappedFile::operator=(MappedFile&& o) noexcept {
    std::swap(path_, o.path_);
    std::swap(data_, o.data_);
    std::swap(size_, o.size_);
    return *this;
}

MappedFile::~MappedFile() {
    if (data_) munmap(data_, size_);
}

Result<MappedFile> MappedFile::open(const std::string& path) {
    const int fd = ::open(path.c_str(), O_RDONLY | O_CLOEXEC);
    if (fd < 0) {
        if (errno == ENOENT) return fail(Error{ErrorCode::not_found, "there is no such file"}.at(path));
        return fail(Error{ErrorCode::unreadable, std::strerror(errno)}.at(path));
    }
    MappedFile out;
    out.path_ = path;
    struct stat info {};
    const bool usable = fstat(fd, &info) == 0 && S_ISREG(info.st_mode);
    out.size_ = usable ? static_cast<std::size_t>(info.st_size) : 0;
    void* memory = out.size_ > 0 ? mmap(nullptr, out.size_, PROT_READ, MAP_PRIVATE, fd, 0) : nullptr;
    const int error = errno;
    ::close(fd);
    if (!usable) return fail(Error{ErrorCode::unreadable, "this is not a file"}.at(path));
    if (memory == MAP_FAILED) return fail(Error{ErrorCode::unreadable, std::strerror(error)}.at(path));
    out.data_ = static_cast<char*>(memory);
    if (out.data_) madvise(out.data_, out.size_, MADV_SEQUENTIAL);
    return out;
}

bool MappedFile::changed() const {
    struct stat info {};
    return ::stat(path_.c_str(), &info) != 0 || static_cast<std::size_t>(info.st_size) != size_;
}

void MappedFile::forget(std::size_t from, std::size_t count) const {
    const auto [begin, length] = pages(from, count, size_);
    if (length > 0) madvise(data_ + begin, length, MADV_DONTNEED);
}

void MappedFile::want(std::size_t from, std::size_t count) const {
    const auto [begin, length] = pages(from, count, size_);
    if (length > 0) madvise(data_ + begin, length, MADV_WILLNEED);
}

} // namespace garland
