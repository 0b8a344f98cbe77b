#include "core/drivers/place_keys.h"

#include "core/base/angles.h"
#include "core/base/numbers.h"
#include "core/drivers/place_limits.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace garland {

Result<void> validate(const std::vector<PlaceKey>& keys, const std::string& whose, double least_size) {
    auto wrong = [&](const std::string& what, std::string advice) {
        return fail(Error{ErrorCode::invalid, fmt::format("{}: {}", whose, what)}.advise(std::move(advice)));
    };
    for (std::size_t i = 0; i < keys.size(); ++i) {
        const PlaceKey& k = keys[i];
        const std::string name = fmt::format("key {}", i + 1);
        if (!std::isfinite(k.at.value) || std::abs(k.at.value) > frame_limit)
            return wrong(name + " has an output frame that is not a number", "use an output frame");
        if (i > 0 && k.at <= keys[i - 1].at)
            return wrong(fmt::format("{} at output frame {} does not come after the one before it", name,
                                     short_number(k.at.value)),
                         "use rising output frames");
        if (!usable(k.place))
            return wrong(name + " has a place that is not a number below 10⁹ m", "use numbers below 10⁹ m");
        if (!usable(k.turn) || k.turn.length() > 100'000)
            return wrong(name + " has a turn that is not an angle within ±100 000°", "use at most 100 000°");
        if (!std::isfinite(k.size) || k.size < least_size || k.size > 1e6)
            return wrong(fmt::format("{} has a size of {}×", name, short_number(k.size)),
                         fmt::format("use {} to 1 000 000×", short_number(least_size)));
        if (k.toward == Toward::free || k.toward == Toward::hidden)
            return wrong(name + " goes on in a way that places do not have", "use step, linear or smooth");
    }
    return {};
}

std::vector<PlaceKey> with_key(const std::vector<PlaceKey>& keys, const PlaceKey& key) {
    std::vector<PlaceKey> out = keys;
    const auto at =
        std::lower_bound(out.begin(), out.end(), key.at, [](const PlaceKey& k, OutputFrame f) { return k.at < f; });
    if (at != out.end() && at->at == key.at) {
        *at = key;
    } else {
        out.insert(at, key);
    }
    return out;
}

// About y first of all, then about what x has become, then about what z has become.
Axes turned_axes(const V3d& turn) {
    if (turn == V3d(0)) return {}; // most: no sines
    const SinCos y(turn.y), x(turn.x), z(turn.z);
    const V3d side(y.c, 0, -y.s);                // x after the heading
    const V3d front(y.s * x.c, -x.s, y.c * x.c); // z after heading and pitch
    const V3d up(y.s * x.s, x.c, y.c * x.s);     // y after heading and pitch
    return {side * z.c + up * z.s, up * z.c - side * z.s, front};
}

PlaceCurve::PlaceCurve(const std::vector<PlaceKey>& keys) : keyed_(!keys.empty()) {
    if (keys.empty()) return;
    for (std::size_t k = 0; k < numbers_.size(); ++k) {
        KeyedCurve curve;
        for (const PlaceKey& key : keys) {
            const double numbers[] = {key.place.x, key.place.y, key.place.z, key.turn.x,
                                      key.turn.y,  key.turn.z,  key.size};
            curve.push_back({key.at.value, numbers[k], key.toward});
        }
        numbers_[k] = CurvePlan(curve, 0);
    }
}

PlaceKey PlaceCurve::at(double t) const {
    auto n = [&](std::size_t k) { return numbers_[k].at(t); };
    return {OutputFrame(t), V3d(n(0), n(1), n(2)), V3d(n(3), n(4), n(5)), n(6), Toward::linear};
}

PlaceKey key_at(const std::vector<PlaceKey>& keys, double t) {
    PlaceKey key = PlaceCurve(keys).at(t);
    for (const PlaceKey& k : keys) {
        if (k.at.value <= t) key.toward = k.toward;
    }
    return key;
}

} // namespace garland
