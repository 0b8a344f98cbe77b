#include "core/copies/clocks.h"

#include "core/base/chance.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace garland {

namespace {

double nudge_of(const Arrangement& a, CopyId id) {
    const auto at = std::lower_bound(a.by_hand.nudges.begin(), a.by_hand.nudges.end(), id,
                                     [](const Nudge& n, CopyId c) { return n.copy < c; });
    return at != a.by_hand.nudges.end() && at->copy == id ? at->frames : 0;
}

// When the carrier first comes as far as a source frame: how far it has come by each whole frame is looked up once.
class Births {
  public:
    Births(const CarrierTime& carrier, FrameRange horizon)
        : carrier_(carrier), first_(static_cast<double>(horizon.first)), last_(static_cast<double>(horizon.last)) {
        if (!carrier_.plan) return;
        reached_.reserve(static_cast<std::size_t>(horizon.count()));
        for (double t = first_; t <= last_; t += 1)
            reached_.push_back(std::max(carrier_.at(t), reached_.empty() ? -1e300 : reached_.back()));
    }
    // The first output frame at which it has come as far as `birth`.
    double operator()(double birth) const {
        if (!std::isfinite(birth) || carrier_.at(first_) >= birth) return first_;
        if (!carrier_.plan) return birth;
        const auto at = std::lower_bound(reached_.begin(), reached_.end(), birth);
        if (at == reached_.end()) return last_ + 1; // not in this shot
        double high = first_ + static_cast<double>(at - reached_.begin()), low = high - 1;
        for (int k = 0; k < 50; ++k) {
            const double middle = (low + high) / 2;
            (carrier_.at(middle) < birth ? low : high) = middle;
        }
        return high;
    }

  private:
    const CarrierTime& carrier_;
    double first_, last_;
    std::vector<double> reached_; // the furthest so far
};

} // namespace

double CarrierTime::at(double t) const {
    const double s = plan ? plan->at(OutputFrame(t)).source : t;
    return std::clamp(s, clock.first.value, clock.last().value);
}

CopyClocks::CopyClocks(std::vector<CopyClock> still) : whole_(still), still_(std::move(still)) {}

CopyClocks::CopyClocks(const CopySet& set, const TimingPlan& plan, const CarrierTime& carrier, Rate rate,
                       FrameRange horizon, const SpreadLevels& levels)
    : places_(set.places), carrier_(carrier) {
    const Arrangement& a = set.spec;
    const std::size_t n = set.places.size();
    seconds_a_frame_ = rate.start_of(1).value;
    Sums sums{std::vector<CopyClock>(n), std::vector<CopyClock>(n), {}};
    for (const GivenValues& g : set.given) add(g, set, levels, sums);
    // A copy never stops, whatever slows it: what slows it in time is made smaller by as much as it is too strong.
    for (std::size_t i = 0; i < n; ++i) {
        sums.whole[i].rate = std::max(sums.whole[i].rate, slowest);
        sums.still[i].rate = std::max(sums.still[i].rate, slowest);
    }
    if (!sums.changing_speeds.empty()) limit_slowing(sums.changing_speeds, sums.still);
    if (!a.by_hand.nudges.empty()) add_nudges(set, sums);
    begin(set, plan.first().value, horizon);
    for (const Pulse& pulse : a.pulses) {
        if (pulse.on && pulse.hides) hiding_.push_back(pulse);
    }
    plain_ = shares_.empty() && hiding_.empty() && flickers_.empty() && lives_.empty() && hidden_.empty() &&
             shift_ == 0 && shifts_.empty() && !together_ && !after_start_ && !hidden_until_start_;
    whole_ = std::move(sums.whole);
    still_ = std::move(sums.still);
    solve_speeds(plan, horizon);
}

// What one spread gives: into the sums, and, where that changes in time, among the shares.
void CopyClocks::add(const GivenValues& g, const CopySet& set, const SpreadLevels& levels, Sums& sums) {
    const std::size_t n = set.places.size();
    const Spread& s = g.spread;
    if (!s.on) return;
    if (s.target == Target::visibility) {
        flickers_.push_back({s, CurvePlan(s.strength.keys, 1), g.values});
        if (changes_in_time(s.by)) flickers_.back().in_time.emplace(s, set, seconds_a_frame_, levels);
        return;
    }
    if (s.target != Target::delay && s.target != Target::speed) return;
    const bool delay = s.target == Target::delay, drifts = changes_in_time(s.by);
    after_start_ |= delay && s.after_start;
    const bool changes = changes_in_time(s) || s.meets.has_value();
    for (std::size_t i = 0; i < n; ++i) {
        const double v = g.values[i] * s.strength.share;
        (delay ? sums.whole[i].delay : sums.whole[i].rate) += delay ? v : v / 100;
        if (!changes) (delay ? sums.still[i].delay : sums.still[i].rate) += delay ? v : v / 100;
    }
    if (!changes) return;
    Share share;
    share.name = to_text(s.target) + std::string(" by ") + to_text(s.by.kind);
    share.target = s.target;
    share.share = s.strength.share;
    share.amount = CurvePlan(s.strength.keys, 1);
    share.keys = s.strength.keys;
    if (s.meets) share.meets = s.meets->value;
    if (drifts) share.in_time.emplace(s, set, seconds_a_frame_, levels);
    if (delay) {
        share.values = g.values;
    } else {
        std::vector<double> shares(n);
        for (std::size_t i = 0; i < n; ++i) shares[i] = g.values[i] / 100;
        share.values = std::move(shares);
        if (!drifts) sums.changing_speeds.push_back(shares_.size());
    }
    shares_.push_back(std::move(share));
}

void CopyClocks::add_nudges(const CopySet& set, Sums& sums) {
    const Arrangement& a = set.spec;
    const std::size_t n = set.places.size();
    const bool keyed = !a.by_hand.amount.empty();
    std::vector<double> nudges(keyed ? n : 0);
    for (std::size_t i = 0; i < n; ++i) {
        const double nudge = nudge_of(a, set.places[i].id);
        sums.whole[i].delay += nudge;
        if (keyed) {
            nudges[i] = nudge;
        } else {
            sums.still[i].delay += nudge;
        }
    }
    if (keyed) {
        Share share;
        share.name = "nudges";
        share.amount = CurvePlan(a.by_hand.amount, 1);
        share.values = std::move(nudges);
        shares_.push_back(std::move(share));
    }
}

// When copies live and begin, and which are hidden. start: the timing's first frame.
void CopyClocks::begin(const CopySet& set, double start, FrameRange horizon) {
    const Arrangement& a = set.spec;
    const std::size_t n = set.places.size();
    if (a.layout.kind == ArrangementKind::points && set.ground.carriers) {
        std::vector<Life> lives(n);
        bool all_there = true;
        for (std::size_t i = 0; i < n; ++i) {
            const Carriers::Point& p = set.ground.carriers->points[set.carrier_of[i]];
            lives[i] = {p.birth, p.death};
            all_there = all_there && std::isinf(p.birth) && std::isinf(p.death);
        }
        if (!all_there) lives_ = std::move(lives);
    }
    if (a.begins.kind == StartKind::at_frame) shift_ = a.begins.frame.value - start;
    if (a.begins.kind == StartKind::together) together_ = a.begins.frame.value;
    if (a.begins.kind == StartKind::at_birth && !lives_.empty()) {
        const Births births(carrier_, horizon);
        std::vector<double> shifts(n);
        for (std::size_t i = 0; i < n; ++i) shifts[i] = births(lives_[i].birth) - start;
        shifts_ = std::move(shifts);
    }
    hidden_until_start_ = a.begins.hidden_before;
    if (!a.hidden_copies.empty()) {
        std::vector<std::uint8_t> hidden(n);
        for (std::size_t i = 0; i < n; ++i) {
            hidden[i] = std::binary_search(a.hidden_copies.begin(), a.hidden_copies.end(), set.places[i].id);
        }
        hidden_ = std::move(hidden);
    }
}

std::vector<double> CopyClocks::starts(const TimingPlan& plan) const {
    std::vector<double> out(size());
    for (std::size_t i = 0; i < out.size(); ++i) out[i] = plan.first().value + shift_of(i);
    return out;
}

CopyClocks CopyClocks::part(std::span<const std::uint32_t> which) const {
    CopyClocks out = *this;
    out.whole_ = part_of(whole_, which);
    out.still_ = part_of(still_, which);
    out.places_ = part_of(places_, which);
    out.lives_ = part_of(lives_, which);
    out.shifts_ = part_of(shifts_, which);
    out.hidden_ = part_of(hidden_, which);
    if (playing_) {
        std::vector<std::uint32_t> numbers;
        for (std::uint32_t i : which) numbers.push_back(static_cast<std::uint32_t>(played(i)));
        out.played_ = std::move(numbers);
    }
    out.speed_tracks_ = part_of(speed_tracks_, which);
    for (Share& s : out.shares_) {
        s.values = part_of(s.values, which);
        if (s.in_time) s.in_time = s.in_time->part(which);
    }
    for (Flicker& f : out.flickers_) {
        f.values = part_of(f.values, which);
        if (f.in_time) f.in_time = f.in_time->part(which);
    }
    return out;
}

CopyClocks::Now CopyClocks::now(double t) const {
    Now n;
    n.t = t;
    if (!lives_.empty()) n.carrier = carrier_.at(t);
    const double at = together_ ? std::max(t, *together_) : t;
    for (const Share& s : shares_) n.amounts.push_back({s.amount.at(at) * s.share, s.amount.slope(at) * s.share});
    return n;
}

double CopyClocks::delay_slope(std::size_t i, const Now& now) const {
    double slope = 0;
    for (std::size_t k = 0; k < shares_.size(); ++k) {
        const Share& s = shares_[k];
        if (s.target != Target::delay) continue;
        const SpreadInTime::Value own = s.in_time ? s.in_time->at(i, now.t) : SpreadInTime::Value{s.values[i], 0};
        slope += now.amounts[k].slope * own.value + now.amounts[k].value * own.rate;
    }
    return slope;
}

CopyClocks::Local CopyClocks::at(const TimingPlan& plan, std::size_t i, const Now& now,
                                 CopyLevels::Lately& lately) const {
    const CopyClock& still = still_[i];
    const double start = plan.first().value;
    const bool waits = together_ && now.t < *together_;
    const double t = waits ? *together_ : now.t;
    double delay = still.delay, slope = 0;
    for (std::size_t k = 0; k < shares_.size(); ++k) {
        const Share& s = shares_[k];
        if (s.target != Target::delay) continue;
        const SpreadInTime::Value now_at = s.in_time ? s.in_time->at(i, t) : SpreadInTime::Value{s.values[i], 0};
        const double value = now_at.value, own = now_at.rate;
        delay += now.amounts[k].value * value;
        slope += now.amounts[k].slope * value + now.amounts[k].value * own;
    }
    const double shift = shift_of(i), x = t - shift - delay;
    Local out;
    out.delay = delay;
    out.local = start + still.rate * (x - start);
    out.rate = still.rate;
    bool not_reached = false;
    if (playing_) {
        const CopyPlaying::At run = playing_->at(played(i), x + shift, lately);
        out.local = start + run.run;
        out.rate = run.rate;
        not_reached = run.before;
    }
    if (speeds_ && !playing_) {
        const RunTable::At run = speeds_->at(speed_tracks_[i], x + shift);
        out.local = start + run.value;
        out.rate = run.rate;
    }
    for (const Share& s : shares_) {
        if (s.target != Target::speed || playing_ || speeds_) continue;
        const double w = s.values[i] * s.share, from = s.meets ? *s.meets : start + shift;
        out.local += w * s.amount.integral(from, x + shift);
        out.rate += w * s.amount.at(x + shift);
    }
    out.rate *= waits ? 0 : 1 - slope;
    const bool early = out.local < start;
    if (after_start_ && early) out.local = start, out.rate = 0;
    out.absent = (hidden_until_start_ && early) || (!hidden_.empty() && hidden_[i]);
    if (!lives_.empty()) out.absent |= now.carrier < lives_[i].birth || now.carrier >= lives_[i].death;
    if (!flickers_.empty() && !out.absent) out.absent = flickers_off(i, now.t);
    out.absent |= not_reached;
    for (const Pulse& pulse : hiding_) out.absent |= WavePlan(pulse.wave).at(now.t - delay).value <= 0;
    return out;
}

CopyClocks::Absence CopyClocks::why_absent(const TimingPlan& plan, std::size_t i, const Now& now) const {
    if (!at(plan, i, now).absent) return Absence::none;
    if (!hidden_.empty() && hidden_[i]) return Absence::hidden;
    if (!lives_.empty() && (now.carrier < lives_[i].birth || now.carrier >= lives_[i].death))
        return Absence::not_carried;
    if (!flickers_.empty() && flickers_off(i, now.t)) return Absence::flicker;
    const Local local = at(plan, i, now);
    for (const Pulse& pulse : hiding_) {
        if (WavePlan(pulse.wave).at(now.t - local.delay).value <= 0) return Absence::pulse;
    }
    if (playing_ && playing_->at(played(i), now.t - local.delay).before) return Absence::not_reached;
    return Absence::not_started;
}

bool CopyClocks::flickers_off(std::size_t i, double t) const {
    constexpr std::uint64_t rule = 0x666c69636b6572; // "flicker"
    for (const Flicker& f : flickers_) {
        const Spread& s = f.spread;
        double shown = f.values[i];
        if (f.in_time) shown = f.in_time->at(i, t).value;
        const double off = f.amount.at(t) * s.strength.share * (1 - std::clamp(shown, 0.0, 100.0) / 100);
        const double slot = std::floor(t * seconds_a_frame_ * s.changes + 1e-9);
        const auto place = static_cast<std::uint64_t>(static_cast<std::int64_t>(slot));
        if (chance(s.by.seed, chance_bits(s.by.seed, s.id.value + rule, place), places_[i].id.value) < off) return true;
    }
    return false;
}

} // namespace garland
