#include "app/stage/stage_gpu.h"
#include "app/stage/stage_shaders.h"

#include <QOpenGLContext>
#include <algorithm>
#include <cmath>

namespace garland {

namespace {

constexpr std::int64_t solid_faces = 20, few_faces = 8;
constexpr std::size_t very_many = 3000;
constexpr double solid_below = 8; // pixels

// What a picture may cost, in triangles. A processor that draws by itself makes coarser pictures while something moves.
constexpr std::int64_t budget_moving = 50'000, budget_still = 150'000, budget_by_card = 8'000'000;

constexpr std::size_t graphics_limit = std::size_t(512) << 20; // bytes of poses kept on the graphics side

QVector3D rgb(const QColor& c) {
    return {c.redF(), c.greenF(), c.blueF()};
}
const void* offset(std::size_t bytes) {
    return reinterpret_cast<const void*>(bytes);
}

} // namespace

bool StageGpu::create() {
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
          std::tuple{&lines_, lines_vertex, lines_fragment}, std::tuple{&pattern_, pattern_vertex, pattern_fragment}}) {
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
    by_processor_ = renderer.contains("llvmpipe") || renderer.contains("softpipe") || renderer.contains("swrast") || renderer.contains("software");
    return true;
}

void StageGpu::destroy() {
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
    floor_.removeAllShaders();
    lines_.removeAllShaders();
    pattern_.removeAllShaders();
}

unsigned StageGpu::pose_buffer(const DrawPose& pose) {
    auto found = pose_buffers_.find(pose.serial);
    if (found != pose_buffers_.end()) {
        recent_.splice(recent_.begin(), recent_, found->second.place);
        return found->second.id;
    }
    const std::size_t bytes = pose.vertices.size() * sizeof(DrawVertex);
    PoseBuffer buffer;
    buffer.bytes = bytes;
    glGenBuffers(1, &buffer.id);
    glBindBuffer(GL_ARRAY_BUFFER, buffer.id);
    glBufferData(GL_ARRAY_BUFFER, static_cast<GLsizeiptr>(bytes), pose.vertices.data(), GL_STATIC_DRAW);
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

unsigned StageGpu::face_buffer(const std::shared_ptr<const DrawFaces>& faces) {
    FaceBuffer& buffer = face_buffers_[faces.get()];
    if (buffer.id && buffer.faces.lock() == faces) return buffer.id;
    if (!buffer.id) glGenBuffers(1, &buffer.id);
    buffer.faces = faces;
    glBindBuffer(GL_ELEMENT_ARRAY_BUFFER, buffer.id);
    glBufferData(GL_ELEMENT_ARRAY_BUFFER, static_cast<GLsizeiptr>(faces->indices.size() * sizeof(std::uint32_t)),
                 faces->indices.data(), GL_STATIC_DRAW);
    return buffer.id;
}

void StageGpu::draw_floor(const Orbit& orbit, const QMatrix4x4& matrix, const Tokens& t) {
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

void StageGpu::draw_pattern(const GroundPattern& g, const QMatrix4x4& matrix) {
    if (!pattern_texture_) glGenTextures(1, &pattern_texture_);
    glBindTexture(GL_TEXTURE_2D, pattern_texture_);
    if (pattern_shown_ != g.serial) {
        pattern_shown_ = g.serial;
        glTexImage2D(GL_TEXTURE_2D, 0, GL_RGBA, g.side, g.side, 0, GL_RGBA, GL_UNSIGNED_BYTE, g.pixels.data());
        for (GLenum way : {GL_TEXTURE_WRAP_S, GL_TEXTURE_WRAP_T}) glTexParameteri(GL_TEXTURE_2D, way, GL_CLAMP_TO_EDGE);
        for (GLenum filter : {GL_TEXTURE_MIN_FILTER, GL_TEXTURE_MAG_FILTER}) glTexParameteri(GL_TEXTURE_2D, filter, GL_LINEAR);
    }
    const float corners[] = {g.low_x, 0, g.low_z, 0, 0, g.high_x, 0, g.low_z, 1, 0, g.low_x, 0, g.high_z, 0, 1, g.high_x, 0, g.high_z, 1, 1};
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
    glEnable(GL_BLEND);
    glBlendFunc(GL_SRC_ALPHA, GL_ONE_MINUS_SRC_ALPHA);
    glDrawArrays(GL_TRIANGLE_STRIP, 0, 4);
    glDisable(GL_BLEND);
    glEnable(GL_DEPTH_TEST);
    glDisableVertexAttribArray(1);
}

void StageGpu::draw_lines(const StageMarks& marks, const QMatrix4x4& matrix, const Tokens& t) {
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
    if (marks.path.empty()) return;
    lines_.setUniformValue("paint", rgb(t.accent));
    glDisable(GL_PROGRAM_POINT_SIZE);
    glDisable(GL_DEPTH_TEST);
    strip(marks.path, GL_LINE_STRIP);
    glPointSize(9);
    strip(marks.path, GL_POINTS);
    glEnable(GL_DEPTH_TEST);
}

void StageGpu::instance_attributes(std::size_t first) {
    glBindBuffer(GL_ARRAY_BUFFER, instance_buffer_);
    const std::size_t base = first * sizeof(Instance);
    auto attribute = [&](unsigned place, int width, std::size_t at) { glVertexAttribPointer(place, width, GL_FLOAT, GL_FALSE, sizeof(Instance), offset(base + at)); };
    attribute(3, 3, offsetof(Instance, position));
    attribute(4, 2, offsetof(Instance, turn));
    attribute(5, 4, offsetof(Instance, colour));
    attribute(6, 1, offsetof(Instance, selected));
    attribute(7, 3, offsetof(Instance, size));
}

void StageGpu::draw_solids(const Loaded& loaded) {
    if (loaded.solids == 0) return;
    glBindBuffer(GL_ARRAY_BUFFER, solid_buffer_);
    glVertexAttribPointer(0, 3, GL_FLOAT, GL_FALSE, 12, nullptr);
    glVertexAttribPointer(1, 3, GL_FLOAT, GL_FALSE, 12, nullptr);
    instance_attributes(loaded.solids_first);
    glVertexAttribPointer(2, 3, GL_FLOAT, GL_FALSE, sizeof(Instance), offset(loaded.solids_first * sizeof(Instance) + offsetof(Instance, own)));
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
    glDrawElementsInstanced(GL_TRIANGLES, static_cast<GLsizei>((few ? few_faces : solid_faces) * 3), GL_UNSIGNED_BYTE, offset(few ? offsetof(Solid, few) : offsetof(Solid, faces)),
                            static_cast<GLsizei>(loaded.solids));
    glVertexAttribDivisor(2, 0);
}

void StageGpu::draw_loaded(const Loaded& loaded, bool lightest) {
    draw_solids(loaded);
    for (const Group& g : loaded.groups) {
        glBindBuffer(GL_ARRAY_BUFFER, pose_buffer(*g.pose));
        glVertexAttribPointer(0, 3, GL_FLOAT, GL_FALSE, sizeof(DrawVertex), offset(offsetof(DrawVertex, place)));
        glVertexAttribPointer(1, 3, GL_BYTE, GL_TRUE, sizeof(DrawVertex), offset(offsetof(DrawVertex, normal)));
        glVertexAttribPointer(2, 3, GL_UNSIGNED_BYTE, GL_TRUE, sizeof(DrawVertex),
                              offset(offsetof(DrawVertex, colour)));
        instance_attributes(g.first);
        const auto& levels = g.pose->faces->levels;
        const auto& level = lightest ? levels[std::min<std::size_t>(g.level + 1, levels.size() - 1)] : levels[g.level];
        glBindBuffer(GL_ELEMENT_ARRAY_BUFFER, face_buffer(g.pose->faces));
        if (level.count > 0) {
            glDrawElementsInstanced(GL_TRIANGLES, static_cast<GLsizei>(level.count), GL_UNSIGNED_INT,
                                    offset(level.first * sizeof(std::uint32_t)), static_cast<GLsizei>(g.count));
        } else { // points without faces
            glDrawArraysInstanced(GL_POINTS, 0, static_cast<GLsizei>(g.pose->vertices.size()),
                                  static_cast<GLsizei>(g.count));
        }
    }
}

// Copies in groups of one pose and one level of detail, then those that are round solids; their instances in the buffer.
// Where a picture would cost too much, copies are drawn simpler as if they were smaller.
StageGpu::Loaded StageGpu::load(const Scene& scene, const Orbit& orbit, QSizeF size, double ratio,
                                const std::function<CopyPaint(const SceneCopy&)>& paint, Drawn& drawn) {
    const V3d eye = orbit.eye();
    constexpr std::uint32_t as_solid = 1000;
    struct Item {
        std::uint32_t pose;
        std::uint32_t level;
        const SceneCopy* copy;
        double pixels;
    };
    std::vector<Item> items;
    items.reserve(scene.copies.size());
    for (const SceneCopy& c : scene.copies) {
        const DrawPose& pose = *scene.poses[c.pose];
        const double radius = (pose.box.max - pose.box.min).length() / 2 * std::max({c.size.x, c.size.y, c.size.z});
        const double pixels = 2 * radius * orbit.pixels_per_unit((V3d(c.position) - eye).length(), size) * ratio;
        items.push_back({c.pose, 0, &c, pixels});
    }
    std::int64_t triangles = 0;
    for (double simpler = 1; simpler < 200; simpler *= 1.4) {
        triangles = 0;
        for (Item& item : items) {
            const auto& levels = scene.poses[item.pose]->faces->levels;
            const double pixels = item.pixels / simpler;
            const std::uint32_t level = pixels > 110 ? 0 : pixels > 50 ? 1 : pixels > 20 ? 2 : 3;
            item.level = std::min<std::uint32_t>(level, static_cast<std::uint32_t>(levels.size()) - 1);
            const auto own = static_cast<std::int64_t>(levels[item.level].count / 3);
            if (pixels < solid_below && own > solid_faces) item.level = as_solid;
            triangles += item.level == as_solid ? solid_faces : own;
        }
        if (triangles <= budget_) break;
    }
    drawn.copies = static_cast<std::int64_t>(items.size());
    drawn.triangles += triangles;
    std::sort(items.begin(), items.end(), [](const Item& a, const Item& b) {
        const bool x = a.level == as_solid, y = b.level == as_solid;
        return std::tuple(x, a.pose, a.level, a.copy) < std::tuple(y, b.pose, b.level, b.copy);
    });
    std::vector<Instance> instances;
    instances.reserve(items.size());
    Loaded loaded;
    for (std::size_t i = 0; i < items.size(); ++i) {
        const SceneCopy& c = *items[i].copy;
        const CopyPaint p = paint(c);
        Instance one{{c.position.x, c.position.y, c.position.z},
                     {c.cosine, c.sine},
                     {c.size.x, c.size.y, c.size.z},
                     {p.colour[0], p.colour[1], p.colour[2], p.weight},
                     p.selected,
                     {1, 1, 1}};
        drawn.light += items[i].level > 0;
        if (items[i].level == as_solid) {
            if (loaded.solids++ == 0) loaded.solids_first = i;
            const DrawPose& pose = *scene.poses[items[i].pose];
            const V3f middle = pose.box.center() * c.size, half = (pose.box.max - pose.box.min) / 2;
            one.position[0] += middle.x * c.cosine + middle.z * c.sine;
            one.position[1] += middle.y;
            one.position[2] += middle.z * c.cosine - middle.x * c.sine;
            for (int k = 0; k < 3; ++k) {
                one.size[k] *= std::max(half[k], 1e-6f);
                one.own[k] = pose.colour[k];
            }
        } else if (!scene.poses[items[i].pose]->puffs.places.empty()) {
            const float w = p.weight;
            const V3f smoke(0.78f, 0.81f, 0.84f);
            loaded.puffs.push_back({&c, &scene.poses[items[i].pose]->puffs, smoke * (1 - w) + V3f(p.colour[0], p.colour[1], p.colour[2]) * w, p.selected});
        } else {
            if (loaded.groups.empty() || items[i].pose != items[i - 1].pose || items[i].level != items[i - 1].level) {
                loaded.groups.push_back({scene.poses[items[i].pose].get(), items[i].level, i, 0});
            }
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

StageGpu::Drawn StageGpu::draw(const Scene* scene, const Orbit& orbit, QSizeF size, double ratio, const Tokens& t,
                               const StageMarks& marks, bool moving,
                               const std::function<CopyPaint(const SceneCopy&)>& paint) {
    Drawn drawn;
    const bool coarse = by_processor_ && moving;
    budget_ = !by_processor_ ? budget_by_card : moving ? budget_moving : budget_still;
    glViewport(0, 0, static_cast<int>(size.width() * ratio), static_cast<int>(size.height() * ratio));
    glClearColor(t.sky.redF(), t.sky.greenF(), t.sky.blueF(), 1);
    glClear(GL_COLOR_BUFFER_BIT | GL_DEPTH_BUFFER_BIT);
    glEnable(GL_DEPTH_TEST);
    glDisable(GL_CULL_FACE);
    vao_.bind();
    // In coarse pictures edges are not smoothed, and much is not mirrored: each costs as much as the rest.
    if (coarse) glDisable(GL_MULTISAMPLE);
    const QMatrix4x4 matrix = orbit.projection(size) * orbit.view();
    draw_floor(orbit, matrix, t);
    if (marks.pattern) draw_pattern(*marks.pattern, matrix);
    if (!scene || scene->copies.empty()) {
        draw_lines(marks, matrix, t);
        glEnable(GL_MULTISAMPLE);
        vao_.release();
        return drawn;
    }

    Loaded loaded = load(*scene, orbit, size, ratio, paint, drawn);
    const V3d eye = orbit.eye();

    dots_ = coarse ? static_cast<float>(orbit.pixels_per_unit(1, size) * ratio) : 0;
    glEnable(GL_PROGRAM_POINT_SIZE);
    copies_.bind();
    copies_.setUniformValue("dots", 0.0f);
    copies_.setUniformValue("matrix", matrix);
    copies_.setUniformValue("eye",
                            QVector3D(static_cast<float>(eye.x), static_cast<float>(eye.y), static_cast<float>(eye.z)));
    copies_.setUniformValue("rose", rgb(t.rose));
    copies_.setUniformValue("sky", rgb(t.sky));
    copies_.setUniformValue("haze", static_cast<float>(0.035 / orbit.camera.distance));
    for (unsigned i = 0; i <= 7; ++i) {
        glEnableVertexAttribArray(i);
        glVertexAttribDivisor(i, i >= 3 ? 1 : 0);
    }
    if (eye.y > 0 && !(coarse && drawn.triangles > budget_moving / 2)) { // what the still water gives back
        copies_.setUniformValue("mirror", -1.0f);
        copies_.setUniformValue("alpha", t.dark ? 0.24f : 0.13f);
        glEnable(GL_BLEND);
        glBlendFunc(GL_SRC_ALPHA, GL_ONE_MINUS_SRC_ALPHA);
        draw_loaded(loaded, true);
        glDisable(GL_BLEND);
        glClear(GL_DEPTH_BUFFER_BIT);
    }
    copies_.setUniformValue("mirror", 1.0f);
    copies_.setUniformValue("alpha", 1.0f);
    draw_loaded(loaded, false);
    std::vector<PuffCopy> smoke = loaded.puffs;
    if (scene->second && !scene->second->copies.empty()) { // the other frame's poses, translucent, over them
        Drawn more;
        loaded = load(*scene->second, orbit, size, ratio, [](const SceneCopy&) { return CopyPaint{}; }, more);
        copies_.bind();
        copies_.setUniformValue("alpha", 0.55f);
        glEnable(GL_BLEND);
        glBlendFunc(GL_SRC_ALPHA, GL_ONE_MINUS_SRC_ALPHA);
        glEnable(GL_POLYGON_OFFSET_FILL); // where both poses are the same, the shaded one is seen
        glPolygonOffset(-1, -1);
        draw_loaded(loaded, false);
        smoke.insert(smoke.end(), loaded.puffs.begin(), loaded.puffs.end());
        glDisable(GL_POLYGON_OFFSET_FILL);
        glDisable(GL_BLEND);
        drawn.triangles += more.triangles;
    }

    for (unsigned i = 1; i <= 7; ++i) {
        glDisableVertexAttribArray(i);
        glVertexAttribDivisor(i, 0);
    }
    const QMatrix4x4 view = orbit.view();
    const V3f rose(static_cast<float>(t.rose.redF()), static_cast<float>(t.rose.greenF()), static_cast<float>(t.rose.blueF()));
    puffs_.draw(sorted_puffs(smoke, eye, V3d(-view(2, 0), -view(2, 1), -view(2, 2)), rose, by_processor_ ? (moving ? 3000 : 12'000) : 200'000), matrix,
                V3f(view(0, 0), view(0, 1), view(0, 2)), V3f(view(1, 0), view(1, 1), view(1, 2)));
    if (coarse) glEnable(GL_MULTISAMPLE);
    draw_lines(marks, matrix, t);
    vao_.release();
    std::erase_if(face_buffers_, [&](auto& entry) {
        if (!entry.second.faces.expired()) return false;
        glDeleteBuffers(1, &entry.second.id);
        return true;
    });
    return drawn;
}

} // namespace garland
