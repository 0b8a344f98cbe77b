#include "app/scene_view/zone_tool.h"

#include <QLineF>
#include <algorithm>
#include <cmath>
#include <numbers>

namespace garland {

namespace {

// From a zone's own space to the scene at one moment.
struct ShellFrame {
    V3d place;
    Axes axes;
    double size;
    V3f scene(const V3d& p) const { return V3f(place + axes.scene(p) * size); }
};

Polyline circle(const ShellFrame& f, const V3d& middle, const V3d& a, const V3d& b) {
    Polyline out;
    for (int k = 0; k <= 48; ++k) {
        const double angle = 2 * std::numbers::pi * k / 48;
        out.push_back(f.scene(middle + a * std::cos(angle) + b * std::sin(angle)));
    }
    return out;
}

// The lines of a shape grown by so much.
std::vector<Polyline> outline(const Zone& z, const ShellFrame& f, double grown) {
    std::vector<Polyline> out;
    const V3d half = z.size / 2;
    switch (z.shape) {
    case ZoneShape::ball: {
        const double r = half.x + grown;
        if (r <= 0) break;
        out = {circle(f, V3d(0), V3d(r, 0, 0), V3d(0, r, 0)), circle(f, V3d(0), V3d(r, 0, 0), V3d(0, 0, r)),
               circle(f, V3d(0), V3d(0, r, 0), V3d(0, 0, r))};
        break;
    }
    case ZoneShape::box: {
        const V3d h = half + V3d(grown);
        if (h.x <= 0 || h.y <= 0 || h.z <= 0) break;
        for (double y : {-h.y, h.y}) {
            out.push_back({f.scene(V3d(-h.x, y, -h.z)), f.scene(V3d(h.x, y, -h.z)), f.scene(V3d(h.x, y, h.z)),
                           f.scene(V3d(-h.x, y, h.z)), f.scene(V3d(-h.x, y, -h.z))});
        }
        for (double x : {-h.x, h.x}) {
            for (double zz : {-h.z, h.z}) out.push_back({f.scene(V3d(x, -h.y, zz)), f.scene(V3d(x, h.y, zz))});
        }
        break;
    }
    case ZoneShape::cylinder: {
        const double r = half.x + grown, h = half.y + grown;
        if (r <= 0 || h <= 0) break;
        for (double y : {-h, h}) out.push_back(circle(f, V3d(0, y, 0), V3d(r, 0, 0), V3d(0, 0, r)));
        for (int k = 0; k < 4; ++k) {
            const double angle = std::numbers::pi * k / 2, c = r * std::cos(angle), s = r * std::sin(angle);
            out.push_back({f.scene(V3d(c, -h, s)), f.scene(V3d(c, h, s))});
        }
        break;
    }
    case ZoneShape::wall: { // a part of the plane: six metres by two
        const double w = 3, h = 1;
        out.push_back({f.scene(V3d(-w, -h, grown)), f.scene(V3d(w, -h, grown)), f.scene(V3d(w, h, grown)),
                       f.scene(V3d(-w, h, grown)), f.scene(V3d(-w, -h, grown))});
        out.push_back({f.scene(V3d(0, 0, grown)), f.scene(V3d(0, 0, grown + 0.5))}); // the side it faces
        break;
    }
    case ZoneShape::tube: {
        const Path path(z.path, z.path_closed, true);
        const double r = half.x + grown;
        if (r <= 0 || path.length() <= 0) break;
        Polyline sides[4];
        for (int k = 0; k <= 32; ++k) {
            const Path::At at = path.at(k / 32.0);
            V3d across = at.direction.cross(V3d(0, 1, 0));
            if (across.length() < 1e-9) across = V3d(1, 0, 0);
            across.normalize();
            const V3d up = across.cross(at.direction).normalized();
            if (k % 8 == 0) out.push_back(circle(f, at.place, across * r, up * r));
            for (int s = 0; s < 4; ++s)
                sides[s].push_back(f.scene(at.place + (s % 2 ? up : across) * (s < 2 ? r : -r)));
        }
        for (Polyline& side : sides) out.push_back(std::move(side));
        break;
    }
    case ZoneShape::mesh: break;
    }
    return out;
}

// The sides whose size a shape has; a ball's, a cylinder's and a tube's first one is its width all round.
std::vector<int> sides_of(ZoneShape shape) {
    switch (shape) {
    case ZoneShape::ball:
    case ZoneShape::tube: return {0};
    case ZoneShape::cylinder: return {0, 1};
    case ZoneShape::box: return {0, 1, 2};
    case ZoneShape::wall:
    case ZoneShape::mesh: break;
    }
    return {};
}

} // namespace

ZoneShell shell_of(const ZonePlan& plan, double t) {
    const Zone& z = plan.zone();
    const ZoneKey key = plan.pose_at(t);
    const ShellFrame f{key.place, turned_axes(key.turn), key.size};
    ZoneShell out;
    out.id = z.id;
    out.place = key.place;
    out.size = key.size;
    out.inner = outline(z, f, z.inner);
    if (z.outer > z.inner) out.outer = outline(z, f, z.outer);
    const bool along_z = z.shape == ZoneShape::wall;
    V3d axis = along_z ? f.axes.z : f.axes.x;
    const double surface = along_z || z.shape == ZoneShape::mesh ? 0 : z.size.x / 2;
    if (z.shape == ZoneShape::tube && z.path.size() > 1) {
        const Path path(z.path, z.path_closed, true);
        const Path::At middle = path.at(0.5);
        out.place = V3d(f.scene(middle.place));
        V3d across = middle.direction.cross(V3d(0, 1, 0));
        if (across.length() < 1e-9) across = V3d(1, 0, 0);
        across.normalize();
        axis = f.axes.scene(across);
    }
    out.handles.push_back({out.place + axis * ((surface + z.outer) * key.size), axis, -1});
    for (const int side : sides_of(z.shape)) {
        const V3d outward = side == 0 ? -axis : side == 1 ? f.axes.y : f.axes.z;
        out.handles.push_back({out.place + outward * (z.size[side] / 2 * key.size), outward, side});
    }
    const auto bends = plan.bends();
    if (bends.size() > 1) {
        for (int k = 0; k <= 96; ++k)
            out.way.push_back(V3f(plan.pose_at(bends.front() + (bends.back() - bends.front()) * k / 96).place));
    }
    return out;
}

std::vector<ZoneShell> shells_of(const LevelGround& ground, double t) {
    std::vector<ZoneShell> out;
    for (const auto& entry : ground.zones) out.push_back(shell_of(*entry.second, t));
    return out;
}

std::optional<QPointF> on_picture(const V3d& place, const Orbit& orbit, QSizeF size) {
    return OnPicture(orbit, size)(place);
}

bool ZoneTool::press(QPointF pixel, const Orbit& orbit, QSizeF size) {
    end(false);
    double nearest = reach;
    for (const ZoneShell& shell : shells_of(document_.show()->levels, viewing_.frame().value)) {
        const Zone* zone = document_.project().zone(shell.id);
        if (!zone) continue;
        auto take = [&](const V3d& place, const std::optional<ZoneHandle>& handle) {
            const auto at = on_picture(place, orbit, size);
            const double away = at ? QLineF(*at, pixel).length() : nearest;
            if (away >= nearest) return;
            nearest = away;
            held_ = Held{shell.id, handle, viewing_.frame().value, *zone, place, shell.size, pixel, pixel};
        };
        take(shell.place, {});
        for (const ZoneHandle& handle : shell.handles) take(handle.at, handle);
    }
    return held();
}

void ZoneTool::change(const std::function<void(Zone&)>& change) {
    const ZoneId id = held_->id;
    document_.edit(
        !held_->handle            ? QObject::tr("Move a zone")
        : held_->handle->side < 0 ? QObject::tr("Set the edge of a zone")
                                  : QObject::tr("Set the size of a zone"),
        [&](Project& p) -> Result<void> {
            if (Zone* z = p.zone(id)) change(*z);
            return {};
        },
        QStringLiteral("zone-handle-%1").arg(id.value));
}

void ZoneTool::move(QPointF pixel, bool slowly, const Orbit& orbit, QSizeF size) {
    if (!held_) return;
    if (!document_.project().zone(held_->id)) return end(false); // it went under the hand
    held_->virtual_at += (pixel - held_->last) * (slowly ? 0.1 : 1);
    held_->last = pixel;
    const Ray ray = orbit.ray(held_->virtual_at, size);
    if (held_->handle)
        drag_handle(ray);
    else
        drag_place(ray, orbit);
}

// To the point of the handle's axis that is nearest to the ray.
void ZoneTool::drag_handle(const Ray& ray) {
    const V3d& axis = held_->handle->axis;
    const double b = ray.along.dot(axis), d = (ray.from - held_->start).dot(ray.along),
                 e = (ray.from - held_->start).dot(axis);
    const double bottom = 1 - b * b;
    if (bottom < 1e-6 || held_->size <= 0) return;
    const double by = (e - b * d) / bottom / held_->size; // in the zone's own measure
    auto in_millimetres = [](double v) { return std::round(v * 1000) / 1000; };
    const int side = held_->handle->side;
    change([&](Zone& z) {
        if (side < 0)
            z.outer = std::max(in_millimetres(held_->before.outer + by), z.inner);
        else // its middle stays where it is
            z.size[side] = std::max(in_millimetres(held_->before.size[side] + 2 * by), 0.001);
    });
}

// Over the ground at its own height; seen from the side, in the picture's plane.
void ZoneTool::drag_place(const Ray& ray, const Orbit& orbit) {
    const V3d towards = (orbit.camera.target - orbit.eye()).normalized();
    const bool flat = std::abs(ray.along.y) > 0.2;
    const V3d normal = flat ? V3d(0, 1, 0) : towards;
    const double far = (held_->start - ray.from).dot(normal) / ray.along.dot(normal);
    if (!std::isfinite(far) || far <= 0 || far > 1e5) return;
    const V3d by = ray.from + ray.along * far - held_->start;
    auto moved = [&](ZoneKey key) {
        for (int k = 0; k < 3; ++k) key.place[k] = std::round((key.place[k] + by[k]) * 1000) / 1000;
        return key;
    };
    change([&](Zone& z) {
        if (held_->before.keys.size() == 1) {
            z.keys = {moved(held_->before.keys.front())};
            return;
        }
        ZoneKey key = ZonePlan(held_->before).pose_at(held_->frame);
        for (const ZoneKey& k : held_->before.keys) {
            if (k.at.value <= held_->frame) key.toward = k.toward;
        }
        z.keys = with_key(held_->before.keys, moved(key));
    });
}

void ZoneTool::end(bool put_back) {
    if (!held_) return;
    if (put_back && document_.project().zone(held_->id)) change([&](Zone& z) { z = held_->before; });
    document_.end_merge();
    held_.reset();
}

} // namespace garland
