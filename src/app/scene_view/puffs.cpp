#include "app/scene_view/puffs.h"

#include <algorithm>
#include <cmath>

namespace garland {

namespace {

const char* puff_vertex = R"(#version 330 core
layout(location=0) in vec2 corner;
layout(location=1) in vec3 middle;
layout(location=2) in float radius;
layout(location=3) in vec4 paint;
uniform mat4 matrix; uniform vec3 right; uniform vec3 up;
out vec2 v_corner; out vec4 v_paint;
void main() {
    v_corner = corner;
    v_paint = paint;
    gl_Position = matrix * vec4(middle + (right * corner.x + up * corner.y) * radius, 1.0);
})";
const char* puff_fragment = R"(#version 330 core
in vec2 v_corner; in vec4 v_paint;
out vec4 colour;
void main() {
    float r = dot(v_corner, v_corner);
    if (r >= 1.0) discard;
    float soft = (1.0 - r) * (1.0 - r);
    colour = vec4(v_paint.rgb * (0.86 + 0.14 * v_corner.y), v_paint.a * soft);
})";

} // namespace

float puff_opacity(float strength) {
    return 1 - std::exp(-strength / 4);
}

std::vector<Puff> sorted_puffs(const std::vector<PuffCopy>& copies, const V3d& eye, const V3d& forward, const V3f& rose,
                               std::size_t most) {
    std::size_t all = 0;
    for (const PuffCopy& c : copies) all += c.dots->places.size();
    const std::size_t step = std::max<std::size_t>(1, (all + most - 1) / std::max<std::size_t>(most, 1));
    const float wider = std::cbrt(static_cast<float>(step));
    std::vector<Puff> out;
    out.reserve(all / step + copies.size());
    for (const PuffCopy& c : copies) {
        const SceneCopy& copy = *c.copy;
        const float size = std::max({copy.size.x, copy.size.y, copy.size.z});
        for (std::size_t i = 0; i < c.dots->places.size(); i += step) {
            const V3f p = c.dots->places[i] * copy.size;
            const V3f at = copy.to_scene(p) + copy.position;
            const V3f colour = c.colour * (1 - 0.6f * c.selected) + rose * (0.6f * c.selected);
            out.push_back({{at.x, at.y, at.z},
                           c.dots->cell * size * wider * 1.3f,
                           {colour.x, colour.y, colour.z, puff_opacity(c.dots->strength[i])},
                           static_cast<float>((V3d(at) - eye) ^ forward)});
        }
    }
    std::sort(out.begin(), out.end(), [](const Puff& a, const Puff& b) { return a.depth > b.depth; });
    return out;
}

bool PuffPainter::create() {
    initializeOpenGLFunctions();
    if (!program_.addShaderFromSourceCode(QOpenGLShader::Vertex, puff_vertex) ||
        !program_.addShaderFromSourceCode(QOpenGLShader::Fragment, puff_fragment) || !program_.link()) {
        return false;
    }
    glGenBuffers(1, &buffer_);
    return true;
}

void PuffPainter::destroy() {
    if (buffer_) glDeleteBuffers(1, &buffer_);
    buffer_ = 0;
    program_.removeAllShaders();
}

void PuffPainter::draw(const std::vector<Puff>& puffs, const QMatrix4x4& matrix, const V3f& right, const V3f& up) {
    if (puffs.empty()) return;
    static const float corners[] = {-1, -1, 1, -1, -1, 1, 1, 1};
    program_.bind();
    program_.setUniformValue("matrix", matrix);
    program_.setUniformValue("right", QVector3D(right.x, right.y, right.z));
    program_.setUniformValue("up", QVector3D(up.x, up.y, up.z));
    glBindBuffer(GL_ARRAY_BUFFER, buffer_);
    const auto bytes = static_cast<GLsizeiptr>(puffs.size() * sizeof(Puff));
    glBufferData(GL_ARRAY_BUFFER, static_cast<GLsizeiptr>(sizeof corners) + bytes, nullptr, GL_STREAM_DRAW);
    glBufferSubData(GL_ARRAY_BUFFER, 0, sizeof corners, corners);
    glBufferSubData(GL_ARRAY_BUFFER, sizeof corners, bytes, puffs.data());
    auto attribute = [&](unsigned place, int width, int stride, std::size_t at, unsigned divisor) {
        glEnableVertexAttribArray(place);
        glVertexAttribPointer(place, width, GL_FLOAT, GL_FALSE, stride, reinterpret_cast<const void*>(at));
        glVertexAttribDivisor(place, divisor);
    };
    attribute(0, 2, 8, 0, 0);
    attribute(1, 3, sizeof(Puff), sizeof corners + offsetof(Puff, place), 1);
    attribute(2, 1, sizeof(Puff), sizeof corners + offsetof(Puff, radius), 1);
    attribute(3, 4, sizeof(Puff), sizeof corners + offsetof(Puff, colour), 1);
    glEnable(GL_BLEND);
    glBlendFunc(GL_SRC_ALPHA, GL_ONE_MINUS_SRC_ALPHA);
    glDepthMask(GL_FALSE);
    glDrawArraysInstanced(GL_TRIANGLE_STRIP, 0, 4, static_cast<GLsizei>(puffs.size()));
    glDepthMask(GL_TRUE);
    glDisable(GL_BLEND);
    for (unsigned i : {1u, 2u, 3u}) {
        glVertexAttribDivisor(i, 0);
        glDisableVertexAttribArray(i);
    }
}

} // namespace garland
