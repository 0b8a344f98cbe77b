// Everything that can be handed off: one list, which the window, the command line and job files read.
#pragma once

#include "core/base/progress.h"
#include "core/project/show.h"
#include "core/scene/written_as.h"
#include "io/files/file.h"
#include "io/handoff/share.h"

#include <string>
#include <utility>
#include <vector>

namespace garland {

enum class WhatIsThere {
    refuse, // any file that is there is an error, before anything is written
    resume, // goes on where the same hand-off was stopped; what is complete is not written again
    replace,
};

struct HandoffOrder {
    std::string output;       // a word of the list
    std::string ending;       // one of the output's: ".usdc"
    std::string folder, name; // of a file for each frame the name may say where its number goes: see file_names.h
    FrameSteps frames;
    WhatIsThere existing = WhatIsThere::refuse;
    SourceId source{};        // of one retimed source
    int poses_per_frame = 8;  // of shared poses
    double tolerance = 0.001; // source frames: of tables of times
    Share share{};            // of the frames; only of what is a file a frame
    WrittenAs as{};
    bool each_copy = false; // of posed copies as PLY or OBJ: a file for each copy and frame, not one for each frame

    Existing files() const { return existing == WhatIsThere::replace ? Existing::replace : Existing::refuse; }
    std::string path() const { return folder + "/" + name + ending; } // of what is one file
    std::string stem() const; // the name without the place of a frame's number, of what stands beside all files
};

// What there is to hand off; all of it must outlive the work.
struct HandoffInput {
    const Project& project;
    const OpenSources& sources;
    ShowPtr show;
    PoseCache& cache;
};

struct HandoffPlan {
    std::int64_t files = 0, existing = 0;                // existing: of those files, there already
    double bytes = 0, free = -1;                         // free: −1 unknown
    std::vector<std::string> words;                      // what else is worth knowing before, in sentences
    std::vector<std::string> left_out;                   // what the output cannot hold, with the reason
    std::vector<std::pair<std::string, double>> numbers; // for programs
};

struct HandoffDone {
    std::vector<std::string> files; // all of them, written now or kept; the first one is what is opened
    std::int64_t kept = 0;          // of them, complete before
    std::string manifest;           // its path; empty while other shares are not complete
    double bytes = 0;
    std::vector<std::string> words, left_out;
    std::vector<std::pair<std::string, double>> numbers;
    std::vector<WrittenFile> written; // where their hashes are known; others are read for them
};

class HandoffJournal; // manifest.h

struct HandoffOutput {
    const char* word;                 // "shared-poses"
    const char* label;                // "shared poses"
    const char* what;                 // a sentence
    std::vector<const char*> endings; // the first one is usual
    bool of_source = false;           // of one source, not of the copies
    bool rounds = false;              // poses_per_frame counts
    bool tabulates = false;           // tolerance counts
    // A file for each frame.
    bool in_frames(const std::string& ending) const {
        return ending == ".ply" || ending == ".obj" || ending == ".vdb" || (of_source && ending == ".csv");
    }
    bool in_shutter(const std::string& ending) const { // moments between frames can be written too
        return !tabulates && std::string_view(word) != "timing" && std::string_view(word) != "curves" &&
               ending != ".npy" && ending != ".glb";
    }
    bool by_copy(const std::string& ending) const { // each_copy is to be had
        return std::string_view(word) == "posed-copies" && (ending == ".ply" || ending == ".obj");
    }
    // Whether files of this kind can be in another space than metres with y up: glTF and tables say nothing of it.
    static bool in_any_space(const std::string& ending) {
        return ending != ".glb" && ending != ".gltf" && ending != ".csv" && ending != ".json" && ending != ".otio";
    }
    Result<HandoffPlan> (*plan)(const HandoffInput&, const HandoffOrder&, Progress&);
    Result<HandoffDone> (*write)(const HandoffInput&, const HandoffOrder&, HandoffJournal&, Progress&);
};
const std::vector<HandoffOutput>& outputs();

// Errors: invalid, for a name that is none or frames that are.
Result<void> validate(const HandoffOrder& order);
// Errors: invalid for an unknown word (with the known ones), an ending that the output has not, a name that is none;
// and those of the output.
Result<const HandoffOutput*> output_called(const HandoffOrder& order);
Result<HandoffPlan> plan_handoff(const HandoffInput& input, const HandoffOrder& order,
                                 Progress& progress = Progress::none());
// Makes the folder if it is not there. A journal stands beside the files until all of them are complete (of all
// shares), then a manifest (see manifest.h). Errors also: changed, where resume finds that the project, a source or a
// setting is not what it was; invalid, for a share of what is one file.
Result<HandoffDone> hand_off(const HandoffInput& input, const HandoffOrder& order,
                             Progress& progress = Progress::none());

} // namespace garland
