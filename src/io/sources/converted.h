// Files that are opened by way of others: what they were turned into is kept in the user's cache folder under the XXH3
// of their bytes and of the way; opened again, nothing is done twice.
#pragma once

#include "core/base/progress.h"
#include "core/source/source.h"

#include <functional>
#include <string>

namespace garland {

std::string converted_folder(); // $XDG_CACHE_HOME/garland/converted, else below ~/.cache
struct ConvertedUse {
    std::size_t files = 0; // of sources
    double bytes = 0;
};
ConvertedUse converted_use();
void clear_converted();

struct Conversion {
    std::string path; // of the file that is opened
    std::string way;  // whatever else the answer depends on
    // Fills a new folder. Nothing is kept where it fails.
    std::function<Result<void>(const std::string& folder, Progress& progress)> make;
    // What of such a folder is opened; "" where somebody has emptied it: it is then made again.
    std::function<std::string(const std::string& folder)> result;
};
// The result's path. Errors: those of reading the file and of `make`; unreadable, where the cache folder cannot be
// written to; changed; cancelled.
Result<std::string> converted(const Conversion& conversion, Progress& progress);
// Removes what a result lies in: it cannot be opened after all.
void forget_converted(const std::string& result);

// The same source, but its files are the one it came from and those outside converted_folder(), and it has these facts.
SourcePtr source_of(const std::string& path, SourcePtr inner, SourceFacts facts);

// A variable of the environment that names a folder, or a place below the user's home.
std::string user_folder(const char* variable, const char* below_home);
Result<void> make_folder(const std::string& folder);

} // namespace garland
