#include "app/scene_view/scene_drawing.h"

#include <QPainterPath>
#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>

namespace garland {

namespace {

// What is drawn of one copy: its points in the scene and on the picture.
struct CopyPoints {
    std::vector<V3d> places;
    std::vector<std::optional<QPointF>> pixels;

    CopyPoints(const SceneCopy& copy, const DrawPose& pose, const OnPicture& on_picture) {
        auto add = [&](const float* p) {
            const V3f own(p[0] * copy.size.x, p[1] * copy.size.y, p[2] * copy.size.z);
            places.emplace_back(V3d(copy.position + copy.to_scene(own)));
            pixels.push_back(on_picture(places.back()));
        };
        for (const DrawVertex& v : pose.vertices) add(v.place);
    }
    bool seen(std::uint32_t a, std::uint32_t b, std::uint32_t c) const { return pixels[a] && pixels[b] && pixels[c]; }
    V3d normal(std::uint32_t a, std::uint32_t b, std::uint32_t c) const {
        return (places[b] - places[a]).cross(places[c] - places[a]);
    }
};

// The level that all meshes are drawn at, so that they fit a drawing together; nothing where none does.
std::optional<std::size_t> level_that_fits(const Scene& scene) {
    for (std::size_t level = 0; level < 32; ++level) {
        std::size_t all = 0, lighter = 0;
        for (const SceneCopy& c : scene.copies) {
            const DrawPose& pose = *scene.poses[c.pose];
            if (!pose.faces || pose.faces->levels.empty() || !pose.dots.empty()) continue;
            all += pose.faces->levels[std::min(level, pose.faces->levels.size() - 1)].count / 3;
            lighter += level + 1 < pose.faces->levels.size();
        }
        if (all <= drawing_limit) return level;
        if (lighter == 0) break;
    }
    return {};
}

std::span<const std::uint32_t> triangles_of(const DrawPose& pose, std::size_t level) {
    if (!pose.faces || pose.faces->levels.empty()) return {};
    const auto& l = pose.faces->levels[std::min(level, pose.faces->levels.size() - 1)];
    return std::span(pose.faces->indices).subspan(l.first, l.count);
}

struct Shape { // a face or a particle, to be drawn by its distance
    double far = 0;
    QPolygonF face;
    QPointF middle;
    double radius = 0;
    QColor colour;
};

QColor shaded(const QColor& colour, double light) {
    auto part = [&](int v) { return static_cast<int>(std::clamp(v * light, 0.0, 255.0)); };
    return QColor(part(colour.red()), part(colour.green()), part(colour.blue()), colour.alpha());
}

// Edges between a face that looks to the eye and one that does not, or with one face only.
void draw_outlines(QPainter& painter, const Scene& scene, const Orbit& orbit, QSizeF size, std::size_t level) {
    const V3d eye = orbit.eye();
    const OnPicture on_picture(orbit, size);
    QPainterPath lines;
    for (const SceneCopy& copy : scene.copies) {
        const DrawPose& pose = *scene.poses[copy.pose];
        const auto indices = triangles_of(pose, level);
        if (!pose.dots.empty() || indices.empty()) continue;
        const CopyPoints points(copy, pose, on_picture);
        std::map<std::pair<std::uint32_t, std::uint32_t>, std::pair<int, int>> sides; // toward, away
        for (std::size_t t = 0; t + 2 < indices.size(); t += 3) {
            const std::uint32_t corner[3] = {indices[t], indices[t + 1], indices[t + 2]};
            const bool toward = points.normal(corner[0], corner[1], corner[2]).dot(eye - points.places[corner[0]]) > 0;
            for (int k = 0; k < 3; ++k) {
                auto& side = sides[std::minmax(corner[k], corner[(k + 1) % 3])];
                ++(toward ? side.first : side.second);
            }
        }
        for (const auto& [edge, side] : sides) {
            const bool outline = side.first + side.second == 1 || (side.first > 0 && side.second > 0);
            const auto &a = points.pixels[edge.first], &b = points.pixels[edge.second];
            if (!outline || !a || !b) continue;
            lines.moveTo(*a);
            lines.lineTo(*b);
        }
    }
    painter.drawPath(lines);
}

} // namespace

SceneDrawing draw_scene(QPainter& painter, const Scene& scene, const Orbit& orbit, QSizeF size,
                        const std::function<QColor(const SceneCopy&)>& colour, const QColor& outline) {
    SceneDrawing done;
    const auto fitting = level_that_fits(scene), second = scene.second ? level_that_fits(*scene.second) : 0;
    done.fits = fitting && second;
    if (!done.fits) return done;
    const std::size_t level = *fitting;
    const OnPicture on_picture(orbit, size);
    const V3d eye = orbit.eye(), light = V3d(0.35, 0.85, 0.4).normalized();
    std::size_t particles = 0;
    for (const SceneCopy& c : scene.copies) particles += scene.poses[c.pose]->dots.size();
    const double share =
        particles <= drawing_limit ? 1 : static_cast<double>(drawing_limit) / static_cast<double>(particles);
    std::vector<Shape> shapes;
    for (const SceneCopy& copy : scene.copies) {
        const DrawPose& pose = *scene.poses[copy.pose];
        const QColor own = colour(copy);
        if (!pose.dots.empty()) { // any beginning of them is spread evenly
            const auto shown = static_cast<std::size_t>(std::ceil(static_cast<double>(pose.dots.size()) * share));
            done.left_out += pose.dots.size() - shown;
            for (const DrawDot& dot : std::span(pose.dots).first(shown)) {
                const V3f at(dot.place[0] * copy.size.x, dot.place[1] * copy.size.y, dot.place[2] * copy.size.z);
                const V3d place(copy.position + copy.to_scene(at));
                const auto pixel = on_picture(place);
                if (!pixel) continue;
                const double far = (place - eye).length();
                shapes.push_back(
                    {far, {}, *pixel, static_cast<double>(dot.radius) * orbit.pixels_per_unit(far, size), own});
            }
            continue;
        }
        const CopyPoints points(copy, pose, on_picture);
        const auto indices = triangles_of(pose, level);
        done.of += triangles_of(pose, 0).size() / 3;
        for (std::size_t t = 0; t + 2 < indices.size(); t += 3) {
            const std::uint32_t a = indices[t], b = indices[t + 1], c = indices[t + 2];
            if (!points.seen(a, b, c)) continue;
            const V3d middle = (points.places[a] + points.places[b] + points.places[c]) / 3;
            V3d normal = points.normal(a, b, c).normalized();
            if (normal.dot(eye - middle) < 0) normal = -normal; // both sides are seen
            shapes.push_back({(middle - eye).length(),
                              QPolygonF({*points.pixels[a], *points.pixels[b], *points.pixels[c]}),
                              {},
                              0,
                              shaded(own, 0.55 + 0.45 * std::max(0.0, normal.dot(light)))});
            ++done.faces;
        }
    }
    std::sort(shapes.begin(), shapes.end(), [](const Shape& a, const Shape& b) { return a.far > b.far; });
    for (const Shape& s : shapes) {
        painter.setBrush(s.colour);
        // A hair of the face's own colour, so that no seams shine through between neighbours.
        painter.setPen(s.face.isEmpty() ? QPen(Qt::NoPen) : QPen(s.colour, 0.5));
        if (s.face.isEmpty())
            painter.drawEllipse(s.middle, std::max(s.radius, 0.3), std::max(s.radius, 0.3));
        else
            painter.drawPolygon(s.face);
    }
    if (!scene.second) return done;
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(outline, 1));
    draw_outlines(painter, *scene.second, orbit, size, *second);
    return done;
}

} // namespace garland
