// What the Stage keeps on the graphics side, and how it draws a scene. Used only with its context current.
#pragma once

#include "app/stage/orbit.h"
#include "app/stage/puffs.h"
#include "app/stage/scene.h"
#include "app/theme/tokens.h"

#include <QOpenGLBuffer>
#include <QOpenGLExtraFunctions>
#include <QOpenGLShaderProgram>
#include <QOpenGLVertexArrayObject>
#include <functional>
#include <list>
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
struct StageMarks {
    const std::vector<std::vector<V3f>>* cords = nullptr;
    const GroundPattern* pattern = nullptr; // none: null
    std::vector<V3f> path;                  // being drawn
};

class StageGpu : protected QOpenGLExtraFunctions {
  public:
    // False, with why() set, when the context cannot do what the Stage needs.
    bool create();
    const QString& why() const { return why_; }
    void destroy();

    struct Drawn {
        std::int64_t triangles = 0, copies = 0, light = 0; // light: copies drawn as stand-ins
        std::int64_t solids = 0;                           // of these, as round solids of the copy's size and colour
    };
    // size: logical pixels; ratio: device pixels in one. moving: something changes right now, so the next picture is near. paint(copy) says how a copy is coloured.
    Drawn draw(const Scene* scene, const Orbit& orbit, QSizeF size, double ratio, const Tokens& tokens,
               const StageMarks& marks, bool moving, const std::function<CopyPaint(const SceneCopy&)>& paint);

  private:
    struct Instance {
        float position[3];
        float turn[2]; // cosine, sine
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
    Loaded load(const Scene& scene, const Orbit& orbit, QSizeF size, double ratio,
                            const std::function<CopyPaint(const SceneCopy&)>& paint, Drawn& drawn);
    unsigned pose_buffer(const DrawPose& pose);
    unsigned face_buffer(const std::shared_ptr<const DrawFaces>& faces);
    void draw_floor(const Orbit& orbit, const QMatrix4x4& matrix, const Tokens& tokens);
    void draw_loaded(const Loaded& loaded, bool lightest);
    void instance_attributes(std::size_t first);
    void draw_solids(const Loaded& loaded);
    void draw_pattern(const GroundPattern& pattern, const QMatrix4x4& matrix);
    void draw_lines(const StageMarks& marks, const QMatrix4x4& matrix, const Tokens& tokens);

    QString why_;
    QOpenGLShaderProgram copies_, floor_, lines_, pattern_;
    PuffPainter puffs_;
    QOpenGLVertexArrayObject vao_;
    unsigned instance_buffer_ = 0, line_buffer_ = 0, pattern_texture_ = 0, solid_buffer_ = 0;
    std::int64_t budget_ = 0; // triangles this picture should have at most
    float dots_ = 0;            // pixels of one unit one unit away, in coarse pictures
    bool by_processor_ = false; // drawn without a graphics card
    std::uint64_t pattern_shown_ = 0;
    std::unordered_map<std::uint64_t, PoseBuffer> pose_buffers_;
    std::list<std::uint64_t> recent_;
    std::size_t pose_bytes_ = 0;
    std::unordered_map<const DrawFaces*, FaceBuffer> face_buffers_;
};

} // namespace garland
