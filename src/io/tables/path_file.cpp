#include "io/tables/path_file.h"

#include "core/base/numbers.h"
#include "core/copies/arrangement.h"
#include "io/files/csv.h"
#include "io/gltf/gltf.h"
#include "io/usd/usd_path.h"

#include <cmath>
#include <fmt/format.h>

namespace garland {

namespace {

tl::unexpected<Error> bad_line(const std::string& path, std::int64_t line, std::string what) {
    return fail(Error{ErrorCode::malformed, std::move(what)}.at(path).at_line(line));
}

bool read_place(const std::vector<std::string_view>& cells, std::size_t from, V3d& out) {
    for (int k = 0; k < 3; ++k) {
        const auto v = from + static_cast<std::size_t>(k) < cells.size()
                           ? parse_number(cells[from + static_cast<std::size_t>(k)])
                           : std::nullopt;
        if (!v) return false;
        out[k] = *v;
    }
    return true;
}

// OBJ: `v` places and `l` lines; several `l` that go on from each other's end are one.
Result<PathInFile> read_obj_path(const std::string& path, std::string_view text) {
    PathInFile out;
    out.paths = 0;
    std::vector<V3d> places;
    std::vector<std::vector<std::int64_t>> lines;
    std::vector<std::string_view> cells;
    for (std::int64_t number = 1; !text.empty(); ++number) {
        const std::string_view row = take_line(text);
        if (row.empty() || row.front() == '#') continue;
        split_cells(row, ' ', cells);
        std::erase_if(cells, [](std::string_view c) { return c.empty(); });
        if (cells.empty()) continue;
        if (cells[0] == "v") {
            V3d p;
            if (!read_place(cells, 1, p)) return bad_line(path, number, "a place needs three numbers");
            places.push_back(p);
        } else if (cells[0] == "l") {
            std::vector<std::int64_t> line;
            for (std::size_t i = 1; i < cells.size(); ++i) {
                const auto v = parse_number(cells[i].substr(0, cells[i].find('/')));
                const auto count = static_cast<double>(places.size());
                const double place = v ? (*v < 0 ? count + *v : *v - 1) : -1;
                if (place < 0 || place >= count || place != std::floor(place))
                    return bad_line(path, number, "a line joins points that are not there");
                line.push_back(static_cast<std::int64_t>(place));
            }
            if (line.size() < 2) return bad_line(path, number, "a line needs two points");
            if (!lines.empty() && lines.back().back() == line.front()) {
                lines.back().insert(lines.back().end(), line.begin() + 1, line.end());
            } else {
                lines.push_back(std::move(line));
            }
        }
    }
    out.paths = lines.size();
    if (lines.empty()) return out;
    std::vector<std::int64_t>& line = lines.front();
    out.closed = line.size() > 3 && line.front() == line.back();
    if (out.closed) line.pop_back();
    for (std::int64_t i : line) out.points.push_back(places[static_cast<std::size_t>(i)]);
    return out;
}

Result<PathInFile> read_csv_path(const std::string& path, std::string_view text) {
    PathInFile out;
    std::vector<std::string_view> cells;
    for (std::int64_t number = 1; !text.empty(); ++number) {
        const std::string_view row = take_line(text);
        if (row.empty()) continue;
        split_cells(row, ',', cells);
        V3d p;
        if (read_place(cells, 0, p)) {
            out.points.push_back(p);
        } else if (number > 1) { // the first line may name the columns
            return bad_line(path, number, "a place needs three numbers: x,y,z");
        }
    }
    return out;
}

Result<PathInFile> read_gltf_path(const std::string& path) {
    GARLAND_TRY(content, read_gltf(path));
    PathInFile out;
    out.paths = content.lines.size();
    if (content.lines.empty()) return out;
    const GltfLine& line = content.lines.front();
    M44d world;
    const std::vector<M44d> all = node_transforms(content.model, 0);
    for (std::size_t i = 0; i < content.model.nodes.size(); ++i) {
        for (int m : content.model.nodes[i].meshes) {
            if (m == line.mesh) world = all[i];
        }
    }
    const Pose& pose = content.model.meshes[static_cast<std::size_t>(line.mesh)].base;
    for (std::uint32_t i : line.order) {
        V3d p;
        world.multVecMatrix(V3d(pose.points[i]), p);
        out.points.push_back(p);
    }
    out.closed = line.closed;
    return out;
}

} // namespace

Result<PathInFile> read_path(const std::string& path) {
    const std::string kind = extension(path);
    std::vector<char> bytes;
    Result<PathInFile> out =
        fail(Error{ErrorCode::unsupported, fmt::format("no path can be read from \"{}\" files", kind)}.at(path).advise(
            "give OBJ with a line, glTF with a line strip, USD with BasisCurves, or CSV with x,y,z"));
    if (kind == ".obj" || kind == ".csv") {
        GARLAND_CHECK(read_file(path, bytes, std::uint64_t(1) << 30));
        const std::string_view text(bytes.data(), bytes.size());
        out = kind == ".obj" ? read_obj_path(path, text) : read_csv_path(path, text);
    } else if (kind == ".gltf" || kind == ".glb") {
        out = read_gltf_path(path);
    } else if (kind == ".usda" || kind == ".usdc" || kind == ".usd" || kind == ".usdz") {
        out = read_usd_path(path);
    }
    if (!out) return out;
    if (out->points.size() < 2) {
        return fail(Error{ErrorCode::malformed, "there is no line of at least two points in it"}.at(path).advise(
            "a mesh is no path: write its edge or guide as a line"));
    }
    if (out->points.size() > path_limit) {
        return fail(Error{ErrorCode::too_large,
                          fmt::format("its line has {} points, above the limit of {}", out->points.size(), path_limit)}
                        .advise("write it with fewer points")
                        .at(path));
    }
    for (const V3d& p : out->points) {
        for (int k = 0; k < 3; ++k) {
            if (!std::isfinite(p[k]))
                return fail(Error{ErrorCode::malformed,
                                  fmt::format("point {} of its line has a coordinate that is not a number",
                                              &p - out->points.data() + 1)}
                                .at(path));
        }
    }
    out->words = counted(out->points.size(), "point", "points");
    if (out->paths > 1) out->words += fmt::format(" of the first of {} lines", out->paths);
    if (out->closed) out->words += ", closed";
    return out;
}

} // namespace garland
