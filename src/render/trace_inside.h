// What stands behind TraceScene: Embree's objects. Included by the two files that make and ask it.
#pragma once

#include "render/trace_scene.h"

#include <embree3/rtcore.h>
#include <type_traits>
#include <unordered_map>

namespace garland {

struct DeviceRelease {
    void operator()(RTCDevice d) const { rtcReleaseDevice(d); }
};
struct SceneRelease {
    void operator()(RTCScene s) const { rtcReleaseScene(s); }
};
using Device = std::unique_ptr<std::remove_pointer_t<RTCDevice>, DeviceRelease>;
using EmbreeScene = std::unique_ptr<std::remove_pointer_t<RTCScene>, SceneRelease>;

struct PoseShape {
    PosePtr pose; // at the frame itself
    std::shared_ptr<const std::vector<std::uint32_t>> triangles;
    std::vector<V3f> normals, colours; // colours linear; or empty
    // Of triangles: which of `normals` their corners have, where those are of corners; otherwise the points' own.
    std::vector<std::uint32_t> normal_of;
    bool dots = false;
    EmbreeScene scene;
};

struct TraceScene::Inside {
    Device device;
    std::vector<PoseShape> shapes;
    std::vector<Copy> copies;
    // Where the points of shown poses are one output frame later.
    struct Next {
        PosePtr pose;
        bool same_faces = false;                                   // the same triangles
        std::unordered_map<std::int64_t, std::uint32_t> particles; // place by id
    };
    std::vector<Next> nexts;
    std::vector<Cloud> clouds;
    EmbreeScene cloud_boxes; // null without clouds
    EmbreeScene scene;       // goes before what it shows
    double size = 1;
    bool water = false;
};

} // namespace garland
