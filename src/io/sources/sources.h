// One way to open each kind of source; open_source finds out which.
#pragma once

#include "core/base/progress.h"
#include "core/geometry/keyed_model.h"
#include "core/source/source.h"
#include "io/files/file.h"

#include <string>

namespace garland {

// All give the errors of reading their files, with path, frame and line or byte; cancelled.
Result<SourcePtr> open_series(const std::string& path, Progress& progress); // OBJ or PLY, numbered
// A mesh beside `base` (its path without ending; empty: beside the array) and stem.npy.
Result<SourcePtr> open_array(const std::string& stem, const std::string& asked, const std::string& base = {});
Result<SourcePtr> open_array_archive(const std::string& path, Progress& progress); // .npz
Result<SourcePtr> open_pieces(const std::string& stem, const std::string& table);  // mesh and a table of transforms
Result<SourcePtr> open_gltf(const std::string& path, Progress& progress, const SourceChoices& choices); // .gltf, .glb
Result<SourcePtr> open_usd(const std::string& path, Progress& progress,
                           const SourceChoices& choices);                            // .usda, .usdc, .usd, .usdz
Result<SourcePtr> open_particle_series(const std::string& path, Progress& progress); // PLY or CSV with ids
bool is_particle_file(const std::string& path);                                      // a PLY with ids and no faces
Result<SourcePtr> open_particle_arrays(const std::string& stem, Progress& progress); // stem.npy and stem_ids.npy
Result<SourcePtr> open_volumes(const std::string& path, Progress& progress);         // OpenVDB, numbered

// A source of a keyed model: pieces where its parts only move as wholes from frame to frame, a mesh cache where it has
// morph targets or skins, keyed parts otherwise; exact at any time. Frame f is f / rate seconds.
SourcePtr make_parts_source(KeyedModel model, SourceFacts facts, std::vector<std::string> files);
// Says which choices are not to be had.
void tell_of_choices(SourceFacts& facts, const SourceChoices& asked);

// The rate at which all key times are whole frames, among those in use; 24 where there is none.
Rate rate_of_keys(const KeyedModel& model);

} // namespace garland
