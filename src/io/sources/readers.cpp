#include "io/sources/readers.h"

#include "io/files/packed_file.h"
#include "io/files/series.h"
#include "io/sources/sources.h"
#include "io/vdb/point_grids.h"

namespace garland {

namespace {

constexpr std::string_view pieces_end = "_pieces", ids_end = "_ids";

bool is_mesh(const AskedPath& asked) {
    return asked.ending == ".ply" || asked.ending == ".obj";
}

std::string without(const std::string& stem, std::string_view end) {
    return stem.ends_with(end) ? stem.substr(0, stem.size() - end.size()) : stem;
}

// The array that velocities were made for: "lantern" of "lantern_velocity.npy" where lantern.npy is there too.
std::string array_stem(const AskedPath& asked) {
    for (const std::string_view end : {"_velocity", ".velocity"}) {
        const std::string stem = without(asked.stem, end);
        if (stem != asked.stem && file_exists(stem + ".npy")) return stem;
    }
    return asked.stem;
}

Result<void> need_file(const std::string& path) {
    if (file_exists(path)) return {};
    return fail(
        Error{ErrorCode::not_found, "does not exist"}.advise("check the name, or find the file again").at(path));
}

const Reader table[] = {
    {"particles, a packed file a frame",
     [](const AskedPath& a) {
         return a.packed && (a.ending == ".csv" || (a.ending == ".ply" && is_particle_file(a.path)));
     },
     [](const AskedPath& a, Progress& p, const SourceChoices&) { return open_particle_series(a.path, p); }},
    {"mesh series, a packed file a frame", [](const AskedPath& a) { return a.packed && is_mesh(a); },
     [](const AskedPath& a, Progress& p, const SourceChoices&) { return open_series(a.path, p); }},
    {"particles in arrays",
     [](const AskedPath& a) {
         return !a.packed && a.ending == ".npy" && (a.stem.ends_with(ids_end) || file_exists(a.stem + "_ids.npy"));
     },
     [](const AskedPath& a, Progress& p, const SourceChoices&) {
         return open_particle_arrays(without(a.stem, ids_end), p);
     }},
    {"array beside a mesh", [](const AskedPath& a) { return !a.packed && a.ending == ".npy"; },
     [](const AskedPath& a, Progress&, const SourceChoices&) -> Result<SourcePtr> {
         const std::string stem = array_stem(a);
         if (stem == a.stem) GARLAND_CHECK(need_file(a.path));
         return open_array(stem, a.path);
     }},
    {"archive of arrays", [](const AskedPath& a) { return !a.packed && a.ending == ".npz"; },
     [](const AskedPath& a, Progress& p, const SourceChoices&) { return open_array_archive(a.path, p); }},
    {"table of pieces",
     [](const AskedPath& a) { return !a.packed && a.ending == ".csv" && a.stem.ends_with(pieces_end); },
     [](const AskedPath& a, Progress&, const SourceChoices&) -> Result<SourcePtr> {
         GARLAND_CHECK(need_file(a.path));
         return open_pieces(without(a.stem, pieces_end), a.path);
     }},
    {"mesh beside a table of pieces",
     [](const AskedPath& a) { return !a.packed && is_mesh(a) && file_exists(a.stem + "_pieces.csv"); },
     [](const AskedPath& a, Progress&, const SourceChoices&) { return open_pieces(a.stem, a.stem + "_pieces.csv"); }},
    {"mesh beside an array", [](const AskedPath& a) { return !a.packed && is_mesh(a) && file_exists(a.stem + ".npy"); },
     [](const AskedPath& a, Progress&, const SourceChoices&) { return open_array(a.stem, a.path); }},
    {"particles, a file a frame",
     [](const AskedPath& a) {
         return !a.packed && (a.ending == ".csv" || (a.ending == ".ply" && is_particle_file(a.path)));
     },
     [](const AskedPath& a, Progress& p, const SourceChoices&) { return open_particle_series(a.path, p); }},
    {"mesh series", [](const AskedPath& a) { return !a.packed && is_mesh(a); },
     [](const AskedPath& a, Progress& p, const SourceChoices&) { return open_series(a.path, p); }},
    {"OpenVDB points", [](const AskedPath& a) { return !a.packed && a.ending == ".vdb" && holds_points_only(a.path); },
     [](const AskedPath& a, Progress& p, const SourceChoices&) { return open_point_grids(a.path, p); }},
    {"OpenVDB volumes", [](const AskedPath& a) { return !a.packed && a.ending == ".vdb"; },
     [](const AskedPath& a, Progress& p, const SourceChoices&) { return open_volumes(a.path, p); }},
    {"glTF", [](const AskedPath& a) { return !a.packed && (a.ending == ".gltf" || a.ending == ".glb"); },
     [](const AskedPath& a, Progress& p, const SourceChoices& c) { return open_gltf(a.path, p, c); }},
    {"USD",
     [](const AskedPath& a) {
         return !a.packed && (a.ending == ".usda" || a.ending == ".usdc" || a.ending == ".usd" || a.ending == ".usdz");
     },
     [](const AskedPath& a, Progress& p, const SourceChoices& c) { return open_usd(a.path, p, c); }},
};

} // namespace

AskedPath asked_path(const std::string& path) {
    AskedPath out;
    out.path = path;
    out.packed = is_packed(path);
    out.ending = out.packed ? content_ending(path) : extension(path);
    const std::string shown = out.packed ? path.substr(0, path.size() - extension(path).size()) : path;
    out.stem = shown.substr(0, shown.size() - out.ending.size());
    return out;
}

std::span<const Reader> readers() {
    return table;
}

} // namespace garland
