// Value clips: values of a prim and those below it that lie in other files (Alliance for OpenUSD, "Core Specification",
// value clips).
#pragma once

#include "io/usd/stage_files.h"

namespace garland {

struct UsdClipFiles { // one clip set, opened
    UsdClips clock;   // files without their properties
    std::string prim; // in the files
    UsdLayerPtr manifest{};
};

struct UsdClipBinding {
    std::string prim; // of the stage, whose clips they are
    int site = 0;     // who says so
    std::size_t rank = 0;
    std::shared_ptr<const UsdClipFiles> clips;
    bool has(std::string_view prim_path, std::string_view attribute) const;
    std::shared_ptr<const UsdClips> values(std::string_view prim_path, std::string_view attribute) const;
};
using UsdClipBindings = std::vector<UsdClipBinding>;

// wrong: what could not be read. Null where there is nothing to be had.
std::shared_ptr<const UsdClipFiles> open_clips(UsdFiles& files, const UsdLayer& said, const UsdClipSet& set,
                                               double offset, double scale, std::string& wrong);

} // namespace garland
