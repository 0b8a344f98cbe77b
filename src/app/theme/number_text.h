// How numbers are written for people in the window.
#pragma once

#include "core/base/numbers.h"

#include <QString>

namespace garland {

// At most `decimals` digits after the point, trailing zeros cut, with a true minus: "12", "0.5", "−3.25".
inline QString number_text(double value, int decimals = 3) {
    return QString::fromStdString(true_minus(short_number(value, decimals)));
}

// Words of core's, which commands write with hyphens, for people: with true minuses.
inline QString words_text(const std::string& words) {
    return QString::fromStdString(true_minus(words));
}

} // namespace garland
