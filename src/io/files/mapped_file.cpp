#include "io/files/mapped_file.h"

#include "io/files/file.h"

#include <atomic>
#include <cerrno>
#include <csignal>
#include <cstring>
#include <mutex>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>
#include <utility>

namespace garland {

namespace {

// All mappings of the program, for the signal handler: no locks, no memory of its own.
struct Guard {
    std::atomic<char*> begin{nullptr};
    std::atomic<std::size_t> size{0};
    std::atomic<bool> taken{false}, broken{false};
};
constexpr int most_mappings = 4096;
Guard guards[most_mappings];
struct sigaction action_before {};
std::size_t page_size = 4096;

// Touching a page that the file has lost raises SIGBUS: empty pages take the place of the rest of that mapping, so that
// reading goes on, and the mapping is marked. Any other fault goes to whoever handled it before.
void on_bus_error(int, siginfo_t* info, void*) {
    char* const at = static_cast<char*>(info->si_addr);
    for (Guard& guard : guards) {
        char* const begin = guard.begin.load(std::memory_order_acquire);
        if (!begin || at < begin || at >= begin + guard.size.load(std::memory_order_relaxed)) continue;
        const std::size_t from = static_cast<std::size_t>(at - begin) / page_size * page_size;
        const std::size_t whole = (guard.size.load(std::memory_order_relaxed) + page_size - 1) / page_size * page_size;
        const int number = errno;
        if (::mmap(begin + from, whole - from, PROT_READ, MAP_PRIVATE | MAP_ANONYMOUS | MAP_FIXED, -1, 0) !=
            MAP_FAILED) {
            guard.broken.store(true, std::memory_order_release);
            errno = number;
            return;
        }
        break;
    }
    ::sigaction(SIGBUS, &action_before, nullptr); // the access is tried again and faults there
}

int take_guard(char* begin, std::size_t size) {
    static std::once_flag installed;
    std::call_once(installed, [] {
        page_size = static_cast<std::size_t>(::sysconf(_SC_PAGESIZE));
        struct sigaction action {};
        action.sa_sigaction = on_bus_error;
        action.sa_flags = SA_SIGINFO | SA_ONSTACK;
        ::sigaction(SIGBUS, &action, &action_before);
    });
    for (int i = 0; i < most_mappings; ++i) {
        bool is_free = false;
        if (!guards[i].taken.compare_exchange_strong(is_free, true)) continue;
        guards[i].broken.store(false);
        guards[i].size.store(size);
        guards[i].begin.store(begin, std::memory_order_release);
        return i;
    }
    return -1;
}

void give_back(int guard) {
    if (guard < 0) return;
    guards[guard].begin.store(nullptr);
    guards[guard].taken.store(false, std::memory_order_release);
}

// Whole pages around a range.
std::pair<std::size_t, std::size_t> pages(std::size_t from, std::size_t count, std::size_t size) {
    const std::size_t begin = from / page_size * page_size, end = std::min(size, from + count);
    return {begin, end > begin ? end - begin : 0};
}

} // namespace

template <class Stat>
MappedFile::Stamp MappedFile::stamp_of(const Stat& about) {
    return {static_cast<std::uint64_t>(about.st_dev), static_cast<std::uint64_t>(about.st_ino),
            static_cast<std::uint64_t>(about.st_size), static_cast<std::int64_t>(about.st_mtim.tv_sec),
            static_cast<std::int64_t>(about.st_mtim.tv_nsec)};
}

MappedFile::MappedFile(MappedFile&& o) noexcept {
    *this = std::move(o);
}

MappedFile& MappedFile::operator=(MappedFile&& o) noexcept {
    std::swap(path_, o.path_);
    std::swap(data_, o.data_);
    std::swap(size_, o.size_);
    std::swap(stamp_, o.stamp_);
    std::swap(guard_, o.guard_);
    return *this;
}

MappedFile::~MappedFile() {
    if (data_) ::munmap(data_, size_);
    give_back(guard_);
}

Result<MappedFile> MappedFile::open(const std::string& path) {
    std::uint64_t size = 0;
    GARLAND_TRY(file, open_regular(path, size));
    struct stat about {};
    if (::fstat(file.number(), &about) != 0) return fail(Error{ErrorCode::unreadable, std::strerror(errno)}.at(path));
    MappedFile out;
    out.path_ = path;
    out.stamp_ = stamp_of(about);
    out.size_ = static_cast<std::size_t>(about.st_size);
    if (out.size_ == 0) return out;
    void* memory = ::mmap(nullptr, out.size_, PROT_READ, MAP_PRIVATE, file.number(), 0);
    if (memory == MAP_FAILED) return fail(Error{ErrorCode::unreadable, std::strerror(errno)}.at(path));
    out.data_ = static_cast<char*>(memory);
    out.guard_ = take_guard(out.data_, out.size_);
    if (out.guard_ < 0)
        return fail(Error{ErrorCode::too_large, "too many files are open at once"}
                        .advise("close other projects, or raise the limit of open files")
                        .at(path));
    ::madvise(out.data_, out.size_, MADV_SEQUENTIAL);
    return out;
}

bool MappedFile::changed() const {
    if (guard_ >= 0 && guards[guard_].broken.load(std::memory_order_acquire)) return true;
    struct stat about {};
    return ::stat(path_.c_str(), &about) != 0 || !(stamp_of(about) == stamp_);
}

Result<void> MappedFile::unchanged() const {
    if (!changed()) return {};
    return fail(Error{ErrorCode::changed, "the file has changed or was cut short since it was opened"}.at(path_).advise(
        "open it again"));
}

void MappedFile::forget(std::size_t from, std::size_t count) const {
    const auto [begin, length] = pages(from, count, size_);
    if (length > 0) ::madvise(data_ + begin, length, MADV_DONTNEED);
}

void MappedFile::want(std::size_t from, std::size_t count) const {
    const auto [begin, length] = pages(from, count, size_);
    if (length > 0) ::madvise(data_ + begin, length, MADV_WILLNEED);
}

} // namespace garland
