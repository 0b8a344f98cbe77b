// One output frame made ready to be traced: every distinct pose once, with its motion over the shutter, and an instance
// of it for each copy. Embree stays behind this header.
#pragma once

#include "core/base/progress.h"
#include "core/copies/attitude.h"
#include "core/geometry/volume.h"
#include "core/project/show.h"
#include "render/eye.h"
#include "render/look.h"

#include <memory>

namespace garland {

// Where a copy is at one moment: its own space into the scene.
struct CopyFrame {
    Axes axes;
    V3d size{1, 1, 1}, place{0, 0, 0};
    V3d point(const V3d& own) const { return place + axes.scene(own * size); }
    // A normal of its own space; unit length.
    V3d normal(const V3d& own) const { return axes.scene(own / size).normalized(); }
};

class TraceScene {
  public:
    // Errors: invalid, of the look; those of reading; cancelled; unsupported where the tracer cannot start; too_large
    // where memory does not suffice.
    static Result<std::shared_ptr<const TraceScene>> make(const Show& show, const Project& project, OutputFrame t,
                                                          const PreviewLook& look, Progress& progress);
    TraceScene(const TraceScene&) = delete;
    ~TraceScene();

    struct Hit {
        double distance = 0;
        std::uint32_t copy = 0; // among copies()
        V3d place{0, 0, 0};
        V3d normal{0, 1, 0}; // smooth where the pose is; toward where the ray came from; unit length
        V3d face{0, 1, 0};   // of the face itself, the same way round
        V3f albedo{1, 1, 1};
        std::uint32_t face_number = 0; // triangle or particle
        float u = 0, v = 0;
    };
    // time: 0 … 1 over the shutter. From `near` on.
    bool hit(const V3d& from, const V3d& way, double near, double time, Hit& hit) const;
    bool blocked(const V3d& from, const V3d& way, double near, double time) const;

    // Where a hit's point is one output frame later; false where that is not known. Only with passes.
    bool later(const Hit& hit, V3d& place) const;

    struct Copy {
        std::int64_t number = 0;  // from 0
        std::uint32_t source = 0; // number in the project from 1
        double source_frame = 0;
        std::uint32_t pose = 0;
        std::vector<CopyFrame> frames; // at each moment of the shutter
        V3f tint{1, 1, 1};             // albedo, where the pose has no colours of its own, or they are not asked for
        bool own_colours = true;
        CopyFrame next; // one output frame later
        std::uint32_t next_pose = UINT32_MAX;
    };
    const std::vector<Copy>& copies() const;

    // Volumes, marched by the caller. A place in cells: 0 at the centre of the first one, 1 at that of the next.
    struct Cloud {
        std::uint32_t copy = 0;
        std::shared_ptr<const VolumeCells> cells;
        V3d low{0, 0, 0}, high{0, 0, 0};                         // its box in the scene
        V3d origin{0, 0, 0}, x{1, 0, 0}, y{0, 1, 0}, z{0, 0, 1}; // where cells are: origin + x·i + y·j + z·k
        V3d a{1, 0, 0}, b{0, 1, 0}, c{0, 0, 1};                  // and back
        double step = 0.1;                                       // from cell to cell at least; scene units
        V3d place(const V3d& cell) const { return origin + x * cell.x + y * cell.y + z * cell.z; }
        V3d cell(const V3d& place) const { return cells_along(place - origin); }
        V3d cells_along(const V3d& way) const { return {way.dot(a), way.dot(b), way.dot(c)}; }
        double density(const V3d& cell) const;
        // Narrows low and high to where a way goes through its box; false: nowhere.
        bool crossed(const V3d& from, const V3d& way, double& low, double& high) const;
    };
    const std::vector<Cloud>& clouds() const;
    struct CloudSpan {
        std::uint32_t cloud;
        double low, high;
    };
    // The clouds whose boxes a way goes through, by their numbers.
    void clouds_along(const V3d& from, const V3d& way, std::vector<CloudSpan>& out) const;
    bool has_water() const; // a copy shows computed water: it is its own ground
    double size() const;    // about how wide all copies are together; scene units

  private:
    TraceScene();
    struct Inside;
    std::unique_ptr<Inside> in_;
    friend struct TraceMaker;
};

} // namespace garland
