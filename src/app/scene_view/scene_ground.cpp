// What the Scene draws below and around the copies: the floor, patterns laid on it, and lines.
#include "app/scene_view/scene_gpu.h"

#include <algorithm>
#include <cmath>

namespace garland {

void SceneGpu::draw_floor(const Orbit& orbit, const QMatrix4x4& matrix, const Tokens& t) {
    static const float corners[] = {-1, 0, -1, 1, 0, -1, -1, 0, 1, 1, 0, 1};
    floor_.bind();
    floor_.setUniformValue("matrix", matrix);
    const V3d& target = orbit.camera.target;
    floor_.setUniformValue("middle", QVector3D(static_cast<float>(target.x), 0, static_cast<float>(target.z)));
    floor_.setUniformValue("reach", static_cast<float>(orbit.camera.distance * 60));
    const V3d e = orbit.eye();
    floor_.setUniformValue("eye", QVector3D(static_cast<float>(e.x), static_cast<float>(e.y), static_cast<float>(e.z)));
    floor_.setUniformValue("floor_colour", colour_vector(t.floor));
    floor_.setUniformValue("line_colour", colour_vector(t.line));
    floor_.setUniformValue("sky", colour_vector(t.sky));
    floor_.setUniformValue("cell",
                           static_cast<float>(std::pow(10.0, std::floor(std::log10(orbit.camera.distance / 4)))));
    floor_.setUniformValue("haze", static_cast<float>(0.22 / orbit.camera.distance));
    glBindBuffer(GL_ARRAY_BUFFER, line_buffer_);
    glBufferData(GL_ARRAY_BUFFER, sizeof corners, corners, GL_STREAM_DRAW);
    glEnableVertexAttribArray(0);
    glVertexAttribPointer(0, 3, GL_FLOAT, GL_FALSE, 12, nullptr);
    glVertexAttribDivisor(0, 0);
    glDisable(GL_DEPTH_TEST);
    glDrawArrays(GL_TRIANGLE_STRIP, 0, 4);
    glEnable(GL_DEPTH_TEST);
}

void SceneGpu::draw_pattern(const GroundPattern& g, const QMatrix4x4& matrix) {
    if (!pattern_texture_) glGenTextures(1, &pattern_texture_);
    glBindTexture(GL_TEXTURE_2D, pattern_texture_);
    if (pattern_shown_ != g.serial) {
        pattern_shown_ = g.serial;
        glTexImage2D(GL_TEXTURE_2D, 0, GL_RGBA, g.side, g.side, 0, GL_RGBA, GL_UNSIGNED_BYTE, g.pixels.data());
        for (GLenum way : {GL_TEXTURE_WRAP_S, GL_TEXTURE_WRAP_T}) glTexParameteri(GL_TEXTURE_2D, way, GL_CLAMP_TO_EDGE);
        for (GLenum filter : {GL_TEXTURE_MIN_FILTER, GL_TEXTURE_MAG_FILTER})
            glTexParameteri(GL_TEXTURE_2D, filter, GL_LINEAR);
    }
    const float corners[] = {g.low_x, 0, g.low_z,  0, 0, g.high_x, 0, g.low_z,  1, 0,
                             g.low_x, 0, g.high_z, 0, 1, g.high_x, 0, g.high_z, 1, 1};
    glEnable(GL_BLEND);
    glBlendFunc(GL_SRC_ALPHA, GL_ONE_MINUS_SRC_ALPHA);
    draw_textured(corners, matrix);
    glDisable(GL_BLEND);
}

// The bound texture on a rectangle of four corners (x, y, z, across, down), in front of everything drawn before.
void SceneGpu::draw_textured(const float (&corners)[20], const QMatrix4x4& matrix) {
    pattern_.bind();
    pattern_.setUniformValue("matrix", matrix);
    pattern_.setUniformValue("pattern", 0);
    glBindBuffer(GL_ARRAY_BUFFER, line_buffer_);
    glBufferData(GL_ARRAY_BUFFER, sizeof corners, corners, GL_STREAM_DRAW);
    for (unsigned i : {0u, 1u}) {
        glEnableVertexAttribArray(i);
        glVertexAttribDivisor(i, 0);
    }
    glVertexAttribPointer(0, 3, GL_FLOAT, GL_FALSE, 20, nullptr);
    glVertexAttribPointer(1, 2, GL_FLOAT, GL_FALSE, 20, reinterpret_cast<const void*>(12));
    glDisable(GL_DEPTH_TEST);
    glDrawArrays(GL_TRIANGLE_STRIP, 0, 4);
    glEnable(GL_DEPTH_TEST);
    glDisableVertexAttribArray(1);
}

void SceneGpu::draw_lines(const SceneMarks& marks, const QMatrix4x4& matrix, const Tokens& t, double ratio) {
    float widths[2] = {1, 1};
    glGetFloatv(GL_ALIASED_LINE_WIDTH_RANGE, widths);
    glLineWidth(std::clamp(static_cast<float>(ratio), widths[0], widths[1]));
    lines_.bind();
    lines_.setUniformValue("matrix", matrix);
    lines_.setUniformValue("paint", colour_vector(t.dark ? t.muted.darker(170) : t.muted));
    glEnableVertexAttribArray(0);
    glVertexAttribDivisor(0, 0);
    glBindBuffer(GL_ARRAY_BUFFER, line_buffer_);
    glVertexAttribPointer(0, 3, GL_FLOAT, GL_FALSE, 12, nullptr);
    auto strip = [&](const std::vector<V3f>& line, GLenum how) {
        glBufferData(GL_ARRAY_BUFFER, static_cast<GLsizeiptr>(line.size() * sizeof(V3f)), line.data(), GL_STREAM_DRAW);
        glDrawArrays(how, 0, static_cast<GLsizei>(line.size()));
    };
    for (const auto& cord : *marks.cords) strip(cord, GL_LINE_STRIP);
    lines_.setUniformValue("paint", colour_vector(t.rose));
    for (const auto& line : marks.zones.inner) strip(line, GL_LINE_STRIP);
    lines_.setUniformValue("paint", colour_vector(t.dark ? t.rose.darker(190) : t.rose.lighter(150)));
    for (const auto& line : marks.zones.outer) strip(line, GL_LINE_STRIP);
    lines_.setUniformValue("paint", colour_vector(t.muted));
    for (const auto& line : marks.zones.ways) strip(line, GL_LINE_STRIP);
    if (!marks.zones.handles.empty()) {
        lines_.setUniformValue("paint", colour_vector(t.text));
        glDisable(GL_PROGRAM_POINT_SIZE);
        glDisable(GL_DEPTH_TEST);
        glPointSize(static_cast<float>(8 * ratio));
        strip(marks.zones.handles, GL_POINTS);
        glEnable(GL_DEPTH_TEST);
    }
    if (marks.path.empty()) return;
    lines_.setUniformValue("paint", colour_vector(t.accent));
    glDisable(GL_PROGRAM_POINT_SIZE);
    glDisable(GL_DEPTH_TEST);
    strip(marks.path, GL_LINE_STRIP);
    glPointSize(static_cast<float>(9 * ratio));
    strip(marks.path, GL_POINTS);
    glEnable(GL_DEPTH_TEST);
}

} // namespace garland
