#include "io/files/staged_files.h"

#include "io/files/temporary.h"

#include <cerrno>
#include <cstring>
#include <fcntl.h>
#include <filesystem>
#include <fmt/format.h>
#include <sstream>
#include <sys/stat.h>
#include <unistd.h>

namespace garland {

namespace fs = std::filesystem;

namespace {

constexpr const char* journal_name =
    "places"; // a line a file: its number on the disk, its name here, and "/" and where it goes

std::uint64_t number_on_disk(const std::string& path) {
    struct stat about {};
    return ::lstat(path.c_str(), &about) == 0 ? static_cast<std::uint64_t>(about.st_ino) : 0;
}

// Puts `from` in the place of `to`; what stood there is at `from` then, where it may be moved. 0 or an errno.
int put_in_place(const std::string& from, const std::string& to, bool may_move) {
    if (::renameat2(AT_FDCWD, from.c_str(), AT_FDCWD, to.c_str(), RENAME_NOREPLACE) == 0) return 0;
    if (errno == EEXIST) {
        if (!may_move) return EEXIST;
        if (::renameat2(AT_FDCWD, from.c_str(), AT_FDCWD, to.c_str(), RENAME_EXCHANGE) == 0) return 0;
    }
    if (errno != EINVAL && errno != ENOSYS) return errno;
    // A file system that can do neither: in two steps, the old one to the side first.
    const std::string aside = from + ".before";
    const bool there = number_on_disk(to) != 0;
    if (there && !may_move) return EEXIST;
    if (there && std::rename(to.c_str(), aside.c_str()) != 0) return errno;
    if (std::rename(from.c_str(), to.c_str()) != 0) {
        const int number = errno;
        if (there) std::rename(aside.c_str(), to.c_str());
        return number;
    }
    if (there) std::rename(aside.c_str(), from.c_str());
    return 0;
}

Error not_written(const std::string& path, int number) {
    const bool full = number == ENOSPC || number == EDQUOT || number == EFBIG;
    return Error{full ? ErrorCode::disk_full : ErrorCode::unreadable,
                 full ? std::string("there is no room left on the disk")
                      : fmt::format("cannot be written ({})", std::strerror(number))}
        .at(path)
        .keeping("all files as they were");
}

} // namespace

Result<StagedFiles> StagedFiles::create(const std::string& folder) {
    auto inside = make_temporary_folder(folder);
    if (!inside) return fail(not_written(folder, inside.error()));
    return StagedFiles(folder, std::move(*inside));
}

StagedFiles::StagedFiles(StagedFiles&& o) noexcept
    : folder_(std::move(o.folder_)), inside_(std::exchange(o.inside_, {})) {}

StagedFiles::~StagedFiles() {
    std::error_code none;
    if (!inside_.empty()) fs::remove_all(inside_, none);
}

Result<void> StagedFiles::publish(const std::vector<Place>& places, Existing existing) {
    std::string journal;
    for (const Place& place : places) {
        struct stat about {};
        const std::string to = folder_ + "/" + place.name, from = inside_ + "/" + place.staged;
        if (::lstat(to.c_str(), &about) == 0) {
            if (existing == Existing::refuse) {
                return fail(Error{ErrorCode::exists, "already exists"}
                                .at(to)
                                .keeping("it, and nothing was written")
                                .advise("choose another name"));
            }
            const bool locked =
                S_ISREG(about.st_mode) && ((about.st_mode & 0222) == 0 || ::access(to.c_str(), W_OK) != 0);
            if (!S_ISREG(about.st_mode) || locked) {
                return fail(
                    Error{ErrorCode::unreadable, locked ? "is read-only" : "is not a plain file, and is not replaced"}
                        .at(to)
                        .keeping("all files as they were")
                        .advise("choose another name"));
            }
            ::chmod(from.c_str(), about.st_mode & 0777);
        }
        journal += fmt::format("{} {}/{}\n", number_on_disk(from), place.staged, place.name);
    }
    GARLAND_CHECK(write_file(inside_ + "/" + journal_name, journal, Existing::replace));
    for (std::size_t i = 0; i < places.size(); ++i) {
        bool ours = false;
        for (std::size_t k = 0; k < i; ++k) ours |= places[k].name == places[i].name;
        const int number = put_in_place(inside_ + "/" + places[i].staged, folder_ + "/" + places[i].name,
                                        ours || existing == Existing::replace);
        if (number == 0) continue;
        while (i-- > 0) { // back again, the last one first
            const std::string from = inside_ + "/" + places[i].staged, to = folder_ + "/" + places[i].name;
            if (number_on_disk(from) != 0) {
                put_in_place(from, to, true);
            } else {
                ::unlink(to.c_str());
            }
        }
        return fail(not_written(folder_, number));
    }
    return {};
}

void finish_staged(const std::string& inside, const std::string& folder) {
    std::vector<char> bytes;
    if (!read_file(inside + "/" + journal_name, bytes)) return;
    std::istringstream lines(std::string(bytes.data(), bytes.size()));
    std::string line;
    while (std::getline(lines, line)) {
        const auto space = line.find(' '), slash = line.find('/');
        if (space == line.npos || slash == line.npos || slash < space || line.find('/', slash + 1) != line.npos) return;
        const std::string from = inside + "/" + line.substr(space + 1, slash - space - 1),
                          to = folder + "/" + line.substr(slash + 1);
        const std::uint64_t number = std::strtoull(line.c_str(), nullptr, 10);
        if (number != 0 && number_on_disk(from) == number) put_in_place(from, to, true);
    }
}

} // namespace garland
