// OpenVDB files: all grids of one frame.
#pragma once

#include "core/geometry/volume.h"
#include "io/files/file.h"

namespace garland {

// Errors: not_found, unreadable; malformed, for whatever the library complains about, with its words; too_large, where
// the file says its grids need more than `most` bytes of memory; unsupported, for a file without grids.
Result<VolumePtr> read_volume(const std::string& path, double most = 32e9);

// What a file says of its grids without reading them.
Result<std::vector<GridFacts>> read_volume_facts(const std::string& path);

enum class VolumePacking { packed, plain }; // plain: larger, and read several times as fast

// Grids keep their half-float mark.
Result<void> write_volume(const std::string& path, const Volume& volume, Existing existing,
                          VolumePacking packing = VolumePacking::packed);

} // namespace garland
