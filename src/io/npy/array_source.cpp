#include "io/sources/sources.h"

#include "core/base/numbers.h"
#include "io/handoff/fast_copy_note.h"
#include "io/npy/npy.h"
#include "io/sources/mesh_file.h"
#include "io/sources/moving_values.h"
#include "io/sources/pose_check.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace garland {

namespace {

class ArraySource final : public Source {
  public:
    ArraySource(std::string base, std::string array, std::string velocity) : paths_{base, array, velocity} {}

    Result<void> open() {
        GARLAND_TRY(base, read_mesh(paths_[0]));
        GARLAND_CHECK(read_npy_header(paths_[1])); // with the shape that positions need
        GARLAND_TRY(positions, NpyFile::open(paths_[1]));
        base_ = base;
        positions_ = std::move(positions);
        const auto& shape = positions_.header().shape;
        if (shape[1] != base_->points.size()) {
            return fail(Error{ErrorCode::malformed, fmt::format("has {} points in every frame, but the mesh {} has {}",
                                                                shape[1], file_name(paths_[0]), base_->points.size())}
                            .at(paths_[1])
                            .advise("put the array beside the mesh it was made from"));
        }
        facts_.format = extension(paths_[0]) == ".obj" ? "OBJ and NumPy array" : "PLY and NumPy array";
        facts_.last = static_cast<std::int64_t>(shape[0]) - 1;
        GARLAND_TRY(note, read_note(paths_[1].substr(0, paths_[1].size() - 4)));
        std::optional<std::vector<std::string>> only;
        if (note) {
            apply_note(*note, facts_);
            copied_ = true;
            only = note->names(); // an older copy's files may lie beside it
            if (std::find(only->begin(), only->end(), file_name(paths_[2])) == only->end()) paths_[2].clear();
            facts_.format += ", fast copy";
        }
        learn_pose(facts_, *base_);
        facts_.carries.velocities = false;
        if (!paths_[2].empty()) {
            GARLAND_TRY(velocities, NpyFile::open(paths_[2]));
            facts_.carries.velocities = !velocities.header().whole() && velocities.header().shape == shape;
            velocities_ = std::move(velocities);
            if (!facts_.carries.velocities) {
                facts_.problems.push_back(
                    {fmt::format("{} does not have the shape of the positions", file_name(paths_[2])),
                     "velocities are left out", std::nullopt});
            }
        }
        const std::string stem = paths_[1].substr(0, paths_[1].size() - 4);
        GARLAND_TRY(moving, MovingValues::find(stem, shape[0], shape[1], {"_velocity"}, only));
        moving_ = std::move(moving);
        if (note) moving_.set_directions(note->directions);
        Pose with_moving;
        GARLAND_CHECK(moving_.put(with_moving, 0));
        facts_.carries.normals |= !with_moving.normals.empty();
        facts_.carries.colours |= !with_moving.colours.empty();
        facts_.carries.uvs |= !with_moving.uvs.empty();
        for (const Attribute& a : with_moving.attributes) {
            if (std::find(facts_.carries.attributes.begin(), facts_.carries.attributes.end(), a.name) ==
                facts_.carries.attributes.end())
                facts_.carries.attributes.push_back(a.name);
        }
        for (const auto& path : paths_) facts_.bytes_on_disk += path.empty() ? 0 : disk_bytes(path);
        GARLAND_TRY(first, read(facts_.first, Progress::none()));
        facts_.box = bounds(*first);
        return {};
    }

    const SourceFacts& facts() const override { return facts_; }

    Result<PosePtr> read(std::int64_t frame, Progress&) const override {
        const std::uint64_t index = index_of(present(frame));
        GARLAND_TRY(points, positions_.vectors(index));
        std::vector<V3f> velocities;
        if (facts_.carries.velocities) {
            GARLAND_TRY(list, velocities_.vectors(index));
            velocities = std::move(list);
        }
        return pose_of(std::move(points), std::move(velocities), index, index, 0);
    }

    // Half floats are mixed as they are converted, in one pass over half the bytes.
    bool makes_between(SubFrame how) const override {
        return positions_.mixes() && (how == SubFrame::linear || how == SubFrame::smooth);
    }
    Result<PosePtr> between(const Between& way, Progress& progress) const override {
        if (way.smooth) {
            GARLAND_TRY(a, read(way.a, progress));
            GARLAND_TRY(b, read(way.b, progress));
            if (facts_.carries.velocities) return blend(a, b, way.weight, SubFrame::smooth, way.seconds);
            PosePtr before, after;
            if (way.before != way.a) {
                GARLAND_TRY(pose, read(way.before, progress));
                before = std::move(pose);
            }
            if (way.after != way.b) {
                GARLAND_TRY(pose, read(way.after, progress));
                after = std::move(pose);
            }
            const auto apart = static_cast<double>(way.b - way.a);
            return blend_through({before, static_cast<double>(way.a - way.before) / apart}, a, b,
                                 {after, static_cast<double>(way.after - way.b) / apart}, way.weight);
        }
        const std::uint64_t a = index_of(way.a), b = index_of(way.b);
        const auto w = static_cast<float>(way.weight);
        GARLAND_TRY(points, positions_.mixed(a, b, w));
        std::vector<V3f> velocities;
        if (facts_.carries.velocities && velocities_.mixes()) {
            GARLAND_TRY(list, velocities_.mixed(a, b, w));
            velocities = std::move(list);
        } else if (facts_.carries.velocities) {
            GARLAND_TRY(from, velocities_.vectors(a));
            GARLAND_TRY(to, velocities_.vectors(b));
            velocities = std::move(from);
            mix(&velocities[0].x, &to[0].x, w, &velocities[0].x, velocities.size() * 3);
        }
        return pose_of(std::move(points), std::move(velocities), a, b, w);
    }

    std::vector<std::string> files() const override {
        std::vector<std::string> all(paths_, paths_ + 2);
        if (!paths_[2].empty()) all.push_back(paths_[2]);
        moving_.add_files(all);
        return all;
    }

  private:
    std::uint64_t index_of(std::int64_t frame) const { return static_cast<std::uint64_t>(frame - facts_.first); }
    Result<PosePtr> pose_of(std::vector<V3f> points, std::vector<V3f> velocities, std::uint64_t a, std::uint64_t b,
                            float w) const {
        auto pose = std::make_shared<Pose>();
        pose->points = std::move(points);
        pose->velocities = std::move(velocities);
        pose->faces = base_->faces;
        pose->uvs = base_->uvs;
        pose->colours = base_->colours;
        pose->attributes = base_->attributes;
        if (copied_) pose->normals = base_->normals; // of a fast copy: they stand still although points move
        if (moving_.any()) GARLAND_CHECK(moving_.put(*pose, a, b, w));
        if (auto ok = check_pose(*pose, paths_[1]); !ok)
            return fail(std::move(ok.error()).at_frame(static_cast<std::int64_t>(a) + facts_.first));
        return PosePtr(pose);
    }

    std::string paths_[3]; // mesh, positions, velocities or ""
    PosePtr base_;
    NpyFile positions_, velocities_;
    MovingValues moving_;
    SourceFacts facts_;
    bool copied_ = false; // a fast copy: what its mesh says holds for every frame
};

} // namespace

Result<SourcePtr> open_array(const std::string& stem, const std::string& asked, const std::string& beside) {
    const std::string& mesh = beside.empty() ? stem : beside;
    std::string base;
    for (const char* ending : {".ply", ".obj", ".PLY", ".OBJ"}) {
        if (file_exists(mesh + ending)) {
            base = mesh + ending;
            break;
        }
    }
    if (base.empty()) {
        return fail(Error{ErrorCode::not_found, "there is no mesh beside this array"}.at(asked).advise(
            fmt::format("put its faces beside it, as {}.ply or {}.obj", file_name(mesh), file_name(mesh))));
    }
    std::string velocity;
    for (const char* ending : {"_velocity.npy", ".velocity.npy"}) {
        if (velocity.empty() && file_exists(stem + ending)) velocity = stem + ending;
    }
    auto source = std::make_shared<ArraySource>(base, stem + ".npy", velocity);
    GARLAND_CHECK(source->open());
    return SourcePtr(source);
}

} // namespace garland
