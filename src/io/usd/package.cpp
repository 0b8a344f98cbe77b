// Packages: "USDZ File Format Specification" (Pixar); zip as PKWARE's APPNOTE describes it (central directory and local
// headers).
#include "io/usd/stage_files.h"

#include <cstring>
#include <fmt/format.h>

namespace garland {

namespace {

template <class T>
T number(std::string_view bytes, std::size_t at) {
    T out;
    std::memcpy(&out, bytes.data() + at, sizeof out);
    return out;
}

} // namespace

Result<std::vector<UsdPackageEntry>> read_usd_package(std::string_view bytes, const std::string& path) {
    auto bad = [&](std::size_t at, std::string what, ErrorCode code = ErrorCode::malformed) {
        return fail(Error{code, std::move(what)}.at(path).at_offset(static_cast<std::int64_t>(at)));
    };
    constexpr std::size_t end_bytes = 22, entry_bytes = 46, local_bytes = 30;
    const std::size_t end = bytes.rfind(std::string_view("PK\5\6", 4));
    if (end == bytes.npos || end + end_bytes > bytes.size())
        return bad(bytes.size(), "this is no package: its end is missing");
    const auto count = number<std::uint16_t>(bytes, end + 10);
    std::size_t at = number<std::uint32_t>(bytes, end + 16);
    if (count == 0xffff || at == 0xffff'ffff)
        return bad(end, "packages of more than 4 GB or 65 534 files are not read", ErrorCode::unsupported);
    std::vector<UsdPackageEntry> out;
    for (unsigned i = 0; i < count; ++i) {
        if (at + entry_bytes > bytes.size() || bytes.substr(at, 4) != std::string_view("PK\1\2", 4))
            return bad(at, "the package's list of files is cut");
        const auto flags = number<std::uint16_t>(bytes, at + 8), method = number<std::uint16_t>(bytes, at + 10);
        const std::size_t size = number<std::uint32_t>(bytes, at + 24), name = number<std::uint16_t>(bytes, at + 28),
                          extra = number<std::uint16_t>(bytes, at + 30),
                          comment = number<std::uint16_t>(bytes, at + 32),
                          local = number<std::uint32_t>(bytes, at + 42);
        if (at + entry_bytes + name > bytes.size()) return bad(at, "the package's list of files is cut");
        UsdPackageEntry entry;
        entry.name = bytes.substr(at + entry_bytes, name);
        if (method != 0 || (flags & 1))
            return bad(at, fmt::format("\"{}\" is packed or encrypted, which a package must not be", entry.name),
                       ErrorCode::unsupported);
        if (local + local_bytes > bytes.size() || bytes.substr(local, 4) != std::string_view("PK\3\4", 4))
            return bad(local, fmt::format("\"{}\" is not where the package says", entry.name));
        entry.from =
            local + local_bytes + number<std::uint16_t>(bytes, local + 26) + number<std::uint16_t>(bytes, local + 28);
        entry.size = size;
        if (entry.from > bytes.size() || size > bytes.size() - entry.from)
            return bad(local, fmt::format("\"{}\" reaches past the end of the package", entry.name));
        out.push_back(std::move(entry));
        at += entry_bytes + name + extra + comment;
    }
    if (out.empty()) return bad(end, "the package is empty");
    return out;
}

} // namespace garland
