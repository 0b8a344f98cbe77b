#include "io/files/series.h"

#include "io/files/file.h"
#include "io/files/packed_file.h"

#include <algorithm>
#include <filesystem>
#include <fmt/format.h>

namespace garland {

namespace fs = std::filesystem;

namespace {
bool digit(char c) {
    return c >= '0' && c <= '9';
}

struct Name {
    std::string prefix, number, ending;
};

Name split(const std::string& name) {
    const auto point = without_packing(name).rfind('.');
    const std::size_t stem = point == name.npos || point == 0 ? name.size() : point;
    std::size_t end = stem;
    while (end > 0 && !digit(name[end - 1])) --end;
    std::size_t begin = end;
    while (begin > 0 && digit(name[begin - 1])) --begin;
    if (begin == end || end - begin > 9) return {name.substr(0, stem), "", name.substr(stem)};
    // "name.-0012": a sign after something that parts words; "name-0012" is no negative frame.
    if (begin > 1 && name[begin - 1] == '-' &&
        (name[begin - 2] == '.' || name[begin - 2] == '_' || name[begin - 2] == ' '))
        --begin;
    return {name.substr(0, begin), name.substr(begin, end - begin), name.substr(end)};
}
} // namespace

Result<Series> find_series(const std::string& path) {
    const Name name = split(file_name(path));
    Series series;
    series.folder = folder_of(path);
    series.prefix = name.prefix;
    series.ending = name.ending;
    if (name.number.empty()) {
        if (!file_exists(path))
            return fail(Error{ErrorCode::not_found, "does not exist"}
                            .advise("check the name, or find the file again")
                            .at(path));
        series.files[0] = path;
        return series;
    }
    series.padding = 10;
    std::error_code error;
    for (fs::directory_iterator at(series.folder, error), end; !error && at != end; at.increment(error)) {
        const Name other = split(at->path().filename().string());
        if (other.number.empty() || other.prefix != name.prefix || other.ending != name.ending) continue;
        const std::int64_t frame = std::stoll(other.number);
        auto [old, is_new] = series.files.emplace(frame, at->path().string());
        // "7" beside "007": the name padded like the asked one wins.
        const std::size_t digits = other.number.size() - (other.number[0] == '-');
        if (!is_new && other.number.size() == name.number.size()) old->second = at->path().string();
        series.padding = std::min(series.padding, static_cast<int>(digits));
    }
    if (series.files.empty())
        return fail(
            Error{ErrorCode::not_found, "does not exist"}.advise("check the name, or find the file again").at(path));
    if (series.last() - series.first() > 10'000'000) {
        return fail(Error{ErrorCode::too_large,
                          fmt::format("the numbers of this series run from {} to {}", series.first(), series.last())}
                        .at(series.folder + "/" + series.pattern())
                        .advise("move files that do not belong to it elsewhere"));
    }
    return series;
}

std::vector<std::int64_t> Series::missing() const {
    std::vector<std::int64_t> result;
    std::int64_t expected = first();
    for (const auto& [frame, path] : files) {
        for (; expected < frame; ++expected) result.push_back(expected);
        expected = frame + 1;
    }
    return result;
}

std::string Series::pattern() const {
    return prefix + (padding > 0 ? std::string(static_cast<std::size_t>(padding), '#') : "") + ending;
}

std::string series_key(const std::string& path) {
    const Name name = split(file_name(path));
    return folder_of(path) + "/" + name.prefix + (name.number.empty() ? "" : "#") + name.ending;
}

std::string source_name(const std::string& path) {
    const std::string file = file_name(path);
    std::string stem = without_packing(file);
    stem.resize(stem.size() - extension(stem).size());
    const std::string whole = stem;
    while (!stem.empty() && digit(stem.back())) stem.pop_back();
    if (stem.size() < whole.size() && stem.ends_with("-")) stem.pop_back(); // a frame below 0
    while (!stem.empty() && (stem.back() == '.' || stem.back() == '_' || stem.back() == ' ')) stem.pop_back();
    return stem.empty() ? whole : stem;
}

std::string numbered(const std::string& prefix, std::int64_t frame, int padding, const std::string& ending) {
    const std::string digits = fmt::format("{:0{}}", frame < 0 ? -frame : frame, padding);
    return prefix + (frame < 0 ? "-" : "") + digits + ending;
}

} // namespace garland
