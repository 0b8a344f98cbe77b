// What a stage shows, and when it changes: looked through once, before a source is made of it.
#pragma once

#include "io/usd/usd_scene.h"

#include <set>

namespace garland {

// What of a stage is shown, and when it changes.
struct UsdSurvey {
    std::vector<int> meshes, points, instancers; // prims that are drawn by themselves; meshes: shapes too
    std::vector<int> volumes;                    // with fields that are OpenVDB files
    std::set<double> times;
    bool deforms = false;       // more than transforms changes
    bool between = false;       // poses between frames are not the straight mix of those on both sides
    bool count_changes = false; // points or faces may change in number
    std::size_t hidden = 0, curves = 0, other = 0;
    std::size_t bare_volumes = 0; // that name no OpenVDB file
    bool instanced_meshes = false, instanced_points = false;
    bool has_meshes() const { return !meshes.empty() || instanced_meshes; }
    bool has_points() const { return !points.empty() || instanced_points; }
};

// Throws UsdBad, as all that reads a scene.
UsdSurvey survey_of(const UsdScene& scene);

// What is left out, or shown in another way, where `shown` is shown of it.
void tell_of_stage(const UsdScene& scene, const UsdSurvey& survey, UsdShown shown,
                   std::vector<SourceProblem>& problems);

// Why there is nothing that can be shown.
Error nothing_to_show(const UsdScene& scene, const UsdSurvey& survey);

} // namespace garland
