// Names for what is not finished yet: no two programs on any machines that share a folder can meet on one, and what a
// program that was stopped left behind is known, and removed, by the next one on the same machine.
#pragma once

#include <string>
#include <sys/types.h>
#include <tl/expected.hpp>

namespace garland {

struct Temporary {
    int number = -1; // open for reading and writing
    std::string path;
};

// A new, empty file in the folder. Never follows a link, never takes what is there. The error is an errno.
tl::expected<Temporary, int> make_temporary(const std::string& folder, mode_t mode);

// The same for a folder; its path.
tl::expected<std::string, int> make_temporary_folder(const std::string& folder);

// Removes what programs of this machine that have ended left in the folder; sets of files that were complete and whose
// names were being changed are brought to their end (see staged_files.h). Done once a folder by make_temporary.
void clear_leftovers(const std::string& folder);

// Whether a name is one of these.
bool is_temporary(const std::string& file_name);

// Where a file that waits in a temporary folder will be, for words to people; any other path as it is.
std::string final_place(const std::string& path);

} // namespace garland
