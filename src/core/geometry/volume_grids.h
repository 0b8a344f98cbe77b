// What stands behind Volume. Included by few files only: OpenVDB takes half a minute to compile.
#pragma once

#include "core/geometry/volume.h"

#include <openvdb/openvdb.h>

namespace garland {

struct VolumeGrids {
    std::vector<openvdb::GridBase::Ptr> list; // never changed once shared
};

void start_volumes(); // the library's own registration, once

} // namespace garland
