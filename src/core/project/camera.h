// The camera's own keys, on the output clock: they go on while sources hold.
#pragma once

#include "core/base/result.h"
#include "core/geometry/pose.h"
#include "core/time/timing_plan.h"

#include <array>
#include <span>
#include <vector>

namespace garland {

struct Camera {
    V3d target{0, 1, 0};
    double distance = 8;       // scene units
    double azimuth = 30;       // degrees about y; 0 looks along −z; not wrapped: 0 to 720 turns twice
    double elevation = 15;     // degrees above the horizon
    double field_of_view = 40; // vertical field of view in degrees
    bool operator==(const Camera&) const = default;
};

struct CameraKey {
    OutputFrame at;
    Camera camera{};
    Toward toward = Toward::smooth; // step, linear or smooth: free is not for cameras
    bool operator==(const CameraKey&) const = default;
};

// Errors: invalid, naming the key, as for a time map; a distance or field of view out of range; free.
Result<void> validate(std::span<const CameraKey> keys);

// Keys prepared for evaluation. Each of the camera's seven numbers runs by itself between its keys as a position key's
// source frame would; before the first key and after the last the camera stands still.
class CameraPlan {
  public:
    CameraPlan() = default;
    // Valid keys; without any, `still` everywhere.
    CameraPlan(std::span<const CameraKey> keys, const Camera& still);
    bool keyed() const { return keyed_; }
    Camera at(OutputFrame t) const;

  private:
    Camera still_{};
    bool keyed_ = false;
    std::array<TimingPlan, 7> plans_;
};

// Moves between two output frames, p < q, from where the camera is at p. Keys strictly between are replaced. Errors:
// invalid, for p ≥ q or a result out of range.
struct CameraMove {
    double turn = 0;    // degrees about the target, counter-clockwise seen from above
    double rise = 0;    // degrees of elevation
    double dolly = 1;   // the distance at q over that at p
    V3d shift{0, 0, 0}; // of the target
    Toward toward = Toward::smooth;
    bool operator==(const CameraMove&) const = default;
};
Result<std::vector<CameraKey>> moved(std::span<const CameraKey> keys, const Camera& still, OutputFrame p, OutputFrame q,
                                     const CameraMove& move);

// A key set or replaced at its frame, in order.
std::vector<CameraKey> with_key(std::span<const CameraKey> keys, const CameraKey& key);
// A view kept at a frame: it goes on as the key before it does, smoothly where there is none.
std::vector<CameraKey> with_view(std::span<const CameraKey> keys, OutputFrame at, const Camera& view);

} // namespace garland
