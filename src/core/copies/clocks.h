// The clocks of an arrangement's copies: what turns an output frame into each copy's local time τ. See docs/time.md,
// stages 1 and 2.
//
// With a_k the amount of spread k at an output frame, D_k(c) what it gives copy c, and `start` the timing's first
// frame:
//   d(t) = Σ a_k(t)·D_k(c) + nudge             delays
//   x    = t − shift − d(t)                    shift: where an arrangement starts elsewhere than its timing
//   τ    = start + (x − start) + Σ w_k(c)·∫ a_k from m_k to x      speeds; m_k: where the copies agree, usually `start`
#pragma once

#include "core/base/shared_list.h"
#include "core/copies/copy_playing.h"
#include "core/copies/copy_set.h"
#include "core/copies/spread_in_time.h"
#include "core/source/source_clock.h"
#include "core/time/rate.h"
#include "core/time/timing_plan.h"

#include <optional>
#include <span>
#include <vector>

namespace garland {

// A copy's own clock where nothing about it changes in time: τ = start + rate · (t − delay − start).
struct CopyClock {
    double delay = 0; // output frames later, nudge included
    double rate = 1;  // above 0
};

// What carries the copies, in time: which of its source frames is there at an output frame.
struct CarrierTime {
    std::optional<TimingPlan> plan; // none: source frame = output frame
    SourceClock clock;
    double at(double t) const; // held inside the source's range
};

class CopyClocks {
  public:
    static constexpr double slowest = 0.001; // slowing spreads that add up never stop a copy

    CopyClocks() = default;
    CopyClocks(std::vector<CopyClock> still); // nothing that changes in time
    // plan: the timing the copies follow; rate: output frames a second, for drifts and flicker; horizon: output frames
    // in which births are looked for.
    // levels: of spreads driven by zones or sound.
    CopyClocks(const CopySet& set, const TimingPlan& plan, const CarrierTime& carrier, Rate rate, FrameRange horizon,
               const SpreadLevels& levels = {});
    // What plays the copies instead of, or on top of, their own clocks; made for all copies of this set, in order.
    void set_playing(CopyPlayingPtr playing) {
        playing_ = std::move(playing);
        only_played_ |= plain_;
        plain_ = false;
    }
    const CopyPlaying* playing() const { return playing_.get(); }
    const CopyPlayingPtr& playing_whole() const { return playing_; } // of all copies of the set
    std::size_t played(std::size_t copy) const { return played_.empty() ? copy : played_[copy]; } // its number in there
    // A copy's rate by its own speed spreads, and where each copy's clock starts (output frames): what playing needs.
    // The clocks must live as long as what is returned.
    OwnRate own_rate() const;
    std::vector<double> starts(const TimingPlan& plan) const;

    // The clocks of some of the copies, in the order of `which`.
    CopyClocks part(std::span<const std::uint32_t> which) const;

    std::size_t size() const { return whole_.size(); }
    // As their rules say with all amounts whole: for words, sorting and colours.
    const CopyClock& operator[](std::size_t i) const { return whole_[i]; }
    const CopyClock* begin() const { return whole_.begin(); }
    const CopyClock* end() const { return whole_.end(); }
    // Nothing changes in time and nobody is hidden: `whole` is all there is to know.
    bool plain() const { return plain_; }
    bool only_played() const { return only_played_; } // plain but for what plays them
    std::span<const CopyClock> still() const { return still_.list(); }

    // The amounts of one output frame, the same for all copies.
    struct Now {
        double t = 0, carrier = 0;
        struct Amount {
            double value = 1, slope = 0;
        };
        std::vector<Amount> amounts; // one a changing share
    };
    Now now(double t) const;
    struct Local {
        double delay = 0; // output frames later, at this moment
        double local = 0; // τ
        double rate = 1;  // dτ/dt
        bool absent = false;
    };
    // lately: kept from copy to copy by who asks for many.
    Local at(const TimingPlan& plan, std::size_t copy, const Now& now, CopyLevels::Lately& lately) const;
    Local at(const TimingPlan& plan, std::size_t copy, const Now& now) const {
        CopyLevels::Lately none;
        return at(plan, copy, now, none);
    }
    // The same where copies are only played. start: the timing's first frame.
    Local played_at(double start, std::size_t copy, double t, CopyLevels::Lately& lately) const {
        const double delay = still_[copy].delay;
        const CopyPlaying::At run = playing_->at(played(copy), t - delay, lately);
        return {delay, start + run.run, run.rate, run.before};
    }
    // Asks for the memory of a copy that at() will look up in a moment; one past the last is nothing.
    void expect(std::size_t copy) const {
        if (playing_ && copy < size()) playing_->expect(played(copy));
    }

    // Why a copy's own rules do not show it at this moment; what the timing hides is not among them.
    enum class Absence { none, not_started, hidden, not_carried, flicker, not_reached, pulse };
    Absence why_absent(const TimingPlan& plan, std::size_t copy, const Now& now) const;

    std::size_t changing() const { return shares_.size(); } // spreads (and nudges) whose amount changes in time
    const std::string& share_name(std::size_t k) const { return shares_[k].name; }
    bool shifted() const { return shift_ != 0 || !shifts_.empty(); }
    double shift_of(std::size_t copy) const { return shifts_.empty() ? shift_ : shifts_[copy]; }
    // dd/dt: above 1 a copy's own time runs backward.
    double delay_slope(std::size_t copy, const Now& now) const;

  private:
    struct Share {
        std::string name;
        Target target = Target::delay;
        double share = 1;
        CurvePlan amount;
        KeyedCurve keys{}; // of the amount
        std::optional<double> meets;
        SharedList<double> values; // output frames, or shares of the speed
        std::optional<SpreadInTime> in_time;
    };
    struct Flicker {
        Spread spread;
        CurvePlan amount;
        SharedList<double> values; // per cent
        std::optional<SpreadInTime> in_time{};
    };
    // What is added up over all spreads: whole as if every strength were 1, still without those that change in time.
    struct Sums {
        std::vector<CopyClock> whole, still;
        std::vector<std::size_t> changing_speeds; // among the shares
    };
    void add(const GivenValues& given, const CopySet& set, const SpreadLevels& levels, Sums& sums);
    void add_nudges(const CopySet& set, Sums& sums);
    void begin(const CopySet& set, double start, FrameRange horizon);
    void limit_slowing(const std::vector<std::size_t>& changing, const std::vector<CopyClock>& still);
    void solve_speeds(const TimingPlan& plan, FrameRange horizon);
    double own_rate_at(std::size_t copy, double t) const;
    std::vector<double> rate_bends(std::size_t copy) const;
    bool flickers_off(std::size_t copy, double t) const;

    bool plain_ = true, only_played_ = false;
    CopyPlayingPtr playing_;
    SharedList<std::uint32_t> played_; // of some of the copies: their numbers in playing_
    std::vector<Pulse> hiding_;        // those pulses that hide copies
    SharedList<CopyClock> whole_, still_;
    std::vector<Share> shares_;
    std::vector<Flicker> flickers_;
    std::shared_ptr<const RunTable> speeds_; // of all speeds, where one of them is driven in time: run since the start
    SharedList<std::uint32_t> speed_tracks_; // one a copy
    double solved_from_ = 0, solved_to_ = 0; // output frames
    SharedList<Placement> places_;           // for drifting noise and ids
    CarrierTime carrier_;
    struct Life {
        double birth, death; // source frames of what carries it
    };
    SharedList<Life> lives_;
    SharedList<double> shifts_;
    SharedList<std::uint8_t> hidden_;
    double shift_ = 0;
    std::optional<double> together_; // output frame
    bool after_start_ = false, hidden_until_start_ = false;
    double seconds_a_frame_ = 1.0 / 24;
};

} // namespace garland
