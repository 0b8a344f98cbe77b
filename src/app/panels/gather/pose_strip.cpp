#include "app/panels/gather/pose_strip.h"

#include "app/theme/number_text.h"
#include "app/theme/tokens.h"

#include <QPainter>

namespace garland {

PoseStrip::PoseStrip(Document& document, PosePictures& pictures, SourceId source)
    : document_(document), pictures_(pictures), source_(source) {
    setFixedHeight(74);
    setMinimumWidth(200);
    setToolTip(tr("The source as stored: a playing preview and seven poses with frame numbers"));
    QObject::connect(&pictures, &PosePictures::ready, this, qOverload<>(&QWidget::update));
    timer_.setInterval(90);
    connect(&timer_, &QTimer::timeout, this, [this] {
        playing_ = (playing_ + 1) % played;
        update(0, 0, width() / (shown + 1) + 2, height());
    });
}

void PoseStrip::paintEvent(QPaintEvent*) {
    const Tokens& t = tokens();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(Qt::NoPen);
    p.setBrush(t.ground);
    p.drawRoundedRect(rect(), 6, 6);
    const double cell = static_cast<double>(width()) / (shown + 1);
    const auto sampler = document_.show()->samplers.find(source_);
    if (sampler == document_.show()->samplers.end()) {
        p.setPen(t.muted);
        p.drawText(rect(), Qt::AlignCenter, QObject::tr("its files are missing"));
        return;
    }
    const double ratio = devicePixelRatioF();
    p.setFont(text_font(7));
    auto draw = [&](int place, QImage image, const QString& words) {
        image.setDevicePixelRatio(ratio);
        if (!image.isNull()) p.drawImage(QPointF(cell * (place + 0.5) - 22, 3), image);
        p.setPen(t.muted);
        p.drawText(QRectF(cell * place, 57, cell, 15), Qt::AlignCenter, words);
    };
    const auto& moving = pictures_.get(source_, played, QSize(44, 54) * ratio);
    if (static_cast<std::size_t>(playing_) < moving.size()) {
        p.setBrush(t.raised);
        p.drawRoundedRect(QRectF(2, 2, cell - 4, height() - 4), 5, 5);
        const double frame = PosePictures::frame_of(sampler->second.clock(), playing_, played).value;
        draw(0, moving[static_cast<std::size_t>(playing_)], tr("▸ %1").arg(number_text(frame, 1)));
    }
    const auto& still = pictures_.get(source_, shown, QSize(44, 54) * ratio);
    for (int i = 0; i < static_cast<int>(still.size()); ++i) {
        const double frame = PosePictures::frame_of(sampler->second.clock(), i, shown).value;
        draw(i + 1, still[static_cast<std::size_t>(i)], number_text(frame, 1));
    }
}

} // namespace garland
