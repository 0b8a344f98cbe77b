// The Scene as a drawing of shaded faces and lines, for notes; it needs no graphics.
#pragma once

#include "app/scene_view/orbit.h"
#include "app/scene_view/scene.h"

#include <QColor>
#include <QPainter>
#include <functional>

namespace garland {

struct SceneDrawing {
    std::size_t faces = 0, of = 0; // triangles drawn, and those of the full meshes
    std::size_t left_out = 0;      // particles
    bool fits = true;              // otherwise nothing was drawn: even the lightest meshes are above the limit
};

// Triangles and particles a drawing holds; above it lighter meshes are drawn, and particles are thinned evenly.
inline constexpr std::size_t drawing_limit = 60'000;

// All copies by their full colours, shaded, the far ones first; over them the outlines of the second pose, where there
// is one. size: pixels of the picture.
SceneDrawing draw_scene(QPainter& painter, const Scene& scene, const Orbit& orbit, QSizeF size,
                        const std::function<QColor(const SceneCopy&)>& colour, const QColor& outline);

} // namespace garland
