// Files packed whole: by gzip (RFC 1952) as "lantern.0001.obj.gz", by Zstandard (RFC 8878) as "….obj.zst"; and archives
// of files (zip), by libarchive.
#pragma once

#include "core/base/progress.h"
#include "core/base/result.h"

#include <cstdint>
#include <functional>
#include <string>
#include <string_view>
#include <vector>

namespace garland {

inline constexpr std::uint64_t most_unpacked = std::uint64_t(1) << 32; // bytes of one file

bool is_packed(const std::string& path); // told by its ending
// "lantern.0001.obj" for "lantern.0001.obj.gz"; others as they are.
std::string without_packing(const std::string& path);
// The ending of what is in it: ".obj".
std::string content_ending(const std::string& path);

// Like read_file and read_head, but of what is packed. Errors besides theirs: malformed, where it cannot be unpacked;
// too_large, where it holds more than `most` or most_unpacked.
Result<void> read_contents(const std::string& path, std::vector<char>& bytes,
                           std::uint64_t most = std::uint64_t(1) << 36);
Result<std::string> read_contents_head(const std::string& path, std::size_t count);

// Each file of a zip archive in turn, packed or not. start: its name and size as the archive says them (0: it says
// none); false passes it over. piece: its bytes, one after another. Errors: those of reading; malformed, with the
// archive's name; what start and piece give; cancelled.
struct ArchiveReader {
    std::function<Result<bool>(const std::string& name, std::uint64_t size)> start;
    std::function<Result<void>(std::string_view bytes)> piece;
};
Result<void> read_archive(const std::string& path, const ArchiveReader& reader, Progress& progress);

} // namespace garland
