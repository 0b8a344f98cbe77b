#include "io/sources/sources.h"

#include "core/base/numbers.h"
#include "io/files/file_series.h"
#include "io/sources/mesh_file.h"
#include "io/tables/piece_table.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace garland {

namespace {

// A mesh whose points say which piece they belong to (the attribute `piece`), and a table of transforms beside it.
class PieceSource final : public Source {
  public:
    PieceSource(std::string mesh, std::string table) : mesh_(std::move(mesh)), path_(std::move(table)) {}

    Result<void> open() {
        GARLAND_TRY(rest, read_mesh(mesh_));
        GARLAND_TRY(table, read_piece_table(path_));
        rest_ = rest;
        table_ = std::move(table);
        GARLAND_TRY(piece_of, pieces_of(*rest_));
        for (std::int64_t piece : piece_of) {
            if (piece < 0 || piece >= static_cast<std::int64_t>(table_.pieces)) {
                return fail(Error{ErrorCode::malformed,
                                  fmt::format("a point belongs to piece {}, but the table has pieces 0 to {}", piece,
                                              table_.pieces - 1)}
                                .at(mesh_));
            }
            piece_of_.push_back(static_cast<std::uint32_t>(piece));
        }
        facts_.kind = SourceKind::pieces;
        facts_.format = fmt::format("{} and a table of {}", extension(mesh_) == ".obj" ? "OBJ" : "PLY",
                                    counted(static_cast<long long>(table_.pieces), "piece", "pieces"));
        facts_.first = table_.frames.begin()->first;
        facts_.last = table_.frames.rbegin()->first;
        if (facts_.frames() > 10'000'000) {
            return fail(Error{ErrorCode::too_large, "the frames reach further apart than ten million"}
                            .advise("remove the frames that lie far away")
                            .at(path_));
        }
        for (std::int64_t f = facts_.first; f <= facts_.last; ++f) {
            if (!table_.frames.count(f)) facts_.missing.push_back(f);
        }
        learn_pose(facts_, *rest_);
        facts_.carries.velocities = facts_.carries.velocities_a_frame =
            table_.frames.size() > 1; // of the table's motion
        facts_.bytes_on_disk = disk_bytes(mesh_) + disk_bytes(path_);
        tell_missing(facts_);
        facts_.box = bounds(*pose_of(table_.frames.begin()->second, {}));
        return {};
    }

    const SourceFacts& facts() const override { return facts_; }
    std::vector<std::string> files() const override { return {mesh_, path_}; }

    Result<PosePtr> read(std::int64_t frame, Progress&) const override {
        const std::int64_t here = present(frame);
        return pose_of(at(here), motions_at(here));
    }

    bool makes_between(SubFrame) const override { return true; }
    Result<PosePtr> between(const Between& way, Progress&) const override {
        const auto &a = at(way.a), &b = at(way.b), &before = at(way.before), &after = at(way.after);
        const auto apart = static_cast<double>(std::max<std::int64_t>(way.b - way.a, 1));
        std::vector<PieceTransform> now(a.size());
        std::vector<PieceMotion> motions(a.size());
        for (std::size_t i = 0; i < now.size(); ++i) {
            const PieceBeside ahead{way.before == way.a ? nullptr : &before[i],
                                    static_cast<double>(way.a - way.before) / apart};
            const PieceBeside behind{way.after == way.b ? nullptr : &after[i],
                                     static_cast<double>(way.after - way.b) / apart};
            now[i] = way.smooth ? between_smoothly(ahead, a[i], b[i], behind, way.weight)
                                : garland::between(a[i], b[i], way.weight);
            motions[i] = way.smooth ? motion_smoothly(ahead, a[i], b[i], behind, way.weight, apart)
                                    : motion_between(a[i], b[i], apart);
        }
        return pose_of(now, motions);
    }

  private:
    // Which piece each point belongs to: by its property `piece`, or by the group of its faces.
    Result<std::vector<std::int64_t>> pieces_of(const Pose& rest) const {
        std::vector<std::int64_t> out;
        for (const Attribute& a : rest.attributes) {
            if (a.name != "piece" || a.width != 1) continue;
            if (!a.whole.empty()) return std::vector<std::int64_t>(a.whole.begin(), a.whole.end());
            for (float v : a.values) {
                if (v != std::floor(v))
                    return fail(Error{ErrorCode::malformed, fmt::format("a point belongs to piece {}", v)}.at(mesh_));
                out.push_back(static_cast<std::int64_t>(v));
            }
            return out;
        }
        for (const Attribute& a : rest.faces->attributes) {
            if (a.name != "group" || a.whole.empty()) continue;
            out.assign(rest.points.size(), -1);
            for (std::size_t f = 0; f < rest.faces->count(); ++f) {
                for (std::uint32_t c = rest.faces->starts[f]; c < rest.faces->starts[f + 1]; ++c) {
                    std::int64_t& mine = out[rest.faces->corners[c]];
                    if (mine >= 0 && mine != a.whole[f]) {
                        return fail(Error{ErrorCode::malformed, fmt::format("point {} belongs to groups {} and {}",
                                                                            rest.faces->corners[c], mine, a.whole[f])}
                                        .at(mesh_)
                                        .advise("pieces must not share points"));
                    }
                    mine = a.whole[f];
                }
            }
            for (std::int64_t& mine : out)
                mine = std::max<std::int64_t>(mine, 0); // points of no face move with the first
            return out;
        }
        return fail(Error{ErrorCode::malformed, "its points do not say which piece they belong to"}.at(mesh_).advise(
            "give every point a property named piece, from 0 on, or put each piece into a group of its own (OBJ)"));
    }

    const std::vector<PieceTransform>& at(std::int64_t frame) const { return table_.frames.at(frame); }
    // At a frame: from the frame before to the one after it, so that both sides count alike; a frame.
    std::vector<PieceMotion> motions_at(std::int64_t frame) const {
        std::vector<PieceMotion> out;
        if (table_.frames.size() < 2) return out;
        const auto here = table_.frames.find(frame);
        const auto from = here == table_.frames.begin() ? here : std::prev(here);
        const auto to = std::next(here) == table_.frames.end() ? here : std::next(here);
        for (std::size_t i = 0; i < here->second.size(); ++i)
            out.push_back(motion_between(from->second[i], to->second[i], static_cast<double>(to->first - from->first)));
        return out;
    }
    PosePtr pose_of(const std::vector<PieceTransform>& transforms, const std::vector<PieceMotion>& motions) const {
        return placed(*rest_, piece_of_, transforms, motions);
    }

    std::string mesh_, path_;
    PosePtr rest_;
    PieceTable table_;
    std::vector<std::uint32_t> piece_of_;
    SourceFacts facts_;
};

} // namespace

Result<SourcePtr> open_pieces(const std::string& stem, const std::string& table) {
    const bool obj = !file_exists(stem + ".ply") && file_exists(stem + ".obj");
    if (!obj && !file_exists(stem + ".ply")) {
        return fail(Error{ErrorCode::not_found, "there is no mesh beside this table"}.at(table).advise(
            fmt::format("put the pieces beside it, as {}.ply or {}.obj", file_name(stem), file_name(stem))));
    }
    auto source = std::make_shared<PieceSource>(stem + (obj ? ".obj" : ".ply"), table);
    GARLAND_CHECK(source->open());
    return SourcePtr(source);
}

} // namespace garland
