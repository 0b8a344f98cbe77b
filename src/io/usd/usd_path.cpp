#include "io/usd/usd_path.h"

#include "io/usd/usd_scene.h"

#include <algorithm>

namespace garland {

Result<PathInFile> read_usd_path(const std::string& path) {
    GARLAND_TRY(stage, open_usd_stage(path));
    PathInFile out;
    out.paths = 0;
    try {
        const UsdScene scene(stage);
        for (std::size_t i = 0; i < stage->prims.size(); ++i) {
            const UsdPrim& prim = stage->prims[i];
            const UsdAttribute* points = prim.find("points");
            if (prim.type != "BasisCurves" || !points) continue;
            const auto times = points->sample_times();
            const double time = times.empty() ? scene.start() : std::max(scene.start(), times.front());
            const std::vector<V3f> all = scene.vectors(*points, time);
            std::size_t count = all.size();
            if (const UsdAttribute* counts = prim.find("curveVertexCounts")) {
                const auto each = scene.wholes(*counts, time);
                for (const std::int64_t n : each) {
                    if (n < 0 || static_cast<std::size_t>(n) > all.size()) {
                        Error error = Error{ErrorCode::malformed, "a curve has more points than there are"}.at(path);
                        if (counts->property && counts->property->where)
                            error.line = usd_line_of(counts->layer->bytes.view(), counts->property->where);
                        return fail(std::move(error));
                    }
                }
                out.paths += each.size();
                count = each.empty() ? 0 : static_cast<std::size_t>(each[0]);
            } else {
                ++out.paths;
            }
            if (!out.points.empty()) continue;
            out.smooth = scene.word(prim, "type", "cubic", time) != "linear";
            out.closed = scene.word(prim, "wrap", "nonperiodic", time) == "periodic";
            const M44d world = scene.world(static_cast<int>(i), time);
            for (std::size_t k = 0; k < count; ++k) {
                V3d p;
                world.multVecMatrix(V3d(all[k]), p);
                if (stage->root->z_up) p = V3d(p.x, p.z, -p.y);
                out.points.push_back(p * stage->root->metres);
            }
        }
        GARLAND_CHECK(stage->unchanged());
    } catch (const UsdBad& bad) {
        return fail(bad.error);
    }
    return out;
}

} // namespace garland
