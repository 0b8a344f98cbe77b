// NumPy archives (.npz, as numpy.savez and savez_compressed write them): a zip file of arrays. They are unpacked once,
// so that frames are read from mapped arrays as ever, and opened like arrays that lie beside each other.
#include "io/files/packed_file.h"
#include "io/npy/npy.h"
#include "io/ply/ply.h"
#include "io/sources/converted.h"
#include "io/sources/sources.h"

#include "core/base/numbers.h"

#include <algorithm>
#include <filesystem>
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <memory>
#include <optional>

namespace garland {

namespace {

// What positions, velocities and faces may be called in an archive, the likeliest first (common practice, no source).
constexpr std::string_view positions_names[] = {"positions", "points", "vertices", "verts", "P"};
constexpr std::string_view velocity_names[] = {"velocity", "velocities", "vel", "v"};
constexpr std::string_view faces_names[] = {"faces", "triangles", "cells"};

template <class Names>
bool among(const Names& names, std::string_view one) {
    return std::find(std::begin(names), std::end(names), one) != std::end(names);
}

// An array's name, where it can be that of a file too; "" otherwise.
std::string array_name(const std::string& entry) {
    if (!entry.ends_with(".npy") || entry.find('/') != entry.npos || entry.find('\\') != entry.npos) return {};
    std::string name = entry.substr(0, entry.size() - 4);
    return name.size() > 100 || name.starts_with(".") ? std::string() : name;
}

struct ArchiveNames {
    std::vector<std::string> arrays, others;
    std::string positions, velocity, faces; // "" where there is none
};

Result<ArchiveNames> names_in(const std::string& path) {
    ArchiveNames out;
    ArchiveReader look;
    look.start = [&](const std::string& entry, std::uint64_t) -> Result<bool> {
        const std::string name = array_name(entry);
        (name.empty() ? out.others : out.arrays).push_back(name.empty() ? entry : name);
        return false;
    };
    GARLAND_CHECK(read_archive(path, look, Progress::none()));
    for (std::size_t i = 0; i < out.arrays.size(); ++i) {
        if (std::find(out.arrays.begin() + static_cast<std::ptrdiff_t>(i) + 1, out.arrays.end(), out.arrays[i]) !=
            out.arrays.end())
            return fail(
                Error{ErrorCode::malformed, fmt::format("it holds \"{}\" twice", out.arrays[i])}.at(path).advise(
                    "write the archive again"));
    }
    auto first_of = [&](const auto& names) {
        const auto at =
            std::find_if(std::begin(names), std::end(names), [&](auto name) { return among(out.arrays, name); });
        return at == std::end(names) ? std::string() : std::string(*at);
    };
    out.positions = first_of(positions_names), out.velocity = first_of(velocity_names);
    out.faces = first_of(faces_names);
    if (out.positions.empty() && out.arrays.size() == 1) out.positions = out.arrays.front();
    if (out.positions.empty())
        return fail(Error{ErrorCode::unsupported,
                          fmt::format("none of its arrays is called positions{}{}",
                                      out.arrays.empty() ? "" : ": it has ", fmt::join(out.arrays, ", "))}
                        .at(path)
                        .advise("name them positions, and optionally velocity, faces, ids, normal, colour, uv"));
    return out;
}

// Where an array goes.
std::string file_of(const ArchiveNames& names, const std::string& name, const std::string& stem) {
    if (name == names.positions) return stem + ".npy";
    if (name == names.velocity) return stem + "_velocity.npy";
    return stem + "_" + name + ".npy";
}

Result<void> unpack(const std::string& path, const ArchiveNames& names, const std::string& stem, Progress& progress) {
    std::optional<AtomicFile> file;
    ArchiveReader reader;
    reader.start = [&](const std::string& entry, std::uint64_t) -> Result<bool> {
        if (file) GARLAND_CHECK(file->commit());
        file.reset();
        const std::string name = array_name(entry);
        if (name.empty()) return false;
        GARLAND_TRY(next, AtomicFile::create(file_of(names, name, stem), Existing::refuse));
        file.emplace(std::move(next));
        return true;
    };
    reader.piece = [&](std::string_view bytes) -> Result<void> {
        file->write(bytes);
        return {};
    };
    GARLAND_CHECK(read_archive(path, reader, progress));
    if (file) GARLAND_CHECK(file->commit());
    return {};
}

// The faces of an array of the shape (faces, corners) of point numbers from 0; a number below 0 is no corner, so that
// faces of several kinds fit into one array.
Result<void> write_faces(const std::string& path, const std::string& array, const std::string& stem) {
    GARLAND_TRY(file, NpyFile::open(array));
    const auto& shape = file.header().shape;
    auto bad = [&](std::string what) {
        return fail(Error{ErrorCode::malformed, std::move(what)}.at(path).advise(
            "write faces as whole numbers of the shape (faces, corners)"));
    };
    if (!file.header().whole() || shape.size() != 2) return bad("its faces are no table of whole numbers");
    GARLAND_TRY(points, NpyFile::open(stem + ".npy"));
    if (points.header().shape.size() != 3 || points.header().shape[2] != 3 || points.header().whole()) return {};
    Pose pose;
    GARLAND_TRY(first, points.vectors(0));
    pose.points = std::move(first);
    auto faces = std::make_shared<Faces>();
    faces->starts.push_back(0);
    for (std::uint64_t f = 0; f < shape[0]; ++f) {
        GARLAND_TRY(corners, file.wholes(f));
        for (const std::int64_t c : corners) {
            if (c >= static_cast<std::int64_t>(pose.points.size()))
                return bad(
                    fmt::format("its face {} has the point {}, but there are only {}", f, c, pose.points.size()));
            if (c >= 0) faces->corners.push_back(static_cast<std::uint32_t>(c));
        }
        if (faces->corners.size() < faces->starts.back() + 3)
            return bad(fmt::format("its face {} has fewer than 3 corners", f));
        faces->starts.push_back(static_cast<std::uint32_t>(faces->corners.size()));
    }
    pose.faces = std::move(faces);
    return write_ply(stem + ".ply", pose, PlyForm::little_endian, Existing::refuse);
}

// What of the archive no source has, as problems of the source that was made of the rest.
void tell_left_out(const ArchiveNames& names, SourceFacts& facts) {
    std::vector<std::string> out = names.others;
    for (const std::string& name : names.arrays) {
        const bool used = name == names.positions || name == names.velocity || name == names.faces || name == "ids" ||
                          name == "normal" || name == "colour" || name == "uv" || among(facts.carries.attributes, name);
        if (!used) out.push_back(name);
    }
    for (const std::string& name : out)
        facts.problems.push_back(
            {fmt::format("\"{}\" in the archive is no array of a value for every frame and point", name),
             "it is left out", std::nullopt});
}

} // namespace

Result<SourcePtr> open_array_archive(const std::string& path, Progress& progress) {
    PartOf unpacking(progress, 0, 0.9), opening(progress, 0.9, 1);
    GARLAND_TRY(names, names_in(path));
    const std::string name = file_name(path).substr(0, file_name(path).size() - extension(path).size());
    auto stem_in = [&](const std::string& folder) { return folder + "/" + (name.empty() ? "source" : name); };
    Conversion way{path, "arrays 1", {}, {}};
    way.make = [&](const std::string& folder, Progress& part) -> Result<void> {
        const std::string stem = stem_in(folder);
        GARLAND_CHECK(unpack(path, names, stem, part));
        if (names.faces.empty()) return {};
        const std::string array = file_of(names, names.faces, stem);
        GARLAND_CHECK(write_faces(path, array, stem));
        std::error_code ignored; // it is no value of points
        std::filesystem::remove(array, ignored);
        return {};
    };
    way.result = [&](const std::string& folder) {
        const std::string array = stem_in(folder) + ".npy";
        return file_exists(array) ? array : std::string();
    };
    GARLAND_TRY(array, converted(way, unpacking));
    const std::string stem = array.substr(0, array.size() - 4),
                      beside = path.substr(0, path.size() - extension(path).size());
    const bool particles = among(names.arrays, "ids");
    auto inner =
        particles ? open_particle_arrays(stem, opening) : open_array(stem, path, names.faces.empty() ? beside : stem);
    if (!inner) {
        Error error = std::move(inner.error());
        if (error.path.starts_with(stem)) error.path = path;
        return fail(std::move(error));
    }
    SourceFacts facts = (*inner)->facts();
    facts.format = particles ? "NumPy archive with ids" : "NumPy archive";
    tell_left_out(names, facts);
    return source_of(path, std::move(*inner), std::move(facts));
}

} // namespace garland
