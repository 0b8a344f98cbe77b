// References with timing only: the geometry of each source once, in a file of its own, and a layer in which every copy
// refers to it with a clock of its own (USD's value clips: a table of times for each copy). No posed geometry.
#pragma once

#include "core/base/progress.h"
#include "core/project/show.h"
#include "core/scene/written_as.h"
#include "io/files/file.h"

#include <string>
#include <vector>

namespace garland {

struct TimedReferencesOrder {
    std::string path; // of the layer: .usda is text, .usdc binary; sources lie beside it, in the same form
    std::string name; // of its root prim
    FrameRange frames;
    double tolerance = 0.001; // source frames, above 0: how far straight pieces may leave a curved clock
    int per_frame = 4;        // samples of geometry between two file frames, where poses between them are not straight
    Existing existing = Existing::refuse;
    WrittenAs as{};
};

struct TimedReferencesPlan {
    std::int64_t files = 0;  // with the layer itself
    std::int64_t copies = 0; // that are held
    double bytes = 0;        // about
    double free = -1;
    std::int64_t there = 0;            // files that are there already
    std::vector<std::string> left_out; // arrangements that cannot be held so, with the reason
};
Result<TimedReferencesPlan> plan_timed_references(const Show& show, const TimedReferencesOrder& order,
                                                  Progress& progress = Progress::none());

struct TimedReferencesDone {
    TimedReferencesPlan plan;
    std::vector<std::string> files; // the layer first
    double bytes = 0;
    std::int64_t keys = 0;  // of all tables of times
    double worst_clock = 0; // source frames: how far the tables leave the clocks, at most
    double worst_point = 0; // metres: how far points between samples leave the source's poses, at most, in its own size
};

// NAME.usd?, NAME.SOURCE.usd? for each source (a time sample for each file frame that is used, time codes are source
// frames), and NAME.SOURCE.clips.usd?, which names what moves. Copies stand by translate, orient and scale, sampled for
// every output frame where they move. Steps between whole frames are samples close together. Velocities are not
// written: they would be the source's own. Not held: volumes, particles that are born or die, faces that are meshed
// anew, and arrangements whose phrases fade into each other. All files appear together or none does. Errors: exists,
// unsupported (where nothing can be held), disk_full …; those of reading; cancelled.
Result<TimedReferencesDone> write_timed_references(const Show& show, const TimedReferencesOrder& order,
                                                   Progress& progress = Progress::none());

} // namespace garland
