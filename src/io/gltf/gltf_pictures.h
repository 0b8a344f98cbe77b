// The colours of textures: copies have colours and no pictures, so a material is given the mean of what its base
// colour's picture shows.
#pragma once

#include "io/files/json_part.h"

#include <string>
#include <string_view>
#include <vector>

namespace garland {

// Where a material's extras name the picture of its base colour.
inline constexpr const char* gltf_picture = "picture";

// Multiplies the base colour of every material that has a texture (glTF 2.0, section 3.9.2; both linear) by its
// picture's mean in linear light; where the material is not opaque, each texel counts by its alpha. json: a glTF's,
// read and not checked; binary: the bytes of a .glb's own buffer, or none. Pictures are opened only inside `folder`;
// those that are go into `files`, and materials name their files in their extras (gltf_picture). One that cannot be
// read leaves the colour alone, and notes say so.
void put_mean_colours(Json& json, std::string_view binary, const std::string& folder, std::vector<std::string>& files,
                      std::vector<std::string>& notes);

} // namespace garland
