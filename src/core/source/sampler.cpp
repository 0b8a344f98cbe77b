#include "core/source/sampler.h"

#include <cmath>

namespace garland {

Sampler::Sampler(SourcePtr source, SourceClock clock, SubFrame how, std::uint64_t serial, PoseCache* cache)
    : source_(std::move(source)), clock_(clock), how_(how), serial_(serial), cache_(cache) {}

PoseRecipe Sampler::recipe(SourceFrame s) const {
    PoseRecipe r;
    r.file_frame = clock_.file_frame(s);
    // A weight below one part in 2³⁰ is rounding left over from conforming rates, not a wish for a new pose.
    const double whole = std::round(r.file_frame);
    if (std::abs(r.file_frame - whole) < 1e-9) r.file_frame = whole;
    const auto low = static_cast<std::int64_t>(std::floor(r.file_frame));
    r.weight = r.file_frame - static_cast<double>(low);
    const std::int64_t high = r.weight > 0 ? low + 1 : low;
    r.frame_a = source_->present(low);
    r.frame_b = source_->present(high);
    r.missing = r.frame_a != low || r.frame_b != high;
    if (how_ == SubFrame::nearest) {
        r.frame_a = r.frame_b = r.weight < 0.5 ? r.frame_a : r.frame_b;
        r.weight = 0;
    }
    if (r.frame_a == r.frame_b) r.weight = 0;
    return r;
}

PoseKey Sampler::key(SourceFrame s) const {
    const PoseRecipe r = recipe(s);
    return {serial_, r.weight == 0 ? static_cast<double>(r.frame_a) : r.file_frame};
}

Result<PosePtr> Sampler::stored(std::int64_t file_frame, Progress& progress) const {
    return cache_->get({serial_, static_cast<double>(file_frame)}, [&]() -> Result<PosePtr> {
        if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
        return source_->read(file_frame, progress);
    });
}

Result<SampledPose> Sampler::at(SourceFrame s, Progress& progress) const {
    SampledPose out;
    out.recipe = recipe(s);
    GARLAND_TRY(a, stored(out.recipe.frame_a, progress));
    if (out.recipe.weight == 0) {
        out.pose = std::move(a);
        return out;
    }
    GARLAND_TRY(b, stored(out.recipe.frame_b, progress));
    if (!mixable(*a, *b)) {
        out.nearest_instead = true;
        out.pose = out.recipe.weight < 0.5 ? a : b;
        return out;
    }
    GARLAND_TRY(made, cache_->get({serial_, out.recipe.file_frame}, [&]() -> Result<PosePtr> {
        return blend(a, b, out.recipe.weight, how_, clock_.file_seconds);
    }));
    out.pose = std::move(made);
    return out;
}

Result<SampledPose> Sampler::mixed(SourceFrame s, const Mix& mix, Progress& progress) const {
    GARLAND_TRY(a, at(s, progress));
    if (mix.weight <= 0) return a;
    GARLAND_TRY(b, at(mix.other, progress));
    if (!mixable(*a.pose, *b.pose)) {
        SampledPose out = mix.weight < 0.5 ? std::move(a) : std::move(b);
        out.nearest_instead = true;
        return out;
    }
    auto pose = std::make_shared<Pose>(*blend(a.pose, b.pose, mix.weight, SubFrame::linear, clock_.file_seconds));
    const std::vector<V3f>&va = a.pose->velocities, &vb = b.pose->velocities;
    const std::size_t n = pose->points.size();
    if (va.size() == n && vb.size() == n) {
        pose->velocities.resize(n);
        const auto ka = static_cast<float>((1 - mix.weight) * mix.speed);
        const auto kb = static_cast<float>(mix.weight * mix.other_speed);
        const auto kw = static_cast<float>(mix.weight_speed / (clock_.files_per_frame * clock_.file_seconds));
        for (std::size_t i = 0; i < n; ++i) {
            pose->velocities[i] = va[i] * ka + vb[i] * kb + (b.pose->points[i] - a.pose->points[i]) * kw;
        }
    }
    SampledPose out = std::move(a);
    out.pose = std::move(pose);
    out.mixed = true;
    return out;
}

} // namespace garland
