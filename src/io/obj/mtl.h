// Material libraries of OBJ files (the published "MTL material format" appendix): newmtl and map_Kd, which names the
// picture of a material's base colour. Everything else is passed over.
#pragma once

#include <map>
#include <string>

namespace garland {

// The picture of each material that has one, as an absolute path where the library names it from its own folder. A
// library that cannot be read has none: the shapes are whole without it.
std::map<std::string, std::string> pictures_of_library(const std::string& path);

} // namespace garland
