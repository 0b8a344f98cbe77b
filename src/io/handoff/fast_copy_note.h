// NAME.fast-copy.json beside a fast copy: which files belong together, and what of the source no array can say.
#pragma once

#include "core/source/source.h"

#include <optional>
#include <string>
#include <vector>

namespace garland {

struct FastCopyNote {
    struct File {
        std::string name; // beside the note
        std::uint64_t bytes = 0;
        std::uint64_t sample = 0; // see sample_of
    };
    std::int64_t first = 0; // frame of the first array entry
    std::optional<Rate> rate;
    UpAxis up = UpAxis::y;
    double scale = 1;                    // metres in one unit
    std::vector<std::int64_t> missing;   // frames that the source did not have
    std::vector<std::string> directions; // attributes of three numbers that turn with the points
    std::vector<File> files;

    std::vector<std::string> names() const; // of the files
};

std::string note_path(const std::string& stem); // of the copy `stem`

// XXH3 of a file's first and last 4096 bytes and of 64 pieces of 4096 bytes evenly between them, 0 where it cannot be
// read: enough to tell one writing from another without reading gigabytes.
std::uint64_t sample_of(const std::string& path);

std::string note_text(const FastCopyNote& note);
std::string unfinished_note_text(); // stands there while a set of files is being put in place

// The note of a copy; nothing where there is none. Errors: malformed; changed, where files were not all put in place,
// or one is missing, of another size or with other bytes than were written.
Result<std::optional<FastCopyNote>> read_note(const std::string& stem);

// Puts the set that a file belongs to in place, where its writer ended half-way; before any of its files is opened.
// Error: changed, where that is not possible any more.
Result<void> finish_copy_of(const std::string& path);

// What a note says, as facts of the source.
void apply_note(const FastCopyNote& note, SourceFacts& facts);

} // namespace garland
