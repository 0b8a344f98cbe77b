#include "core/source/motion_box.h"

#include "core/geometry/volume.h"

#include <algorithm>
#include <cmath>

namespace garland {

Result<MotionBox> motion_box(const Sampler& sampler, std::int64_t most, Progress& progress) {
    MotionBox out;
    const double first = sampler.clock().first.value, last = sampler.clock().last().value;
    const auto frames = static_cast<std::int64_t>(std::floor(last - first + 1e-9)) + 1;
    out.all = frames <= most;
    const std::int64_t looked = std::max<std::int64_t>(std::min(frames, most), 1);
    for (std::int64_t i = 0; i < looked; ++i) {
        if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
        progress.report(static_cast<double>(i) / static_cast<double>(looked), "measuring the motion");
        const double at =
            looked > 1 ? std::round((last - first) * static_cast<double>(i) / static_cast<double>(looked - 1)) : 0;
        auto pose = sampler.at(SourceFrame(first + at), progress);
        if (!pose) continue;
        out.box.extendBy(pose->pose->volume ? pose->pose->volume->box() : bounds(*pose->pose));
        ++out.frames;
    }
    if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
    return out;
}

double usual_spacing(const Imath::Box3f& box) {
    if (box.isEmpty()) return 1;
    const double wide = 1.1 * static_cast<double>(std::max(box.size().x, box.size().z));
    if (!(wide > 1e-9) || !std::isfinite(wide)) return 1;
    double power = 1; // by multiplication: the same on every machine
    while (power > wide) power /= 10;
    while (power * 10 <= wide) power *= 10;
    for (double step : {1.0, 1.5, 2.0, 2.5, 3.0, 4.0, 5.0, 6.0, 8.0}) {
        if (step * power >= wide) return step * power;
    }
    return 10 * power;
}

double usual_spacing(const Imath::Box3f& box, bool z_up, double scale) {
    if (box.isEmpty()) return 1;
    const auto by = static_cast<float>(scale);
    const V3f low = box.min * by, high = box.max * by;
    return usual_spacing(z_up ? Imath::Box3f(V3f(low.x, low.z, -high.y), V3f(high.x, high.z, -low.y))
                              : Imath::Box3f(low, high));
}

} // namespace garland
