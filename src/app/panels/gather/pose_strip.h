// Eight poses of a source in a row, with their frame numbers; the first place plays.
#pragma once

#include "app/panels/common/panel.h"

#include <QTimer>

namespace garland {

class PoseStrip : public QWidget {
    Q_OBJECT
  public:
    PoseStrip(Document& document, PosePictures& pictures, SourceId source);
    int playing_pose() const { return playing_; } // of `played`
    static constexpr int shown = 7, played = 24;

  protected:
    void paintEvent(QPaintEvent*) override;
    void showEvent(QShowEvent*) override { timer_.start(); }
    void hideEvent(QHideEvent*) override { timer_.stop(); }

  private:
    Document& document_;
    PosePictures& pictures_;
    SourceId source_;
    QTimer timer_;
    int playing_ = 0;
};

} // namespace garland
