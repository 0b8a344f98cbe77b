#include "io/files/temporary.h"

#include "io/files/staged_files.h"

#include <cerrno>
#include <charconv>
#include <csignal>
#include <cstdint>
#include <fcntl.h>
#include <filesystem>
#include <fmt/format.h>
#include <fstream>
#include <mutex>
#include <random>
#include <set>
#include <sstream>
#include <string_view>
#include <sys/stat.h>
#include <unistd.h>
#include <vector>
#include <xxhash.h>

namespace garland {

namespace fs = std::filesystem;

namespace {

constexpr std::string_view head = ".garland.", tail = ".part";

std::string first_line(const char* path) {
    std::ifstream file(path);
    std::string line;
    std::getline(file, line);
    return line;
}

// Process numbers mean something on one machine, since one start of it, and within one container.
std::uint64_t this_machine() {
    static const std::uint64_t number = [] {
        char host[256] = {};
        ::gethostname(host, sizeof host - 1);
        std::error_code none;
        const std::string text = fmt::format("{} {} {}", host, first_line("/proc/sys/kernel/random/boot_id"),
                                             fs::read_symlink("/proc/self/ns/pid", none).string());
        return static_cast<std::uint64_t>(XXH64(text.data(), text.size(), 0));
    }();
    return number;
}

// When a process started, in ticks since the machine did (proc(5), field 22 of stat); 0: there is none.
std::uint64_t started(long process) {
    const std::string line = first_line(fmt::format("/proc/{}/stat", process).c_str());
    const auto name_ends = line.rfind(')');
    if (name_ends == line.npos) return 0;
    std::istringstream rest(line.substr(name_ends + 1));
    std::string field;
    for (int k = 3; k <= 22; ++k) rest >> field;
    return std::strtoull(field.c_str(), nullptr, 10);
}

std::string new_name() {
    static std::mutex mutex;
    static std::random_device chance; // the system's own, not to be guessed
    std::lock_guard lock(mutex);
    const std::uint64_t high = chance(), low = chance(), more = chance();
    const long process = ::getpid();
    return fmt::format("{}{:016x}.{}.{}.{:08x}{:08x}{:08x}{}", head, this_machine(), process, started(process), high,
                       low, more, tail);
}

// The owner that a temporary name tells: false where it is none of this machine's.
bool owner_of(std::string_view name, long& process, std::uint64_t& start) {
    if (!name.starts_with(head) || !name.ends_with(tail)) return false;
    name.remove_prefix(head.size());
    std::uint64_t machine = 0;
    auto read = std::from_chars(name.data(), name.data() + name.size(), machine, 16);
    const char* end = name.data() + name.size();
    if (read.ec != std::errc() || machine != this_machine() || read.ptr == end || *read.ptr != '.') return false;
    read = std::from_chars(read.ptr + 1, end, process);
    if (read.ec != std::errc() || read.ptr == end || *read.ptr != '.') return false;
    read = std::from_chars(read.ptr + 1, end, start);
    return read.ec == std::errc() && read.ptr != end && *read.ptr == '.';
}

void clear_once(const std::string& folder) {
    static std::mutex mutex;
    static std::set<std::string> done;
    {
        std::lock_guard lock(mutex);
        if (!done.insert(folder).second) return;
    }
    clear_leftovers(folder);
}

} // namespace

bool is_temporary(const std::string& file_name) {
    return file_name.starts_with(head) && file_name.ends_with(tail);
}

std::string final_place(const std::string& path) {
    const fs::path folder = fs::path(path).parent_path();
    return is_temporary(folder.filename().string()) ? (folder.parent_path() / fs::path(path).filename()).string()
                                                    : path;
}

tl::expected<Temporary, int> make_temporary(const std::string& folder, mode_t mode) {
    clear_once(folder);
    for (int tries = 0;; ++tries) {
        Temporary made{-1, folder + "/" + new_name()};
        made.number = ::open(made.path.c_str(), O_RDWR | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, mode);
        if (made.number >= 0) return made;
        if (errno != EEXIST || tries == 100) return tl::unexpected(errno);
    }
}

tl::expected<std::string, int> make_temporary_folder(const std::string& folder) {
    clear_once(folder);
    for (int tries = 0;; ++tries) {
        std::string path = folder + "/" + new_name();
        if (::mkdir(path.c_str(), 0777) == 0) return path;
        if (errno != EEXIST || tries == 100) return tl::unexpected(errno);
    }
}

void clear_leftovers(const std::string& folder) {
    std::vector<fs::path> gone;
    std::error_code error;
    for (fs::directory_iterator at(folder, error), end; !error && at != end; at.increment(error)) {
        long process = 0;
        std::uint64_t start = 0;
        if (owner_of(at->path().filename().string(), process, start) && started(process) != start)
            gone.push_back(at->path());
    }
    for (const fs::path& path : gone) {
        if (fs::is_directory(fs::symlink_status(path, error))) finish_staged(path.string(), folder);
        fs::remove_all(path, error);
    }
}

} // namespace garland
