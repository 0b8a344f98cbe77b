#include "core/project/camera.h"

#include "core/base/angles.h"
#include "core/base/numbers.h"
#include "core/base/portable_math.h"
#include "core/project/camera_axes.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace garland {

namespace {

std::array<double, 7> numbers_of(const Camera& c) {
    return {c.target.x, c.target.y, c.target.z, c.distance, c.azimuth, c.elevation, c.field_of_view};
}

Result<void> usable(const Camera& c, const std::string& what) {
    for (double v : numbers_of(c)) {
        if (!std::isfinite(v) || std::abs(v) > 1e8)
            return fail(Error{ErrorCode::invalid, what + " has a number beyond what can be drawn"}.advise(
                "give numbers of at most 1e8"));
    }
    if (c.distance < 1e-6)
        return fail(Error{ErrorCode::invalid, what + " stands in its target: its distance must be above 0"}.advise(
            "move it away from its target"));
    if (c.field_of_view < 1 || c.field_of_view > 150) {
        return fail(Error{ErrorCode::invalid, fmt::format("{} has a field of view of {}°; use 1 to 150", what,
                                                          short_number(c.field_of_view))}
                        .advise("50° is usual"));
    }
    return {};
}

} // namespace

Result<void> validate(std::span<const CameraKey> keys) {
    std::vector<OutputFrame> at;
    for (const CameraKey& k : keys) at.push_back(k.at);
    if (!keys.empty()) GARLAND_CHECK(validate_frames(at, "a camera"));
    for (std::size_t i = 0; i < keys.size(); ++i) {
        const std::string what = fmt::format("camera key {}", i + 1);
        GARLAND_CHECK(usable(keys[i].camera, what));
        if (keys[i].toward == Toward::free || keys[i].toward == Toward::hidden)
            return fail(Error{ErrorCode::invalid, what + " must be step, linear or smooth"}.advise("use one of them"));
    }
    return {};
}

CameraPlan::CameraPlan(std::span<const CameraKey> keys, const Camera& still) : still_(still), keyed_(!keys.empty()) {
    for (std::size_t k = 0; k < plans_.size() && keyed_; ++k) {
        Timing timing;
        for (const CameraKey& key : keys) {
            timing.map.keys.push_back({key.at, SourceFrame(numbers_of(key.camera)[k]), key.toward});
        }
        plans_[k] = TimingPlan(timing);
    }
}

Camera CameraPlan::at(OutputFrame t) const {
    if (!keyed_) return still_;
    std::array<double, 7> v{};
    for (std::size_t k = 0; k < v.size(); ++k) v[k] = plans_[k].at(t).source;
    return {V3d(v[0], v[1], v[2]), v[3], v[4], v[5], v[6]};
}

std::vector<CameraKey> with_key(std::span<const CameraKey> keys, const CameraKey& key) {
    std::vector<CameraKey> out(keys.begin(), keys.end());
    const auto at =
        std::lower_bound(out.begin(), out.end(), key.at, [](const CameraKey& k, OutputFrame t) { return k.at < t; });
    if (at != out.end() && at->at == key.at) {
        *at = key;
    } else {
        out.insert(at, key);
    }
    return out;
}

std::vector<CameraKey> with_view(std::span<const CameraKey> keys, OutputFrame at, const Camera& view) {
    Toward toward = Toward::smooth;
    for (const CameraKey& k : keys) {
        if (k.at <= at) toward = k.toward;
    }
    return with_key(keys, {at, view, toward});
}

Result<std::vector<CameraKey>> moved(std::span<const CameraKey> keys, const Camera& still, OutputFrame p, OutputFrame q,
                                     const CameraMove& move) {
    if (!(p < q)) {
        return fail(Error{ErrorCode::invalid, fmt::format("the move from output frame {} to {} ends before it starts",
                                                          short_number(p.value), short_number(q.value))}
                        .advise("give the earlier frame first"));
    }
    const Camera from = CameraPlan(keys, still).at(p);
    Camera to = from;
    to.azimuth += move.turn;
    to.elevation += move.rise;
    to.distance *= move.dolly;
    to.target += move.shift;
    std::vector<CameraKey> out(keys.begin(), keys.end());
    std::erase_if(out, [&](const CameraKey& k) { return k.at > p && k.at < q; });
    const auto before = std::find_if(out.begin(), out.end(), [&](const CameraKey& k) { return k.at == q; });
    const Toward on = before == out.end() ? move.toward : before->toward;
    out = with_key(with_key(out, {p, from, move.toward}), {q, to, on});
    GARLAND_CHECK(validate(out));
    return out;
}

CameraAxes axes_of(const Camera& c) {
    const double a = c.azimuth * radians, e = c.elevation * radians;
    CameraAxes out;
    out.back = V3d(portable::sin(a) * portable::cos(e), portable::sin(e), portable::cos(a) * portable::cos(e));
    out.right = V3d(portable::cos(a), 0, -portable::sin(a));
    out.up = out.back.cross(out.right);
    out.place = c.target + out.back * c.distance;
    return out;
}

} // namespace garland
