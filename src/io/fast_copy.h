// A fast copy: a mesh cache written again as a mesh and arrays that are read by seeking, with only what is wanted.
#pragma once

#include "core/base/progress.h"
#include "core/source/source.h"
#include "io/npy.h"

#include <optional>
#include <string>
#include <vector>

namespace garland {

struct FastCopyOrder {
    std::string stem; // stem.ply, stem.npy and stem_velocity.npy are written
    NpyType type = NpyType::f32;
    bool velocities = true; // where the source has them
    Existing existing = Existing::refuse;
    // What of the mesh is kept beside its faces: names among what can_keep() lists; not set: everything.
    std::optional<std::vector<std::string>> keep{};
};

// "normals", "texture coordinates", "colours" and the attributes' names, as far as the source has them.
std::vector<std::string> can_keep(const SourceFacts& facts);

struct FastCopyDone {
    std::vector<std::string> files; // the mesh first
    double bytes = 0;
    std::int64_t frames = 0, bridged = 0; // bridged: missing ones, written as the frame before them
    double worst = 0;                     // the largest difference of a coordinate, read back; source units
};

// Bytes of all files, but for the faces.
double fast_copy_bytes(const SourceFacts& facts, const FastCopyOrder& order);

// Writes all frames from the first to the last, reads them back and compares. Files appear complete or not at all.
// Errors: unsupported, where points or faces change (with the frame) or a coordinate is too large for halves; exists;
// disk_full; invalid, where it would overwrite the source itself; those of reading; cancelled.
Result<FastCopyDone> make_fast_copy(const Source& source, const FastCopyOrder& order,
                                    Progress& progress = Progress::none());

} // namespace garland
