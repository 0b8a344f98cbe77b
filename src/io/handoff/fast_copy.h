// A fast copy: a source written again in a form that is read by seeking, with only what is wanted. Meshes and particles
// become arrays that are mapped into memory; volumes OpenVDB files that need no unpacking.
#pragma once

#include "core/base/progress.h"
#include "core/source/source.h"
#include "io/npy/npy.h"

#include <optional>
#include <string>
#include <vector>

namespace garland {

struct FastCopyOrder {
    // stem.ply, stem.npy and stem_velocity.npy are written, and stem_NAME.npy for what else moves; particles:
    // stem_ids.npy in place of the mesh; volumes: stem.0001.vdb and so on. In all cases stem.fast-copy.json, which says
    // what no array can.
    std::string stem;
    NpyType type = NpyType::f32;
    bool velocities = true; // where the source has them
    Existing existing = Existing::refuse;
    // What is kept beside points and faces: names among what can_keep() lists; not set: everything.
    std::optional<std::vector<std::string>> keep{};
};

// "normals", "texture coordinates", "colours" and the attributes' names, as far as the source has them; volumes: the
// names of their grids.
std::vector<std::string> can_keep(const SourceFacts& facts);

struct FastCopyDone {
    std::vector<std::string> files; // what the copy is opened by first
    double bytes = 0;
    std::int64_t frames = 0, bridged = 0; // bridged: missing ones, written as the frame before them
    std::string kept; // what of the source is kept beside the numbers: "first frame 1, 30 frames per second, z up"
    double worst = 0; // the largest difference of a coordinate (volumes: a value), read back; source units
};

// Whether a fast copy can be made; why not.
Result<void> can_copy(const SourceFacts& facts);

// Bytes of all files, but for the faces; volumes: at most.
double fast_copy_bytes(const SourceFacts& facts, const FastCopyOrder& order);

// Writes all frames from the first to the last, reads every one back and compares, and then puts all files in their
// places together: all of them appear, or none does and what was there stays. Missing frames of a volume stay missing.
// Errors: unsupported, where points or faces change (with the frame) or a coordinate is too large for halves; exists;
// disk_full; invalid, where it would overwrite the source itself; those of reading; cancelled.
Result<FastCopyDone> make_fast_copy(const Source& source, const FastCopyOrder& order,
                                    Progress& progress = Progress::none());

} // namespace garland
