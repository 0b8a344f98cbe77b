// How copies are coloured: what each of them stands at on the ramp, and what the legend says. Prepared once for all
// copies.
#pragma once

#include "app/document/viewing.h"

#include <QString>
#include <optional>
#include <vector>

namespace garland {

struct LegendText {
    QString low, high, title;
    bool cyclic = false, shown = false;
};

class Colouring {
  public:
    // For what is looked at now.
    Colouring(const Show& show, const Viewing& viewing, const Project& project);
    ColourMode mode() const { return mode_; }
    const LegendText& legend() const { return legend_; }
    // Where on the ramp a copy stands, 0 … 1; nothing where it has no value of this kind.
    std::optional<double> share(const ArrangementShow& arrangement, std::size_t index, const CopyMoment& moment) const;
    // The same where only the copy matters, not the moment (delay, speed, twins, a spread).
    std::optional<double> still_share(const ArrangementShow& arrangement, std::size_t index) const;

  private:
    ColourMode mode_;
    double frame_ = 0;
    LegendText legend_;
    double low_ = 0, high_ = 0;
    const GivenValues* given_ = nullptr;
    ArrangementId given_to_;
    const TwinsNow* twins_ = nullptr;
};

// "12 frames later", "5 % faster", "90°": a spread's value in words.
QString value_words(Target target, double value);

} // namespace garland
