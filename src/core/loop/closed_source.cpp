#include "core/loop/closing.h"

#include "core/base/parallel.h"
#include "core/geometry/level_set.h"
#include "core/geometry/particles.h"
#include "core/geometry/parts.h"
#include "core/geometry/pieces.h"
#include "core/geometry/volume.h"
#include "core/loop/rigid_fit.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <mutex>

namespace garland {

namespace {

// The rotation that is `share` of the way to q.
Quatd part_of_turn(const Quatd& q, double share) {
    return turn_between(Quatd::identity(), q, share);
}

// Both layers' particles: each keeps its own, those of a fading layer shrink. Ids stay apart.
PosePtr both_layers(const Pose& a, const Pose& b, double weight_a, double weight_b) {
    auto out = std::make_shared<Pose>();
    auto append = [](auto& to, const auto& x, std::size_t nx, const auto& y, std::size_t ny) {
        if ((x.empty() && nx > 0) || (y.empty() && ny > 0)) return; // only one layer has it
        to = x;
        to.insert(to.end(), y.begin(), y.end());
    };
    const std::size_t na = a.points.size(), nb = b.points.size();
    append(out->points, a.points, na, b.points, nb);
    append(out->velocities, a.velocities, na, b.velocities, nb);
    append(out->colours, a.colours, na, b.colours, nb);
    append(out->normals, a.normals, na, b.normals, nb);
    for (std::int64_t id : a.ids) out->ids.push_back(id * 2);
    for (std::int64_t id : b.ids) out->ids.push_back(id * 2 + 1);
    for (const Attribute& one : a.attributes) {
        for (const Attribute& other : b.attributes) {
            if (other.name != one.name || other.width != one.width) continue;
            Attribute both{one.name, one.width};
            both.vector = one.vector;
            append(both.values, one.values, one.whole.empty() ? na : 0, other.values, other.whole.empty() ? nb : 0);
            append(both.whole, one.whole, one.whole.empty() ? 0 : na, other.whole, other.whole.empty() ? 0 : nb);
            if (one.name == "size") {
                for (std::size_t i = 0; i < both.values.size(); ++i)
                    both.values[i] *= static_cast<float>(i < na ? weight_a : weight_b);
            }
            if (!both.values.empty() || !both.whole.empty()) out->attributes.push_back(std::move(both));
        }
    }
    Attribute share{"fade", 1};
    share.values.assign(na, static_cast<float>(weight_a));
    share.values.insert(share.values.end(), nb, static_cast<float>(weight_b));
    std::erase_if(out->attributes, [](const Attribute& x) { return x.name == "fade"; });
    out->attributes.push_back(std::move(share));
    out->faces = a.faces;
    return out;
}

// use(points of a part) for every part.
template <class Use>
void for_each_part(const std::vector<std::int32_t>& part_of, Use&& use) {
    std::vector<std::pair<std::int32_t, std::uint32_t>> order;
    for (std::uint32_t i = 0; i < part_of.size(); ++i) order.emplace_back(part_of[i], i);
    std::sort(order.begin(), order.end());
    std::vector<std::uint32_t> which;
    for (std::size_t i = 0; i < order.size();) {
        which.clear();
        for (const std::int32_t part = order[i].first; i < order.size() && order[i].first == part; ++i)
            which.push_back(order[i].second);
        use(which);
    }
}

class ClosedSource final : public ExactSource {
  public:
    ClosedSource(Sampler base, const Closing& closing)
        : base_(std::move(base)), c_(closing), facts_(base_.source()->facts()) {
        facts_.first = c_.start;
        facts_.last = c_.start + c_.length;
        facts_.missing.clear();
        facts_.varies.odd_frames.clear();
        facts_.root = false;
        facts_.carries.velocities_a_frame = false;
        facts_.format += fmt::format(", closed over {} frames", c_.length);
    }

    const SourceFacts& facts() const override { return facts_; }
    std::vector<std::string> files() const override { return base_.source()->files(); }
    std::vector<PartName> parts() const override { return base_.source()->parts(); }

    std::optional<LayersAt> layers_at(double frame) const override {
        const Layers l = garland::layers_at(c_, frame - static_cast<double>(c_.start));
        return LayersAt{l.a, l.b, l.weight_a, l.weight_b};
    }

    Result<PosePtr> exact_at(double frame, SubFrame, Progress& progress) const override {
        const Layers l = garland::layers_at(c_, frame - static_cast<double>(c_.start));
        GARLAND_TRY(a, pose_at(l.a, progress));
        if (c_.way == ClosingWay::spread_gap) return without_gap(a, l, progress);
        const bool particles = is_particles(*a);
        if (l.weight_b <= 0) return particles ? both_layers(*a, Pose{}, l.weight_a, 0) : a;
        GARLAND_TRY(b, pose_at(l.b, progress));
        if (l.weight_a <= 0) return particles ? both_layers(Pose{}, *b, 0, l.weight_b) : b;
        if (a->volume && b->volume) {
            auto out = std::make_shared<Pose>();
            const VolumeJoin join = c_.mix == LayerMix::maximum   ? VolumeJoin::maximum
                                    : c_.mix == LayerMix::density ? VolumeJoin::density
                                                                  : VolumeJoin::sum;
            out->volume = lay_over(*a->volume, *b->volume, l.weight_a, l.weight_b, join, l.slope_b >= 0);
            return PosePtr(out);
        }
        if (particles && is_particles(*b)) return both_layers(*a, *b, l.weight_a, l.weight_b);
        const double share = l.weight_b / (l.weight_a + l.weight_b);
        if (!mixable(*a, *b)) return between_level_sets(*a, *b, share, voxel(*a), progress);
        const std::vector<std::int32_t> part_of = part_numbers(*a);
        if (!part_of.empty() && (facts_.kind == SourceKind::pieces || facts_.kind == SourceKind::keyed_parts))
            return rigid_parts(*a, *b, part_of, l, share);
        if (c_.keep_contrast || c_.mix == LayerMix::add) return about_mean(a, b, l, share, progress);
        auto out = std::make_shared<Pose>(*blend(a, b, share, SubFrame::linear, 0));
        set_velocities(*out, *a, *b, l.weight_a, l.weight_b, l.slope_b);
        return PosePtr(out);
    }

  private:
    Result<PosePtr> pose_at(double file_frame, Progress& progress) const {
        GARLAND_TRY(sampled, base_.at(SourceFrame(file_frame), progress));
        return sampled.pose;
    }
    double voxel(const Pose& pose) const {
        if (base_.import_settings().voxel > 0) return base_.import_settings().voxel * base_.import_settings().scale;
        const V3f size = bounds(pose).size();
        return std::max({size.x, size.y, size.z}) / 100.0;
    }
    double a_second() const { return 1 / base_.clock().file_seconds; }

    // d/dt of wa·a + wb·b where the weights come to 1.
    void set_velocities(Pose& out, const Pose& a, const Pose& b, double wa, double wb, double slope_b) const {
        const std::size_t n = out.points.size();
        if (a.velocities.size() != n || b.velocities.size() != n) {
            out.velocities.clear();
            return;
        }
        out.velocities.resize(n);
        const auto x = static_cast<float>(wa), y = static_cast<float>(wb), k = static_cast<float>(slope_b * a_second());
        for (std::size_t i = 0; i < n; ++i)
            out.velocities[i] = a.velocities[i] * x + b.velocities[i] * y + (b.points[i] - a.points[i]) * k;
    }

    // Every part moves and turns by its share from where one layer has it to where the other has it.
    Result<PosePtr> rigid_parts(const Pose& a, const Pose& b, const std::vector<std::int32_t>& part_of, const Layers& l,
                                double share) const {
        auto out = std::make_shared<Pose>(a);
        std::vector<Imath::M33d> turns(a.corner_normals.empty() ? 0 : a.points.size());
        for_each_part(part_of, [&](const std::vector<std::uint32_t>& which) {
            const RigidFit fit = rigid_fit(a.points, b.points, which);
            const Imath::M33d turn = part_of_turn(fit.rotation, share).toMatrix33();
            const V3d middle = fit.from + (fit.to - fit.from) * share;
            for (std::uint32_t p : which) {
                out->points[p] = V3f((V3d(a.points[p]) - fit.from) * turn + middle);
                if (!out->normals.empty()) out->normals[p] = V3f(V3d(a.normals[p]) * turn);
                if (!turns.empty()) turns[p] = turn;
            }
        });
        turn_corners(*out, turns);
        set_velocities(*out, a, b, l.weight_a, l.weight_b, l.slope_b);
        return PosePtr(out);
    }

    // The mean of the points over the loop's frames, made when it is first asked for.
    Result<std::shared_ptr<const std::vector<V3f>>> mean(std::size_t points, Progress& progress) const {
        {
            std::lock_guard lock(mutex_);
            if (mean_) return mean_;
        }
        // No lock is held while frames are read: two threads that come at once make the same numbers twice.
        std::vector<V3d> sum(points, V3d(0));
        for (std::int64_t f = 0; f < c_.length; ++f) {
            if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
            GARLAND_TRY(pose, pose_at(static_cast<double>(c_.start + f), progress));
            if (pose->points.size() != points)
                return fail(Error{ErrorCode::unsupported, "the number of points changes, so there is no mean pose"}
                                .advise("leave \"keep contrast\" out, or spread the gap")
                                .at_frame(c_.start + f));
            for (std::size_t i = 0; i < points; ++i) sum[i] += V3d(pose->points[i]);
        }
        auto out = std::make_shared<std::vector<V3f>>();
        out->reserve(points);
        for (const V3d& s : sum) out->push_back(V3f(s / static_cast<double>(c_.length)));
        std::lock_guard lock(mutex_);
        if (!mean_) mean_ = out;
        return mean_;
    }

    // E. Heitz and F. Neyret, "High-performance by-example noise using a histogram-preserving blending operator", 2018,
    // equation 5: about the mean, divided by the root of the weights' squares, which is 1 where they are added.
    Result<PosePtr> about_mean(const PosePtr& a, const PosePtr& b, const Layers& l, double share,
                               Progress& progress) const {
        GARLAND_TRY(m, mean(a->points.size(), progress));
        auto out = std::make_shared<Pose>(*blend(a, b, share, SubFrame::linear, 0));
        const double wa = l.weight_a, wb = l.weight_b, squares = wa * wa + wb * wb;
        const double scale = c_.keep_contrast ? 1 / std::sqrt(squares) : 1;
        const double scale_slope =
            c_.keep_contrast ? -(wa * l.slope_a + wb * l.slope_b) / (squares * std::sqrt(squares)) : 0;
        const auto x = static_cast<float>(wa * scale), y = static_cast<float>(wb * scale);
        const auto dx = static_cast<float>((l.slope_a * scale + wa * scale_slope) * a_second()),
                   dy = static_cast<float>((l.slope_b * scale + wb * scale_slope) * a_second());
        const std::size_t n = a->points.size();
        const bool moving = a->velocities.size() == n && b->velocities.size() == n;
        out->velocities.resize(moving ? n : 0);
        for (std::size_t i = 0; i < n; ++i) {
            const V3f p = a->points[i] - (*m)[i], q = b->points[i] - (*m)[i];
            out->points[i] = (*m)[i] + p * x + q * y;
            if (moving) out->velocities[i] = a->velocities[i] * x + b->velocities[i] * y + p * dx + q * dy;
        }
        return has_normals(*out) ? with_normals_of_faces(out) : PosePtr(out);
    }

    static bool has_normals(const Pose& pose) { return !pose.normals.empty() || !pose.corner_normals.empty(); }
    // By the turn of each corner's point; nothing where there are no turns.
    static void turn_corners(Pose& pose, const std::vector<Imath::M33d>& turns) {
        for (std::size_t c = 0; c < pose.corner_normals.size() && !turns.empty(); ++c)
            pose.corner_normals[c] = V3f(V3d(pose.corner_normals[c]) * turns[pose.faces->corners[c]]);
    }

    Result<PosePtr> without_gap(const PosePtr& pose, const Layers& l, Progress& progress) const {
        if (l.gap == 0 && l.gap_slope == 0) return pose;
        GARLAND_TRY(first, pose_at(static_cast<double>(c_.start), progress));
        GARLAND_TRY(last, pose_at(static_cast<double>(c_.start + c_.length), progress));
        const std::size_t n = pose->points.size();
        if (pose->volume || is_particles(*pose) || first->points.size() != n || last->points.size() != n) {
            return fail(
                Error{ErrorCode::unsupported, "the gap can be spread only where every frame has the same points"}
                    .advise("fade the end instead"));
        }
        auto out = std::make_shared<Pose>(*pose);
        const std::vector<std::int32_t> part_of = part_numbers(*pose);
        const auto by = static_cast<float>(l.gap), rate = static_cast<float>(l.gap_slope * a_second());
        if (!part_of.empty() && (facts_.kind == SourceKind::pieces || facts_.kind == SourceKind::keyed_parts)) {
            take_off_turns(*out, *first, *last, part_of, l.gap);
        } else {
            for (std::size_t i = 0; i < n; ++i) out->points[i] -= (last->points[i] - first->points[i]) * by;
        }
        if (out->velocities.size() == n) {
            for (std::size_t i = 0; i < n; ++i) out->velocities[i] -= (last->points[i] - first->points[i]) * rate;
        }
        return has_normals(*out) && part_of.empty() ? with_normals_of_faces(out) : PosePtr(out);
    }

    // A part's gap is the motion that brings its last place to its first; its share is done to where it is now.
    static void take_off_turns(Pose& out, const Pose& first, const Pose& last, const std::vector<std::int32_t>& part_of,
                               double gap) {
        std::vector<Imath::M33d> turns(out.corner_normals.empty() ? 0 : out.points.size());
        for_each_part(part_of, [&](const std::vector<std::uint32_t>& which) {
            const RigidFit fit = rigid_fit(last.points, first.points, which);
            V3d middle(0);
            for (std::uint32_t p : which) middle += V3d(out.points[p]) / static_cast<double>(which.size());
            const Imath::M33d turn = part_of_turn(fit.rotation, gap).toMatrix33();
            const V3d move = (fit.to - fit.from) * gap;
            for (std::uint32_t p : which) {
                out.points[p] = V3f((V3d(out.points[p]) - middle) * turn + middle + move);
                if (!out.normals.empty()) out.normals[p] = V3f(V3d(out.normals[p]) * turn);
                if (!turns.empty()) turns[p] = turn;
            }
        });
        turn_corners(out, turns);
    }

    Sampler base_;
    Closing c_;
    SourceFacts facts_;
    mutable std::mutex mutex_;
    mutable std::shared_ptr<const std::vector<V3f>> mean_;
};

} // namespace

SourcePtr close_loop(Sampler base, const Closing& closing) {
    return std::make_shared<ClosedSource>(std::move(base), closing);
}

} // namespace garland
