#include "app/scene_view/place_tool.h"

#include <QLineF>
#include <algorithm>
#include <cmath>
#include <numbers>

namespace garland {

namespace {

double rounded(double v, double to) {
    return std::round(v / to) * to;
}

// Where a ray meets the plane through a place; none behind the eye or along the plane.
std::optional<V3d> meets(const Ray& ray, const V3d& place, const V3d& normal) {
    const double far = (place - ray.from).dot(normal) / ray.along.dot(normal);
    if (!std::isfinite(far) || far <= 0 || far > 1e5) return {};
    return ray.from + ray.along * far;
}

} // namespace

std::optional<PlaceHandles> place_handles(const Document& document, ArrangementId id, double t) {
    const Arrangement* a = document.project().arrangement(id);
    if (!a || a->place_keys.empty()) return {};
    const auto& all = document.show()->arrangements;
    const auto shown = std::find_if(all.begin(), all.end(), [&](const ArrangementShow& s) { return s.id == id; });
    if (shown == all.end() || shown->places.empty()) return {};
    const PlaceCurve curve(a->place_keys);
    V3d middle = a->layout.origin;
    if (a->single_out) {
        middle = V3d(0);
        for (const Placement& p : shown->places.list())
            middle += p.position / static_cast<double>(shown->places.size());
    }
    PlaceHandles out;
    out.id = id;
    const PlaceKey key = curve.at(t);
    out.place = middle + key.place;
    if (!a->single_out) {
        double far = 1; // as far out as the copies stand, so that all handles are seen together
        for (const Placement& p : shown->places.list()) far = std::max(far, (p.position - middle).length());
        const Axes axes = turned_axes(V3d(0, key.turn.y, 0));
        out.turn = out.place + axes.x * (far * 0.5);
        out.size = out.place + axes.z * (far * 0.5 * std::max(key.size, 0.05));
    }
    const double first = a->place_keys.front().at.value, last = a->place_keys.back().at.value;
    if (last > first) {
        for (int k = 0; k <= 96; ++k) out.way.push_back(V3f(middle + curve.at(first + (last - first) * k / 96).place));
    }
    return out;
}

bool PlaceTool::press(QPointF pixel, const Orbit& orbit, QSizeF size) {
    end(false);
    const double t = viewing_.frame().value;
    const auto handles = place_handles(document_, viewing_.arrangement(), t);
    if (!handles) return false;
    double nearest = ZoneTool::reach;
    auto take = [&](const V3d& at_place, Part part) {
        const auto at = on_picture(at_place, orbit, size);
        const double away = at ? QLineF(*at, pixel).length() : nearest;
        if (away >= nearest) return;
        nearest = away;
        const auto& keys = document_.project().arrangement(handles->id)->place_keys;
        held_ = Held{handles->id, part, t, keys, handles->place, at_place, pixel, pixel};
    };
    take(handles->place, Part::place);
    if (handles->turn) take(*handles->turn, Part::turn);
    if (handles->size) take(*handles->size, Part::size);
    return held();
}

void PlaceTool::change(std::vector<PlaceKey> keys) {
    const ArrangementId id = held_->id;
    document_.edit(
        held_->part == Part::place  ? QObject::tr("Move the arrangement")
        : held_->part == Part::turn ? QObject::tr("Turn the arrangement")
                                    : QObject::tr("Scale the arrangement"),
        [&](Project& p) -> Result<void> {
            if (Arrangement* a = p.arrangement(id)) a->place_keys = std::move(keys);
            return {};
        },
        QStringLiteral("place-handle-%1").arg(id.value));
}

void PlaceTool::move(QPointF pixel, bool slowly, const Orbit& orbit, QSizeF size) {
    if (!held_) return;
    const Arrangement* a = document_.project().arrangement(held_->id);
    if (!a || a->place_keys.empty()) return end(false); // it went under the hand
    held_->virtual_at += (pixel - held_->last) * (slowly ? 0.1 : 1);
    held_->last = pixel;
    const Ray ray = orbit.ray(held_->virtual_at, size);
    // Over the ground at its own height; a place seen from the side, in the picture's plane.
    const bool flat = std::abs(ray.along.y) > 0.2 || held_->part != Part::place;
    const V3d normal = flat ? V3d(0, 1, 0) : (orbit.camera.target - orbit.eye()).normalized();
    const auto at = meets(ray, held_->start, normal);
    if (!at) return;
    const std::vector<PlaceKey>& before = held_->before;
    const bool single = before.size() == 1;
    PlaceKey key = single ? before.front() : key_at(before, held_->frame);
    const V3d was = held_->start - held_->middle, is = *at - held_->middle;
    const double far_was = std::hypot(was.x, was.z), far_is = std::hypot(is.x, is.z);
    switch (held_->part) {
    case Part::place:
        for (int k = 0; k < 3; ++k) key.place[k] = rounded(key.place[k] + (*at - held_->start)[k], 0.001);
        break;
    case Part::turn: {
        if (far_was < 1e-9 || far_is < 1e-9) return;
        const double by = (std::atan2(was.z, was.x) - std::atan2(is.z, is.x)) * 180 / std::numbers::pi;
        key.turn.y = rounded(key.turn.y + std::remainder(by, 360), 0.1);
        break;
    }
    case Part::size:
        if (far_was < 1e-9) return;
        key.size = std::clamp(rounded(key.size * far_is / far_was, 0.001), 0.001, 1e5);
        break;
    }
    change(single ? std::vector<PlaceKey>{key} : with_key(before, key));
}

void PlaceTool::end(bool put_back) {
    if (!held_) return;
    if (put_back && document_.project().arrangement(held_->id)) change(held_->before);
    document_.end_merge();
    held_.reset();
}

} // namespace garland
