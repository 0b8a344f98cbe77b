#include "core/geometry/key_track.h"

#include "core/base/cubic.h"

#include <algorithm>
#include <cmath>

namespace garland {

Result<void> validate(const KeyTrack& t) {
    if (t.times.empty())
        return fail(Error{ErrorCode::invalid, "a track has no keys"}.advise("give it at least one key"));
    if (t.width < 1 || (t.rotation && t.width != 4))
        return fail(Error{ErrorCode::invalid, "a track's values have a wrong width"}.advise(
            "write the file again with whole values for each key"));
    const std::size_t each = static_cast<std::size_t>(t.width) * (t.way == KeyWay::cubic ? 3 : 1);
    if (t.values.size() != t.times.size() * each)
        return fail(Error{ErrorCode::invalid, "a track has not as many values as its keys need"}.advise(
            "write the file again with a value for each key"));
    for (std::size_t i = 0; i < t.times.size(); ++i) {
        if (!std::isfinite(t.times[i]) || std::abs(t.times[i]) > 1e9)
            return fail(Error{ErrorCode::invalid, "a key's time is not a number"}.advise(
                "write the file again with times that are numbers"));
        if (i > 0 && t.times[i] <= t.times[i - 1])
            return fail(Error{ErrorCode::invalid, "key times do not rise"}.advise(
                "write the file again with each key once, in order"));
    }
    for (double v : t.values) {
        if (!std::isfinite(v))
            return fail(Error{ErrorCode::invalid, "a key's value is not finite"}.advise(
                "write the file again with values that are numbers"));
    }
    return {};
}

void sample(const KeyTrack& t, double time, std::span<double> out, bool smooth) {
    const auto width = static_cast<std::size_t>(t.width);
    const std::size_t each = width * (t.way == KeyWay::cubic ? 3 : 1), middle = t.way == KeyWay::cubic ? width : 0;
    auto value = [&](std::size_t key, std::size_t i) { return t.values[key * each + middle + i]; };
    const auto after = std::upper_bound(t.times.begin(), t.times.end(), time);
    const bool ends = after == t.times.begin() || after == t.times.end();
    const std::size_t key = after == t.times.begin() ? 0 : static_cast<std::size_t>(after - t.times.begin()) - 1;
    if (ends || t.way == KeyWay::step || time == t.times[key]) {
        for (std::size_t i = 0; i < width; ++i) out[i] = value(key, i);
        return;
    }
    const double from = t.times[key], span = t.times[key + 1] - from, w = (time - from) / span;
    const HermiteBasis<double> by(w);
    if (t.way == KeyWay::cubic) {
        for (std::size_t i = 0; i < width; ++i) {
            const double leave = t.values[key * each + 2 * width + i], arrive = t.values[(key + 1) * each + i];
            out[i] = by.start * value(key, i) + span * by.leave * leave + by.end * value(key + 1, i) +
                     span * by.arrive * arrive;
        }
        if (t.rotation) {
            const double length = std::sqrt(out[0] * out[0] + out[1] * out[1] + out[2] * out[2] + out[3] * out[3]);
            for (std::size_t i = 0; length > 0 && i < width; ++i) out[i] /= length;
        }
        return;
    }
    if (t.rotation) {
        auto quaternion = [&](std::size_t k) { return Quatd(value(k, 3), value(k, 0), value(k, 1), value(k, 2)); };
        const Quatd q = between({V3d(0), quaternion(key)}, {V3d(0), quaternion(key + 1)}, w).rotation;
        out[0] = q.v.x, out[1] = q.v.y, out[2] = q.v.z, out[3] = q.r;
        return;
    }
    for (std::size_t i = 0; i < width; ++i) {
        const double p = value(key, i), q = value(key + 1, i);
        if (!smooth) {
            out[i] = p + (q - p) * w;
            continue;
        }
        const double leave = key > 0 ? (q - value(key - 1, i)) * span / (t.times[key + 1] - t.times[key - 1]) : q - p;
        const double arrive = key + 2 < t.keys() ? (value(key + 2, i) - p) * span / (t.times[key + 2] - from) : q - p;
        out[i] = p * by.start + q * by.end + leave * by.leave + arrive * by.arrive;
    }
}

} // namespace garland
