// Volumes on the Scene: each cell a soft, see-through disc that faces the eye, drawn from far to near over what is
// solid.
#pragma once

#include "app/scene_view/orbit.h"
#include "app/scene_view/scene.h"

#include <QMatrix4x4>
#include <QOpenGLExtraFunctions>
#include <QOpenGLShaderProgram>
#include <vector>

namespace garland {

// One copy of a volume that is to be drawn.
struct PuffCopy {
    const SceneCopy* copy = nullptr;
    const VolumeDots* dots = nullptr;
    V3f colour{1, 1, 1};
    float selected = 0;
};

// A cell as the graphics side takes it.
struct Puff {
    float place[3];
    float radius;
    float colour[4]; // and how much of what is behind it it hides
    float depth;     // along the view: larger is farther
};

// The cells of all copies, the farthest first; every so many of a copy's cells are left out where there would be more
// than `most`, and the others grow.
std::vector<Puff> sorted_puffs(const std::vector<PuffCopy>& copies, const V3d& eye, const V3d& forward, const V3f& rose,
                               std::size_t most);

// How much of what is behind a cell's middle it hides, for its strength (0 … 1 of the densest): light goes down by e
// for every four cells of the densest passed (J. Beer and P. Bouguer's law).
float puff_opacity(float strength);

class PuffPainter : protected QOpenGLExtraFunctions {
  public:
    bool create(); // false: log() says why
    void destroy();
    QString log() const { return program_.log(); }
    // With a vertex array bound; leaves blending off and depth writing on.
    void draw(const std::vector<Puff>& puffs, const QMatrix4x4& matrix, const V3f& right, const V3f& up);

  private:
    QOpenGLShaderProgram program_;
    unsigned buffer_ = 0;
};

} // namespace garland
