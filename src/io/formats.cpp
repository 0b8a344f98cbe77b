#include "io/formats.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

namespace garland {

namespace {

std::vector<Format> mesh_formats() {
    return {
        {"PLY (Turk 1994)",
         {".ply"},
         true,
         "ASCII, binary of either byte order; x y z, nx ny nz, vx vy vz, s t (u v, texture_u texture_v), red green "
         "blue; "
         "any other number of a point or face as an attribute; faces of any number of corners, triangle strips, "
         "`texcoord` of corners, `material` by comments (`comment material 0 paper`), pictures by comments (`comment "
         "picture 0 "
         "paper.png`, `comment TextureFile paper.png`); points without faces that have a "
         "whole number `id` are particles",
         "lists of points, edges, other elements, whole numbers beyond 2⁵³",
         "binary little-endian: posed copies, one retimed source"},
        {"OBJ text",
         {".obj"},
         true,
         "v (with colours), vt, vn, f with absolute and negative indices, lines continued with a backslash; `g` and "
         "`o` "
         "as the attribute `group` of faces, `usemtl` as materials, of `mtllib` the names of pictures (`map_Kd`)",
         "lines, points, curves, everything else of material libraries",
         "posed copies, one retimed source: points and faces, texture coordinates where all have them, and normals "
         "where "
         "all have those of corners"},
        {"NumPy array, 1.0–3.0",
         {".npy", ".npz"},
         true,
         "shape (frames, points, 3) of float16, float32, float64, either byte order, beside a mesh of the same name; "
         "velocities in `name_velocity.npy` or `name.velocity.npy`; frames count from 0; `name_NAME.npy` of the shape "
         "(frames, points) or (frames, points, n): `normal`, `colour`, `uv`, or any attribute; with `name_ids.npy` "
         "(frames, places) of whole numbers the points are particles, ids below 0 are empty places; archives (`.npz`, "
         "packed or not) of arrays called positions, velocity, ids, normal …, with `faces` of the shape (faces, "
         "corners) or beside a mesh",
         "pickled objects, other shapes: refused; of archives what is no such array",
         "fast copies; posed copies and one retimed source, beside a PLY file with their faces"},
        {"packed by gzip (RFC 1952) or Zstandard (RFC 8878)",
         {".ply.gz", ".obj.gz", ".csv.gz", ".ply.zst", ".obj.zst", ".csv.zst"},
         true,
         "PLY, OBJ and CSV series whose files are packed one by one, up to 4 GB each",
         "other formats packed so are refused",
         ""},
        {"pieces: `name_pieces.csv` beside a mesh",
         {".csv"},
         true,
         "columns frame, piece, tx, ty, tz, qx, qy, qz, qw in any order; each point of the mesh has a property "
         "`piece`, "
         "from 0, or each piece is a group of the OBJ; the quaternion (any length) turns the rest mesh about its "
         "origin "
         "before it is moved; velocities are made from the transforms",
         "other columns",
         ""},
        {"particles as CSV, a file a frame",
         {".csv"},
         true,
         "columns id, x, y, z, and optionally vx, vy, vz, r, g, b; any other number is an attribute; `age` and `life` "
         "(seconds) tell births and deaths between frames",
         "columns of texts; numbers with a decimal comma are refused",
         "one retimed source; an attribute of several numbers has columns `name_0`, `name_1` …"},
        {"OpenVDB 3 and later",
         {".vdb"},
         true,
         "one file a frame, grids of floats, doubles, whole numbers, truth values and vectors, half floats; "
         "`velocity`, `vel` or `v` carries the others, also as three grids (`vel.x`, `vel_y`, `velZ`; u, v, w) or on "
         "the faces of cells; files of points alone as particles, with `id`, `v` (`vel`, `velocity`) and their numbers",
         "grids of masks and texts, and of points beside others; grids in a frustum are refused",
         "volumes of posed copies, a file for each copy and frame; of shared poses, a file for each pose; one retimed "
         "source; fast copies"},
    };
}

std::vector<Format> scene_formats() {
    return {
        {"glTF 2.0",
         {".gltf", ".glb"},
         true,
         "nodes, meshes (triangles, strips, fans), morph targets, skins, sparse accessors, animation with step, linear "
         "and cubic spline; one of several animations, or all together where they move different things; attributes "
         "with names of their own (`_HEAT`); base colours, textures (PNG, JPEG) as their mean and by the names of "
         "their files; packed by Draco or "
         "meshopt, quantised, instanced "
         "(EXT_mesh_gpu_instancing, as geometry), hidden nodes (in time: they shrink to a point), pointers to nodes' "
         "transforms",
         "further texture coordinates and colours, pictures as such, cameras, lights; other required "
         "extensions and glTF 1.0 are refused",
         "`.glb`: one file for any viewer, one retimed source"},
        {"USD: text, binary (crate 0.4 to 0.13), packages",
         {".usda", ".usdc", ".usd", ".usdz"},
         true,
         "composed from all local files that it names; Mesh, Points, PointInstancer, skeletons and blend shapes, "
         "Sphere, "
         "Cube, Cylinder, Cone, Capsule, Plane; Volume with the OpenVDB files that its fields name, one at a time; of "
         "bound materials their names, and of one "
         "UsdUVTexture (or the only one in sRGB) its file's name",
         "curves as geometry (they are paths for copies), patches, moved prims, shapes between blend shapes, "
         "skinning by dual quaternions, subdivision, units and axes of layers that differ",
         "text and binary (crate 0.8): one retimed source, posed copies, shared poses, references with timing, the "
         "camera"},
    };
}

std::vector<Format> other_formats() {
    return {
        {"any other, by a command of yours",
         {},
         false,
         "what a program named in Preferences (or by `garland-cli readers`) turns into USD, glTF, a PLY series or a "
         "NumPy array",
         "what that program leaves out",
         ""},
        {"paths for copies",
         {".obj", ".gltf", ".glb", ".usda", ".usdc", ".usd", ".csv"},
         false,
         "the first line of: OBJ (`l`), glTF (line strip or loop), USD (BasisCurves: its points, taken as a smooth "
         "curve "
         "unless linear; `wrap` periodic is closed), CSV with x, y, z",
         "further curves",
         ""},
        {"sound",
         {".wav", ".flac", ".ogg", ".aiff", ".mp3"},
         false,
         "WAV, FLAC, Ogg, AIFF, MP3 of up to an hour; all channels together or one of them",
         "",
         "in movies"},
        {"timing as CSV",
         {".csv"},
         false,
         "`output_frame,source_frame`, straight lines between; commas, semicolons or tabs between columns, numbers "
         "with "
         "a point, rows rising; at most 1 000 000",
         "other columns",
         "a row for every whole frame of the span and every key; the timing table of all copies"},
        {"timing as JSON",
         {".json"},
         false,
         "`{\"garland_timing\": 1, \"rate\": \"24\", \"timing\": {…}}`, the timing as in the project file",
         "",
         "the same, nothing lost; the timing table of all copies"},
        {"OpenTimelineIO JSON",
         {".otio"},
         false,
         "",
         "",
         "phrases: one Clip.1 a pass, LinearTimeWarp.1, FreezeFrame.1 for holds, Transition.1 for fades, Marker.2"},
        {"OpenEXR",
         {".exr"},
         false,
         "",
         "",
         "previews: colour as R, G, B, A in linear light, premultiplied (half or float); with passes one part each: "
         "depth (Z, m along the view), motion (motion.X, motion.Y: pixels right and down to the next output "
         "frame), normal (normal.X, .Y, .Z in the scene), numbers (copy and source from 1, source_frame)"},
        {"PNG", {".png"}, false, "", "", "previews, 8 or 16 bits, sRGB, alpha straight; contact sheets"},
        {"movies",
         {".mp4", ".webm", ".mov", ".mkv"},
         false,
         "",
         "",
         "previews: MP4 (H.264, AAC), WebM (VP9, with alpha; Opus), MOV (ProRes 4444, with alpha; PCM), MKV (FFV1, "
         "lossless, with alpha; FLAC); the rate as a rational"},
        {"camera",
         {".usda", ".gltf", ".csv"},
         false,
         "",
         "",
         "USD text: a Camera with a matrix and a focal length for every output frame; glTF: a node with translations "
         "and "
         "rotations (the field of view must stay); CSV"},
        {"HTML", {".html"}, false, "", "", "the report of Check, one page with its pictures in it"},
    };
}

} // namespace

const std::vector<Format>& formats() {
    static const std::vector<Format> all = [] {
        std::vector<Format> out = mesh_formats();
        for (auto* more : {&scene_formats, &other_formats}) {
            const auto list = more();
            out.insert(out.end(), list.begin(), list.end());
        }
        return out;
    }();
    return all;
}

std::string formats_table() {
    std::string out = "| format | files | read | left out, and said | written |\n|---|---|---|---|---|\n";
    for (const Format& f : formats())
        out += fmt::format("| {} | {} | {} | {} | {} |\n", f.name, fmt::join(f.endings, " "), f.read, f.left_out,
                           f.written);
    return out;
}

} // namespace garland
