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
#include <QVector3D>
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

inline QVector3D colour_vector(const QColor& c) {
    return {c.redF(), c.greenF(), c.blueF()};
}

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
    // up to 3 pixels off then, and 1 in a picture that stands. Where a processor draws, a picture that moves has as
    // many triangles as it can draw in 25 ms, and at least 60 000, by the time the ones before took, and one that
    // stands some 400 000: where those are too few, meshes are further off (drawn.error says how much).
    Drawn draw(const View& view, bool moving);
    bool by_processor() const { return by_processor_; } // without a graphics card

    // A picture that stands, drawn anew beside the shown one, slice by slice: every mesh whole where a lighter one
    // could be told from it (by a twentieth of a pixel), every particle; before them what the water mirrors, which is
    // as close as while something moves. In scene_refine.cpp.
    void refine_begin(ScenePtr scene, const View& view);
    bool refine_step(double milliseconds); // true: it is ready
    void refine_drop();
    bool refining() const { return refine_ && !refined_; }
    bool refined() const { return refined_; }
    void refine_present(); // draws it
    const Drawn& refine_drawn() const { return refine_drawn_; }

  private:
    enum class Pace { standing, moving, hurried }; // hurried: moving, and a processor draws
    enum class Pass { mirror_depths, mirror, whole };
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
    static constexpr std::int64_t solid_faces = 20, few_faces = 8; // of the round solids that stand for a copy
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
        double dot_below = 0;       // the same, of those that are dots however light their meshes are
        std::size_t puffs = 12'000; // cells of volumes
    };
    struct Item {
        std::uint32_t pose;
        std::uint32_t level;
        const SceneCopy* copy;
        double pixels;      // how wide it is
        double scale;       // pixels of one of the pose's own units
        bool solid = false; // a round solid of its size and colour instead
    };
    // In scene_load.cpp; load() puts the instances into the buffer in use.
    std::vector<Item> items_in_view(const View& view, const Scene& scene) const;
    void choose_levels(std::vector<Item>& items, const Scene& scene, Quality quality, Drawn& drawn);
    static Instance instance_of(const Item& item, const DrawPose& pose, const CopyPaint& paint);
    Loaded load(const View& view, const Scene& scene, const Quality& quality, Drawn& drawn);
    Drawn draw_picture(const View& view, Pace pace);
    void present(const QOpenGLFramebufferObject& made);
    void keep_pace(std::int64_t triangles, double milliseconds);
    void refine_load(Pass pass);
    double refine_some(double triangles); // draws of the pass; how many it drew
    void begin_picture(const View& view);
    void bind_copies(const View& view, const QMatrix4x4& matrix);
    void set_pass(float mirror, float alpha);
    void begin_pass(Pass pass, const Tokens& tokens);
    void end_pass(Pass pass);
    void draw_mirrored(const Loaded& loaded, const View& view);
    void draw_second(const View& view, const Quality& quality, std::vector<PuffCopy>& smoke, Drawn& drawn);
    void end_picture(const View& view, const std::vector<PuffCopy>& smoke, std::size_t most);
    void vertex_attributes(const DrawPose& pose);
    void draw_dots(const Group& group, std::size_t instances_from, std::size_t instances);
    unsigned pose_buffer(const DrawPose& pose);
    unsigned face_buffer(const std::shared_ptr<const DrawFaces>& faces);
    void draw_loaded(const Loaded& loaded, bool lightest);
    void instance_attributes(std::size_t first);
    void draw_solids(const Loaded& loaded);
    const DrawFaces::Level& level_of(const Group& group, bool lightest) const;
    // In scene_ground.cpp.
    void draw_floor(const Orbit& orbit, const QMatrix4x4& matrix, const Tokens& tokens);
    void draw_textured(const float (&corners)[20], const QMatrix4x4& matrix);
    void draw_pattern(const GroundPattern& pattern, const QMatrix4x4& matrix);
    void draw_lines(const SceneMarks& marks, const QMatrix4x4& matrix, const Tokens& tokens, double ratio);

    QString why_;
    QOpenGLShaderProgram copies_, dots_program_, floor_, lines_, pattern_;
    PuffPainter puffs_;
    QOpenGLVertexArrayObject vao_;
    unsigned instance_buffer_ = 0, refine_buffer_ = 0; // instances of the picture shown, and of the one refined
    unsigned instances_ = 0;                           // the one of them in use
    unsigned line_buffer_ = 0, pattern_texture_ = 0, solid_buffer_ = 0;
    double dots_share_ = 1; // of the particles that this picture has
    float dots_ = 0;        // pixels of one unit one unit away, in coarse pictures
    bool by_processor_ = false;
    double triangles_a_ms_ = 3000; // of hurried pictures, as they have turned out
    std::unique_ptr<QOpenGLFramebufferObject> hurried_;
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
    Loaded refine_loaded_; // of the pass
    Drawn refine_drawn_;
    // Where the next slice begins.
    Pass refine_pass_ = Pass::whole;
    std::size_t refine_group_ = 0, refine_instance_ = 0, refine_index_ = 0;
    bool refined_ = false;
    double refine_dots_ = 1;           // the share of particles that are mirrored
    double refine_triangles_ = 60'000; // of a slice, as it has turned out
};

} // namespace garland
