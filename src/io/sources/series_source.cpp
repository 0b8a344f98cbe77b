#include "io/files/packed_file.h"
#include "io/sources/sources.h"

#include "core/base/numbers.h"
#include "io/files/file_series.h"
#include "io/files/series.h"
#include "io/sources/mesh_file.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace garland {

namespace {

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
        if (*faces_ == *(*pose)->faces) {
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

} // namespace

void tell_missing(SourceFacts& facts) {
    if (facts.missing.empty()) return;
    facts.problems.push_back(
        {fmt::format("{} {} missing", frame_list(facts.missing), facts.missing.size() == 1 ? "is" : "are"),
         "the last frame before it is shown", facts.missing.front()});
}

Result<SourcePtr> open_series(const std::string& path, Progress& progress) {
    GARLAND_TRY(series, find_series(path));
    SourceFacts facts;
    facts.format = fmt::format("{} {}", content_ending(path) == ".obj" ? "OBJ" : "PLY",
                               series.files.size() > 1 ? "series" : "file");
    facts.first = series.first();
    facts.last = series.last();
    facts.missing = series.missing();
    auto with_frame = [](Error error, std::int64_t frame) {
        error.frame = frame;
        return error;
    };
    auto first = read_mesh(series.files.begin()->second);
    if (!first) return fail(with_frame(first.error(), facts.first));
    PosePtr shown = *first; // where nothing is there at first, the first frame with points tells what points have

    std::optional<MeshCounts> first_counts;
    std::size_t done = 0;
    for (const auto& [frame, file] : series.files) {
        if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
        progress.report(static_cast<double>(done++) / static_cast<double>(series.files.size()),
                        fmt::format("looking at {}", file_name(file)));
        facts.bytes_on_disk += disk_bytes(file);
        auto counts = read_mesh_counts(file);
        if (!counts) { // one bad frame does not keep the others from being used
            facts.problems.push_back({fmt::format("frame {} cannot be read: {}", frame, counts.error().message),
                                      "write it again, or keep clear of it", frame});
            continue;
        }
        if (!first_counts) first_counts = *counts;
        facts.varies.most_points = std::max<std::size_t>(facts.varies.most_points, counts->points);
        if (shown->points.empty() && counts->points > 0) {
            if (auto later = read_mesh(file)) shown = *later;
        }
        if (!(*counts == *first_counts)) facts.varies.odd_frames.push_back(frame);
        if (!(*counts == *first_counts) && !facts.varies.faces_change_at) facts.varies.faces_change_at = frame;
    }
    learn_pose(facts, *shown);
    if (!facts.varies.faces_change_at && series.files.size() > 1) {
        auto last = read_mesh(series.files.rbegin()->second);
        if (last && !(*last)->faces->same_shape(*(*first)->faces)) facts.varies.faces_change_at = facts.last;
        if (!last && facts.problems.empty()) {
            facts.problems.push_back({fmt::format("frame {} cannot be read: {}", facts.last, last.error().message),
                                      "write it again, or keep clear of it", facts.last});
        }
    }
    if (facts.varies.faces_change_at) facts.kind = SourceKind::mesh_sequence;
    tell_missing(facts);
    tell_left_out(facts, series.files.begin()->second, **first);
    auto faces = (*first)->faces;
    return SourcePtr(std::make_shared<SeriesSource>(std::move(series), std::move(facts), std::move(faces)));
}

} // namespace garland
