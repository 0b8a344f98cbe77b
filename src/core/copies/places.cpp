#include "core/copies/places.h"

#include <algorithm>
#include <cmath>

namespace garland {

namespace {

void take(Target target, double value, Placement& p) {
    if (target == Target::size) p.size *= std::max(1 + value / 100, 0.001);
    if (target == Target::turn) p.turn += value;
}

} // namespace

CopyPlaces::CopyPlaces(const CopySet& set, Rate rate, const SpreadLevels& levels)
    : spots_(set.spots), spec_(std::make_shared<Arrangement>(set.spec)) {
    const Arrangement& a = *spec_;
    seconds_a_frame_ = rate.start_of(1).value;
    spec_facing_ = a.facing;
    on_points_ = a.kind == ArrangementKind::points;
    carried_ = (on_points_ && set.ground.carriers && set.ground.carriers->moves) || !spots_.empty();
    auto share_of = [&](const GivenValues& g) {
        Share share{g.spread, CurvePlan(g.spread.amount, 1), g.values, std::nullopt};
        if (driver_changes(g.spread)) share.in_time.emplace(g.spread, set, seconds_a_frame_, levels);
        return share;
    };
    std::vector<const GivenValues*> still;
    for (const GivenValues& g : set.given) {
        if (!g.spread.on) continue;
        if (g.spread.target == Target::wobble) {
            wobbles_.push_back(share_of(g));
        } else if (g.spread.target == Target::size || g.spread.target == Target::turn) {
            if (changes_in_time(g.spread)) {
                changing_.push_back(share_of(g));
            } else {
                still.push_back(&g);
            }
        }
    }
    if (a.facing == Facing::target && !a.targets.empty()) {
        std::array<CurvePlan, 3> plans;
        for (int k = 0; k < 3; ++k) {
            KeyedCurve keys;
            for (const TargetKey& t : a.targets) keys.push_back({t.at.value, t.place[k], t.toward});
            plans[static_cast<std::size_t>(k)] = CurvePlan(keys, 0);
        }
        target_ = std::move(plans);
    }
    if (still.empty()) {
        still_ = set.places;
        return;
    }
    std::vector<Placement> places = set.places.list();
    for (const GivenValues* g : still) {
        for (std::size_t i = 0; i < places.size(); ++i)
            take(g->spread.target, g->values[i] * g->spread.share, places[i]);
    }
    still_ = std::move(places);
}

CopyPlaces CopyPlaces::part(std::span<const std::uint32_t> which) const {
    CopyPlaces out = *this;
    out.still_ = part_of(still_, which);
    out.spots_ = part_of(spots_, which);
    for (auto* list : {&out.changing_, &out.wobbles_}) {
        for (Share& s : *list) {
            s.values = part_of(s.values, which);
            if (s.in_time) s.in_time = s.in_time->part(which);
        }
    }
    return out;
}

double CopyPlaces::value_at(const Share& s, std::size_t i, double t) const {
    return s.in_time ? s.in_time->at(i, t).value : s.values[i];
}

std::vector<Placement> CopyPlaces::at(double t, const PosePtr& carrier, const PosePtr& later,
                                      std::vector<std::uint8_t>* gone) const {
    std::vector<Placement> places = still_.list();
    if (gone) gone->assign(places.size(), 0);
    if (carried_ && carrier) {
        const CarrierPose now(carrier);
        std::optional<CarrierPose> next;
        if (later) next.emplace(later);
        const bool shape = !spots_.empty();
        for (std::size_t i = 0; i < places.size(); ++i) {
            V3d at(0), to(0);
            bool there = true, moves = false;
            if (shape) { // where the dart hit, on faces that have moved since
                const SurfaceSpot& s = spots_[i];
                auto spot = [&](const Pose& pose, V3d& out) {
                    if (std::max({s.a, s.b, s.c}) >= pose.points.size()) return false;
                    const V3d p(pose.points[s.a]), q(pose.points[s.b]), r(pose.points[s.c]);
                    out = p + (q - p) * s.u + (r - p) * s.v;
                    return true;
                };
                there = spot(*carrier, at);
                moves = there && later && spot(*later, to);
            } else {
                const auto id = static_cast<std::int64_t>(places[i].id.value);
                const V3f* place = now.find(id);
                there = place != nullptr;
                if (there) at = V3d(*place);
                const V3f* after = there && next ? next->find(id) : nullptr;
                if (after) to = V3d(*after), moves = true;
            }
            if (!there) {
                if (gone) (*gone)[i] = 1;
                continue;
            }
            places[i].position = to_scene(*spec_, at) + jitter_of(spec_->jitter, places[i].id);
            if (spec_facing_ == Facing::velocity && moves) {
                const V3d way = to_scene(*spec_, to) - to_scene(*spec_, at);
                places[i].turn += heading_of(way) - spec_->heading;
            }
        }
    }
    if (target_) {
        const V3d target((*target_)[0].at(t), (*target_)[1].at(t), (*target_)[2].at(t));
        for (Placement& p : places) p.turn += heading_of(target - p.position) - spec_->heading;
    }
    for (const Share& s : changing_) {
        const double amount = s.amount.at(t) * s.spread.share;
        for (std::size_t i = 0; i < places.size(); ++i) take(s.spread.target, amount * value_at(s, i, t), places[i]);
    }
    return places;
}

std::vector<float> CopyPlaces::wobble_amounts(double t) const {
    std::vector<float> out;
    if (wobbles_.empty()) return out;
    out.assign(still_.size(), 1);
    for (const Share& s : wobbles_) {
        const double amount = s.amount.at(t) * s.spread.share;
        for (std::size_t i = 0; i < out.size(); ++i)
            out[i] += static_cast<float>(amount * (value_at(s, i, t) / 100 - 1));
    }
    for (float& v : out) v = std::max(v, 0.0f);
    return out;
}

} // namespace garland
