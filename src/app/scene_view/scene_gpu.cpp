#include "app/scene_view/scene_gpu.h"

#include "app/scene_view/gl_surface.h"
#include "app/scene_view/scene_shaders.h"

#include <QElapsedTimer>
#include <QOpenGLContext>
#include <algorithm>
#include <cmath>

namespace garland {

namespace {

constexpr std::size_t very_many = 3000;

// What a picture may cost where a processor draws it.
constexpr double hurried_milliseconds = 25;
constexpr std::int64_t fewest_triangles = 60'000, standing_triangles = 400'000, hurried_dots = 200'000,
                       mirrored_triangles = 25'000;

constexpr std::size_t graphics_limit = std::size_t(512) << 20; // bytes of poses kept on the graphics side

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
    glGenBuffers(1, &refine_buffer_);
    glGenBuffers(1, &line_buffer_);
    glGenBuffers(1, &solid_buffer_);
    const Solid solid;
    glBindBuffer(GL_ARRAY_BUFFER, solid_buffer_);
    glBufferData(GL_ARRAY_BUFFER, sizeof solid, &solid, GL_STATIC_DRAW);
    by_processor_ = is_processor(renderer_name(*QOpenGLContext::currentContext()->functions()));
    return true;
}

void SceneGpu::destroy() {
    refine_drop();
    refine_.reset();
    refined_picture_.reset();
    hurried_.reset();
    for (auto& [serial, buffer] : pose_buffers_) glDeleteBuffers(1, &buffer.id);
    for (auto& [faces, buffer] : face_buffers_) glDeleteBuffers(1, &buffer.id);
    pose_buffers_.clear();
    face_buffers_.clear();
    recent_.clear();
    pose_bytes_ = 0;
    if (instance_buffer_) glDeleteBuffers(1, &instance_buffer_);
    if (refine_buffer_) glDeleteBuffers(1, &refine_buffer_);
    if (line_buffer_) glDeleteBuffers(1, &line_buffer_);
    if (solid_buffer_) glDeleteBuffers(1, &solid_buffer_);
    solid_buffer_ = 0;
    if (pattern_texture_) glDeleteTextures(1, &pattern_texture_);
    pattern_texture_ = 0;
    instance_buffer_ = refine_buffer_ = instances_ = line_buffer_ = 0;
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

void SceneGpu::instance_attributes(std::size_t first) {
    glBindBuffer(GL_ARRAY_BUFFER, instances_);
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

const DrawFaces::Level& SceneGpu::level_of(const Group& g, bool lightest) const {
    const auto& levels = g.pose->faces->levels;
    return lightest ? levels[std::min<std::size_t>(g.level + 1, levels.size() - 1)] : levels[g.level];
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
        const auto& level = level_of(g, lightest);
        if (level.count == 0) continue;
        glBindBuffer(GL_ELEMENT_ARRAY_BUFFER, face_buffer(g.pose->faces));
        glDrawElementsInstanced(GL_TRIANGLES, static_cast<GLsizei>(level.count), GL_UNSIGNED_INT,
                                offset(level.first * sizeof(std::uint32_t)), static_cast<GLsizei>(g.count));
    }
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
        program->setUniformValue("rose", colour_vector(t.rose));
        program->setUniformValue("sky", colour_vector(t.sky));
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

// What the still water gives back takes two passes. Only the nearest of it is seen: depths first, so that nothing
// behind shines through.
void SceneGpu::begin_pass(Pass pass, const Tokens& t) {
    if (pass == Pass::whole) return set_pass(1, 1);
    set_pass(-1, t.dark ? 0.24f : 0.13f);
    if (pass == Pass::mirror_depths) {
        glColorMask(GL_FALSE, GL_FALSE, GL_FALSE, GL_FALSE);
        return;
    }
    glDepthFunc(GL_LEQUAL);
    glEnable(GL_BLEND);
    glBlendFunc(GL_SRC_ALPHA, GL_ONE_MINUS_SRC_ALPHA);
}

void SceneGpu::end_pass(Pass pass) {
    if (pass == Pass::mirror_depths) glColorMask(GL_TRUE, GL_TRUE, GL_TRUE, GL_TRUE);
    if (pass != Pass::mirror) return;
    glDisable(GL_BLEND);
    glDepthFunc(GL_LESS);
}

void SceneGpu::draw_mirrored(const Loaded& loaded, const View& v) {
    for (const Pass pass : {Pass::mirror_depths, Pass::mirror}) {
        begin_pass(pass, *v.tokens);
        draw_loaded(loaded, true);
        end_pass(pass);
    }
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

// The next hurried picture has as many triangles as fit, by the time this one took.
void SceneGpu::keep_pace(std::int64_t triangles, double milliseconds) {
    if (triangles < fewest_triangles / 2) return; // what else there is to draw took the time
    triangles_a_ms_ += 0.4 * (static_cast<double>(triangles) / std::max(milliseconds, 0.1) - triangles_a_ms_);
}

SceneGpu::Drawn SceneGpu::draw(const View& v, bool moving) {
    instances_ = instance_buffer_;
    if (!by_processor_ || !moving) return draw_picture(v, moving ? Pace::moving : Pace::standing);
    // Edges are not smoothed, and much is not mirrored: each costs as much as the rest.
    QElapsedTimer clock;
    clock.start();
    GLint shown = 0;
    glGetIntegerv(GL_FRAMEBUFFER_BINDING, &shown);
    const QSize pixels(static_cast<int>(v.size.width() * v.ratio), static_cast<int>(v.size.height() * v.ratio));
    if (!hurried_ || hurried_->size() != pixels)
        hurried_ = std::make_unique<QOpenGLFramebufferObject>(pixels, QOpenGLFramebufferObject::Depth);
    const bool aside = hurried_->isValid() && hurried_->bind();
    if (!aside) glDisable(GL_MULTISAMPLE);
    const Drawn drawn = draw_picture(v, Pace::hurried);
    if (aside) {
        glBindFramebuffer(GL_FRAMEBUFFER, static_cast<GLuint>(shown));
        present(*hurried_);
    }
    glFinish(); // so that the time is that of the whole picture
    keep_pace(drawn.triangles, static_cast<double>(clock.nsecsElapsed()) / 1e6);
    return drawn;
}

// A picture made elsewhere, over all of this one.
void SceneGpu::present(const QOpenGLFramebufferObject& made) {
    glViewport(0, 0, made.width(), made.height());
    vao_.bind();
    glActiveTexture(GL_TEXTURE0);
    glBindTexture(GL_TEXTURE_2D, made.texture());
    for (GLenum filter : {GL_TEXTURE_MIN_FILTER, GL_TEXTURE_MAG_FILTER})
        glTexParameteri(GL_TEXTURE_2D, filter, GL_NEAREST);
    const float corners[] = {-1, -1, 0, 0, 0, 1, -1, 0, 1, 0, -1, 1, 0, 0, 1, 1, 1, 0, 1, 1};
    glDisable(GL_BLEND);
    draw_textured(corners, QMatrix4x4());
    vao_.release();
}

SceneGpu::Drawn SceneGpu::draw_picture(const View& v, Pace pace) {
    Drawn drawn;
    begin_picture(v);
    if (!v.scene || v.scene->copies.empty()) {
        end_picture(v, {}, 0);
        return drawn;
    }
    const bool standing = pace == Pace::standing, hurried = pace == Pace::hurried;
    Quality quality;
    quality.error = standing ? 1 : 3;
    quality.solid_below = standing ? 1.5 : 3;
    if (by_processor_) {
        const auto in_time = static_cast<std::int64_t>(triangles_a_ms_ * hurried_milliseconds);
        quality.triangles = hurried ? std::clamp(in_time, fewest_triangles, standing_triangles) : standing_triangles;
        quality.dots = hurried_dots;
        if (hurried) quality.dot_below = quality.solid_below;
    }
    quality.puffs = !by_processor_ ? 200'000 : standing ? 12'000 : 3000;
    const Loaded loaded = load(v, *v.scene, quality, drawn);
    dots_ = hurried ? static_cast<float>(v.orbit->pixels_per_unit(1, v.size) * v.ratio) : 0;
    bind_copies(v, v.orbit->projection(v.size) * v.orbit->view());
    if (v.orbit->eye().y > 0 && !(hurried && drawn.triangles > mirrored_triangles)) draw_mirrored(loaded, v);
    set_pass(1, 1);
    draw_loaded(loaded, false);
    std::vector<PuffCopy> smoke = loaded.puffs;
    draw_second(v, quality, smoke, drawn);
    end_picture(v, smoke, quality.puffs);
    return drawn;
}

} // namespace garland
