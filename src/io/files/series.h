// Numbered file series: name.0001.ply, name_12.obj, name7.ply …; frames below 0 as name.-0012.ply.
#pragma once

#include "core/base/result.h"

#include <cstdint>
#include <map>
#include <string>
#include <vector>

namespace garland {

struct Series {
    std::string folder, prefix, ending;        // folder/prefix<number>ending
    int padding = 0;                           // digits of the shortest number found
    std::map<std::int64_t, std::string> files; // frame → path

    std::int64_t first() const { return files.begin()->first; }
    std::int64_t last() const { return files.rbegin()->first; }
    std::vector<std::int64_t> missing() const; // between first and last
    std::string pattern() const;               // "name.####.ply", for people
};

// The series to which a file belongs, told by the last run of digits before its ending; the file itself need not be
// there. A name without digits is a series of one file, frame 0. Numbers above 9 digits are part of the name.
// Errors: not_found, when there is no such file at all; too_large, when the numbers span more than ten million frames.
Result<Series> find_series(const std::string& path);

// The same text for all files of one series, without looking at the disk: their path, with # in place of the number.
std::string series_key(const std::string& path);

// What a source of this file is called: its name without the number of its frame and the ending: "drop" for
// drop.0001.ply.
std::string source_name(const std::string& path);

// "name.0007.ply" for frame 7; at least `padding` digits.
std::string numbered(const std::string& prefix, std::int64_t frame, int padding, const std::string& ending);

} // namespace garland
