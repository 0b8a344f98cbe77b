#include "core/copies/places.h"

#include "core/base/portable_math.h"
#include "core/copies/attitude.h"

#include <algorithm>
#include <cmath>
#include <numbers>

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
    spec_facing_ = a.attitude.facing;
    on_points_ = a.layout.kind == ArrangementKind::points;
    on_directions_ = set.ground.carriers && set.ground.carriers->directions;
    curve_ = PlaceCurve(a.place_keys);
    for (std::size_t k = 0; k + 1 < a.place_keys.size(); ++k) {
        if (a.place_keys[k].toward == Toward::step) jumps_.push_back(a.place_keys[k + 1].at.value);
    }
    carried_ = (on_points_ && set.ground.carriers && set.ground.carriers->moves) || !spots_.empty();
    auto share_of = [&](const GivenValues& g) {
        Share share{g.spread, CurvePlan(g.spread.strength.keys, 1), g.values, std::nullopt};
        if (changes_in_time(g.spread.by)) share.in_time.emplace(g.spread, set, seconds_a_frame_, levels);
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
    if (a.attitude.facing == Facing::target && !a.attitude.targets.empty()) {
        std::array<CurvePlan, 3> plans;
        for (int k = 0; k < 3; ++k) {
            KeyedCurve keys;
            for (const TargetKey& t : a.attitude.targets) keys.push_back({t.at.value, t.place[k], t.toward});
            plans[static_cast<std::size_t>(k)] = CurvePlan(keys, 0);
        }
        target_ = std::move(plans);
        for (std::size_t k = 0; k + 1 < a.attitude.targets.size(); ++k) {
            if (a.attitude.targets[k].toward == Toward::step) jumps_.push_back(a.attitude.targets[k + 1].at.value);
        }
    }
    if (still.empty()) {
        still_ = set.places;
        return;
    }
    std::vector<Placement> places = set.places.list();
    for (const GivenValues* g : still) {
        for (std::size_t i = 0; i < places.size(); ++i)
            take(g->spread.target, g->values[i] * g->spread.strength.share, places[i]);
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

bool CopyPlaces::leaning(std::span<const PlaceKey> keys) {
    return std::any_of(keys.begin(), keys.end(), [](const PlaceKey& k) { return k.turn.x != 0 || k.turn.z != 0; });
}

namespace {

// Where a carrier is in a pose, and which way its faces or points look; false where it is not there.
struct Footing {
    V3d place{0, 0, 0}, way{0, 0, 0};
    std::optional<Imath::Quatd> orient{};
};

bool spot_on_faces(const SurfaceSpot& s, const Pose& pose, Footing& out) {
    if (std::max({s.a, s.b, s.c}) >= pose.points.size()) return false;
    const V3d p(pose.points[s.a]), q(pose.points[s.b]), r(pose.points[s.c]);
    out.place = p + (q - p) * s.u + (r - p) * s.v;
    out.way = (q - p).cross(r - p);
    if (pose.normals.size() == pose.points.size())
        out.way =
            V3d(pose.normals[s.a]) * (1 - s.u - s.v) + V3d(pose.normals[s.b]) * s.u + V3d(pose.normals[s.c]) * s.v;
    return true;
}

class Spots {
  public:
    Spots(const PosePtr& pose, const SharedList<SurfaceSpot>& darts) : pose_(pose), darts_(darts) {
        if (pose && darts.empty()) {
            points_.emplace(pose);
            orients_ = find_orientations(*pose);
        }
    }
    bool at(std::size_t copy, CopyId id, Footing& out) const {
        if (!pose_) return false;
        if (!darts_.empty()) return spot_on_faces(darts_[copy], *pose_, out);
        const V3f* place = points_->find(static_cast<std::int64_t>(id.value));
        if (!place) return false;
        out.place = V3d(*place);
        out.way = V3d(0);
        const auto point = static_cast<std::size_t>(place - pose_->points.data());
        if (pose_->normals.size() == pose_->points.size()) out.way = V3d(pose_->normals[point]);
        if (orients_) out.orient = orientation_at(*orients_, point);
        return true;
    }

  private:
    const PosePtr& pose_;
    const SharedList<SurfaceSpot>& darts_;
    std::optional<CarrierPose> points_;
    const Attribute* orients_ = nullptr;
};

// The lean in which a turn is in balance: tan φ = sideways acceleration / standard gravity (9.80665 m/s², BIPM, The
// International System of Units). Degrees; below 0 toward the left, seen along the way.
double bank_of(const V3d& way, const V3d& bend, double seconds, double share) {
    const V3d left = V3d(0, 1, 0).cross(way);
    if (!(left.length() > 0)) return 0;
    const double sideways = bend.dot(left.normalized()) / (seconds * seconds);
    return -portable::atan2(share * sideways, 9.80665) * 180 / std::numbers::pi;
}

} // namespace

void CopyPlaces::carry(std::vector<Placement>& places, const CarrierPoses& carrier,
                       std::vector<std::uint8_t>* gone) const {
    const Arrangement& a = *spec_;
    const Spots now(carrier.now, spots_), later(carrier.later, spots_), before(carrier.frame_before, spots_),
        after(carrier.frame_after, spots_);
    for (std::size_t i = 0; i < places.size(); ++i) {
        Placement& p = places[i];
        Footing here, next, last, then;
        if (!now.at(i, p.id, here)) {
            if (gone) (*gone)[i] = 1;
            continue;
        }
        p.position = to_scene(a, here.place) + jitter_of(a.jitter, p.id);
        if (spec_facing_ == Facing::velocity && later.at(i, p.id, next)) {
            const V3d way = to_scene(a, next.place) - to_scene(a, here.place);
            p.turn += heading_of(way) - a.layout.heading;
            if (a.attitude.upright) continue;
            double bank = 0;
            if (before.at(i, p.id, last) && after.at(i, p.id, then)) {
                const V3d bend = to_scene(a, last.place + then.place - here.place * 2) - a.layout.origin;
                bank = bank_of(way, bend, seconds_a_frame_, a.attitude.bank);
            }
            pitch_along(p, way, bank);
        } else if (spec_facing_ == Facing::carrier && !a.attitude.upright && here.orient) {
            stand_as(p, *here.orient, a.layout.heading);
        } else if (spec_facing_ == Facing::carrier && !a.attitude.upright && here.way != V3d(0) &&
                   !(on_points_ && on_directions_)) {
            stand_on(p, to_scene(a, here.way) - a.layout.origin);
        }
    }
}

// The arrangement as a whole, about its origin.
// A place as the keys of the whole arrangement move it, about its middle.
static V3d moved_whole(const V3d& middle, const PlaceKey& k, const Axes& axes, const V3d& place) {
    return middle + k.place + axes.scene((place - middle) * k.size);
}

std::vector<std::vector<V3d>> cords_at(const Arrangement& a, double t) {
    std::vector<std::vector<V3d>> lines = cords(a);
    const PlaceCurve curve(a.place_keys);
    if (!curve.keyed()) return lines;
    const PlaceKey k = curve.at(t);
    const Axes axes = turned_axes(k.turn);
    for (std::vector<V3d>& line : lines) {
        for (V3d& p : line) p = moved_whole(a.layout.origin, k, axes, p);
    }
    return lines;
}

void CopyPlaces::move_whole(std::vector<Placement>& places, double t) const {
    const PlaceKey k = curve_.at(t);
    const Axes axes = turned_axes(k.turn);
    for (Placement& p : places) {
        p.position = moved_whole(spec_->layout.origin, k, axes, p.position);
        p.size *= k.size;
        turn_further(p, k.turn);
    }
}

std::vector<Placement> CopyPlaces::at(double t, const CarrierPoses& carrier, std::vector<std::uint8_t>* gone) const {
    std::vector<Placement> places = still_.list();
    if (gone) gone->assign(places.size(), 0);
    if (carried_ && carrier.now) carry(places, carrier, gone);
    if (curve_.keyed()) move_whole(places, t);
    if (target_) {
        const V3d target((*target_)[0].at(t), (*target_)[1].at(t), (*target_)[2].at(t));
        for (std::size_t i = 0; i < places.size(); ++i) { // whichever way the whole is turned
            Placement& p = places[i];
            const V3d way = target - p.position;
            p.turn = still_[i].turn + heading_of(way) - spec_->layout.heading;
            p.tilt = {};
            if (!spec_->attitude.upright) pitch_along(p, way);
        }
    }
    for (const Share& s : changing_) {
        const double amount = s.amount.at(t) * s.spread.strength.share;
        for (std::size_t i = 0; i < places.size(); ++i) take(s.spread.target, amount * value_at(s, i, t), places[i]);
    }
    return places;
}

std::vector<float> CopyPlaces::wobble_amounts(double t) const {
    std::vector<float> out;
    if (wobbles_.empty()) return out;
    out.assign(still_.size(), 1);
    for (const Share& s : wobbles_) {
        const double amount = s.amount.at(t) * s.spread.strength.share;
        for (std::size_t i = 0; i < out.size(); ++i)
            out[i] += static_cast<float>(amount * (value_at(s, i, t) / 100 - 1));
    }
    for (float& v : out) v = std::max(v, 0.0f);
    return out;
}

} // namespace garland
