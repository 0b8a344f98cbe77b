// What the library is given of a glTF file, and which files it may open: no pictures, no chunks beyond the file's end.
#pragma once

#include "io/files/file.h"

#include <string>
#include <vector>

#define TINYGLTF_NO_STB_IMAGE
#define TINYGLTF_NO_STB_IMAGE_WRITE
#include <tiny_gltf.h>

namespace garland {

// The file's bytes again without what is not to be looked at; pictures have become colours of materials. binary: a
// .glb. files: pictures that were opened. Errors: those of its JSON; malformed, for chunks that do not fit.
Result<void> prepare_gltf(std::vector<char>& bytes, bool binary, const std::string& path,
                          std::vector<std::string>& files, std::vector<std::string>& notes);

// Buffers lie where the file says, from its own folder on; nowhere else is looked.
struct GltfFolder {
    std::string folder;
};

// beside must outlive the loader that uses them.
tinygltf::FsCallbacks files_beside(GltfFolder& beside);

} // namespace garland
