#include "io/usd/posed_usd.h"

#include "core/base/behind.h"
#include "core/scene/placed_copy.h"
#include "core/time/frame_steps.h"
#include "io/usd/pose_prim.h"

#include <fmt/format.h>
#include <map>

namespace garland {

Result<PosedUsdDone> write_posed_usd(const Show& show, const PosedUsdOrder& order, Progress& progress) {
    GARLAND_CHECK(validate(order.frames));
    GARLAND_TRY(layer, UsdLayerWriter::create(order.path, usd_form(order.path), order.existing));
    const FrameRange range = order.frames.range;
    const std::string top = usd_identifier(order.name);
    put_header(layer, top, static_cast<double>(range.first), static_cast<double>(range.last), show.settings.rate,
               order.as);
    UsdOutPrim& root = layer.root().child(UsdOutPrim::def, "Xform", top);
    PosedUsdDone done;
    std::map<std::int64_t, UsdOutPrim*> prims; // by number
    for (const ArrangementShow& a : show.arrangements) {
        if (!a.usable) continue;
        const SourceKind kind = a.sampler.source()->facts().kind;
        if (kind == SourceKind::volume) {
            if (!a.places.empty())
                done.left_out.push_back(
                    fmt::format("{} (a volume: hand it off as PLY, with volumes beside)", a.spec.name));
            continue;
        }
        for (std::size_t i = 0; i < a.places.size(); ++i) {
            const std::string name = usd_identifier(copy_name(a.number(i), show.copies()));
            UsdOutPrim& prim = root.child(UsdOutPrim::def, kind == SourceKind::particles ? "Points" : "Mesh", name);
            prims[a.number(i)] = &prim;
        }
    }
    PlacedCopy placed{order.as};
    // Placed and written while the next frame is posed.
    auto add = [&](double t, const std::vector<Posed>& all) {
        for (const Posed& posed : all) {
            for (std::size_t i = 0; i < posed.picks.copies.size(); ++i) {
                const auto at = prims.find(posed.arrangement->number(i));
                if (at == prims.end()) continue;
                const std::uint32_t pick = posed.picks.copies[i];
                layer.sample(*at->second, "token", "visibility", t,
                             usd_token(pick == no_pose ? "invisible" : "inherited"));
                if (pick == no_pose) continue;
                const Pose& pose = *posed.poses[pick].pose;
                place_copy(posed, i, placed);
                put_pose(layer, *at->second, t, pose, lists_of(placed, pose));
            }
        }
    };
    Behind adding;
    for (std::int64_t k = 0; k < order.frames.moments(); ++k) {
        const double t = order.frames.moment(k).at.value;
        progress.report(static_cast<double>(k) / static_cast<double>(order.frames.moments()),
                        fmt::format("frame {}", t));
        if (progress.cancelled())
            return fail(
                Error{ErrorCode::cancelled, fmt::format("stopped before frame {}", t)}.keeping("nothing was written"));
        GARLAND_TRY(all, pose_all(show, OutputFrame(t), progress));
        GARLAND_CHECK(adding.run([&add, t, all = std::move(all)]() -> Result<void> {
            add(t, all);
            return {};
        }));
    }
    GARLAND_CHECK(adding.wait());
    for (auto& [number, prim] : prims) {
        if (prim->type == "Mesh") layer.set_uniform(*prim, "token", "subdivisionScheme", usd_token("none"));
    }
    GARLAND_CHECK(layer.finish());
    GARLAND_CHECK(layer.publish());
    done.bytes = static_cast<double>(layer.bytes());
    done.copies = static_cast<std::int64_t>(prims.size());
    done.frames = order.frames.count();
    progress.report(1, "written");
    return done;
}

Result<double> posed_usd_bytes(const Show& show, const PosedUsdOrder& order, Progress& progress) {
    GARLAND_CHECK(validate(order.frames));
    GARLAND_TRY(all, pose_all(show, OutputFrame(static_cast<double>(order.frames.range.first)), progress));
    const bool text = usd_form(order.path) == UsdForm::text;
    double each = 0, once = 2000;
    for (const Posed& posed : all) {
        for (const std::uint32_t pick : posed.picks.copies) {
            once += 400;
            if (pick == no_pose) continue;
            const Pose& pose = *posed.poses[pick].pose;
            each += 3.0 *
                    static_cast<double>(pose.points.size() + lists_of(pose).normals.size() + pose.velocities.size()) *
                    (text ? 12 : 4);
            for (const Attribute& a : pose.attributes)
                each += static_cast<double>(a.values.size() + a.whole.size()) * (text ? 11 : 4);
            if (text) once += 6.0 * static_cast<double>(pose.faces->corners.size() + pose.faces->starts.size());
        }
    }
    return once + each * static_cast<double>(order.frames.moments());
}

} // namespace garland
