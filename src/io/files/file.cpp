#include "io/files/file.h"

#include "io/files/temporary.h"

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <fcntl.h>
#include <filesystem>
#include <fmt/format.h>
#include <future>
#include <sys/mman.h>
#include <sys/stat.h>
#include <sys/statvfs.h>
#include <unistd.h>
#include <xxhash.h>

namespace garland {

namespace fs = std::filesystem;

namespace {
Error read_error(const std::string& path, int number) {
    const bool missing = number == ENOENT || number == ENOTDIR;
    return Error{missing ? ErrorCode::not_found : ErrorCode::unreadable,
                 missing ? std::string("does not exist") : fmt::format("cannot be read ({})", std::strerror(number))}
        .at(path);
}

const char* kind_of(const struct stat& about) {
    if (S_ISDIR(about.st_mode)) return "a folder";
    if (S_ISFIFO(about.st_mode)) return "a pipe";
    if (S_ISSOCK(about.st_mode)) return "a socket";
    return "a device";
}

Result<std::size_t> read_up_to(const std::string& path, std::uint64_t most, bool whole, std::uint64_t& size,
                               auto&& buffer_of) {
    GARLAND_TRY(file, open_regular(path, size));
    if (whole && size > most) {
        return fail(
            Error{ErrorCode::too_large, fmt::format("has {} bytes, more than the {} that are read at once", size, most)}
                .advise("split the file, or write it in a binary form")
                .at(path));
    }
    const std::uint64_t wanted = std::min(size, most);
    char* to = buffer_of(static_cast<std::size_t>(wanted));
    std::size_t done = 0;
    while (done < wanted) {
        const auto got = ::read(file.number(), to + done, static_cast<std::size_t>(wanted) - done);
        if (got < 0 && errno == EINTR) continue;
        if (got < 0) return fail(read_error(path, errno));
        if (got == 0) break;
        done += static_cast<std::size_t>(got);
    }
    return done;
}

// The file that a name stands for, which need not be there yet: links are followed by hand.
std::string followed(std::string path) {
    for (int links = 0; links < 40; ++links) {
        std::error_code error;
        const fs::path target = fs::read_symlink(path, error);
        if (error) return path;
        path = target.is_absolute() ? target.string() : folder_of(path) + "/" + target.string();
    }
    return path;
}
} // namespace

OpenFile::~OpenFile() {
    if (number_ >= 0) ::close(number_);
}

Result<OpenFile> open_regular(const std::string& path, std::uint64_t& size) {
    OpenFile file(::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK | O_NOCTTY));
    struct stat about {};
    if (file.number() < 0) {
        const int number = errno; // a socket cannot be opened at all
        if (number == ENXIO && ::stat(path.c_str(), &about) == 0) {
            return fail(Error{ErrorCode::unreadable, fmt::format("is {}, not a file", kind_of(about))}.at(path));
        }
        return fail(read_error(path, number));
    }
    if (::fstat(file.number(), &about) != 0) return fail(read_error(path, errno));
    if (!S_ISREG(about.st_mode)) {
        return fail(Error{ErrorCode::unreadable, fmt::format("is {}, not a file", kind_of(about))}.at(path));
    }
    size = static_cast<std::uint64_t>(about.st_size);
    return file;
}

Result<void> readable(const std::string& path) {
    std::uint64_t size = 0;
    GARLAND_CHECK(open_regular(path, size));
    return {};
}

Result<void> read_file(const std::string& path, std::vector<char>& bytes, std::uint64_t most) {
    std::uint64_t size = 0;
    GARLAND_TRY(done, read_up_to(path, most, true, size, [&](std::size_t n) {
                    bytes.resize(n);
                    return bytes.data();
                }));
    bytes.resize(done);
    return {};
}

Result<std::string> read_head(const std::string& path, std::size_t count, std::uint64_t& size) {
    std::string text;
    GARLAND_TRY(done, read_up_to(path, count, false, size, [&](std::size_t n) {
                    text.resize(n);
                    return text.data();
                }));
    text.resize(done);
    return text;
}

namespace {
Error in_the_way(const std::string& path) {
    return Error{ErrorCode::exists, "already exists"}
        .at(path)
        .keeping("the existing file")
        .advise("choose another place, or say that it may be replaced");
}

// Whether what stands there may be written over; nothing there is fine.
Result<void> may_replace(const std::string& path, const struct stat& about) {
    if (!S_ISREG(about.st_mode)) {
        return fail(Error{ErrorCode::unreadable, fmt::format("is {}, not a file, and is not replaced", kind_of(about))}
                        .at(path)
                        .keeping("it")
                        .advise("choose another name"));
    }
    // The superuser may write anything: a file without any leave to write is meant to stay, whoever asks.
    if ((about.st_mode & 0222) == 0 || ::access(path.c_str(), W_OK) != 0) {
        return fail(Error{ErrorCode::unreadable, "is read-only"}
                        .at(path)
                        .keeping("it, unchanged")
                        .advise("allow writing to it, or choose another name"));
    }
    return {};
}
} // namespace

struct AtomicFile::Hash {
    Hash() { XXH3_128bits_reset(state.get()); }
    struct Free {
        void operator()(XXH3_state_t* s) const { XXH3_freeState(s); }
    };
    std::string digits() const {
        const XXH128_hash_t h = XXH3_128bits_digest(state.get());
        return hash_digits(h.high64, h.low64);
    }
    std::unique_ptr<XXH3_state_t, Free> state{XXH3_createState()};
};

std::string hash_digits(std::uint64_t high, std::uint64_t low) {
    return fmt::format("{:016x}{:016x}", high, low);
}

std::string text_hash(std::string_view text) {
    const XXH128_hash_t h = XXH3_128bits(text.data(), text.size());
    return hash_digits(h.high64, h.low64);
}

AtomicFile::AtomicFile() : hash_(std::make_unique<Hash>()) {}

WrittenFile AtomicFile::about() const {
    WrittenFile out{file_name(path_), written_, {}};
    if (hash_) out.hash = hash_->digits();
    if (!late_.hash.empty()) out.bytes = late_.bytes, out.hash = late_.hash;
    return out;
}

Result<AtomicFile> AtomicFile::create(const std::string& asked, Existing existing) {
    const std::string path = followed(asked);
    struct stat before {};
    const bool there = ::lstat(path.c_str(), &before) == 0;
    if (there) {
        if (auto may = may_replace(path, before); !may) return fail(std::move(may.error()));
        if (existing == Existing::refuse) return fail(in_the_way(path));
    }
    AtomicFile file;
    file.path_ = path;
    file.existing_ = existing;
    auto made = make_temporary(folder_of(path), there ? before.st_mode & 07777 : 0666);
    if (!made) {
        return fail(file.failure(made.error()));
    }
    file.temporary_ = std::move(made->path);
    file.file_ = ::fdopen(made->number, "wb");
    if (!file.file_) {
        const int number = errno;
        ::close(made->number);
        return fail(file.failure(number));
    }
    if (there) { // as far as the system lets us; a stranger's file keeps no right to run as its owner
        const bool ours = before.st_uid == ::geteuid() && before.st_gid == ::getegid();
        const bool given = ours || ::fchown(made->number, before.st_uid, before.st_gid) == 0;
        if (::fchmod(made->number, before.st_mode & (given ? 07777 : 0777)) != 0) file.failed_ = errno;
    }
    std::setvbuf(file.file_, nullptr, _IOFBF, 1 << 18);
    return file;
}

AtomicFile::AtomicFile(AtomicFile&& other) noexcept
    : file_(std::exchange(other.file_, nullptr)), path_(std::move(other.path_)),
      temporary_(std::exchange(other.temporary_, {})), existing_(other.existing_), written_(other.written_),
      begun_(other.begun_), failed_(other.failed_), hash_(std::move(other.hash_)), hash_late_(other.hash_late_),
      late_(std::move(other.late_)) {}

AtomicFile::~AtomicFile() {
    if (file_) std::fclose(file_);
    if (!temporary_.empty()) ::unlink(temporary_.c_str());
}

Error AtomicFile::failure(int number) const {
    const bool full = number == ENOSPC || number == EDQUOT || number == EFBIG;
    const std::string place = final_place(path_);
    const std::string kept =
        existing_ == Existing::replace ? "the file that was there before, if any" : "nothing written";
    if (full) {
        return Error{ErrorCode::disk_full, "there is no room left on the disk"}.at(place).keeping(kept).advise(
            "free some space or choose another disk");
    }
    return Error{ErrorCode::unreadable, fmt::format("cannot be written ({})", std::strerror(number))}.at(place).keeping(
        kept);
}

void AtomicFile::write(const void* data, std::size_t bytes) {
    if (failed_ || bytes == 0) return;
    constexpr std::size_t at_once = std::size_t(1) << 18; // what is hashed is still near when it is written
    for (std::size_t from = 0; from < bytes && !failed_; from += at_once) {
        const char* part = static_cast<const char*>(data) + from;
        const std::size_t size = std::min(at_once, bytes - from);
        if (hash_) XXH3_128bits_update(hash_->state.get(), part, size);
        errno = 0;
        if (std::fwrite(part, 1, size, file_) != size) failed_ = errno ? errno : EIO;
    }
    written_ += bytes;
    // The disk begins with what is there, so that little is left to wait for at the end. Where that cannot be asked
    // for, nothing is lost.
    constexpr std::uint64_t early = std::uint64_t(8) << 20;
    if (written_ - begun_ < early) return;
    static_cast<void>(::sync_file_range(::fileno(file_), static_cast<off_t>(begun_),
                                        static_cast<off_t>(written_ - begun_), SYNC_FILE_RANGE_WRITE));
    begun_ = written_;
}

void AtomicFile::forgo_hash() {
    hash_.reset();
}

void AtomicFile::seek(std::uint64_t from_start) {
    forgo_hash();
    errno = 0;
    if (!failed_ && ::fseeko(file_, static_cast<off_t>(from_start), SEEK_SET) != 0) failed_ = errno ? errno : EIO;
}

void AtomicFile::hash_in_any_case() {
    hash_late_ = true;
}

// Looked at where the system has it, which is what was written a moment ago: nothing is copied. Where it cannot be
// looked at, its hash stays unknown.
void AtomicFile::hash_again() {
    const int number = ::fileno(file_);
    struct stat about {};
    if (::fstat(number, &about) != 0) return;
    constexpr off_t most = off_t(1) << 24;
    const Hash hash;
    for (off_t at = 0; at < about.st_size; at += most) {
        const auto size = static_cast<std::size_t>(std::min(most, about.st_size - at));
        void* part = ::mmap(nullptr, size, PROT_READ, MAP_SHARED, number, at);
        if (part == MAP_FAILED) return;
        // Reads it all at once; an error of the disk is one here, not a signal later.
        const bool there = ::madvise(part, size, MADV_POPULATE_READ) == 0;
        if (there) XXH3_128bits_update(hash.state.get(), part, size);
        ::munmap(part, size);
        if (!there) return;
    }
    late_.bytes = static_cast<std::uint64_t>(about.st_size), late_.hash = hash.digits();
}

Result<void> AtomicFile::finish() {
    errno = 0;
    if (!failed_ && std::fflush(file_) != 0) failed_ = errno ? errno : EIO;
    std::future<void> again;
    if (!failed_ && hash_late_ && !hash_) again = std::async(std::launch::async, [this] { hash_again(); });
    if (!failed_ && ::fsync(::fileno(file_)) != 0) failed_ = errno ? errno : EIO;
    if (again.valid()) again.get();
    const int closed = std::fclose(file_);
    file_ = nullptr;
    if (!failed_ && closed != 0) failed_ = errno ? errno : EIO;
    if (failed_) return fail(failure(failed_));
    return {};
}

Result<void> AtomicFile::publish() {
    if (existing_ == Existing::refuse) {
        if (::renameat2(AT_FDCWD, temporary_.c_str(), AT_FDCWD, path_.c_str(), RENAME_NOREPLACE) != 0) {
            const bool there = errno == EEXIST;
            const bool unknown = errno == EINVAL || errno == ENOSYS; // a file system without that call
            if (there || (unknown && file_exists(path_))) {
                return fail(Error{ErrorCode::exists, "has appeared meanwhile"}.at(path_).keeping("the existing file"));
            }
            if (!unknown) return fail(failure(errno));
            if (std::rename(temporary_.c_str(), path_.c_str()) != 0) return fail(failure(errno));
        }
    } else if (std::rename(temporary_.c_str(), path_.c_str()) != 0) {
        return fail(failure(errno));
    }
    temporary_.clear();
    return {};
}

Result<void> AtomicFile::commit() {
    GARLAND_CHECK(finish());
    return publish();
}

Result<void> write_file(const std::string& path, std::string_view text, Existing existing) {
    GARLAND_TRY(file, AtomicFile::create(path, existing));
    file.write(text);
    return file.commit();
}

double free_space(const std::string& folder) {
    std::error_code error;
    fs::path at = fs::absolute(folder, error);
    while (!fs::exists(at, error) && at.has_parent_path() && at != at.parent_path()) at = at.parent_path();
    struct statvfs about {};
    if (::statvfs(at.c_str(), &about) != 0) return -1;
    return static_cast<double>(about.f_bavail) * static_cast<double>(about.f_frsize);
}

std::string folder_of(const std::string& path) {
    const auto slash = path.rfind('/');
    return slash == path.npos ? "." : slash == 0 ? "/" : path.substr(0, slash);
}

std::string path_seen_from(const std::string& name, const std::string& file) {
    namespace fs = std::filesystem;
    if (name.empty() || name.find("://") != name.npos || fs::path(name).is_absolute()) return name;
    std::error_code error;
    const fs::path whole = fs::absolute(fs::path(folder_of(file)) / name, error);
    return error ? name : whole.lexically_normal().string();
}

std::string file_name(const std::string& path) {
    return path.substr(path.rfind('/') + 1);
}

std::string extension(const std::string& path) {
    const std::string name = file_name(path);
    const auto point = name.rfind('.');
    if (point == name.npos || point == 0) return {};
    std::string ending = name.substr(point);
    std::transform(ending.begin(), ending.end(), ending.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    return ending;
}

bool file_exists(const std::string& path) {
    std::error_code error;
    return fs::exists(path, error) && !fs::is_directory(path, error);
}

} // namespace garland
