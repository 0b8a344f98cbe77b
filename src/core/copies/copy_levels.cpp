#include "core/copies/copy_levels.h"

#include "core/drivers/crossings.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>

namespace garland {

namespace {

constexpr double margin =
    1000; // output frames before and after a project's range in which pulses and sounds are solved

} // namespace

std::vector<std::uint16_t> dealt_bands(const Hearing& hearing, std::size_t bands, const CopySet& set) {
    const std::size_t n = set.places.size();
    std::vector<std::uint16_t> out;
    if (hearing.deal == SoundDeal::together || bands == 0) return out;
    std::vector<double> shares(n);
    const CarrierValues* values = hearing.deal == SoundDeal::attribute && set.ground.carriers
                                      ? set.ground.carriers->find(hearing.attribute)
                                      : nullptr;
    for (std::size_t i = 0; i < n; ++i) {
        switch (hearing.deal) {
        case SoundDeal::order: shares[i] = static_cast<double>(i); break;
        case SoundDeal::axis: shares[i] = set.places[i].position.dot(hearing.axis.normalized()); break;
        case SoundDeal::attribute:
            shares[i] = values ? static_cast<double>(values->values[set.carrier_of[i]]) : 0;
            if (!std::isfinite(shares[i])) shares[i] = 0;
            break;
        case SoundDeal::together: break;
        }
    }
    const auto [low, high] = std::minmax_element(shares.begin(), shares.end());
    const double from = n > 0 ? *low : 0, wide = n > 0 ? *high - *low : 0;
    for (std::size_t i = 0; i < n; ++i) {
        const double share = hearing.deal == SoundDeal::order ? static_cast<double>(i) / static_cast<double>(n)
                             : wide > 0                       ? (shares[i] - from) / wide
                                                              : 0;
        out.push_back(
            static_cast<std::uint16_t>(std::min(share * static_cast<double>(bands), static_cast<double>(bands) - 1)));
    }
    return out;
}

CopyLevels::CopyLevels(const LevelRule& rule, const LevelGround& ground, CopyTracks tracks, const CopySet& set)
    : rule_(rule), tracks_(std::move(tracks)), wave_(rule.wave) {
    from_ = static_cast<double>(ground.range.first) - margin, to_ = static_cast<double>(ground.range.last) + margin;
    if (rule.kind == LevelKind::zones) {
        for (const auto& [id, plan] : ground.zones) {
            if (rule.zones.empty() || std::find(rule.zones.begin(), rule.zones.end(), id) != rule.zones.end())
                zones_.push_back(plan);
        }
    }
    if (rule.kind == LevelKind::sound) {
        if (const auto at = ground.sounds.find(rule.hearing.sound); at != ground.sounds.end()) {
            sound_ = at->second;
            bands_ = dealt_bands(rule.hearing, sound_->bands(), set);
        }
    }
}

CopyLevels::Level CopyLevels::without_place(std::size_t copy, double t) const {
    if (rule_.kind == LevelKind::pulse) {
        const WavePlan::Level l = wave_.at(t);
        return {l.value, l.rate};
    }
    if (!sound_) return {};
    if (!bands_.empty()) {
        const SoundLevels::Level l = sound_->at(bands_[copy], t);
        return {l.value, l.rate};
    }
    Level loudest;
    for (std::size_t k = 0; k < sound_->bands(); ++k) {
        const SoundLevels::Level l = sound_->at(k, t);
        if (l.value > loudest.value || k == 0) loudest = {l.value, l.rate};
    }
    return loudest;
}

// of_zone(k): the level in zone k.
template <class OfZone>
CopyLevels::Level CopyLevels::joined(const OfZone& of_zone) const {
    Level out;
    for (std::size_t k = 0; k < zones_.size(); ++k) {
        const ZonePlan::Level l = of_zone(k);
        if (k == 0) {
            out = {l.value, l.rate};
        } else if (rule_.join == ZoneJoin::highest) {
            if (l.value > out.value) out = {l.value, l.rate};
        } else if (rule_.join == ZoneJoin::sum) {
            out = {out.value + l.value, out.rate + l.rate};
        } else {
            out = {out.value * l.value, out.rate * l.value + out.value * l.rate};
        }
    }
    if (out.value > 1) out = {1, 0};
    return out;
}

CopyLevels::Level CopyLevels::at(std::size_t copy, double t) const {
    if (!by_place()) return without_place(copy, t);
    const PlaceTrack::At place = tracks_.at(copy, t);
    return joined([&](std::size_t k) { return zones_[k]->level(t, place); });
}

CopyLevels::Level CopyLevels::at(std::size_t copy, double t, Lately& lately) const {
    if (!by_place()) return without_place(copy, t);
    // Apart, so that what each copy asks for stays short.
    const auto look_again = [&]() __attribute__((noinline)) {
        lately.t = t;
        lately.zones.clear();
        for (const auto& zone : zones_) lately.zones.push_back(zone->moment(t));
    };
    if (t != lately.t) look_again();
    const PlaceTrack::At place = tracks_.at(copy, t);
    if (zones_.size() == 1) {
        const ZonePlan::Level l = zones_.front()->level(lately.zones.front(), place);
        return l.value > 1 ? Level{1, 0} : Level{l.value, l.rate};
    }
    const auto several = [&]() __attribute__((noinline)) {
        return joined([&](std::size_t k) { return zones_[k]->level(lately.zones[k], place); });
    };
    return several();
}

void CopyLevels::zone_cuts(const ZonePlan& zone, const PlaceTrack& copy, std::span<const double> levels,
                           std::vector<double>& out) const {
    std::vector<double> bends(zone.bends().begin(), zone.bends().end());
    if (copy.moves()) {
        for (double t = copy.first(); t <= copy.last(); ++t) bends.push_back(t);
        std::sort(bends.begin(), bends.end());
        bends.erase(std::unique(bends.begin(), bends.end()), bends.end());
    }
    if (bends.size() < 2) return;
    std::vector<double> rings(zone.rings().begin(), zone.rings().end());
    for (double level : levels) {
        for (double ring : zone.rings_at(level)) rings.push_back(ring);
    }
    const double widest = std::max(std::abs(*std::max_element(rings.begin(), rings.end())),
                                   std::abs(*std::min_element(rings.begin(), rings.end())));
    auto inside = [](double share) { return share > 0 && share < 1; };
    const double begin = std::nextafter(bends.front(), bends.front() - 1);
    double earlier = zone.level(begin, copy.at(begin)).value; // just before the piece
    for (std::size_t k = 0; k + 1 < bends.size(); ++k) {
        const double a = bends[k], b = std::nextafter(bends[k + 1], a), middle = a + (b - a) / 2;
        const double steepest = zone.steepest(a, b, copy, widest);
        const ZonePlan::Distance here = zone.distance(middle, copy.at(middle));
        bool reached = false;
        for (double ring : rings) {
            if (std::abs(here.value - ring * here.size) > steepest * (b - a) / 2) continue;
            reached = true;
            find_crossings(
                [&](double t) {
                    const ZonePlan::Distance d = zone.distance(t, copy.at(t));
                    return d.value - ring * d.size;
                },
                steepest, a, b, out);
        }
        // Where the motion bends inside the edge the level bends, and where it jumps the level jumps.
        double before = zone.level(here).value, after = before; // far from all rings it is the same throughout
        if (reached || inside(before))
            before = zone.level(a, copy.at(a)).value, after = zone.level(b, copy.at(b)).value;
        if (reached || inside(before) || earlier != before) out.push_back(a);
        if (reached || inside(after)) out.push_back(bends[k + 1]);
        earlier = after;
    }
    const double last = bends.back(), just = std::nextafter(last, last - 1);
    if (zone.level(just, copy.at(just)).value != zone.level(last, copy.at(last)).value) out.push_back(last);
}

std::vector<double> CopyLevels::cuts(std::size_t copy, std::span<const double> levels) const {
    std::vector<double> out;
    switch (rule_.kind) {
    case LevelKind::pulse: wave_.cuts(from_, to_, levels, out); break;
    case LevelKind::sound:
        if (!sound_) break;
        if (!bands_.empty()) {
            sound_->cuts(bands_[copy], from_, to_, levels, out);
        } else {
            for (std::size_t k = 0; k < sound_->bands(); ++k) sound_->cuts(k, from_, to_, levels, out);
        }
        break;
    case LevelKind::zones: {
        const PlaceTrack track = tracks_.track(copy);
        for (const auto& zone : zones_) zone_cuts(*zone, track, levels, out);
        break;
    }
    }
    std::sort(out.begin(), out.end());
    out.erase(std::unique(out.begin(), out.end()), out.end());
    return out;
}

std::size_t CopyLevels::alike(std::size_t copy) const {
    if (rule_.kind == LevelKind::zones) return copy;
    return rule_.kind == LevelKind::sound && !bands_.empty() ? bands_[copy] : 0;
}

std::optional<std::size_t> CopyLevels::band_of(std::size_t copy) const {
    if (rule_.kind != LevelKind::sound || bands_.empty()) return {};
    return bands_[copy];
}

} // namespace garland
