// Every file format: what is read of it, what is not, and what is written. One list, which the window's file dialog,
// `garland-cli formats` and docs/formats.md show.
#pragma once

#include <string>
#include <vector>

namespace garland {

struct Format {
    std::string name;                    // with its standard, where there is one
    std::vector<std::string> endings;    // lower case, with their points
    bool gathered = false;               // open_source opens files with these endings as sources
    std::string read, left_out, written; // sentences without a full stop; empty: nothing
};

const std::vector<Format>& formats();

// As a table in Markdown, one row a format.
std::string formats_table();

} // namespace garland
