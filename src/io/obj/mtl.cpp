#include "io/obj/mtl.h"

#include "io/files/file.h"

#include <algorithm>
#include <string_view>
#include <vector>

namespace garland {

namespace {

constexpr std::uint64_t most_library_bytes = std::uint64_t(16) << 20;

std::string_view without_blanks(std::string_view text) {
    while (!text.empty() && (text.front() == ' ' || text.front() == '\t')) text.remove_prefix(1);
    while (!text.empty() && (text.back() == ' ' || text.back() == '\t' || text.back() == '\r')) text.remove_suffix(1);
    return text;
}

// A name may hold spaces; behind options (-s 1 1 1 paper.png) only its last word is sure to be one.
std::string_view without_options(std::string_view text) {
    if (!text.starts_with('-')) return text;
    const auto last = text.find_last_of(" \t");
    return last == text.npos ? std::string_view{} : text.substr(last + 1);
}

} // namespace

std::map<std::string, std::string> pictures_of_library(const std::string& path) {
    std::map<std::string, std::string> out;
    std::vector<char> bytes;
    if (!read_file(path, bytes, most_library_bytes)) return out;
    std::string_view rest(bytes.data(), bytes.size());
    std::string material;
    while (!rest.empty()) {
        const auto end = std::min(rest.find('\n'), rest.size());
        const std::string_view line = without_blanks(rest.substr(0, end));
        rest.remove_prefix(std::min(end + 1, rest.size()));
        const auto space = std::min(line.find_first_of(" \t"), line.size());
        const std::string_view keyword = line.substr(0, space), value = without_blanks(line.substr(space));
        if (keyword == "newmtl") material = value;
        if (keyword != "map_Kd") continue;
        std::string name(without_options(value));
        std::replace(name.begin(), name.end(), '\\', '/'); // as libraries made on Windows have it
        if (!name.empty()) out[material] = path_seen_from(name, path);
    }
    return out;
}

} // namespace garland
