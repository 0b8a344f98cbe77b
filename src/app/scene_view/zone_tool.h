// Zones in the Scene: their shells and the way they go as lines, and handles for their place, edge and size.
#pragma once

#include "app/document/viewing.h"
#include "app/scene_view/orbit.h"

#include <optional>
#include <vector>

namespace garland {

using Polyline = std::vector<V3f>;

// What is dragged along a line through a zone's middle: its outer edge, or a side of its own.
struct ZoneHandle {
    V3d at{0, 0, 0};
    V3d axis{1, 0, 0}; // outward, unit length
    int side = -1;     // of the zone's size: 0 x, 1 y, 2 z; −1: its outer edge
};

// One zone at one output frame, as lines in the scene.
struct ZoneShell {
    ZoneId id{};
    std::vector<Polyline> inner, outer; // where the level is 1, and where it begins
    Polyline way;                       // of its place over its keys; empty: it stands still
    V3d place{0, 0, 0};                 // of the handle that moves it
    std::vector<ZoneHandle> handles;    // the outer edge first; the sides it has
    double size = 1;
};
ZoneShell shell_of(const ZonePlan& zone, double t);
std::vector<ZoneShell> shells_of(const LevelGround& ground, double t);

// Drags handles. Escape puts back what was; a document that changed under the hand ends the drag.
class ZoneTool {
  public:
    ZoneTool(Document& document, Viewing& viewing) : document_(document), viewing_(viewing) {}
    // True when a handle is under the pixel: it is held from now on.
    bool press(QPointF pixel, const Orbit& orbit, QSizeF size);
    void move(QPointF pixel, bool slowly, const Orbit& orbit, QSizeF size);
    void end(bool put_back);
    bool held() const { return held_.has_value(); }
    static constexpr double reach = 9; // pixels around a handle

  private:
    struct Held {
        ZoneId id;
        std::optional<ZoneHandle> handle; // none: its place
        double frame = 0;
        Zone before;
        V3d start{0, 0, 0}; // where the handle was
        double size = 1;
        QPointF last, virtual_at; // the pointer, slowed where Shift is held
    };
    void drag_handle(const Ray& ray);
    void drag_place(const Ray& ray, const Orbit& orbit);
    void change(const std::function<void(Zone&)>& change);
    Document& document_;
    Viewing& viewing_;
    std::optional<Held> held_;
};

// Where a place falls on the picture; none behind the eye.
std::optional<QPointF> on_picture(const V3d& place, const Orbit& orbit, QSizeF size);

} // namespace garland
