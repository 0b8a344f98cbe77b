#include "core/scene/standing.h"

#include "core/copies/attitude.h"
#include "core/scene/posed.h"

#include <algorithm>
#include <cmath>

namespace garland {

namespace {

// Where copies stand without their wobble.
Result<std::vector<Placement>> standing_at(const ArrangementShow& a, double t, std::vector<std::uint8_t>* gone,
                                           Progress& progress) {
    CarrierPoses carrier;
    if (a.standing.carried()) {
        auto pose_at = [&](double s) -> Result<PosePtr> {
            GARLAND_TRY(sampled, a.carried.sampler.at(SourceFrame(s), progress));
            return sampled.pose;
        };
        const double s = a.carried.time.at(t);
        GARLAND_TRY(now, pose_at(s));
        carrier.now = now;
        if (a.standing.faces_velocity()) {
            const double moment = 0.25; // output frames; at the end of its source, the way it came
            double next = a.carried.time.at(t + moment);
            const bool ends = next == s;
            if (ends) next = a.carried.time.at(t - moment);
            GARLAND_TRY(later, pose_at(next));
            carrier.later = later;
            if (ends) { // mirrored, so that it still looks ahead
                auto ahead = std::make_shared<Pose>(*carrier.now);
                const CarrierPose past(later);
                for (std::size_t i = 0; i < ahead->points.size(); ++i) {
                    const V3f* p = past.find(ahead->ids.empty() ? static_cast<std::int64_t>(i) : ahead->ids[i]);
                    if (p) ahead->points[i] = ahead->points[i] * 2 - *p;
                }
                carrier.later = ahead;
            }
        }
        if (a.standing.banks()) { // whole frames: between them carriers may run straight
            GARLAND_TRY(before, pose_at(a.carried.time.at(t - 1)));
            GARLAND_TRY(after, pose_at(a.carried.time.at(t + 1)));
            carrier.frame_before = before;
            carrier.frame_after = after;
        }
    }
    std::vector<Placement> places = a.standing.moves() ? a.standing.at(t, carrier, gone) : a.places.list();
    if (a.about.own_place.keyed()) {
        const PlaceKey k = a.about.own_place.at(t);
        for (Placement& p : places) {
            p.position += k.place;
            p.size *= k.size;
            turn_further(p, k.turn);
        }
    }
    return places;
}

// The moments between which places are compared for their motion: around t, but never across a jump.
std::pair<double, double> around(const ArrangementShow& a, double t) {
    const double h = 0.125; // output frames
    double low = t - h, high = t + h;
    auto keep_off = [&](double jump) {
        if (jump <= t) low = std::max(low, jump);
        if (jump > t && jump <= high) high = std::nextafter(jump, t);
    };
    for (double jump : a.standing.jumps()) keep_off(jump);
    for (std::size_t k = 0; k + 1 < a.about.own_keys.size(); ++k) {
        if (a.about.own_keys[k].toward == Toward::step) keep_off(a.about.own_keys[k + 1].at.value);
    }
    return {low, high};
}

// Pulses on top of where copies stand, each later by its copy's own delay.
void pulse_places(const ArrangementShow& a, double t, std::span<const CopyMoment> moments, std::span<Placement> places,
                  std::vector<CopyMotion>* motion) {
    if (a.about.pulses.empty()) return;
    const CopyClocks::Now now = a.clocks.now(t);
    for (const Pulse& p : a.about.pulses) {
        const WavePlan wave(p.wave);
        for (std::size_t i = 0; i < places.size(); ++i) {
            WavePlan::Level l = wave.at(t - moments[i].delay);
            if (!a.clocks.plain()) l.rate *= 1 - a.clocks.delay_slope(i, now);
            const double growth = 1 + (p.size - 1) * l.value;
            places[i].position += p.lift * l.value;
            places[i].turn += p.turn * l.value;
            places[i].size *= growth;
            if (!motion) continue;
            CopyMotion& m = (*motion)[i];
            m.move += p.lift * l.rate;
            m.spin += axes_of(places[i]).y * (p.turn * l.rate);
            m.growth += (p.size - 1) * l.rate / growth;
        }
    }
}

// How copies move by their arrangement, their carriers and keys, from two moments; their wobbles' leaning too.
Result<void> add_motion(const ArrangementShow& a, OutputFrame t, Standing& out, Progress& progress) {
    const bool wobbling = leans(a.about.wobbles);
    if (!a.standing.moves() && !a.about.own_place.keyed() && !wobbling) return {};
    const auto [low, high] = around(a, t.value);
    if (!(high > low)) return {};
    std::vector<std::uint8_t> gone_before, gone_after;
    GARLAND_TRY(from, standing_at(a, low, &gone_before, progress));
    GARLAND_TRY(to, standing_at(a, high, &gone_after, progress));
    const double wide = high - low;
    const bool leaning = wobbling || a.standing.leans() || CopyPlaces::leaning(a.about.own_keys);
    std::vector<Placement> lean_from, lean_to; // with the wobbles
    if (leaning) {
        lean_from = from, lean_to = to;
        wobble_places(a.about.wobbles, OutputFrame(low), a.rate, lean_from, nullptr, a.standing.wobble_amounts(low));
        wobble_places(a.about.wobbles, OutputFrame(high), a.rate, lean_to, nullptr, a.standing.wobble_amounts(high));
    }
    for (std::size_t i = 0; i < out.places.size(); ++i) {
        if ((!gone_before.empty() && gone_before[i]) || (!gone_after.empty() && gone_after[i])) continue;
        CopyMotion& m = out.motion[i];
        m.move += (to[i].position - from[i].position) / wide;
        m.growth += (to[i].size - from[i].size) / wide / std::max(out.places[i].size, 1e-12);
        if (leaning) {
            m.spin = rotation_between(lean_from[i], lean_to[i]) / wide;
        } else {
            m.spin += rotation_between(from[i], to[i]) / wide;
        }
    }
    return {};
}

} // namespace

Result<std::vector<Placement>> sensed_places_at(const ArrangementShow& a, OutputFrame t, Progress& progress) {
    return standing_at(a, t.value, nullptr, progress);
}

Result<Standing> places_at(const ArrangementShow& a, OutputFrame t, std::span<const CopyMoment> moments, bool motion,
                           Progress& progress) {
    Standing out;
    GARLAND_TRY(places, standing_at(a, t.value, &out.gone, progress));
    out.places = std::move(places);
    if (motion) out.motion.resize(out.places.size());
    const std::vector<float> amounts = a.standing.wobble_amounts(t.value);
    wobble_places(a.about.wobbles, t, a.rate, out.places, motion ? &out.motion : nullptr, amounts);
    if (motion) GARLAND_CHECK(add_motion(a, t, out, progress));
    pulse_places(a, t.value, moments, out.places, motion ? &out.motion : nullptr);
    return out;
}

Result<Standing> places_at(const ArrangementShow& a, OutputFrame t, bool motion, Progress& progress) {
    return places_at(a, t, moments_at(a, t), motion, progress);
}

} // namespace garland
