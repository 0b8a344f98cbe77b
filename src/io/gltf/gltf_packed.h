// Packed parts of glTF files: meshes by KHR_draco_mesh_compression, buffer views by EXT_meshopt_compression (Khronos
// Group, glTF extension registry). The libraries of both do the work.
#pragma once

#include <cstdint>
#include <map>
#include <span>
#include <string>
#include <vector>

namespace garland {

// A mesh that Draco packed. Its attributes are asked for by the extension's own numbers.
struct DracoMesh {
    std::vector<std::uint32_t> corners; // triangles
    std::size_t points = 0;
    struct Values {
        int width = 0;
        std::vector<float> floats;
    };
    std::map<std::string, Values> attributes;
};

// `ids`: attribute names with Draco's numbers of them; normalised: those whose whole numbers stand for 0 … 1 or −1 … 1.
// Empty where it worked, otherwise what is wrong.
std::string unpack_draco(std::span<const unsigned char> bytes, const std::map<std::string, int>& ids,
                         const std::map<std::string, bool>& normalised, std::size_t most_points, DracoMesh& out);

// One buffer view; out has count · stride bytes afterwards. mode: "ATTRIBUTES", "TRIANGLES" or "INDICES"; filter:
// "NONE", "OCTAHEDRAL", "QUATERNION" or "EXPONENTIAL". Empty where it worked, otherwise what is wrong.
std::string unpack_meshopt(std::span<const unsigned char> bytes, std::size_t count, std::size_t stride,
                           const std::string& mode, const std::string& filter, std::vector<unsigned char>& out);

} // namespace garland
