// What the Scene keeps on the graphics side, and how it draws a scene. Used only with its context current.
#pragma once

#include "app/scene_view/orbit.h"
#include "app/scene_view/puffs.h"
#include "app/scene_view/scene.h"
#include "app/theme/tokens.h"

#include <QOpenGLBuffer>
#include <QOpenGLExtraFunctions>
#include <QOpenGLFramebufferObject>
#include <QOpenGLShaderProgram>
#include <QOpenGLVertexArrayObject>
#include <functional>
#include <list>
#include <memory>
#include <unordered_map>

namespace garland {

struct CopyPaint {
    float colour[3] = {1, 1, 1};
    float weight = 0;   // 0: the pose's own colours, 1: this one
    float selected = 0; // 0 or 1
};

// A pattern laid on the ground, translucent.
struct GroundPattern {
    int side = 0;                      // pixels, square
    std::vector<std::uint32_t> pixels; // RGBA bytes, rows along z
    float low_x = 0, low_z = 0, high_x = 0, high_z = 0;
    std::uint64_t serial = 0;
};

// What is drawn besides the copies.
struct SceneMarks {
    const std::vector<std::vector<V3f>>* cords = nullptr;
    const GroundPattern* pattern = nullptr; // none: null
    std::vector<V3f> path;                  // being drawn
    struct Zones {
        std::vector<std::vector<V3f>> inner, outer, ways;
        std::vector<V3f> handles; // of places and edges; empty: not to be moved now
    } zones;
};

class SceneGpu : protected QOpenGLExtraFunctions {
  public:
    // False, with why() set, when the context cannot do what the Scene needs.
    bool create();
    const QString& why() const { return why_; }
    void destroy();

    struct Drawn {
        std::int64_t triangles = 0, copies = 0; // copies: those in the view
        std::int64_t light = 0;  // copies drawn as lighter meshes or solids than the full one, however close
        std::int64_t solids = 0; // of these, as round solids of the copy's size and colour
        std::int64_t dots = 0, dots_left_out = 0; // particles
        double error = 0;                         // pixels by which a lighter mesh may be off
        bool whole() const { return light == 0 && dots_left_out == 0; }
    };
    // What a picture is made of.
    struct View {
        const Scene* scene = nullptr;
        const Orbit* orbit = nullptr;
        QSizeF size;      // logical pixels
        double ratio = 1; // device pixels in one
        const Tokens* tokens = nullptr;
        const SceneMarks* marks = nullptr;
        std::function<CopyPaint(const SceneCopy&)> paint; // how a copy is coloured
    };
    // moving: something changes right now, so the next picture is near, and this one may be coarse: lighter meshes are
    // up to 3 pixels off then, and 1 in a picture that stands. Where a processor draws and that would be more than some
    // 400 000 triangles, more (drawn.error says how much).
    Drawn draw(const View& view, bool moving);

    // A picture that stands, drawn anew beside the shown one, slice by slice: every mesh whole where a lighter one
    // could be told from it (by a twentieth of a pixel), every particle. In scene_refine.cpp.
    void refine_begin(ScenePtr scene, const View& view);
    bool refine_step(double milliseconds); // true: it is ready
    void refine_drop();
    bool refining() const { return refine_ && !refined_; }
    bool refined() const { return refined_; }
    void refine_present(); // draws it
    const Drawn& refine_drawn() const { return refine_drawn_; }

  private:
    struct Instance {
        float position[3];
        float turn[4]; // a quaternion: x, y, z, w
        float size[3];
        float colour[4];
        float selected;
        float own[3]; // of solids: the pose's colour
    };
    struct Group {
        const DrawPose* pose;
        std::size_t level;
        std::size_t first, count; // instances
    };
    struct PoseBuffer {
        unsigned id = 0;
        std::size_t bytes = 0;
        std::list<std::uint64_t>::iterator place;
    };
    struct FaceBuffer {
        unsigned id = 0;
        std::weak_ptr<const DrawFaces> faces;
    };
    struct Loaded {
        std::vector<Group> groups;
        std::size_t solids_first = 0, solids = 0; // instances
        std::vector<PuffCopy> puffs;              // volumes
    };
    // How closely things are drawn.
    struct Quality {
        double error = 1;           // pixels
        std::int64_t triangles = 0; // past so many the error grows; 0: never
        std::int64_t dots = 0;      // at most so many particles; 0: all
        double solid_below = 0;     // pixels of a copy's width
        std::size_t puffs = 12'000; // cells of volumes
    };
    struct Item {
        std::uint32_t pose;
        std::uint32_t level;
        const SceneCopy* copy;
        double pixels; // how wide it is
        double scale;  // pixels of one of the pose's own units
    };
    std::vector<Item> items_in_view(const View& view, const Scene& scene) const;
    Loaded load(const View& view, const Scene& scene, Quality quality, Drawn& drawn);
    void begin_picture(const View& view);
    void bind_copies(const View& view, const QMatrix4x4& matrix);
    void set_pass(float mirror, float alpha);
    void draw_mirrored(const Loaded& loaded, const View& view);
    void draw_second(const View& view, const Quality& quality, std::vector<PuffCopy>& smoke, Drawn& drawn);
    void end_picture(const View& view, const std::vector<PuffCopy>& smoke, std::size_t most);
    void vertex_attributes(const DrawPose& pose);
    void draw_dots(const Group& group, std::size_t instances_from, std::size_t instances);
    unsigned pose_buffer(const DrawPose& pose);
    unsigned face_buffer(const std::shared_ptr<const DrawFaces>& faces);
    void draw_floor(const Orbit& orbit, const QMatrix4x4& matrix, const Tokens& tokens);
    void draw_loaded(const Loaded& loaded, bool lightest);
    void instance_attributes(std::size_t first);
    void draw_solids(const Loaded& loaded);
    void draw_textured(const float (&corners)[20], const QMatrix4x4& matrix);
    void draw_pattern(const GroundPattern& pattern, const QMatrix4x4& matrix);
    void draw_lines(const SceneMarks& marks, const QMatrix4x4& matrix, const Tokens& tokens, double ratio);

    QString why_;
    QOpenGLShaderProgram copies_, dots_program_, floor_, lines_, pattern_;
    PuffPainter puffs_;
    QOpenGLVertexArrayObject vao_;
    unsigned instance_buffer_ = 0, line_buffer_ = 0, pattern_texture_ = 0, solid_buffer_ = 0;
    double dots_share_ = 1;     // of the particles that this picture has
    float dots_ = 0;            // pixels of one unit one unit away, in coarse pictures
    bool by_processor_ = false; // drawn without a graphics card
    std::uint64_t pattern_shown_ = 0;
    std::unordered_map<std::uint64_t, PoseBuffer> pose_buffers_;
    std::list<std::uint64_t> recent_;
    std::size_t pose_bytes_ = 0;
    std::unordered_map<const DrawFaces*, FaceBuffer> face_buffers_;

    // The picture that is refined.
    std::unique_ptr<QOpenGLFramebufferObject> refine_, refined_picture_;
    ScenePtr refine_scene_; // keeps what it draws
    Orbit refine_orbit_;
    Tokens refine_tokens_;
    SceneMarks refine_marks_;
    View refine_view_;
    Loaded refine_loaded_;
    Drawn refine_drawn_;
    std::size_t refine_group_ = 0, refine_instance_ = 0, refine_index_ = 0; // where the next slice begins
    bool refine_solids_ = false, refined_ = false;
    double refine_triangles_ = 60'000; // of a slice, as it has turned out
};

} // namespace garland
