// One output frame ready to draw: step four of the way, posed copies. Made on a worker thread.
#pragma once

#include "app/scene_view/detail.h"
#include "core/geometry/corner_normals.h"
#include "core/geometry/volume.h"
#include "core/project/show.h"

#include <functional>
#include <memory>
#include <mutex>
#include <optional>
#include <unordered_map>
#include <vector>

namespace garland {

struct DrawVertex {
    float place[3];
    std::int8_t normal[4];
    std::uint8_t colour[4]; // white where the pose has none
};

// A particle as the graphics side takes it.
struct DrawDot {
    float place[3];
    float radius;
    std::uint8_t colour[4];
};

struct DrawPose {
    std::vector<DrawVertex> vertices;
    std::shared_ptr<const DrawFaces> faces;
    std::vector<float> errors; // of each level of the faces, own units; see detail.h
    std::vector<DrawDot>
        dots; // of particles, in an order of which any beginning is spread evenly; in place of triangles
    std::vector<std::uint32_t> dot_order; // which particle each dot is
    std::shared_ptr<const HardSplit>
        split; // where edges are hard: which point each vertex is; otherwise they are points
    Imath::Box3f box;
    VolumeDots puffs;         // of a volume: its cells, drawn see-through in place of the triangles (which are picked)
    V3f colour{1, 1, 1};      // of all its points, on average
    std::uint64_t serial = 0; // names it on the graphics side; never reused
    std::weak_ptr<const Pose> pose;
    bool coloured = false;
};

struct SceneCopy {
    std::int64_t number = 0; // over the project, from 0
    std::uint32_t pose = 0;  // index into Scene::poses
    V3f position;
    Imath::Quatf turn; // of its own space into the scene
    V3f size{1, 1, 1}; // along its own axes, before it is turned
    // A direction of its own space, sized already, in the scene; and the other way.
    V3f to_scene(const V3f& own) const {
        const V3f t = turn.v.cross(own) * 2;
        return own + t * turn.r + turn.v.cross(t);
    }
    V3f to_own(const V3f& scene) const {
        const V3f t = scene.cross(turn.v) * 2;
        return scene + t * turn.r + t.cross(turn.v);
    }
    CopyMoment moment;
    const ArrangementShow* arrangement = nullptr;
    std::uint32_t index = 0; // in the arrangement
};

struct Scene {
    ShowPtr show; // keeps the arrangements alive
    OutputFrame frame;
    std::vector<std::shared_ptr<const DrawPose>> poses;
    std::vector<SceneCopy> copies;
    std::int64_t nearest_instead = 0; // poses that could not be made between frames
    // The pose of another frame laid over this one: its own poses, coloured by how far their points are from here.
    std::shared_ptr<const Scene> second;
    double gap_most = 0, gap_rms = 0; // of `second`: between points of copies seen in both, scene units
    bool gap_known = false;           // false: no copy has the same points in both
    // The box of all copies, in scene units; empty without any. motion: the box of a copy's source over its whole
    // motion, where that is known (otherwise null: of the pose shown).
    Imath::Box3d box(const std::function<const Imath::Box3f*(const SceneCopy&)>& motion = {}) const;
};
using ScenePtr = std::shared_ptr<const Scene>;

// Keeps what it made for poses that are still in use, so a pose is prepared once. Thread-safe.
class SceneMaker {
  public:
    // second: lay that frame's poses over them.
    Result<ScenePtr> make(const ShowPtr& show, OutputFrame frame, std::optional<OutputFrame> second,
                          Progress& progress);

  private:
    Result<std::shared_ptr<Scene>> one(const ShowPtr& show, OutputFrame frame, Progress& progress);
    void compare(Scene& scene, Scene& second);
    void let_go();
    std::shared_ptr<const DrawPose> draw_pose(const PosePtr& shown); // or what stands in for it
    std::shared_ptr<const DrawFaces> draw_faces(const Pose& pose);
    std::shared_ptr<const HardSplit> split_of(const Pose& pose); // as the first pose with these faces is split
    std::mutex mutex_;
    std::unordered_map<const Pose*, std::shared_ptr<const DrawPose>> poses_;
    std::unordered_map<const Faces*, std::weak_ptr<const DrawFaces>> faces_;
    struct Split {
        std::weak_ptr<const Faces> of;
        std::shared_ptr<const HardSplit> split;
    };
    std::unordered_map<const Faces*, Split> splits_;
    std::uint64_t next_serial_ = 1;
};

// The copy hit first by a ray (from, unit direction), or −1. Exact against the drawn triangles.
std::int64_t pick_copy(const Scene& scene, const V3d& from, const V3d& along, double* distance = nullptr);

} // namespace garland
