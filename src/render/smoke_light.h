// Light in smoke: how much of the key light arrives where, worked out once for a picture instead of for each sample.
#pragma once

#include "core/base/progress.h"
#include "render/trace_scene.h"

#include <vector>

namespace garland {

// The share of light that smoke lets through along a way, by Beer's law (A. Beer 1852). thickness: extinction per scene
// unit at a density of 1.
double light_through(const TraceScene& scene, const V3d& from, const V3d& way, double thickness);

class SmokeLight {
  public:
    SmokeLight() = default;
    // key_way: toward the light; near: from where on things are in its way. Light is kept at every cell of small
    // clouds, at every second, third … one of larger ones, as far around them too, and runs straight between.
    SmokeLight(const TraceScene& scene, const V3d& key_way, double thickness, double near, Progress& progress);
    // The share of the key light that arrives in a cloud at a place in its cells.
    double key(std::size_t cloud, const V3d& cell) const;

  private:
    struct Grid {
        int every = 1, nx = 0, ny = 0, nz = 0;
        std::vector<float> light; // x fastest
    };
    std::vector<Grid> grids_; // one a cloud
};

} // namespace garland
