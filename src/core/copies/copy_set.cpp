#include "core/copies/copy_set.h"

#include "core/base/chance.h"
#include "core/base/numbers.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <numeric>

namespace garland {

namespace {

// The part of an arrangement that says where its copies stand and in what order.
Arrangement only_places(const Arrangement& a) {
    Arrangement p;
    p.layout = a.layout;
    p.layout.carried.timing = {};
    p.attitude = a.attitude;
    p.size = a.size;
    p.stretch = a.stretch;
    p.jitter = a.jitter;
    p.order = a.order;
    return p;
}

// The part of a spread that says what it gives; how much of that counts, and when, may differ.
Spread only_values(const Spread& s) {
    Spread v;
    v.id = s.id;
    v.target = s.target;
    v.by = s.by;
    v.from = s.from;
    v.to = s.to;
    v.whole_frames = s.whole_frames;
    v.curve = s.curve;
    return v;
}

constexpr std::uint64_t jitter_rule = 0x6a6974746572;  // "jitter", apart from every spread's id
constexpr std::uint64_t order_rule = 0x6f72646572;     // "order"
constexpr std::uint64_t variant_rule = 0x76617269616e; // "varian"

double way(const Jitter& j, std::uint64_t channel, CopyId copy) {
    return 2 * chance(j.seed, jitter_rule + channel, copy.value) - 1;
}

void add_jitter(const Jitter& j, Placement& p) {
    p.position += jitter_of(j, p.id);
    if (j.turn != 0) p.turn += j.turn * way(j, 3, p.id);
    if (j.size != 0) p.size *= 1 + j.size * way(j, 4, p.id);
}

double order_key(const CopyOrder& o, const Placement& p, const Carriers* carriers, std::uint32_t carrier) {
    switch (o.by) {
    case OrderBy::along: return 0;
    case OrderBy::x: return p.position.x;
    case OrderBy::y: return p.position.y;
    case OrderBy::z: return p.position.z;
    case OrderBy::distance: return (p.position - o.from).length();
    case OrderBy::random: return chance(o.seed, order_rule, p.id.value);
    case OrderBy::attribute: {
        const CarrierValues* v = carriers ? carriers->find(o.attribute) : nullptr;
        const double value = v ? static_cast<double>(v->values[carrier]) : 0;
        return std::isfinite(value) ? value : 1e300; // those without come last
    }
    }
    return 0;
}

// Copies where the rule puts them, in the order asked for.
void place_all(const Arrangement& a, CopySet& set) {
    std::vector<Placement> places;
    std::vector<SurfaceSpot> spots;
    std::vector<std::uint32_t> carrier_of;
    if (a.layout.kind == ArrangementKind::points) {
        if (!set.ground.carriers) {
            set.problem = "what carries the copies is not known yet";
            return;
        }
        places = on_points(a, *set.ground.carriers);
        if (set.ground.carriers->not_finite > 0) {
            set.note =
                fmt::format("{} left out, as their place is not a number",
                            counted(static_cast<long long>(set.ground.carriers->not_finite), "point is", "points are"));
        }
    } else if (a.layout.kind == ArrangementKind::scatter) {
        if (!set.ground.surface) {
            set.problem = "the source to scatter on is not known yet";
            return;
        }
        auto hit = on_surface(a, *set.ground.surface);
        if (!hit) {
            set.problem = hit.error().message + ": " + hit.error().advice;
            return;
        }
        places = std::move(hit->places);
        spots = std::move(hit->spots);
        if (static_cast<std::int64_t>(places.size()) < hit->wanted) {
            set.note = fmt::format("{} of {} copies fit so far apart", places.size(), hit->wanted);
        }
    } else {
        places = placements(a);
    }
    for (Placement& p : places) add_jitter(a.jitter, p);

    std::vector<std::uint32_t> order(places.size());
    std::iota(order.begin(), order.end(), 0u);
    if (a.order.by != OrderBy::along) {
        std::vector<double> keys(places.size());
        for (std::uint32_t i = 0; i < keys.size(); ++i)
            keys[i] = order_key(a.order, places[i], set.ground.carriers.get(), i);
        std::stable_sort(order.begin(), order.end(),
                         [&](std::uint32_t x, std::uint32_t y) { return keys[x] < keys[y]; });
    }
    if (a.order.reversed) std::reverse(order.begin(), order.end());
    const CurvePlan width(a.stretch.width, 1), height(a.stretch.height, 1);
    std::vector<Placement> ordered;
    ordered.reserve(places.size());
    for (std::uint32_t i : order) {
        Placement p = places[i];
        if (width.keyed() || height.keyed()) {
            const double share =
                places.size() > 1 ? static_cast<double>(ordered.size()) / static_cast<double>(places.size() - 1) : 0;
            p.stretch = V3f(static_cast<float>(width.at(share)), static_cast<float>(height.at(share)), 1);
        }
        ordered.push_back(p);
    }
    if (!spots.empty()) {
        std::vector<SurfaceSpot> sorted;
        for (std::uint32_t i : order) sorted.push_back(spots[i]);
        set.spots = std::move(sorted);
    }
    if (a.layout.kind == ArrangementKind::points) set.carrier_of = order;
    set.places = std::move(ordered);
}

} // namespace

V3d jitter_of(const Jitter& j, CopyId copy) {
    V3d out(0);
    for (int k = 0; k < 3; ++k) {
        if (j.position[k] != 0) out[k] = j.position[k] * way(j, static_cast<std::uint64_t>(k), copy);
    }
    return out;
}

CopySet make_copies(const Arrangement& spec, const CopyGroundwork& ground, const CopySet* before) {
    CopySet set;
    set.spec = spec;
    set.ground = ground;
    const bool same_places = before && before->ground == ground && only_places(before->spec) == only_places(spec);
    if (same_places) {
        set.places = before->places;
        set.carrier_of = before->carrier_of;
        set.spots = before->spots;
        set.problem = before->problem;
        set.note = before->note;
    } else {
        place_all(spec, set);
    }
    const CopyGround on{set.places.list(), ground.carriers.get(), set.carrier_of.list()};
    for (const Spread& s : spec.spreads) {
        const GivenValues* same = nullptr;
        for (std::size_t i = 0; same_places && i < before->given.size() && !same; ++i) {
            if (only_values(s) == only_values(before->given[i].spread)) same = &before->given[i];
        }
        GivenValues& g = set.given.emplace_back();
        g.spread = s;
        if (same) {
            g.values = same->values;
            g.note = same->note;
        } else {
            SpreadValues v = spread_values(s, on);
            g.values = std::move(v.values);
            g.note = std::move(v.note);
        }
    }
    return set;
}

std::vector<std::uint32_t> variants_of(const CopySet& set) {
    const Arrangement& a = set.spec;
    std::vector<std::uint32_t> out(set.places.size(), 0);
    if (a.choice.variants.empty()) return out;
    std::vector<double> sums{a.choice.own_weight};
    for (const Variant& v : a.choice.variants) sums.push_back(sums.back() + v.weight);
    std::vector<const GivenValues*> given;
    for (const GivenValues& g : set.given) {
        if (g.spread.on && g.spread.target == Target::variant) given.push_back(&g);
    }
    for (std::size_t i = 0; i < out.size(); ++i) {
        if (given.empty() && a.choice.in_turn) {
            out[i] = static_cast<std::uint32_t>(i % sums.size());
            continue;
        }
        double u = 0;
        if (given.empty()) u = chance(a.choice.seed, variant_rule, set.places[i].id.value);
        for (const GivenValues* g : given) u += g->values[i] * g->spread.strength.share / 100;
        u = u == 1 ? u : u - std::floor(u); // 100 % is the last source, past it the first comes again
        const auto at = std::upper_bound(sums.begin(), sums.end(), u * sums.back());
        out[i] = static_cast<std::uint32_t>(
            std::min<std::size_t>(static_cast<std::size_t>(at - sums.begin()), sums.size() - 1));
        while (out[i] > 0 && sums[out[i]] == sums[out[i] - 1]) --out[i]; // one without weight is never shown
    }
    return out;
}

} // namespace garland
