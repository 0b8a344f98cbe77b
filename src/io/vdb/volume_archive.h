// OpenVDB files read with every claim of their heads held against the file first, and written so that a head can be
// read without the rest. Included by volume_source.cpp only.
#pragma once

#include "core/base/result.h"
#include "core/geometry/openvdb_trees.h"

#include <openvdb/io/Archive.h>
#include <string>
#include <vector>

namespace garland {

enum class GridsWanted {
    whole,
    heads, // names, metadata and frames; where a file has no list of places, the grids before the last are read as well
};

class VolumeArchive : public openvdb::io::Archive {
  public:
    // Grids of numbers, of truth values and of vectors of three; others are left out of whole files. Errors: not_found;
    // malformed, with the byte; unsupported, where a grid that is not read has no end that could be found. The
    // library's own exceptions are let through.
    Result<std::vector<openvdb::GridBase::Ptr>> read(const std::string& path, GridsWanted wanted);
    static Result<std::vector<openvdb::GridBase::Ptr>> heads_of_whole(const std::string& path);
    // plain: without packing, so that reading is copying.
    std::string bytes_of(const std::vector<openvdb::GridBase::Ptr>& grids, bool plain);
};

} // namespace garland
