#include "io/sources/open_source.h"

#include "io/files/csv.h"
#include "io/files/series.h"
#include "io/handoff/fast_copy_note.h"
#include "io/sources/sources.h"

#include <fmt/format.h>

namespace garland {

std::vector<std::string> source_endings() {
    return {".ply", ".obj", ".npy", ".csv", ".vdb", ".gltf", ".glb", ".usda", ".usdc", ".usd", ".usdz"};
}

Result<SourcePtr> open_source(const std::string& path, Progress& progress, const SourceChoices& choices) {
    // Of a series the file itself need not be there; what is there must be a file that can be read.
    if (auto can = readable(path); !can && can.error().code != ErrorCode::not_found)
        return tl::unexpected(std::move(can.error()));
    GARLAND_CHECK(finish_copy_of(path));
    const std::string ending = extension(path);
    const std::string stem = path.substr(0, path.size() - ending.size());
    if (ending == ".npy" && (file_exists(stem + "_ids.npy") || stem.ends_with("_ids"))) {
        return open_particle_arrays(stem.ends_with("_ids") ? stem.substr(0, stem.size() - 4) : stem, progress);
    }
    if (ending == ".npy") {
        for (std::string_view tail : {"_velocity", ".velocity"}) {
            if (stem.ends_with(tail) && file_exists(stem.substr(0, stem.size() - tail.size()) + ".npy")) {
                return open_array(stem.substr(0, stem.size() - tail.size()), path);
            }
        }
        if (!file_exists(path)) return fail(Error{ErrorCode::not_found, "there is no such file"}.at(path));
        return open_array(stem, path);
    }
    constexpr std::string_view pieces = "_pieces";
    if (ending == ".csv" && stem.ends_with(pieces)) {
        if (!file_exists(path)) return fail(Error{ErrorCode::not_found, "there is no such file"}.at(path));
        return open_pieces(stem.substr(0, stem.size() - pieces.size()), path);
    }
    if ((ending == ".ply" || ending == ".obj") && file_exists(stem + "_pieces.csv"))
        return open_pieces(stem, stem + "_pieces.csv");
    if (ending == ".csv") return open_particle_series(path, progress);
    if (ending == ".ply" || ending == ".obj") {
        if (file_exists(stem + ".npy")) return open_array(stem, path);
        if (ending == ".ply" && is_particle_file(path)) return open_particle_series(path, progress);
        return open_series(path, progress);
    }
    if (ending == ".vdb") return open_volumes(path, progress);
    if (ending == ".gltf" || ending == ".glb") return open_gltf(path, progress, choices);
    if (ending == ".usda" || ending == ".usdc" || ending == ".usd" || ending == ".usdz")
        return open_usd(path, progress, choices);
    if (!file_exists(path)) return fail(Error{ErrorCode::not_found, "there is no such file"}.at(path));
    return fail(
        Error{ErrorCode::unsupported, fmt::format("files ending in \"{}\" are not read", ending)}.at(path).advise(
            "give any file of an OBJ or PLY series, or a mesh beside a NumPy array (.npy) or a table of pieces "
            "(_pieces.csv)"));
}

} // namespace garland
