#include "io/sources/open_source.h"

#include "io/sources/mesh_file.h"

#include <cmath>
#include <fmt/format.h>

namespace garland {

namespace {

// All shapes are in memory: they are a handful.
class ShapesSource final : public ExactSource {
  public:
    ShapesSource(std::vector<std::string> files, std::vector<PosePtr> shapes, std::int64_t each)
        : files_(std::move(files)), shapes_(std::move(shapes)), each_(each) {
        learn_pose(facts_, *shapes_.front());
        facts_.kind = SourceKind::shapes;
        facts_.format = fmt::format("{} shapes, {} frames each", shapes_.size(), each);
        facts_.last = static_cast<std::int64_t>(shapes_.size()) * each - 1;
        for (const PosePtr& shape : shapes_) facts_.box.extendBy(bounds(*shape));
        for (const std::string& file : files_) facts_.bytes_on_disk += disk_bytes(file);
    }
    const SourceFacts& facts() const override { return facts_; }
    std::vector<std::string> files() const override { return files_; }
    // Stepped: shape k from frame k·each on. Blended: shape k is whole at frame k·each, and the last one to the end.
    Result<PosePtr> exact_at(double frame, SubFrame how, Progress&) const override {
        const double place = frame / static_cast<double>(each_);
        const auto last = shapes_.size() - 1;
        const auto k = static_cast<std::size_t>(std::clamp(std::floor(place), 0.0, static_cast<double>(last)));
        const double w = place - static_cast<double>(k);
        if (how == SubFrame::nearest || k == last || w <= 0) return shapes_[k];
        const double seconds = 0; // shapes have no velocities
        if (how != SubFrame::smooth) return blend(shapes_[k], shapes_[k + 1], w, SubFrame::linear, seconds);
        return blend_through({k > 0 ? shapes_[k - 1] : nullptr, 1}, shapes_[k], shapes_[k + 1],
                             {k + 2 <= last ? shapes_[k + 2] : nullptr, 1}, w);
    }

  private:
    std::vector<std::string> files_;
    std::vector<PosePtr> shapes_;
    std::int64_t each_;
    SourceFacts facts_;
};

} // namespace

Result<SourcePtr> open_shapes(const std::vector<std::string>& files, std::int64_t each, Progress& progress) {
    if (files.empty()) return fail(Error{ErrorCode::invalid, "shapes need at least one mesh"}.advise("add a mesh"));
    std::vector<PosePtr> shapes;
    for (std::size_t i = 0; i < files.size(); ++i) {
        if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
        progress.report(static_cast<double>(i) / static_cast<double>(files.size()),
                        fmt::format("reading {}", file_name(files[i])));
        GARLAND_TRY(shape, read_mesh(files[i]));
        auto still = std::make_shared<Pose>(*shape);
        still->velocities.clear(); // a hand-made mesh does not move by itself
        if (!shapes.empty()) {
            if (!mixable(*shapes.front(), *still)) {
                return fail(Error{ErrorCode::malformed,
                                  fmt::format("has {} points and {} faces, other than {} with {} and {}",
                                              still->points.size(), still->faces->count(), file_name(files[0]),
                                              shapes.front()->points.size(), shapes.front()->faces->count())}
                                .at(files[i])
                                .advise("shapes need the same points and faces in the same order; leave this one out"));
            }
            still->faces = shapes.front()->faces;
        }
        shapes.push_back(std::move(still));
    }
    return SourcePtr(std::make_shared<ShapesSource>(files, std::move(shapes), each));
}

} // namespace garland
