// glTF 2.0 (Khronos Group), as .gltf with its buffers or as .glb: hierarchies, meshes, morph targets, skins, node
// animation; textures as their mean colour. Cameras, lights and everything in other extensions are passed over.
#pragma once

#include "core/base/progress.h"
#include "core/geometry/keyed_model.h"
#include "io/files/file.h"

namespace garland {

inline constexpr std::size_t gltf_points_limit = 200'000'000; // of a pose, however often a mesh is shown

struct GltfLine { // a primitive of lines: points of a mesh of the model in the order in which they are joined
    int mesh = 0;
    std::vector<std::uint32_t> order;
    bool closed = false;
};

struct GltfContent {
    KeyedModel model;
    std::vector<GltfLine> lines;
    std::vector<std::string> files;      // the asked one and its buffers
    std::vector<std::string> notes;      // what was passed over, in words
    std::vector<std::string> animations; // names, each once; the last is all_animations where they can go together
    std::string animation;               // the one that was read
};

// All animations at once: possible where no two of them move the same.
inline constexpr const char* all_animations = "all together";

// The first scene with one of its animations; empty, or none of the file's: all together where that is possible,
// otherwise the first. Errors: not_found, unreadable; malformed: whatever contradicts the
// specification, saying which node, accessor or sampler: nodes in a circle, accessors past their buffers, key times
// that do not rise …; too_large; unsupported: extensions that the file requires.
Result<GltfContent> read_gltf(const std::string& path, const std::string& animation = {});

// Writes nodes, triangulated meshes with normals, texture coordinates and colours, and all tracks as one animation, in
// a .glb. Morph targets and skins are not written: unsupported, where there are some.
Result<void> write_glb(const std::string& path, const KeyedModel& model, Existing existing);

} // namespace garland
