#include "io/files/csv.h"
#include "io/files/file_series.h"
#include "io/files/packed_file.h"
#include "io/handoff/fast_copy_note.h"
#include "io/npy/npy.h"
#include "io/ply/ply.h"
#include "io/sources/mesh_file.h"
#include "io/sources/moving_values.h"
#include "io/sources/pose_check.h"
#include "io/sources/sources.h"

#include "core/base/numbers.h"
#include "core/geometry/particles.h"
#include "io/ply/ply_header.h"

#include <charconv>
#include <cmath>
#include <fmt/format.h>

namespace garland {

namespace {

// Where a column stands, in capitals or not, but first as it is written; −1: nowhere.
int column_called(const std::vector<std::string>& names, std::string_view name) {
    auto at = std::find(names.begin(), names.end(), name);
    if (at == names.end()) {
        at = std::find_if(names.begin(), names.end(), [&](const std::string& n) {
            return std::equal(n.begin(), n.end(), name.begin(), name.end(),
                              [](char a, char b) { return (a >= 'A' && a <= 'Z' ? a + 32 : a) == b; });
        });
    }
    return at == names.end() ? -1 : static_cast<int>(at - names.begin());
}

// An id: "7", or "7.0", as tables of floats have it.
std::optional<std::int64_t> whole_number(std::string_view text) {
    std::int64_t name = 0;
    const auto [stop, error] = std::from_chars(text.data(), text.data() + text.size(), name);
    if (error == std::errc() && stop == text.data() + text.size()) return name;
    const auto value = parse_number(text);
    if (!value || *value != std::floor(*value) || std::abs(*value) > 9007199254740992.0) return std::nullopt;
    return static_cast<std::int64_t>(*value);
}

// A frame as a table: a row a particle; columns id, x, y, z, and optionally vx, vy, vz, r, g, b; every other number is
// an attribute of its name.
Result<PosePtr> read_particle_csv(const std::string& path) {
    std::vector<char> bytes;
    GARLAND_CHECK(read_contents(path, bytes, std::uint64_t(1) << 33));
    std::string_view text(bytes.data(), bytes.size());
    std::vector<std::string_view> cells;
    const std::string_view head = take_line(text);
    const char separator = head.find(';') != head.npos ? ';' : head.find('\t') != head.npos ? '\t' : ',';
    split_cells(head, separator, cells);
    const std::vector<std::string> names(cells.begin(), cells.end());
    auto column = [&names](std::string_view name) { return column_called(names, name); };
    auto bad = [&](std::string what, std::int64_t line) {
        return fail(Error{ErrorCode::malformed, std::move(what)}.at(path).at_line(line));
    };
    const int id = column("id"), x = column("x"), y = column("y"), z = column("z");
    if (id < 0 || x < 0 || y < 0 || z < 0) return bad("the first row must name the columns id, x, y and z", 1);
    const int v[3] = {column("vx"), column("vy"), column("vz")}, c[3] = {column("r"), column("g"), column("b")};
    const bool moves = v[0] >= 0 && v[1] >= 0 && v[2] >= 0, coloured = c[0] >= 0 && c[1] >= 0 && c[2] >= 0;
    auto pose = std::make_shared<Pose>();
    std::vector<int> others;
    for (int k = 0; k < static_cast<int>(names.size()); ++k) {
        const bool known = k == id || k == x || k == y || k == z || (moves && (k == v[0] || k == v[1] || k == v[2])) ||
                           (coloured && (k == c[0] || k == c[1] || k == c[2]));
        if (known || names[static_cast<std::size_t>(k)].empty()) continue;
        others.push_back(k);
        pose->attributes.push_back({names[static_cast<std::size_t>(k)], 1});
    }
    for (std::int64_t line = 2; !text.empty(); ++line) {
        const std::string_view row = take_line(text);
        if (row.empty()) continue;
        split_cells(row, separator, cells);
        if (cells.size() != names.size()) {
            auto wrong = Error{ErrorCode::malformed,
                               fmt::format("this row has {} cells, the first has {}", cells.size(), names.size())}
                             .at(path)
                             .at_line(line);
            if (separator == ',' && cells.size() > names.size())
                wrong.advice =
                    "if its numbers have decimal commas, write them with points, or semicolons between the cells";
            return fail(std::move(wrong));
        }
        std::optional<Error> wrong;
        auto number = [&](int k) {
            const auto value = parse_number(cells[static_cast<std::size_t>(k)]);
            if (!value && !wrong)
                wrong = Error{ErrorCode::malformed,
                              fmt::format("\"{}\" is not a number", cells[static_cast<std::size_t>(k)].substr(0, 20))}
                            .advise("write the table again");
            return static_cast<float>(value.value_or(0));
        };
        const std::string_view id_text = cells[static_cast<std::size_t>(id)];
        const auto name = whole_number(id_text);
        if (!name) return bad(fmt::format("\"{}\" is not a whole number", id_text.substr(0, 20)), line);
        pose->ids.push_back(*name);
        pose->points.emplace_back(number(x), number(y), number(z));
        if (moves) pose->velocities.emplace_back(number(v[0]), number(v[1]), number(v[2]));
        if (coloured) pose->colours.emplace_back(number(c[0]), number(c[1]), number(c[2]));
        for (std::size_t k = 0; k < others.size(); ++k) pose->attributes[k].values.push_back(number(others[k]));
        if (wrong) return fail(std::move(*wrong).at(path).at_line(line));
    }
    return PosePtr(pose);
}

Result<PosePtr> read_particles(const std::string& path) {
    GARLAND_TRY(pose, content_ending(path) == ".csv" ? read_particle_csv(path) : read_ply(path));
    GARLAND_CHECK(check_particles(*pose, path));
    return pose;
}

// stem.npy (frames, places, 3) and stem_ids.npy (frames, places): as many places in every frame; those with an id below
// 0 are empty.
class ParticleArrays final : public Source {
  public:
    explicit ParticleArrays(std::string stem)
        : points_path_(stem + ".npy"), ids_path_(stem + "_ids.npy"), velocity_path_(stem + "_velocity.npy") {}

    Result<void> open() {
        GARLAND_TRY(points, NpyFile::open(points_path_));
        GARLAND_TRY(ids, NpyFile::open(ids_path_));
        const auto& shape = points.header().shape;
        if (shape.size() != 3 || shape[2] != 3)
            return fail(Error{ErrorCode::unsupported, "positions need the shape (frames, places, 3)"}
                            .advise("write the array again in that shape")
                            .at(points_path_));
        if (ids.header().shape != std::vector<std::uint64_t>{shape[0], shape[1]} || !ids.header().whole()) {
            return fail(Error{ErrorCode::malformed,
                              fmt::format("ids must be whole numbers of the shape ({}, {})", shape[0], shape[1])}
                            .at(ids_path_));
        }
        facts_.kind = SourceKind::particles;
        facts_.format = "NumPy arrays with ids";
        facts_.last = static_cast<std::int64_t>(shape[0]) - 1;
        points_ = std::move(points), ids_ = std::move(ids);
        GARLAND_TRY(note, read_note(points_path_.substr(0, points_path_.size() - 4)));
        std::optional<std::vector<std::string>> only;
        if (note) {
            apply_note(*note, facts_);
            only = note->names(); // an older copy's files may lie beside it
            facts_.format += ", fast copy";
        }
        facts_.bytes_on_disk = disk_bytes(points_path_) + disk_bytes(ids_path_);
        if (file_exists(velocity_path_) &&
            (!only || std::find(only->begin(), only->end(), file_name(velocity_path_)) != only->end())) {
            GARLAND_TRY(velocity, NpyFile::open(velocity_path_));
            if (velocity.header().shape == points_.header().shape) {
                velocity_ = std::move(velocity);
                facts_.bytes_on_disk += disk_bytes(velocity_path_);
            } else {
                facts_.problems.push_back(
                    {fmt::format("{} does not have the shape of the positions", file_name(velocity_path_)),
                     "velocities are left out", std::nullopt});
            }
        }
        GARLAND_TRY(moving,
                    MovingValues::find(points_path_.substr(0, points_path_.size() - 4), points_.header().shape[0],
                                       points_.header().shape[1], {"_velocity", "_ids"}, only));
        moving_ = std::move(moving);
        if (note) moving_.set_directions(note->directions);
        std::vector<std::string> all;
        moving_.add_files(all);
        for (const std::string& path : all) facts_.bytes_on_disk += disk_bytes(path);
        // The first frame may well be empty: what particles have is learned from the fullest of a few.
        PosePtr fullest;
        Imath::Box3f box;
        std::size_t most = 0;
        const std::int64_t step = std::max<std::int64_t>(1, (facts_.last - facts_.first) / 8);
        for (std::int64_t frame = facts_.first; frame <= facts_.last; frame += step) {
            GARLAND_TRY(pose, read(frame, Progress::none()));
            box.extendBy(bounds(*pose));
            most = std::max(most, pose->points.size());
            if (!fullest || pose->points.size() > fullest->points.size()) fullest = pose;
        }
        learn_pose(facts_, *fullest);
        facts_.box = box;
        facts_.varies.most_points = most;
        return {};
    }
    const SourceFacts& facts() const override { return facts_; }
    std::vector<std::string> files() const override {
        std::vector<std::string> all{points_path_, ids_path_};
        if (velocity_.size() > 0) all.push_back(velocity_path_);
        moving_.add_files(all);
        return all;
    }
    Result<PosePtr> read(std::int64_t frame, Progress&) const override {
        const auto index = static_cast<std::uint64_t>(present(frame) - facts_.first);
        GARLAND_TRY(places, points_.vectors(index));
        GARLAND_TRY(ids, ids_.wholes(index));
        std::vector<V3f> speeds;
        if (velocity_.size() > 0) {
            GARLAND_TRY(list, velocity_.vectors(index));
            speeds = std::move(list);
        }
        Pose values; // of every place, filled or not
        GARLAND_CHECK(moving_.put(values, index));
        auto pose = std::make_shared<Pose>();
        for (const Attribute& a : values.attributes) pose->attributes.push_back({a.name, a.width, {}, {}, a.vector});
        for (std::size_t i = 0; i < ids.size(); ++i) {
            if (ids[i] < 0) continue;
            pose->ids.push_back(ids[i]);
            pose->points.push_back(places[i]);
            if (!speeds.empty()) pose->velocities.push_back(speeds[i]);
            if (!values.colours.empty()) pose->colours.push_back(values.colours[i]);
            if (!values.normals.empty()) pose->normals.push_back(values.normals[i]);
            for (std::size_t k = 0; k < values.attributes.size(); ++k) {
                const Attribute& from = values.attributes[k];
                const auto width = static_cast<std::size_t>(from.width);
                auto take = [&](const auto& list, auto& to) {
                    if (!list.empty())
                        to.insert(to.end(), list.begin() + static_cast<std::ptrdiff_t>(i * width),
                                  list.begin() + static_cast<std::ptrdiff_t>((i + 1) * width));
                };
                take(from.values, pose->attributes[k].values);
                take(from.whole, pose->attributes[k].whole);
            }
        }
        if (auto ok = check_particles(*pose, points_path_); !ok) return fail(std::move(ok.error()).at_frame(frame));
        return PosePtr(pose);
    }

  private:
    std::string points_path_, ids_path_, velocity_path_;
    NpyFile points_, ids_, velocity_;
    MovingValues moving_;
    SourceFacts facts_;
};

} // namespace

bool is_particle_file(const std::string& path) {
    const auto head = read_contents_head(path, 1 << 16);
    if (!head) return false;
    const auto header = ply::parse_header(*head, path);
    if (!header) return false;
    bool ids = false;
    for (const ply::Element& e : header->elements) {
        if (e.name == "face" && e.count > 0) return false;
        if (e.name != "vertex") continue;
        for (const ply::Property& p : e.properties) ids |= p.name == "id" && p.type != ply::Type::f32;
    }
    return ids;
}

Result<SourcePtr> open_particle_series(const std::string& path, Progress& progress) {
    GARLAND_TRY(series, find_series(path));
    SourceFacts facts;
    facts.first = series.first();
    facts.last = series.last();
    facts.missing = series.missing();
    facts.format = fmt::format("{} {} with ids", content_ending(path) == ".csv" ? "CSV" : "PLY",
                               series.files.size() > 1 ? "series" : "file");
    // The first frame may well be empty; what particles have is learned from the fullest of a few.
    PosePtr fullest;
    std::string fullest_file;
    std::size_t at = 0, step = std::max<std::size_t>(1, series.files.size() / 8);
    for (const auto& [frame, file] : series.files) {
        if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
        progress.report(static_cast<double>(at) / static_cast<double>(series.files.size()),
                        fmt::format("looking at {}", file_name(file)));
        facts.bytes_on_disk += disk_bytes(file);
        if (at++ % step != 0 && frame != facts.last) continue;
        auto pose = read_particles(file);
        if (!pose) {
            if (frame == facts.first) return fail(std::move(pose.error()).at_frame(frame));
            facts.problems.push_back({fmt::format("frame {} cannot be read: {}", frame, pose.error().message),
                                      "write it again, or leave it out", frame});
            continue;
        }
        facts.varies.most_points = std::max(facts.varies.most_points, (*pose)->points.size());
        facts.box.extendBy(bounds(**pose));
        if (!fullest || (*pose)->points.size() > fullest->points.size()) fullest = *pose, fullest_file = file;
    }
    const Imath::Box3f box = facts.box;
    learn_pose(facts, *fullest);
    facts.box = box;
    facts.kind = SourceKind::particles;
    if (find_scalar(*fullest, "age")) facts.format += ", born and dying between frames";
    tell_missing(facts);
    tell_left_out(facts, fullest_file, *fullest);
    return SourcePtr(std::make_shared<FileSeries>(std::move(series), std::move(facts), read_particles));
}

Result<SourcePtr> open_particle_arrays(const std::string& stem, Progress&) {
    auto source = std::make_shared<ParticleArrays>(stem);
    GARLAND_CHECK(source->open());
    return SourcePtr(source);
}

} // namespace garland
