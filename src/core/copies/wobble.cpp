#include "core/copies/wobble.h"

#include "core/base/chance.h"
#include "core/base/measure.h"
#include "core/copies/attitude.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace garland {

namespace {

struct Value {
    double value = 0, rate = 0;
};

// 0 … 1 over x = 0 … 1 and its derivative; flat outside.
Value quintic_ease(double x) {
    if (x <= 0) return {0, 0};
    if (x >= 1) return {1, 0};
    return {x * x * x * (10 + x * (6 * x - 15)), 30 * x * x * (1 - x) * (1 - x)};
}

// −1 … 1, one new value for each whole x.
Value noise(std::uint64_t seed, std::uint64_t channel, std::uint64_t copy, double x) {
    const double whole = std::floor(x);
    auto value = [&](double at) {
        const auto place = static_cast<std::uint64_t>(static_cast<std::int64_t>(at));
        return 2 * chance(seed, chance_bits(seed, channel, place), copy) - 1;
    };
    const double a = value(whole), b = value(whole + 1);
    const Value e = quintic_ease(x - whole);
    return {a + (b - a) * e.value, (b - a) * e.rate};
}

constexpr std::uint64_t rule = 0x776f62626c65; // "wobble", apart from every spread's id

WobbleSample free_run(const Wobble& w, CopyId copy, OutputFrame t, Rate rate) {
    const double changes = w.rate / rate.per_second(); // a frame
    const std::uint64_t who = w.together ? 0 : copy.value + 1;
    auto channel = [&](std::uint64_t k, double amount) {
        Value v = noise(w.seed, rule + k, who, t.value * changes);
        return Value{v.value * amount, v.rate * amount * changes};
    };
    WobbleSample out;
    constexpr std::uint64_t turns[] = {5, 3, 6};
    for (int k = 0; k < 3; ++k) {
        if (w.position[k] > 0) {
            const Value v = channel(static_cast<std::uint64_t>(k), w.position[k]);
            out.position[k] = v.value;
            out.position_rate[k] = v.rate;
        }
        if (w.turn[k] > 0) {
            const Value v = channel(turns[k], w.turn[k]);
            out.turn[k] = v.value;
            out.turn_rate[k] = v.rate;
        }
    }
    if (w.size > 0) {
        const Value v = channel(4, w.size);
        out.size = v.value;
        out.size_rate = v.rate;
    }
    return out;
}

// a + e·(b − a); a e that changes leads to where b stands.
WobbleSample led(const WobbleSample& a, const WobbleSample& b, Value e) {
    WobbleSample out;
    out.position = a.position + (b.position - a.position) * e.value;
    out.position_rate =
        a.position_rate * (1 - e.value) + b.position_rate * e.value + (b.position - a.position) * e.rate;
    out.turn = a.turn + (b.turn - a.turn) * e.value;
    out.turn_rate = a.turn_rate * (1 - e.value) + b.turn_rate * e.value + (b.turn - a.turn) * e.rate;
    out.size = a.size + (b.size - a.size) * e.value;
    out.size_rate = a.size_rate * (1 - e.value) + b.size_rate * e.value + (b.size - a.size) * e.rate;
    return out;
}

} // namespace

WobbleSample wobble_at(const Wobble& w, CopyId copy, OutputFrame t, Rate rate) {
    if (!w.on) return {};
    if (w.end == WobbleEnd::never || t < w.end_at) return free_run(w, copy, t, rate);
    if (w.end == WobbleEnd::stay) {
        WobbleSample still = free_run(w, copy, w.end_at, rate);
        still.position_rate = V3d(0);
        still.turn_rate = V3d(0);
        still.size_rate = 0;
        return still;
    }
    WobbleSample goal;
    if (w.end == WobbleEnd::settle) goal = {w.settle_position, V3d(0), w.settle_turn, V3d(0), w.settle_size, 0};
    Value e{1, 0};
    if (w.ease > 0) {
        e = quintic_ease((t - w.end_at) / w.ease);
        e.rate /= w.ease;
    }
    return led(free_run(w, copy, t, rate), goal, e);
}

void wobble_places(std::span<const Wobble> wobbles, OutputFrame t, Rate rate, std::span<Placement> places,
                   std::vector<CopyMotion>* motion, std::span<const float> amounts) {
    if (motion) motion->resize(places.size());
    for (const Wobble& w : wobbles) {
        if (!w.on) continue;
        for (std::size_t i = 0; i < places.size(); ++i) {
            Placement& p = places[i];
            WobbleSample s = wobble_at(w, p.id, t, rate);
            if (!amounts.empty()) s = led({}, s, {static_cast<double>(amounts[i]), 0});
            p.position += s.position;
            p.turn += s.turn.y;
            if (s.turn.x != 0 || s.turn.z != 0) lean(p, s.turn.x, s.turn.z);
            p.size *= 1 + s.size;
            if (!motion) continue;
            CopyMotion& m = (*motion)[i];
            m.move += s.position_rate;
            m.spin.y += s.turn_rate.y;
            m.growth += s.size_rate / (1 + s.size);
        }
    }
}

bool leans(std::span<const Wobble> wobbles) {
    return std::any_of(wobbles.begin(), wobbles.end(), [](const Wobble& w) {
        return w.on && (w.turn.x != 0 || w.turn.z != 0 ||
                        (w.end == WobbleEnd::settle && (w.settle_turn.x != 0 || w.settle_turn.z != 0)));
    });
}

Result<void> validate(const Wobble& w) {
    auto within = [](double v, double low, double high) { return std::isfinite(v) && v >= low && v <= high; };
    for (int k = 0; k < 3; ++k) {
        if (!within(w.position[k], 0, 1e6) || !within(w.turn[k], 0, 36'000))
            return fail(Error{ErrorCode::invalid, "a wobble's amounts of position and turn must be 0 or more"}.advise(
                "use 0 for none"));
    }
    if (!within(w.size, 0, 0.99))
        return fail(Error{ErrorCode::invalid, "a wobble may change the size by 0 to 99 %"}.advise("use 0 to 99 %"));
    if (!within(w.rate, 0, 1000))
        return fail(Error{ErrorCode::invalid, "a wobble changes 0 to 1000 times a second"}.advise("use 0 to 1000 Hz"));
    GARLAND_CHECK(garland::within(
        joined({{{"the ease of a wobble's end", w.ease, 0, frame_limit, "f"},
                 {"the output frame that a wobble ends at", w.end_at.value, -frame_limit, frame_limit, "f"}},
                parts("the place a wobble settles at", w.settle_position, "m", 1e6),
                parts("the turn a wobble settles at", w.settle_turn, "°", 1e6)})));
    if (!within(w.settle_size, -0.99, 1000)) {
        return fail(Error{ErrorCode::invalid, "the size that a wobble settles at must stay above nothing"}.advise(
            "use more than 0"));
    }
    return {};
}

const char* to_text(WobbleEnd end) {
    return word_of(wobble_end_words, end);
}

} // namespace garland
