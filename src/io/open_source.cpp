#include "io/open_source.h"

#include "core/base/numbers.h"
#include "io/npy.h"
#include "io/obj.h"
#include "io/piece_table.h"
#include "io/ply.h"
#include "io/pose_check.h"
#include "io/series.h"

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <fmt/format.h>

namespace garland {

namespace {

double disk_bytes(const std::string& path) {
    std::error_code error;
    const auto size = std::filesystem::file_size(path, error);
    return error ? 0 : static_cast<double>(size);
}

Result<PosePtr> read_mesh(const std::string& path) {
    return extension(path) == ".obj" ? read_obj(path) : read_ply(path);
}

struct Counts {
    std::uint64_t points = 0, faces = 0;
    bool operator==(const Counts&) const = default;
};

Result<Counts> read_counts(const std::string& path) {
    if (extension(path) == ".obj") {
        GARLAND_TRY(c, read_obj_counts(path));
        return Counts{c.points, c.faces};
    }
    GARLAND_TRY(c, read_ply_counts(path));
    return Counts{c.points, c.faces};
}

void learn(SourceFacts& facts, const Pose& pose) {
    facts.points = pose.points.size();
    facts.most_points = std::max(facts.most_points, facts.points);
    facts.faces = pose.faces->count();
    facts.velocities = !pose.velocities.empty();
    facts.normals = !pose.normals.empty();
    facts.uvs = !pose.uvs.empty() || !pose.faces->corner_uvs.empty();
    for (const auto& a : pose.attributes) facts.attributes.push_back(a.name);
    if (!pose.colours.empty()) facts.colours = true;
    facts.box = bounds(pose);
}

// "frame 13", "frames 13 to 17", "frames 13, 15 and 9 more"
std::string frame_list(const std::vector<std::int64_t>& frames) {
    if (frames.size() == 1) return fmt::format("frame {}", frames[0]);
    const auto last = frames.back();
    if (last - frames[0] + 1 == static_cast<std::int64_t>(frames.size()))
        return fmt::format("frames {} to {}", frames[0], last);
    if (frames.size() == 2) return fmt::format("frames {} and {}", frames[0], last);
    return fmt::format("frames {}, {} and {} more", frames[0], frames[1], frames.size() - 2);
}

class SeriesSource final : public Source {
  public:
    SeriesSource(Series series, SourceFacts facts, std::shared_ptr<const Faces> faces)
        : series_(std::move(series)), facts_(std::move(facts)), faces_(std::move(faces)) {}

    const SourceFacts& facts() const override { return facts_; }

    Result<PosePtr> read(std::int64_t frame, Progress&) const override {
        frame = present(frame);
        auto pose = read_mesh(series_.files.at(frame));
        if (!pose) {
            Error error = std::move(pose.error());
            error.frame = frame;
            return fail(std::move(error));
        }
        if (faces_->same_shape(*(*pose)->faces) && faces_->corner_uvs.size() == (*pose)->faces->corner_uvs.size()) {
            auto shared = std::make_shared<Pose>(**pose);
            shared->faces = faces_;
            return PosePtr(shared);
        }
        return pose;
    }

    std::vector<std::string> files() const override {
        std::vector<std::string> all;
        for (const auto& [frame, path] : series_.files) all.push_back(path);
        return all;
    }

  private:
    Series series_;
    SourceFacts facts_;
    std::shared_ptr<const Faces> faces_;
};

class ArraySource final : public Source {
  public:
    ArraySource(std::string base, std::string array, std::string velocity) : paths_{base, array, velocity} {}

    Result<void> open() {
        GARLAND_TRY(base, read_mesh(paths_[0]));
        GARLAND_TRY(positions, read_npy_header(paths_[1]));
        base_ = base;
        positions_ = positions;
        if (positions_.shape[1] != base_->points.size()) {
            return fail(Error{ErrorCode::malformed,
                              fmt::format("has {} points in every frame, but the mesh {} has {}", positions_.shape[1],
                                          file_name(paths_[0]), base_->points.size())}
                            .at(paths_[1])
                            .advise("put the array beside the mesh it was made from"));
        }
        facts_.format = extension(paths_[0]) == ".obj" ? "OBJ and NumPy array" : "PLY and NumPy array";
        facts_.last = static_cast<std::int64_t>(positions_.shape[0]) - 1;
        learn(facts_, *base_);
        facts_.velocities = false;
        if (!paths_[2].empty()) {
            GARLAND_TRY(velocities, read_npy_header(paths_[2]));
            velocities_ = velocities;
            facts_.velocities = velocities_.shape == positions_.shape;
            if (!facts_.velocities) {
                facts_.problems.push_back(
                    {fmt::format("{} does not have the shape of the positions", file_name(paths_[2])),
                     "velocities are left out", std::nullopt});
            }
        }
        for (const auto& path : paths_) facts_.bytes_on_disk += path.empty() ? 0 : disk_bytes(path);
        GARLAND_TRY(first, read(0, Progress::none()));
        facts_.box = bounds(*first);
        return {};
    }

    const SourceFacts& facts() const override { return facts_; }

    Result<PosePtr> read(std::int64_t frame, Progress&) const override {
        auto pose = std::make_shared<Pose>();
        const auto index = static_cast<std::uint64_t>(present(frame));
        GARLAND_TRY(points, read_npy_frame(paths_[1], positions_, index));
        pose->points = std::move(points);
        pose->faces = base_->faces;
        pose->uvs = base_->uvs;
        pose->colours = base_->colours;
        pose->attributes = base_->attributes;
        if (facts_.velocities) {
            GARLAND_TRY(velocities, read_npy_frame(paths_[2], velocities_, index));
            pose->velocities = std::move(velocities);
        }
        if (auto ok = check_pose(*pose, paths_[1]); !ok) {
            return fail(std::move(ok.error()).at_frame(static_cast<std::int64_t>(index)));
        }
        return PosePtr(pose);
    }

    std::vector<std::string> files() const override {
        std::vector<std::string> all(paths_, paths_ + 2);
        if (!paths_[2].empty()) all.push_back(paths_[2]);
        return all;
    }

  private:
    std::string paths_[3]; // mesh, positions, velocities or ""
    PosePtr base_;
    NpyHeader positions_, velocities_;
    SourceFacts facts_;
};

// A mesh whose points say which piece they belong to (the attribute `piece`), and a table of transforms beside it.
class PieceSource final : public Source {
  public:
    PieceSource(std::string mesh, std::string table) : mesh_(std::move(mesh)), path_(std::move(table)) {}

    Result<void> open() {
        GARLAND_TRY(rest, read_mesh(mesh_));
        GARLAND_TRY(table, read_piece_table(path_));
        rest_ = rest;
        table_ = std::move(table);
        const auto piece = std::find_if(rest_->attributes.begin(), rest_->attributes.end(),
                                        [](const PointAttribute& a) { return a.name == "piece" && a.width == 1; });
        if (piece == rest_->attributes.end()) {
            return fail(Error{ErrorCode::malformed, "its points do not say which piece they belong to"}.at(mesh_).advise(
                "give every point a property named piece, from 0 on"));
        }
        for (float value : piece->values) {
            const bool whole = value >= 0 && value == std::floor(value) && value < static_cast<float>(table_.pieces);
            if (!whole) {
                return fail(Error{ErrorCode::malformed, fmt::format("a point belongs to piece {}, but the table has pieces 0 to {}",
                                                                    value, table_.pieces - 1)}
                                .at(mesh_));
            }
            piece_of_.push_back(static_cast<std::uint32_t>(value));
        }
        facts_.kind = SourceKind::pieces;
        facts_.format = fmt::format("PLY and a table of {}", counted(static_cast<long long>(table_.pieces), "piece", "pieces"));
        facts_.first = table_.frames.begin()->first;
        facts_.last = table_.frames.rbegin()->first;
        if (facts_.frames() > 10'000'000) {
            return fail(Error{ErrorCode::too_large, "the frames reach further apart than ten million"}.at(path_));
        }
        for (std::int64_t f = facts_.first; f <= facts_.last; ++f) {
            if (!table_.frames.count(f)) facts_.missing.push_back(f);
        }
        learn(facts_, *rest_);
        facts_.velocities = false;
        facts_.bytes_on_disk = disk_bytes(mesh_) + disk_bytes(path_);
        if (!facts_.missing.empty()) {
            facts_.problems.push_back({fmt::format("{} {} missing", frame_list(facts_.missing), facts_.missing.size() == 1 ? "is" : "are"),
                                       "the frame before is shown in its place", facts_.missing.front()});
        }
        facts_.box = bounds(*pose_of(table_.frames.begin()->second));
        return {};
    }

    const SourceFacts& facts() const override { return facts_; }
    std::vector<std::string> files() const override { return {mesh_, path_}; }

    Result<PosePtr> read(std::int64_t frame, Progress&) const override { return pose_of(at(present(frame))); }

    bool makes_between() const override { return true; }
    Result<PosePtr> between(const Between& way, Progress&) const override {
        const auto &a = at(way.a), &b = at(way.b), &before = at(way.before), &after = at(way.after);
        const auto apart = static_cast<double>(std::max<std::int64_t>(way.b - way.a, 1));
        std::vector<PieceTransform> now(a.size());
        for (std::size_t i = 0; i < now.size(); ++i) {
            now[i] = way.smooth ? between_smoothly({way.before == way.a ? nullptr : &before[i], static_cast<double>(way.a - way.before) / apart},
                                                   a[i], b[i],
                                                   {way.after == way.b ? nullptr : &after[i], static_cast<double>(way.after - way.b) / apart},
                                                   way.weight)
                                : garland::between(a[i], b[i], way.weight);
        }
        return pose_of(now);
    }

  private:
    const std::vector<PieceTransform>& at(std::int64_t frame) const { return table_.frames.at(frame); }
    PosePtr pose_of(const std::vector<PieceTransform>& transforms) const { return placed(*rest_, piece_of_, transforms); }

    std::string mesh_, path_;
    PosePtr rest_;
    PieceTable table_;
    std::vector<std::uint32_t> piece_of_;
    SourceFacts facts_;
};

Result<SourcePtr> open_pieces(const std::string& stem, const std::string& table) {
    if (!file_exists(stem + ".ply")) {
        return fail(Error{ErrorCode::not_found, "there is no mesh beside this table"}.at(table).advise(
            fmt::format("put the pieces beside it, as {}.ply", file_name(stem))));
    }
    auto source = std::make_shared<PieceSource>(stem + ".ply", table);
    GARLAND_CHECK(source->open());
    return SourcePtr(source);
}

Result<SourcePtr> open_array(const std::string& stem, const std::string& asked) {
    std::string base;
    for (const char* ending : {".ply", ".obj", ".PLY", ".OBJ"}) {
        if (file_exists(stem + ending)) {
            base = stem + ending;
            break;
        }
    }
    if (base.empty()) {
        return fail(Error{ErrorCode::not_found, "there is no mesh beside this array"}.at(asked).advise(
            fmt::format("put its faces beside it, as {}.ply or {}.obj", file_name(stem), file_name(stem))));
    }
    std::string velocity;
    for (const char* ending : {"_velocity.npy", ".velocity.npy"}) {
        if (velocity.empty() && file_exists(stem + ending)) velocity = stem + ending;
    }
    auto source = std::make_shared<ArraySource>(base, stem + ".npy", velocity);
    GARLAND_CHECK(source->open());
    return SourcePtr(source);
}

Result<SourcePtr> open_series(const std::string& path, Progress& progress) {
    GARLAND_TRY(series, find_series(path));
    SourceFacts facts;
    facts.format =
        fmt::format("{} {}", extension(path) == ".obj" ? "OBJ" : "PLY", series.files.size() > 1 ? "series" : "file");
    facts.first = series.first();
    facts.last = series.last();
    facts.missing = series.missing();
    auto with_frame = [](Error error, std::int64_t frame) {
        error.frame = frame;
        return error;
    };
    auto first = read_mesh(series.files.begin()->second);
    if (!first) return fail(with_frame(first.error(), facts.first));
    learn(facts, **first);

    std::optional<Counts> first_counts;
    std::size_t done = 0;
    for (const auto& [frame, file] : series.files) {
        if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
        progress.report(static_cast<double>(done++) / static_cast<double>(series.files.size()),
                        fmt::format("looking at {}", file_name(file)));
        facts.bytes_on_disk += disk_bytes(file);
        auto counts = read_counts(file);
        if (!counts) { // one bad frame does not keep the others from being used
            facts.problems.push_back({fmt::format("frame {} cannot be read: {}", frame, counts.error().message),
                                      "write it again, or keep clear of it", frame});
            continue;
        }
        if (!first_counts) first_counts = *counts;
        facts.most_points = std::max<std::size_t>(facts.most_points, counts->points);
        if (!(*counts == *first_counts) && !facts.faces_change_at) facts.faces_change_at = frame;
    }
    if (!facts.faces_change_at && series.files.size() > 1) {
        auto last = read_mesh(series.files.rbegin()->second);
        if (last && !(*last)->faces->same_shape(*(*first)->faces)) facts.faces_change_at = facts.last;
        if (!last && facts.problems.empty()) {
            facts.problems.push_back({fmt::format("frame {} cannot be read: {}", facts.last, last.error().message),
                                      "write it again, or keep clear of it", facts.last});
        }
    }
    if (facts.faces_change_at) facts.kind = SourceKind::mesh_sequence;
    if (!facts.missing.empty()) {
        facts.problems.push_back(
            {fmt::format("{} {} missing", frame_list(facts.missing), facts.missing.size() == 1 ? "is" : "are"),
             "the frame before is shown in its place", facts.missing.front()});
    }
    auto faces = (*first)->faces;
    return SourcePtr(std::make_shared<SeriesSource>(std::move(series), std::move(facts), std::move(faces)));
}

} // namespace

std::vector<std::string> source_endings() {
    return {".ply", ".obj", ".npy", ".csv"};
}

Result<SourcePtr> open_source(const std::string& path, Progress& progress) {
    const std::string ending = extension(path);
    const std::string stem = path.substr(0, path.size() - ending.size());
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
    if (ending == ".ply" && file_exists(stem + "_pieces.csv")) return open_pieces(stem, stem + "_pieces.csv");
    if (ending == ".ply" || ending == ".obj") {
        if (file_exists(stem + ".npy")) return open_array(stem, path);
        return open_series(path, progress);
    }
    if (!file_exists(path)) return fail(Error{ErrorCode::not_found, "there is no such file"}.at(path));
    return fail(
        Error{ErrorCode::unsupported, fmt::format("files ending in \"{}\" are not read", ending)}.at(path).advise(
            "give any file of an OBJ or PLY series, or a mesh beside a NumPy array (.npy) or a table of pieces (_pieces.csv)"));
}

} // namespace garland
