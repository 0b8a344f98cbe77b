#include "io/gltf/viewer_shapes.h"

#include "core/base/parallel.h"

#include <fmt/format.h>

namespace garland {

namespace {

std::string reason_against_targets(const ArrangementShow& a) {
    const SourceFacts& facts = a.sampler.source()->facts();
    if (facts.kind == SourceKind::volume) return "a volume: hand it off as posed copies";
    if (facts.kind == SourceKind::particles) return "particles are born and die: hand them off as shared poses";
    if (facts.kind == SourceKind::mesh_sequence) return "its faces change: hand it off as shared poses";
    if (a.plan.fades()) return "its phrases fade into each other: hand it off as shared poses";
    return {};
}

class KeyMaker {
  public:
    KeyMaker(const ViewerShape& shape, double first, Rate rate) : shape_(shape), first_(first), rate_(rate) {}

    WeightKeys of(const ClockPieces& clock) {
        keys_ = {};
        for (std::size_t i = 0; i < clock.points.size(); ++i) {
            const ClockPoint& p = clock.points[i];
            if (i > 0 && p.output > clock.points[i - 1].output) between(clock.points[i - 1], p);
            const bool jumps = i > 0 && p.output <= clock.points[i - 1].output;
            add(p.output, place(p.source), jumps);
        }
        return std::move(keys_);
    }

  private:
    double place(double s) const {
        const double g = shape_.grid(s);
        return shape_.steps ? std::floor(g + 0.5) : g;
    }
    // Poses that are passed on the way.
    void between(const ClockPoint& a, const ClockPoint& b) {
        const double from = shape_.grid(a.source), to = shape_.grid(b.source);
        if (std::abs(to - from) < 1e-12) return;
        const double shift = shape_.steps ? 0.5 : 0; // steps are halfway
        const double low = std::min(from, to), high = std::max(from, to);
        std::vector<double> passed;
        for (double g = std::ceil(low - shift) + shift; g < high; g += 1) {
            if (g > low) passed.push_back(g);
        }
        if (to < from) std::reverse(passed.begin(), passed.end());
        for (const double g : passed) {
            const double t = a.output + (b.output - a.output) * (g - from) / (to - from);
            if (!shape_.steps) {
                add(t, g, false);
                continue;
            }
            add(t, to > from ? g - 0.5 : g + 0.5, false);
            add(t, to > from ? g + 0.5 : g - 0.5, true);
        }
    }
    void add(double t, double grid, bool jumps) {
        auto seconds = static_cast<float>(rate_.start_of(t - first_).value);
        if (!keys_.times.empty() && seconds <= keys_.times.back()) {
            if (!jumps) { // too close for floats
                keys_.grid.back() = grid;
                return;
            }
            // The earlier one of the two moves, as far as a float allows.
            float earlier = std::nextafter(seconds, -1.0f);
            const std::size_t n = keys_.times.size();
            if (earlier >= 0 && (n < 2 || earlier > keys_.times[n - 2])) {
                keys_.times.back() = earlier;
            } else {
                seconds = std::nextafter(keys_.times.back(), 1e9f);
            }
        }
        keys_.times.push_back(seconds);
        keys_.grid.push_back(grid);
    }

    const ViewerShape& shape_;
    double first_;
    Rate rate_;
    WeightKeys keys_;
};

} // namespace

Result<std::vector<ViewerShape>> viewer_shapes(const Show& show, const ViewerOrder& order, ViewerPlan& plan,
                                               Progress& progress) {
    std::vector<ViewerShape> shapes;
    const auto from = static_cast<double>(order.frames.first), to = static_cast<double>(order.frames.last);
    for (const ArrangementShow& a : show.arrangements) {
        if (!a.usable || a.places.empty()) continue;
        if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
        if (const std::string why = reason_against_targets(a); !why.empty()) {
            plan.left_out.push_back(fmt::format("{} ({})", a.spec.name, why));
            continue;
        }
        auto at =
            std::find_if(shapes.begin(), shapes.end(), [&](const ViewerShape& s) { return s.source == a.source; });
        if (at == shapes.end()) {
            shapes.emplace_back();
            at = std::prev(shapes.end());
            at->source = a.source, at->sampler = &a.sampler;
            at->steps = a.sampler.how() == SubFrame::nearest;
            const bool bent = !at->steps && (a.sampler.how() != SubFrame::linear || a.sampler.source()->any_time());
            at->parts = bent ? order.per_frame : 1;
        }
        at->shows.push_back(&a);
        auto& clocks = at->clocks.emplace_back(a.places.size());
        parallel_for(clocks.size(), 4, [&](std::size_t b, std::size_t e) {
            for (std::size_t i = b; i < e; ++i) clocks[i] = clock_pieces(a, i, from, to, order.tolerance);
        });
        for (const ClockPieces& c : clocks) at->learn(c);
    }
    std::erase_if(shapes, [&](const ViewerShape& s) {
        const SourceFacts& facts = s.sampler->source()->facts();
        const double bytes = viewer_pose_bytes(facts) * static_cast<double>(s.poses());
        if (s.poses() <= viewer_most_targets && bytes <= viewer_most_bytes) return false;
        for (const auto* a : s.shows)
            plan.left_out.push_back(fmt::format("{} ({} poses of {} points are too many for morph targets: hand it off "
                                                "as shared poses)",
                                                a->spec.name, s.poses(), facts.points));
        return true;
    });
    return shapes;
}

double viewer_pose_bytes(const SourceFacts& facts) {
    if (facts.carries.normal_corners > 0) return 24.0 * static_cast<double>(facts.carries.normal_corners);
    return static_cast<double>(facts.points) * (facts.carries.normals ? 24 : 12);
}

WeightKeys weight_keys(const ViewerShape& shape, const ClockPieces& clock, double first, Rate rate) {
    return KeyMaker(shape, first, rate).of(clock);
}

} // namespace garland
