// Handles in the Scene for an arrangement that moves as a whole: its place, its turn and its size at the playhead.
#pragma once

#include "app/scene_view/zone_tool.h"

namespace garland {

// Where the handles of an arrangement are at one output frame. What was singled out moves copy by copy about each own
// place: its handle for the place alone stands amid them.
struct PlaceHandles {
    ArrangementId id{};
    V3d place{0, 0, 0};
    std::optional<V3d> turn, size; // on the ground of the place, to its right and toward the viewer
    Polyline way;                  // of the place over its keys; empty: it stands still
};
// Nothing where the arrangement has no key of its place, or no copies.
std::optional<PlaceHandles> place_handles(const Document& document, ArrangementId id, double t);

// Drags them. With one key, that one is changed; with several, one is set at the playhead. Escape puts back what was; a
// document that changed under the hand ends the drag.
class PlaceTool {
  public:
    PlaceTool(Document& document, Viewing& viewing) : document_(document), viewing_(viewing) {}
    // True when a handle is under the pixel: it is held from now on.
    bool press(QPointF pixel, const Orbit& orbit, QSizeF size);
    void move(QPointF pixel, bool slowly, const Orbit& orbit, QSizeF size);
    void end(bool put_back);
    bool held() const { return held_.has_value(); }

  private:
    enum class Part { place, turn, size };
    struct Held {
        ArrangementId id;
        Part part = Part::place;
        double frame = 0;
        std::vector<PlaceKey> before;
        V3d middle{0, 0, 0}, start{0, 0, 0}; // where the place and the handle were
        QPointF last, virtual_at;            // the pointer, slowed where Shift is held
    };
    void change(std::vector<PlaceKey> keys);
    Document& document_;
    Viewing& viewing_;
    std::optional<Held> held_;
};

} // namespace garland
