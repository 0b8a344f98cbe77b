// The time map, drawn large: keys to drag, the curve before and after its span, poses along the source axis.
#pragma once

#include "app/benches/common/bench.h"
#include "app/benches/retime/map_axes.h"

#include <optional>

namespace garland {

class TimeMapView : public QWidget {
    Q_OBJECT
  public:
    TimeMapView(Document& document, Viewing& viewing, QWidget* parent = nullptr);
    const MapAxes& axes() const { return axes_; }
    int selected() const { return selected_; } // key index, −1: none
    void select(int key);
    void show_all();
    void remove_selected();

  signals:
    void key_selected(int key);
    void readout(const QString& words); // while dragging or hovering; empty: nothing special

  protected:
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    const Timing* timing() const;
    int key_at(QPointF pixel) const;
    void move_selected(OutputFrame at, SourceFrame source, bool merge);
    void place_axes();
    QString words_for(const Key& key) const;

    Document& document_;
    Viewing& viewing_;
    PosePictures pictures_;
    MapAxes axes_;
    TimingId shown_;
    bool own_view_ = false; // zoomed or moved by the user
    int selected_ = -1;
    enum class Drag { none, key, frame, pan } drag_ = Drag::none;
    QPointF last_;
    QPointF grip_; // from the key to the pointer, when the drag began
};

} // namespace garland
