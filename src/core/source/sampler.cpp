#include "core/source/sampler.h"

#include "core/base/chance.h"

#include <bit>
#include <cmath>

namespace garland {

namespace {

// Files with z up lie on their back in a scene with y up: (x, y, z) becomes (x, z, −y).
PosePtr taken(const Pose& from, const Taking& t) {
    auto pose = std::make_shared<Pose>(from);
    const auto scale = static_cast<float>(t.scale);
    auto turn = [&](std::vector<V3f>& list, float by) {
        for (V3f& v : list) v = (t.up == UpAxis::z ? V3f(v.x, v.z, -v.y) : v) * by;
    };
    turn(pose->points, scale);
    turn(pose->velocities, scale);
    turn(pose->normals, 1);
    return pose;
}

// Poses taken differently are known apart in the cache.
std::uint64_t serial_of(std::uint64_t serial, const Taking& t) {
    if (t.as_it_is()) return serial;
    return chance_bits(serial, t.up == UpAxis::z ? 1 : 0, std::bit_cast<std::uint64_t>(t.scale));
}

} // namespace

Sampler::Sampler(SourcePtr source, SourceClock clock, const Taking& taking, std::uint64_t serial, PoseCache* cache)
    : source_(std::move(source)), clock_(clock), taking_(taking), serial_(serial_of(serial, taking)), cache_(cache) {}

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
    if (taking_.gaps == GapMend::blend && r.missing) {
        r.frame_b = source_->next_present(high);
        const auto apart = static_cast<double>(r.frame_b - r.frame_a);
        r.weight = apart > 0 ? (r.file_frame - static_cast<double>(r.frame_a)) / apart : 0;
    }
    if (taking_.how == SubFrame::nearest) {
        r.frame_a = r.frame_b = r.weight < 0.5 ? r.frame_a : r.frame_b;
        r.weight = 0;
    }
    if (r.frame_a == r.frame_b) r.weight = 0;
    r.before = r.frame_a;
    r.after = r.frame_b;
    if (r.weight > 0 && taking_.how == SubFrame::smooth && !follows_velocities()) {
        r.before = source_->present(r.frame_a - 1);
        r.after = source_->next_present(r.frame_b + 1);
    }
    return r;
}

PoseKey Sampler::key(SourceFrame s) const {
    const PoseRecipe r = recipe(s);
    return {serial_, r.weight == 0 ? static_cast<double>(r.frame_a) : r.file_frame};
}

Result<PosePtr> Sampler::stored(std::int64_t file_frame, Progress& progress) const {
    return cache_->get({serial_, static_cast<double>(file_frame)}, [&]() -> Result<PosePtr> {
        if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
        auto pose = source_->read(file_frame, progress);
        if (pose && !taking_.as_it_is()) return taken(**pose, taking_);
        return pose;
    });
}

Result<SampledPose> Sampler::at(SourceFrame s, Progress& progress) const {
    SampledPose out;
    out.recipe = recipe(s);
    const PoseRecipe& r = out.recipe;
    if (r.weight > 0 && source_->makes_between()) {
        GARLAND_TRY(own, cache_->get({serial_, r.file_frame}, [&]() -> Result<PosePtr> {
            const bool smooth = taking_.how == SubFrame::smooth;
            auto pose = source_->between({r.frame_a, r.frame_b, r.before, r.after, r.weight, smooth}, progress);
            if (pose && !taking_.as_it_is()) return taken(**pose, taking_);
            return pose;
        }));
        out.pose = std::move(own);
        return out;
    }
    GARLAND_TRY(a, stored(r.frame_a, progress));
    if (r.weight == 0) {
        out.pose = std::move(a);
        return out;
    }
    GARLAND_TRY(b, stored(r.frame_b, progress));
    if (!mixable(*a, *b)) {
        out.nearest_instead = true;
        out.pose = r.weight < 0.5 ? a : b;
        return out;
    }
    PosePtr before, after; // where they can be used
    if (r.before != r.frame_a) {
        GARLAND_TRY(pose, stored(r.before, progress));
        if (mixable(*pose, *a)) before = std::move(pose);
    }
    if (r.after != r.frame_b) {
        GARLAND_TRY(pose, stored(r.after, progress));
        if (mixable(*pose, *b)) after = std::move(pose);
    }
    const auto apart = static_cast<double>(r.frame_b - r.frame_a);
    GARLAND_TRY(made, cache_->get({serial_, r.file_frame}, [&]() -> Result<PosePtr> {
        if (!before && !after) return blend(a, b, r.weight, taking_.how, clock_.file_seconds * apart);
        return blend_through({before, static_cast<double>(r.frame_a - r.before) / apart}, a, b,
                             {after, static_cast<double>(r.after - r.frame_b) / apart}, r.weight);
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

const char* to_text(UpAxis up) {
    return up == UpAxis::z ? "z" : "y";
}

const char* to_text(GapMend mend) {
    return mend == GapMend::blend ? "blend" : "hold";
}

} // namespace garland
