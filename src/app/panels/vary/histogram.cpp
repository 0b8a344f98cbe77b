#include "app/panels/vary/histogram.h"

#include "app/theme/ramp.h"
#include "app/theme/tokens.h"

#include <QPainter>
#include <algorithm>

namespace garland {

Histogram::Histogram(QWidget* parent) : QWidget(parent) {
    setFixedHeight(56);
    setMinimumWidth(120);
    setAccessibleName(tr("How many copies get which value"));
    setToolTip(tr("How many copies get which value, in the colours of the pattern"));
}

void Histogram::set_values(const std::vector<double>& values, const QString& low, const QString& high) {
    low_ = low;
    high_ = high;
    bins_.clear();
    update();
    if (values.empty()) return;
    constexpr int count = 40;
    bins_.assign(count, 0);
    const auto [least, most] = std::minmax_element(values.begin(), values.end());
    for (double v : values) {
        const double x = *most > *least ? (v - *least) / (*most - *least) : 0.5;
        ++bins_[static_cast<std::size_t>(std::min(count - 1, static_cast<int>(x * count)))];
    }
}

void Histogram::paintEvent(QPaintEvent*) {
    const Tokens& t = tokens();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(Qt::NoPen);
    p.setBrush(t.ground);
    p.drawRoundedRect(rect(), 4, 4);
    if (bins_.empty()) return;
    const int most = *std::max_element(bins_.begin(), bins_.end());
    const double wide = (width() - 12.0) / static_cast<double>(bins_.size());
    const Ramp& ramp = Ramp::get(RampKind::sequential);
    for (std::size_t b = 0; b < bins_.size(); ++b) {
        if (bins_[b] == 0) continue;
        const double h = std::max(2.0, 32.0 * bins_[b] / std::max(most, 1));
        p.setBrush(QColor(ramp.at((static_cast<double>(b) + 0.5) / static_cast<double>(bins_.size()))));
        p.drawRect(QRectF(6 + static_cast<double>(b) * wide, 38 - h, std::max(wide - 1, 1.0), h));
    }
    p.setPen(t.muted);
    p.setFont(text_font(7));
    p.drawText(QRectF(6, 40, width() - 12, 13), Qt::AlignLeft, low_);
    if (high_ != low_) p.drawText(QRectF(6, 40, width() - 12, 13), Qt::AlignRight, high_);
}

} // namespace garland
