// What the fast copies of all kinds share. Used by io/fast_copy*.cpp only.
#pragma once

#include "io/files/staged_files.h"
#include "io/handoff/fast_copy.h"
#include "io/handoff/fast_copy_note.h"

namespace garland {

// The files of one copy: written and compared out of sight, and put in their places together.
class CopyFiles {
  public:
    static Result<CopyFiles> create(const Source& source, const FastCopyOrder& order);
    std::string stem() const { return staged_.folder() + "/" + name_; } // where to write
    std::string add(const std::string& tail);         // stem + tail is one of the files; its path to write
    std::string add_written(const std::string& path); // so is this one
    void learn_directions(const Pose& pose);          // which of its attributes turn with the points
    Result<void> may_appear() const;                  // may be asked before the work
    Result<void> write_note();                        // once all files are complete, so that they open as they will
    Result<std::vector<std::string>> publish();       // their final paths, the note last

  private:
    CopyFiles(const Source& source, const FastCopyOrder& order, StagedFiles staged);
    const Source& source_;
    const FastCopyOrder& order_;
    StagedFiles staged_;
    std::string name_;
    std::vector<std::string> names_, directions_;
};

// Each writes and compares. Errors: those of the source and of writing; cancelled.
Result<FastCopyDone> copy_particles(const Source& source, const FastCopyOrder& order, CopyFiles& files,
                                    Progress& progress);
Result<FastCopyDone> copy_volumes(const Source& source, const FastCopyOrder& order, CopyFiles& files,
                                  Progress& progress);

// Reports and asks.
Result<void> still_wanted(Progress& progress, const SourceFacts& facts, std::int64_t frame, double from, double to,
                          const char* what);

Result<void> fits_halves(const std::vector<V3f>& points, std::int64_t frame);
double furthest(const std::vector<V3f>& a, const std::vector<V3f>& b); // of a coordinate; equal lengths

} // namespace garland
