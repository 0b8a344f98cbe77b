// What a hand-off wrote: a journal while it is written, so that it can go on where it was stopped, and a manifest once
// it is whole, so that anyone can verify it.
#pragma once

#include "core/base/progress.h"
#include "io/files/file.h"
#include "io/handoff/outputs.h"

#include <map>
#include <optional>
#include <string>
#include <vector>

namespace garland {

struct HandoffFile {
    std::string name; // beside the manifest
    std::uint64_t bytes = 0;
    std::string hash;                    // XXH3 of 128 bits, as 32 digits
    std::optional<std::int64_t> frame{}; // of one frame only
    bool operator==(const HandoffFile&) const = default;
};

// A file's size and hash, read from the disk. Errors: not_found, unreadable.
Result<HandoffFile> described(const std::string& folder, const std::string& name,
                              std::optional<std::int64_t> frame = {});

// What a hand-off is made from: another key whenever any byte of the result may be another. Of the project without its
// window-only parts, the settings, and each source's files (names, sizes, XXH3 of samples of their bytes; see
// sample_of).
struct HandoffKey {
    std::string project, sources, settings; // 32 digits each
    bool operator==(const HandoffKey&) const = default;
    std::string difference(const HandoffKey& before) const; // "the project has changed"; empty: none
};
HandoffKey key_of(const HandoffInput& input, const HandoffOrder& order);

std::string manifest_path(const HandoffOrder& order); // copies.ply.handoff.json
std::string journal_path(const HandoffOrder& order,
                         const std::string& share); // copies.ply.handoff.journal, or copies.ply.handoff.2-of-5.journal

// Lines that are on the disk before the next file begins. A line that was cut short counts for nothing.
class HandoffJournal {
  public:
    // resume: what an earlier one of the same key holds is read (of the whole: those of all shares), or the manifest
    // where it came to that; otherwise it is begun anew, with the first file that is added. Errors: changed, where it
    // has another key (with what changed).
    static Result<HandoffJournal> open(const HandoffOrder& order, const HandoffKey& key, bool resume);
    // Whether a file was completed, and is still there with the same bytes. Those that are not are forgotten.
    bool complete(const std::string& name);
    Result<void> add(const HandoffFile& file);
    const std::map<std::string, HandoffFile>& files() const { return files_; }
    bool went_on() const { return went_on_; } // it was there
    // On the disk from here on, before the first file: what is there later is this hand-off's own, even where it was
    // killed before it could be noted.
    Result<void> begin();
    void abandon(); // it goes away, where it was begun now and nothing was completed

  private:
    std::string path_, folder_, manifest_;
    HandoffKey key_;
    bool begun_ = false; // it is on the disk
    std::map<std::string, HandoffFile> files_;
    bool went_on_ = false;
};

// All journals of a hand-off together, whatever share they are of. Errors: changed, where they have another key; an
// empty one fits all.
Result<std::map<std::string, HandoffFile>> journalled(const HandoffOrder& order, const HandoffKey& key);

// Removes all of them, once the manifest stands.
void remove_journals(const HandoffOrder& order);

struct HandoffManifest {
    HandoffOrder order; // output, ending, name, frames and settings
    HandoffKey key;
    std::vector<HandoffFile> files;
};
Result<void> write_manifest(const HandoffManifest& manifest);
// Errors: not_found, malformed.
Result<HandoffManifest> read_manifest(const std::string& path);

// Every file that a manifest names, read and compared. Errors: changed, unreadable or not_found, with the file; those
// of reading the manifest; cancelled.
struct Verified {
    std::int64_t files = 0;
    double bytes = 0;
};
Result<Verified> verify_handoff(const std::string& manifest, Progress& progress = Progress::none());

} // namespace garland
