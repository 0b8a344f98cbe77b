#include "core/source/sampler.h"

#include "core/base/chance.h"
#include "core/geometry/directions.h"
#include "core/geometry/level_set.h"
#include "core/geometry/volume.h"

#include <bit>
#include <cmath>

namespace garland {

namespace {

// Poses taken differently are known apart in the cache.
std::uint64_t serial_of(std::uint64_t serial, const ImportSettings& t, const SourceFacts& facts,
                        const SourceClock& clock) {
    if (facts.carries.velocities_a_frame)
        serial = chance_bits(serial, 103, std::bit_cast<std::uint64_t>(clock.file_seconds));
    if (t.as_it_is() && t.root == RootMotion::along) return serial;
    const std::uint64_t kind = (t.up == UpAxis::z ? 1u : 0u) + (t.root == RootMotion::left_out ? 2u : 0u);
    std::uint64_t out = chance_bits(serial, kind, std::bit_cast<std::uint64_t>(t.scale));
    if (t.part_of_it) out = chance_bits(out, t.parts_left_out ? 101 : 100, t.parts.size());
    for (std::int32_t part : t.parts) out = chance_bits(out, 102, static_cast<std::uint64_t>(part));
    return out;
}

std::uint64_t made_serial_of(std::uint64_t stored, const ImportSettings& t) {
    const std::uint64_t kind =
        static_cast<std::uint64_t>(t.how) * 4 + (t.gaps == GapFix::blend ? 2u : 0u) + (t.fresh_normals ? 1u : 0u);
    std::uint64_t serial = chance_bits(stored, kind + 16, std::bit_cast<std::uint64_t>(t.voxel));
    for (std::int64_t f : t.dropped) serial = chance_bits(serial, 99, static_cast<std::uint64_t>(f));
    return serial;
}

double usual_voxel(const Pose& pose) {
    const V3f size = bounds(pose).size();
    return std::max({size.x, size.y, size.z}) / 100.0;
}

} // namespace

std::uint64_t Sampler::identity() const {
    std::uint64_t out = chance_bits(serial_, made_serial_, static_cast<std::uint64_t>(clock_.file_first));
    for (std::int64_t f : settings_.dropped) out = chance_bits(out, 7, static_cast<std::uint64_t>(f));
    return chance_bits(out, static_cast<std::uint64_t>(clock_.file_last), static_cast<std::uint64_t>(settings_.gaps));
}

Sampler::Sampler(const SourcePtr& source, SourceClock clock, const ImportSettings& settings, std::uint64_t serial,
                 PoseCache* cache)
    : source_(without_frames(source, settings.dropped)), clock_(clock), settings_(settings),
      parts_(settings.part_of_it ? std::make_shared<PartTaker>(settings.parts, !settings.parts_left_out) : nullptr),
      given_serial_(serial), serial_(serial_of(serial, settings, source->facts(), clock)),
      made_serial_(made_serial_of(serial_, settings)), cache_(cache) {}

PoseRecipe Sampler::recipe(SourceFrame s) const {
    PoseRecipe r;
    r.file_frame = clock_.file_frame(s);
    // A weight below one part in 2³⁰ is rounding left over from conforming rates, not a wish for a new pose.
    const double whole = std::round(r.file_frame);
    if (std::abs(r.file_frame - whole) < 1e-9) r.file_frame = whole;
    const auto low = static_cast<std::int64_t>(std::floor(r.file_frame));
    r.weight = r.file_frame - static_cast<double>(low);
    const std::int64_t high = r.weight > 0 ? low + 1 : low;
    if (source_->any_time()) {
        r.exact = true;
        r.frame_a = r.before = low;
        r.frame_b = r.after = high;
        return r;
    }
    r.frame_a = source_->present(low);
    r.frame_b = source_->present(high);
    r.missing = r.frame_a != low || r.frame_b != high;
    if (settings_.gaps == GapFix::blend && r.missing) {
        r.frame_b = source_->next_present(high);
        const auto apart = static_cast<double>(r.frame_b - r.frame_a);
        r.weight = apart > 0 ? (r.file_frame - static_cast<double>(r.frame_a)) / apart : 0;
    }
    if (settings_.how == SubFrame::nearest) {
        r.frame_a = r.frame_b = r.weight < 0.5 ? r.frame_a : r.frame_b;
        r.weight = 0;
    }
    if (r.frame_a == r.frame_b) r.weight = 0;
    r.before = r.frame_a;
    r.after = r.frame_b;
    const SourceFacts& f = source_->facts();
    const bool mixes = settings_.how == SubFrame::linear || settings_.how == SubFrame::smooth ||
                       (settings_.how == SubFrame::carried && !f.carries.velocities && f.kind != SourceKind::volume);
    r.may_be_nearest = r.weight > 0 && mixes && f.kind == SourceKind::mesh_sequence &&
                       (!f.varies.faces_change_at || r.frame_b >= *f.varies.faces_change_at);
    if (r.weight > 0 && settings_.how == SubFrame::smooth && !follows_velocities()) {
        r.before = source_->present(r.frame_a - 1);
        r.after = source_->next_present(r.frame_b + 1);
    }
    return r;
}

PoseKey Sampler::key(SourceFrame s) const {
    const PoseRecipe r = recipe(s);
    if (r.exact) return {made_serial_, r.file_frame};
    return r.weight == 0 ? PoseKey{serial_, static_cast<double>(r.frame_a)} : PoseKey{made_serial_, r.file_frame};
}

// Files with z up lie on their back in a scene with y up: (x, y, z) becomes (x, z, −y).
PosePtr Sampler::taken(const PosePtr& from, double file_frame) const {
    const ImportSettings& t = settings_;
    const bool stays = t.root == RootMotion::left_out && source_->facts().root;
    if (source_->facts().carries.velocities_a_frame && !from->velocities.empty()) {
        auto timed = std::make_shared<Pose>(*from);
        for (V3f& v : timed->velocities) v *= static_cast<float>(1 / clock_.file_seconds);
        return in_scene(timed, file_frame, stays);
    }
    return in_scene(from, file_frame, stays);
}

PosePtr Sampler::in_scene(const PosePtr& from, double file_frame, bool stays) const {
    const ImportSettings& t = settings_;
    if (t.as_it_is() && !stays) return from;
    if (parts_ && t.up == UpAxis::y && t.scale == 1 && !stays) return parts_->take(from);
    auto pose = std::make_shared<Pose>(parts_ ? *parts_->take(from) : *from);
    if (stays) {
        const V3f moved(source_->root_at(file_frame) - source_->root_at(static_cast<double>(source_->facts().first)));
        for (V3f& p : pose->points) p -= moved;
        const double step = 0.5, low = static_cast<double>(source_->facts().first),
                     high = static_cast<double>(source_->facts().last);
        const double from_frame = std::max(low, file_frame - step), to_frame = std::min(high, file_frame + step);
        if (!pose->velocities.empty() && to_frame > from_frame) {
            const V3f speed((source_->root_at(to_frame) - source_->root_at(from_frame)) /
                            ((to_frame - from_frame) * clock_.file_seconds));
            for (V3f& v : pose->velocities) v -= speed;
        }
    }
    const auto scale = static_cast<float>(t.scale);
    auto turn = [&](std::vector<V3f>& list, float by) {
        for (V3f& v : list) v = (t.up == UpAxis::z ? V3f(v.x, v.z, -v.y) : v) * by;
    };
    turn(pose->points, scale);
    turn(pose->velocities, scale);
    turn(pose->normals, 1);
    turn(pose->corner_normals, 1);
    if (t.up == UpAxis::z) {
        auto upright = [](const V3f& v) { return V3f(v.x, v.z, -v.y); };
        turn_directions(pose->attributes, 0, pose->points.size(), upright);
        for (Attribute& a : pose->attributes) { // the axis of a rotation turns as a direction does
            for (std::size_t i = 0; is_orientation(a) && i + 3 < a.values.size(); i += 4) {
                const float y = a.values[i + 1];
                a.values[i + 1] = a.values[i + 2], a.values[i + 2] = -y;
            }
        }
        pose->faces = turned_faces(pose->faces, upright);
    }
    if (pose->volume && !t.as_it_is()) pose->volume = moved(*pose->volume, t.up == UpAxis::z, t.scale);
    return pose;
}

Result<PosePtr> Sampler::stored(std::int64_t file_frame, Progress& progress) const {
    return cache_->get({serial_, static_cast<double>(file_frame)}, [&]() -> Result<PosePtr> {
        if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
        GARLAND_TRY(pose, source_->read(file_frame, progress));
        return taken(pose, static_cast<double>(file_frame));
    });
}

Result<PosePtr> Sampler::made(const PoseRecipe& r, const PosePtr& a, const PosePtr& b, Progress& progress) const {
    const auto apart = static_cast<double>(r.frame_b - r.frame_a);
    const double seconds = clock_.file_seconds * apart;
    if (!mixable(*a, *b)) {
        if (settings_.how == SubFrame::carried) return carried(a, b, r.weight, seconds);
        return between_level_sets(*a, *b, r.weight,
                                  settings_.voxel > 0 ? settings_.voxel * settings_.scale : usual_voxel(*a), progress);
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
    PosePtr out = before || after ? blend_through({before, static_cast<double>(r.frame_a - r.before) / apart}, a, b,
                                                  {after, static_cast<double>(r.after - r.frame_b) / apart}, r.weight)
                                  : blend(a, b, r.weight, settings_.how, seconds);
    return settings_.fresh_normals ? with_normals_of_faces(out) : out;
}

Result<SampledPose> Sampler::at(SourceFrame s, Progress& progress) const {
    SampledPose out;
    out.recipe = recipe(s);
    const PoseRecipe& r = out.recipe;
    const PoseKey between{made_serial_, r.file_frame};
    if (r.exact || (r.weight > 0 && source_->makes_between(settings_.how))) {
        GARLAND_TRY(own, cache_->get(between, [&]() -> Result<PosePtr> {
            if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
            auto pose = r.exact ? source_->exact_at(r.file_frame, settings_.how, progress)
                                : source_->between({r.frame_a, r.frame_b, r.before, r.after, r.weight,
                                                    settings_.how == SubFrame::smooth,
                                                    clock_.file_seconds * static_cast<double>(r.frame_b - r.frame_a)},
                                                   progress);
            if (!pose) return pose;
            const PosePtr here = taken(*pose, r.file_frame);
            return settings_.fresh_normals && !r.exact ? with_normals_of_faces(here) : here;
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
    const bool empty = a->points.empty() || b->points.empty(); // nothing there on one side: nothing to mix with
    const bool changing = !empty && (settings_.how == SubFrame::level_set ||
                                     (settings_.how == SubFrame::carried && !a->velocities.empty()));
    if (!mixable(*a, *b) && !changing) {
        out.nearest_instead = true;
        out.pose = r.weight < 0.5 ? a : b;
        return out;
    }
    GARLAND_TRY(pose, cache_->get(between, [&]() { return made(r, a, b, progress); }));
    out.pose = std::move(pose);
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
    if (va.size() == n && vb.size() == n && pose->ids.empty()) {
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

const char* to_text(GapFix mend) {
    return word_of(gap_words, mend);
}

const char* to_text(RootMotion root) {
    return word_of(root_words, root);
}

} // namespace garland
