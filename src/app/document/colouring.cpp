#include "app/document/colouring.h"

#include "core/base/numbers.h"
#include "core/project/value_range.h"

#include <algorithm>
#include <cmath>

namespace garland {

QString value_words(Target target, double v) {
    return QString::fromStdString(true_minus(given_words(target, v)));
}

Colouring::Colouring(const Show& show, const Viewing& viewing, const Project& project)
    : mode_(viewing.colour()), frame_(viewing.frame().value) {
    if (mode_ == ColourMode::look || show.arrangements.empty()) return;
    legend_.shown = true;
    double low = 1e300, high = -1e300;
    auto take = [&](double v) { low = std::min(low, v), high = std::max(high, v); };
    auto take_range = [&](const ValueRange& r) { low = r.low, high = r.high; };
    switch (mode_) {
    case ColourMode::look: break;
    case ColourMode::source_frame:
        legend_.title = QObject::tr("source frame");
        take_range(source_range(show));
        legend_.low = QString::fromStdString(true_minus(short_number(low, 1)));
        legend_.high = QString::fromStdString(true_minus(short_number(high, 1)));
        // A ramp without ends, where all there is are loops of the same range.
        legend_.cyclic = std::all_of(show.arrangements.begin(), show.arrangements.end(), [&](const ArrangementShow& a) {
            return seamless(a) && a.clock.first.value == low && a.clock.last().value == high;
        });
        break;
    case ColourMode::delay:
        legend_.title = QObject::tr("delay");
        take_range(delay_range(show));
        break;
    case ColourMode::speed:
        legend_.title = QObject::tr("speed");
        take_range(rate_range(show));
        legend_.low = QObject::tr("×%1").arg(low, 0, 'f', 2);
        legend_.high = QObject::tr("×%1").arg(high, 0, 'f', 2);
        break;
    case ColourMode::twins:
        twins_ = &viewing.twins().now();
        legend_.title = viewing.twins().current() ? QObject::tr("twins, %1 in all").arg(twins_->twins())
                                                  : QObject::tr("twins, looking …");
        legend_.low = QObject::tr("has none");
        legend_.high = QObject::tr("has a twin");
        low = 0, high = 1;
        break;
    case ColourMode::level:
        legend_.title = QObject::tr("level of what plays the copies");
        legend_.low = QObject::tr("0 %");
        legend_.high = QObject::tr("100 %");
        low = 0, high = 1;
        break;
    case ColourMode::spread:
        for (const Arrangement& a : project.arrangements) {
            for (const Spread& s : a.spreads) {
                if (s.id != viewing.shown_spread()) continue;
                given_to_ = a.id;
                given_ = given_by(show, a.id, s.id);
                legend_.title = QObject::tr("%1 by %2%3")
                                    .arg(QString::fromUtf8(to_text(s.target)), QString::fromUtf8(to_text(s.by.kind)),
                                         s.on ? QString() : QObject::tr(", switched off"));
            }
        }
        if (!given_) {
            legend_.shown = false;
            return;
        }
        for (double v : given_->values) take(v);
        if (low > high) low = high = 0;
        legend_.low = value_words(given_->spread.target, low);
        legend_.high = value_words(given_->spread.target, high);
        break;
    }
    if (low > high) low = high = 0;
    if (mode_ == ColourMode::delay) {
        legend_.low = value_words(Target::delay, low);
        legend_.high = value_words(Target::delay, high);
    }
    low_ = low, high_ = high;
}

std::optional<double> Colouring::still_share(const ArrangementShow& a, std::size_t i) const {
    auto share = [&](double v) { return high_ > low_ ? (v - low_) / (high_ - low_) : 0.0; };
    switch (mode_) {
    case ColourMode::delay: return share(a.clocks[i].delay);
    case ColourMode::speed: return share(a.clocks[i].rate);
    case ColourMode::twins: return twins_->copies.count(a.number(i)) ? 0.85 : 0.1;
    case ColourMode::spread:
        if (!given_ || a.id != given_to_) return {};
        return share(given_->values[a.in_set_at(i)]);
    default: return {};
    }
}

std::optional<double> Colouring::share(const ArrangementShow& a, std::size_t i, const CopyMoment& m) const {
    if (mode_ == ColourMode::delay && a.clocks.changing() > 0) { // as late as it is at this moment
        return high_ > low_ ? std::clamp((m.delay - low_) / (high_ - low_), 0.0, 1.0) : 0.0;
    }
    if (mode_ == ColourMode::level) {
        const CopyPlaying* playing = a.clocks.playing();
        if (!playing) return {};
        return playing->level(a.clocks.played(i), frame_ - m.delay).value;
    }
    if (mode_ != ColourMode::source_frame) return still_share(a, i);
    const double first = a.clock.first.value, last = a.clock.last().value;
    return last > first ? (m.source - first) / (last - first) : 0.0;
}

} // namespace garland
