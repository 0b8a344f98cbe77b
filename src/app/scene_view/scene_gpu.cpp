#include "app/scene_view/scene_gpu.h"
#include "app/scene_view/scene_shaders.h"

#include <QOpenGLContext>
#include <algorithm>
#include <cmath>

namespace garland {

namespace {

constexpr std::int64_t solid_faces = 20, few_faces = 8;
constexpr std::size_t very_many = 3000;

// What a picture may cost where a processor draws it.
constexpr std::int64_t hurried_triangles = 400'000, hurried_dots = 200'000, mirrored_triangles = 25'000;

constexpr std::size_t graphics_limit = std::size_t(512) << 20; // bytes of poses kept on the graphics side

QVector3D rgb(const QColor& c) {
    return {c.redF(), c.greenF(), c.blueF()};
}
const void* offset(std::size_t bytes) {
    return reinterpret_cast<const void*>(bytes);
}

} // namespace

bool SceneGpu::create() {
    initializeOpenGLFunctions();
    const auto version = QOpenGLContext::currentContext()->format().version();
    if (version < qMakePair(3, 3)) {
        why_ = QObject::tr("OpenGL %1.%2 is too old; 3.3 is needed").arg(version.first).arg(version.second);
        return false;
    }
    auto build = [&](QOpenGLShaderProgram& program, const char* vertex, const char* fragment) {
        return program.addShaderFromSourceCode(QOpenGLShader::Vertex, vertex) &&
               program.addShaderFromSourceCode(QOpenGLShader::Fragment, fragment) && program.link();
    };
    for (auto [program, vertex, fragment] :
         {std::tuple{&copies_, copies_vertex, copies_fragment}, std::tuple{&floor_, floor_vertex, floor_fragment},
          std::tuple{&dots_program_, dots_vertex, dots_fragment}, std::tuple{&lines_, lines_vertex, lines_fragment},
          std::tuple{&pattern_, pattern_vertex, pattern_fragment}}) {
        if (build(*program, vertex, fragment)) continue;
        why_ = QObject::tr("the graphics driver refused a shader: %1").arg(program->log());
        return false;
    }
    if (!puffs_.create()) {
        why_ = QObject::tr("the graphics driver refused a shader: %1").arg(puffs_.log());
        return false;
    }
    vao_.create();
    glGenBuffers(1, &instance_buffer_);
    glGenBuffers(1, &line_buffer_);
    glGenBuffers(1, &solid_buffer_);
    const Solid solid;
    glBindBuffer(GL_ARRAY_BUFFER, solid_buffer_);
    glBufferData(GL_ARRAY_BUFFER, sizeof solid, &solid, GL_STATIC_DRAW);
    const auto* name = reinterpret_cast<const char*>(glGetString(GL_RENDERER));
    const QString renderer = QString::fromLatin1(name ? name : "").toLower();
    by_processor_ = renderer.contains("llvmpipe") || renderer.contains("softpipe") || renderer.contains("swrast") ||
                    renderer.contains("software");
    return true;
}

void SceneGpu::destroy() {
    refine_drop();
    refine_.reset();
    refined_picture_.reset();
    for (auto& [serial, buffer] : pose_buffers_) glDeleteBuffers(1, &buffer.id);
    for (auto& [faces, buffer] : face_buffers_) glDeleteBuffers(1, &buffer.id);
    pose_buffers_.clear();
    face_buffers_.clear();
    recent_.clear();
    pose_bytes_ = 0;
    if (instance_buffer_) glDeleteBuffers(1, &instance_buffer_);
    if (line_buffer_) glDeleteBuffers(1, &line_buffer_);
    if (solid_buffer_) glDeleteBuffers(1, &solid_buffer_);
    solid_buffer_ = 0;
    if (pattern_texture_) glDeleteTextures(1, &pattern_texture_);
    pattern_texture_ = 0;
    instance_buffer_ = line_buffer_ = 0;
    puffs_.destroy();
    vao_.destroy();
    copies_.removeAllShaders();
    dots_program_.removeAllShaders();
    floor_.removeAllShaders();
    lines_.removeAllShaders();
    pattern_.removeAllShaders();
}

unsigned SceneGpu::pose_buffer(const DrawPose& pose) {
    auto found = pose_buffers_.find(pose.serial);
    if (found != pose_buffers_.end()) {
        recent_.splice(recent_.begin(), recent_, found->second.place);
        return found->second.id;
    }
    const bool dots = !pose.dots.empty();
    const std::size_t bytes = dots ? pose.dots.size() * sizeof(DrawDot) : pose.vertices.size() * sizeof(DrawVertex);
    PoseBuffer buffer;
    buffer.bytes = bytes;
    glGenBuffers(1, &buffer.id);
    glBindBuffer(GL_ARRAY_BUFFER, buffer.id);
    glBufferData(GL_ARRAY_BUFFER, static_cast<GLsizeiptr>(bytes),
                 dots ? static_cast<const void*>(pose.dots.data()) : pose.vertices.data(), GL_STATIC_DRAW);
    recent_.push_front(pose.serial);
    buffer.place = recent_.begin();
    pose_buffers_[pose.serial] = buffer;
    pose_bytes_ += bytes;
    while (pose_bytes_ > graphics_limit && recent_.size() > 1) {
        auto oldest = pose_buffers_.find(recent_.back());
        pose_bytes_ -= oldest->second.bytes;
        glDeleteBuffers(1, &oldest->second.id);
        pose_buffers_.erase(oldest);
        recent_.pop_back();
    }
    return buffer.id;
}

unsigned SceneGpu::face_buffer(const std::shared_ptr<const DrawFaces>& faces) {
    FaceBuffer& buffer = face_buffers_[faces.get()];
    if (buffer.id && buffer.faces.lock() == faces) return buffer.id;
    if (!buffer.id) glGenBuffers(1, &buffer.id);
    buffer.faces = faces;
    glBindBuffer(GL_ELEMENT_ARRAY_BUFFER, buffer.id);
    glBufferData(GL_ELEMENT_ARRAY_BUFFER, static_cast<GLsizeiptr>(faces->indices.size() * sizeof(std::uint32_t)),
                 faces->indices.data(), GL_STATIC_DRAW);
    return buffer.id;
}

void SceneGpu::draw_floor(const Orbit& orbit, const QMatrix4x4& matrix, const Tokens& t) {
    static const float corners[] = {-1, 0, -1, 1, 0, -1, -1, 0, 1, 1, 0, 1};
    floor_.bind();
    floor_.setUniformValue("matrix", matrix);
    const V3d& target = orbit.camera.target;
    floor_.setUniformValue("middle", QVector3D(static_cast<float>(target.x), 0, static_cast<float>(target.z)));
    floor_.setUniformValue("reach", static_cast<float>(orbit.camera.distance * 60));
    const V3d e = orbit.eye();
    floor_.setUniformValue("eye", QVector3D(static_cast<float>(e.x), static_cast<float>(e.y), static_cast<float>(e.z)));
    floor_.setUniformValue("floor_colour", rgb(t.floor));
    floor_.setUniformValue("line_colour", rgb(t.line));
    floor_.setUniformValue("sky", rgb(t.sky));
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
    glVertexAttribPointer(1, 2, GL_FLOAT, GL_FALSE, 20, offset(12));
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
    lines_.setUniformValue("paint", rgb(t.dark ? t.muted.darker(170) : t.muted));
    glEnableVertexAttribArray(0);
    glVertexAttribDivisor(0, 0);
    glBindBuffer(GL_ARRAY_BUFFER, line_buffer_);
    glVertexAttribPointer(0, 3, GL_FLOAT, GL_FALSE, 12, nullptr);
    auto strip = [&](const std::vector<V3f>& line, GLenum how) {
        glBufferData(GL_ARRAY_BUFFER, static_cast<GLsizeiptr>(line.size() * sizeof(V3f)), line.data(), GL_STREAM_DRAW);
        glDrawArrays(how, 0, static_cast<GLsizei>(line.size()));
    };
    for (const auto& cord : *marks.cords) strip(cord, GL_LINE_STRIP);
    lines_.setUniformValue("paint", rgb(t.rose));
    for (const auto& line : marks.zones.inner) strip(line, GL_LINE_STRIP);
    lines_.setUniformValue("paint", rgb(t.dark ? t.rose.darker(190) : t.rose.lighter(150)));
    for (const auto& line : marks.zones.outer) strip(line, GL_LINE_STRIP);
    lines_.setUniformValue("paint", rgb(t.muted));
    for (const auto& line : marks.zones.ways) strip(line, GL_LINE_STRIP);
    if (!marks.zones.handles.empty()) {
        lines_.setUniformValue("paint", rgb(t.text));
        glDisable(GL_PROGRAM_POINT_SIZE);
        glDisable(GL_DEPTH_TEST);
        glPointSize(static_cast<float>(8 * ratio));
        strip(marks.zones.handles, GL_POINTS);
        glEnable(GL_DEPTH_TEST);
    }
    if (marks.path.empty()) return;
    lines_.setUniformValue("paint", rgb(t.accent));
    glDisable(GL_PROGRAM_POINT_SIZE);
    glDisable(GL_DEPTH_TEST);
    strip(marks.path, GL_LINE_STRIP);
    glPointSize(static_cast<float>(9 * ratio));
    strip(marks.path, GL_POINTS);
    glEnable(GL_DEPTH_TEST);
}

void SceneGpu::instance_attributes(std::size_t first) {
    glBindBuffer(GL_ARRAY_BUFFER, instance_buffer_);
    const std::size_t base = first * sizeof(Instance);
    auto attribute = [&](unsigned place, int width, std::size_t at) {
        glVertexAttribPointer(place, width, GL_FLOAT, GL_FALSE, sizeof(Instance), offset(base + at));
    };
    attribute(3, 3, offsetof(Instance, position));
    attribute(4, 4, offsetof(Instance, turn));
    attribute(5, 4, offsetof(Instance, colour));
    attribute(6, 1, offsetof(Instance, selected));
    attribute(7, 3, offsetof(Instance, size));
}

void SceneGpu::draw_solids(const Loaded& loaded) {
    if (loaded.solids == 0) return;
    glBindBuffer(GL_ARRAY_BUFFER, solid_buffer_);
    glVertexAttribPointer(0, 3, GL_FLOAT, GL_FALSE, 12, nullptr);
    glVertexAttribPointer(1, 3, GL_FLOAT, GL_FALSE, 12, nullptr);
    instance_attributes(loaded.solids_first);
    glVertexAttribPointer(2, 3, GL_FLOAT, GL_FALSE, sizeof(Instance),
                          offset(loaded.solids_first * sizeof(Instance) + offsetof(Instance, own)));
    if (dots_ > 0 && loaded.solids > very_many) { // in a hurry: a dot each, straight from the instances
        for (unsigned i : {0u, 1u}) {
            glDisableVertexAttribArray(i);
            glVertexAttrib3f(i, 0, 0, 0);
        }
        for (unsigned i = 3; i <= 7; ++i) glVertexAttribDivisor(i, 0);
        copies_.setUniformValue("dots", dots_);
        glDrawArrays(GL_POINTS, 0, static_cast<GLsizei>(loaded.solids));
        copies_.setUniformValue("dots", 0.0f);
        for (unsigned i = 3; i <= 7; ++i) glVertexAttribDivisor(i, 1);
        for (unsigned i : {0u, 1u}) glEnableVertexAttribArray(i);
        return;
    }
    glVertexAttribDivisor(2, 1);
    glBindBuffer(GL_ELEMENT_ARRAY_BUFFER, solid_buffer_);
    const bool few = loaded.solids > very_many;
    glDrawElementsInstanced(GL_TRIANGLES, static_cast<GLsizei>((few ? few_faces : solid_faces) * 3), GL_UNSIGNED_BYTE,
                            offset(few ? offsetof(Solid, few) : offsetof(Solid, faces)),
                            static_cast<GLsizei>(loaded.solids));
    glVertexAttribDivisor(2, 0);
}

void SceneGpu::vertex_attributes(const DrawPose& pose) {
    glBindBuffer(GL_ARRAY_BUFFER, pose_buffer(pose));
    if (!pose.dots.empty()) {
        glVertexAttribPointer(0, 3, GL_FLOAT, GL_FALSE, sizeof(DrawDot), offset(offsetof(DrawDot, place)));
        glVertexAttribPointer(1, 1, GL_FLOAT, GL_FALSE, sizeof(DrawDot), offset(offsetof(DrawDot, radius)));
        glVertexAttribPointer(2, 3, GL_UNSIGNED_BYTE, GL_TRUE, sizeof(DrawDot), offset(offsetof(DrawDot, colour)));
        return;
    }
    glVertexAttribPointer(0, 3, GL_FLOAT, GL_FALSE, sizeof(DrawVertex), offset(offsetof(DrawVertex, place)));
    glVertexAttribPointer(1, 3, GL_BYTE, GL_TRUE, sizeof(DrawVertex), offset(offsetof(DrawVertex, normal)));
    glVertexAttribPointer(2, 3, GL_UNSIGNED_BYTE, GL_TRUE, sizeof(DrawVertex), offset(offsetof(DrawVertex, colour)));
}

// The particles of some copies of one pose; those that are drawn are as much larger as others are left out.
void SceneGpu::draw_dots(const Group& g, std::size_t from, std::size_t count) {
    const auto all = static_cast<double>(g.pose->dots.size());
    const double shown = std::clamp(std::round(all * dots_share_), std::min(all, 64.0), all);
    dots_program_.bind();
    dots_program_.setUniformValue("wider", static_cast<float>(std::min(std::sqrt(all / std::max(shown, 1.0)), 3.0)));
    vertex_attributes(*g.pose);
    instance_attributes(g.first + from);
    glDrawArraysInstanced(GL_POINTS, 0, static_cast<GLsizei>(shown), static_cast<GLsizei>(count));
    copies_.bind();
}

void SceneGpu::draw_loaded(const Loaded& loaded, bool lightest) {
    draw_solids(loaded);
    for (const Group& g : loaded.groups) {
        if (!g.pose->dots.empty()) {
            draw_dots(g, 0, g.count);
            continue;
        }
        vertex_attributes(*g.pose);
        instance_attributes(g.first);
        const auto& levels = g.pose->faces->levels;
        const auto& level = lightest ? levels[std::min<std::size_t>(g.level + 1, levels.size() - 1)] : levels[g.level];
        if (level.count == 0) continue;
        glBindBuffer(GL_ELEMENT_ARRAY_BUFFER, face_buffer(g.pose->faces));
        glDrawElementsInstanced(GL_TRIANGLES, static_cast<GLsizei>(level.count), GL_UNSIGNED_INT,
                                offset(level.first * sizeof(std::uint32_t)), static_cast<GLsizei>(g.count));
    }
}

// Copies whose ball, or its mirror image in the ground, reaches into the view.
std::vector<SceneGpu::Item> SceneGpu::items_in_view(const View& v, const Scene& scene) const {
    const QMatrix4x4 m = v.orbit->projection(v.size) * v.orbit->view();
    QVector4D planes[6];
    for (int axis = 0; axis < 3; ++axis) {
        planes[axis * 2] = m.row(3) + m.row(axis);
        planes[axis * 2 + 1] = m.row(3) - m.row(axis);
    }
    for (QVector4D& p : planes) p /= std::max(p.toVector3D().length(), 1e-20f);
    auto seen = [&](const V3d& middle, double radius) {
        const QVector4D at(static_cast<float>(middle.x), static_cast<float>(middle.y), static_cast<float>(middle.z), 1);
        return std::all_of(std::begin(planes), std::end(planes),
                           [&](const QVector4D& p) { return QVector4D::dotProduct(p, at) >= -radius; });
    };
    const V3d eye = v.orbit->eye();
    std::vector<Item> items;
    items.reserve(scene.copies.size());
    for (const SceneCopy& c : scene.copies) {
        const DrawPose& pose = *scene.poses[c.pose];
        const double largest = std::max({std::abs(c.size.x), std::abs(c.size.y), std::abs(c.size.z)});
        const double radius = (pose.box.max - pose.box.min).length() / 2 * largest;
        const V3f own = pose.box.isEmpty() ? V3f(0) : pose.box.center() * c.size;
        const V3d middle = V3d(c.position + c.to_scene(own));
        if (!seen(middle, radius) && !seen({middle.x, -middle.y, middle.z}, radius)) continue;
        const double away = (middle - eye).length();
        const double here = v.orbit->pixels_per_unit(away, v.size) * v.ratio;
        const double nearest = v.orbit->pixels_per_unit(std::max(away - radius, away * 0.02 + 1e-6), v.size) * v.ratio;
        items.push_back({c.pose, 0, &c, 2 * radius * here, largest * nearest});
    }
    return items;
}

// Copies in groups of one pose and one level of detail, then those that are round solids; their instances in the
// buffer.
SceneGpu::Loaded SceneGpu::load(const View& v, const Scene& scene, Quality quality, Drawn& drawn) {
    constexpr std::uint32_t as_solid = 1000;
    std::vector<Item> items = items_in_view(v, scene);
    std::int64_t triangles = 0, dots = 0;
    for (;; quality.error *= 1.5, quality.solid_below *= 1.25) {
        triangles = dots = 0;
        for (Item& item : items) {
            const DrawPose& pose = *scene.poses[item.pose];
            const auto& levels = pose.faces->levels;
            item.level = pose.errors.size() == levels.size()
                             ? level_within(pose.errors, quality.error / std::max(item.scale, 1e-12))
                             : 0;
            const auto own = static_cast<std::int64_t>(levels[item.level].count / 3),
                       points = static_cast<std::int64_t>(pose.dots.size());
            if (item.pixels < quality.solid_below && (own > solid_faces || points > 1) && pose.puffs.places.empty())
                item.level = as_solid;
            triangles += item.level == as_solid ? solid_faces : own;
            dots += item.level == as_solid ? 0 : points;
        }
        if (quality.triangles == 0 || triangles <= quality.triangles || quality.error > 64) break;
    }
    dots_share_ =
        quality.dots > 0 && dots > quality.dots ? static_cast<double>(quality.dots) / static_cast<double>(dots) : 1;
    drawn.copies += static_cast<std::int64_t>(items.size());
    drawn.triangles += triangles;
    drawn.dots += static_cast<std::int64_t>(static_cast<double>(dots) * dots_share_);
    drawn.dots_left_out += dots - static_cast<std::int64_t>(static_cast<double>(dots) * dots_share_);
    drawn.error = std::max(drawn.error, quality.error);
    std::sort(items.begin(), items.end(), [](const Item& a, const Item& b) {
        const bool x = a.level == as_solid, y = b.level == as_solid;
        return std::tuple(x, a.pose, a.level, a.copy) < std::tuple(y, b.pose, b.level, b.copy);
    });
    std::vector<Instance> instances;
    instances.reserve(items.size());
    Loaded loaded;
    for (std::size_t i = 0; i < items.size(); ++i) {
        const SceneCopy& c = *items[i].copy;
        const CopyPaint p = v.paint(c);
        Instance one{{c.position.x, c.position.y, c.position.z},
                     {c.turn.v.x, c.turn.v.y, c.turn.v.z, c.turn.r},
                     {c.size.x, c.size.y, c.size.z},
                     {p.colour[0], p.colour[1], p.colour[2], p.weight},
                     p.selected,
                     {1, 1, 1}};
        drawn.light += items[i].level > 0;
        const DrawPose& pose = *scene.poses[items[i].pose];
        if (items[i].level == as_solid) {
            if (loaded.solids++ == 0) loaded.solids_first = i;
            const V3f middle = c.to_scene(pose.box.center() * c.size), half = (pose.box.max - pose.box.min) / 2;
            for (int k = 0; k < 3; ++k) one.position[k] += middle[k];
            for (int k = 0; k < 3; ++k) {
                one.size[k] *= std::max(half[k], 1e-6f);
                one.own[k] = pose.colour[k];
            }
        } else if (!pose.puffs.places.empty()) {
            const float w = p.weight;
            const V3f smoke(0.78f, 0.81f, 0.84f);
            loaded.puffs.push_back(
                {&c, &pose.puffs, smoke * (1 - w) + V3f(p.colour[0], p.colour[1], p.colour[2]) * w, p.selected});
        } else {
            if (loaded.groups.empty() || items[i].pose != items[i - 1].pose || items[i].level != items[i - 1].level)
                loaded.groups.push_back({&pose, items[i].level, i, 0});
            ++loaded.groups.back().count;
        }
        instances.push_back(one);
    }
    drawn.solids += static_cast<std::int64_t>(loaded.solids);
    glBindBuffer(GL_ARRAY_BUFFER, instance_buffer_);
    glBufferData(GL_ARRAY_BUFFER, static_cast<GLsizeiptr>(instances.size() * sizeof(Instance)), instances.data(),
                 GL_STREAM_DRAW);
    return loaded;
}

// The empty picture: sky, ground and what is laid on it. Leaves the vertex array bound.
void SceneGpu::begin_picture(const View& v) {
    const Tokens& t = *v.tokens;
    glViewport(0, 0, static_cast<int>(v.size.width() * v.ratio), static_cast<int>(v.size.height() * v.ratio));
    glClearColor(t.sky.redF(), t.sky.greenF(), t.sky.blueF(), 1);
    glClear(GL_COLOR_BUFFER_BIT | GL_DEPTH_BUFFER_BIT);
    glEnable(GL_DEPTH_TEST);
    glDisable(GL_CULL_FACE);
    vao_.bind();
    const QMatrix4x4 matrix = v.orbit->projection(v.size) * v.orbit->view();
    draw_floor(*v.orbit, matrix, t);
    if (v.marks->pattern) draw_pattern(*v.marks->pattern, matrix);
}

void SceneGpu::bind_copies(const View& v, const QMatrix4x4& matrix) {
    const Tokens& t = *v.tokens;
    const V3d e = v.orbit->eye();
    const QVector3D eye(static_cast<float>(e.x), static_cast<float>(e.y), static_cast<float>(e.z));
    const QMatrix4x4 look = v.orbit->view();
    glEnable(GL_PROGRAM_POINT_SIZE);
    for (QOpenGLShaderProgram* program : {&dots_program_, &copies_}) {
        program->bind();
        program->setUniformValue("matrix", matrix);
        program->setUniformValue("eye", eye);
        program->setUniformValue("rose", rgb(t.rose));
        program->setUniformValue("sky", rgb(t.sky));
        program->setUniformValue("haze", static_cast<float>(0.035 / v.orbit->camera.distance));
    }
    dots_program_.bind();
    dots_program_.setUniformValue("pixels", static_cast<float>(v.orbit->pixels_per_unit(1, v.size) * v.ratio));
    dots_program_.setUniformValue("right", QVector3D(look(0, 0), look(0, 1), look(0, 2)));
    dots_program_.setUniformValue("up", QVector3D(look(1, 0), look(1, 1), look(1, 2)));
    copies_.bind();
    copies_.setUniformValue("dots", 0.0f);
    for (unsigned i = 0; i <= 7; ++i) {
        glEnableVertexAttribArray(i);
        glVertexAttribDivisor(i, i >= 3 ? 1 : 0);
    }
}

void SceneGpu::set_pass(float mirror, float alpha) {
    for (QOpenGLShaderProgram* program : {&dots_program_, &copies_}) {
        program->bind();
        program->setUniformValue("mirror", mirror);
        program->setUniformValue("alpha", alpha);
    }
}

// What the still water gives back.
void SceneGpu::draw_mirrored(const Loaded& loaded, const View& v) {
    set_pass(-1, v.tokens->dark ? 0.24f : 0.13f);
    // Only the nearest of it is seen: depths first, so that nothing behind shines through.
    glColorMask(GL_FALSE, GL_FALSE, GL_FALSE, GL_FALSE);
    draw_loaded(loaded, true);
    glColorMask(GL_TRUE, GL_TRUE, GL_TRUE, GL_TRUE);
    glDepthFunc(GL_LEQUAL);
    glEnable(GL_BLEND);
    glBlendFunc(GL_SRC_ALPHA, GL_ONE_MINUS_SRC_ALPHA);
    draw_loaded(loaded, true);
    glDisable(GL_BLEND);
    glDepthFunc(GL_LESS);
    glClear(GL_DEPTH_BUFFER_BIT);
}

// The other frame's poses, translucent, over the shown ones.
void SceneGpu::draw_second(const View& v, const Quality& quality, std::vector<PuffCopy>& smoke, Drawn& drawn) {
    const Scene* second = v.scene->second.get();
    if (!second || second->copies.empty()) return;
    View other = v;
    other.paint = [](const SceneCopy&) { return CopyPaint{}; };
    Drawn more;
    const Loaded loaded = load(other, *second, quality, more);
    set_pass(1, 0.55f);
    glEnable(GL_BLEND);
    glBlendFunc(GL_SRC_ALPHA, GL_ONE_MINUS_SRC_ALPHA);
    glEnable(GL_POLYGON_OFFSET_FILL); // where both poses are the same, the shaded one is seen
    glPolygonOffset(-1, -1);
    draw_loaded(loaded, false);
    smoke.insert(smoke.end(), loaded.puffs.begin(), loaded.puffs.end());
    glDisable(GL_POLYGON_OFFSET_FILL);
    glDisable(GL_BLEND);
    drawn.triangles += more.triangles;
    drawn.light += more.light;
    drawn.dots_left_out += more.dots_left_out;
}

void SceneGpu::end_picture(const View& v, const std::vector<PuffCopy>& smoke, std::size_t most) {
    for (unsigned i = 1; i <= 7; ++i) {
        glDisableVertexAttribArray(i);
        glVertexAttribDivisor(i, 0);
    }
    const Tokens& t = *v.tokens;
    const QMatrix4x4 view = v.orbit->view(), matrix = v.orbit->projection(v.size) * view;
    const V3f rose(static_cast<float>(t.rose.redF()), static_cast<float>(t.rose.greenF()),
                   static_cast<float>(t.rose.blueF()));
    puffs_.draw(sorted_puffs(smoke, v.orbit->eye(), V3d(-view(2, 0), -view(2, 1), -view(2, 2)), rose, most), matrix,
                V3f(view(0, 0), view(0, 1), view(0, 2)), V3f(view(1, 0), view(1, 1), view(1, 2)));
    glEnable(GL_MULTISAMPLE);
    draw_lines(*v.marks, matrix, t, v.ratio);
    vao_.release();
    std::erase_if(face_buffers_, [&](auto& entry) {
        if (!entry.second.faces.expired()) return false;
        glDeleteBuffers(1, &entry.second.id);
        return true;
    });
}

SceneGpu::Drawn SceneGpu::draw(const View& v, bool moving) {
    Drawn drawn;
    const bool coarse = by_processor_ && moving;
    if (coarse)
        glDisable(GL_MULTISAMPLE); // edges are not smoothed, and much is not mirrored: each costs as much as the rest
    begin_picture(v);
    if (!v.scene || v.scene->copies.empty()) {
        end_picture(v, {}, 0);
        return drawn;
    }
    Quality quality;
    quality.error = moving ? 3 : 1;
    quality.triangles = by_processor_ ? hurried_triangles : 0;
    quality.dots = by_processor_ ? hurried_dots : 0;
    quality.solid_below = moving ? 3 : 1.5;
    quality.puffs = by_processor_ ? (moving ? 3000 : 12'000) : 200'000;
    Loaded loaded = load(v, *v.scene, quality, drawn);
    dots_ = coarse ? static_cast<float>(v.orbit->pixels_per_unit(1, v.size) * v.ratio) : 0;
    bind_copies(v, v.orbit->projection(v.size) * v.orbit->view());
    if (v.orbit->eye().y > 0 && !(coarse && drawn.triangles > mirrored_triangles)) draw_mirrored(loaded, v);
    set_pass(1, 1);
    draw_loaded(loaded, false);
    std::vector<PuffCopy> smoke = loaded.puffs;
    draw_second(v, quality, smoke, drawn);
    end_picture(v, smoke, quality.puffs);
    return drawn;
}

} // namespace garland
