#include "io/usd/posed_usd.h"

#include "core/base/behind.h"
#include "core/base/parallel.h"
#include "core/scene/placed_copy.h"
#include "core/time/frame_steps.h"
#include "io/usd/pose_prim.h"

#include <algorithm>
#include <array>
#include <fmt/format.h>
#include <map>

namespace garland {

namespace {

using CopyPrims = std::map<std::int64_t, UsdOutPrim*>; // by number

// A prim for every copy; those that USD cannot hold are named in left_out.
CopyPrims make_prims(const Show& show, UsdOutPrim& root, std::vector<std::string>& left_out) {
    CopyPrims prims;
    for (const ArrangementShow& a : show.arrangements) {
        if (!a.usable) continue;
        const SourceKind kind = a.sampler.source()->facts().kind;
        if (kind == SourceKind::volume) {
            if (!a.places.empty())
                left_out.push_back(fmt::format("{} (a volume: hand it off as PLY, with volumes beside)", a.spec.name));
            continue;
        }
        for (std::size_t i = 0; i < a.places.size(); ++i) {
            const std::string name = usd_identifier(copy_name(a.number(i), show.copies()));
            UsdOutPrim& prim = root.child(UsdOutPrim::def, kind == SourceKind::particles ? "Points" : "Mesh", name);
            prims[a.number(i)] = &prim;
        }
    }
    return prims;
}

// A copy where it stands at one frame; pose: null where it is not there.
struct PlacedPrim {
    UsdOutPrim* prim = nullptr;
    const Posed* posed = nullptr;
    std::size_t copy = 0;
    const Pose* pose = nullptr;
    PlacedCopy placed{};
};

// All copies of a frame, placed; the memory of `out` is used again.
void place_all(const std::vector<Posed>& all, const CopyPrims& prims, const WrittenAs& as,
               std::vector<PlacedPrim>& out) {
    std::size_t count = 0, points = 0;
    for (const Posed& posed : all) {
        for (std::size_t i = 0; i < posed.picks.copies.size(); ++i) {
            const auto at = prims.find(posed.arrangement->number(i));
            if (at == prims.end()) continue;
            if (count == out.size()) out.emplace_back();
            PlacedPrim& one = out[count++];
            const std::uint32_t pick = posed.picks.copies[i];
            one.prim = at->second, one.posed = &posed, one.copy = i, one.placed.as = as;
            one.pose = pick == no_pose ? nullptr : posed.poses[pick].pose.get();
            if (one.pose) points += one.pose->points.size();
        }
    }
    out.resize(count);
    const std::size_t at_once = std::max<std::size_t>(1, count * 16384 / std::max<std::size_t>(points, 1));
    parallel_for(count, at_once, [&](std::size_t from, std::size_t to) {
        for (std::size_t k = from; k < to; ++k) {
            if (out[k].pose) place_copy(*out[k].posed, out[k].copy, out[k].placed);
        }
    });
}

} // namespace

Result<PosedUsdDone> write_posed_usd(const Show& show, const PosedUsdOrder& order, Progress& progress) {
    GARLAND_CHECK(validate(order.frames));
    GARLAND_TRY(layer, UsdLayerWriter::create(order.path, usd_form(order.path), order.existing));
    layer.hash_in_any_case();
    const FrameRange range = order.frames.range;
    const std::string top = usd_identifier(order.name);
    put_header(layer, top, static_cast<double>(range.first), static_cast<double>(range.last), show.settings.rate,
               order.as);
    UsdOutPrim& root = layer.root().child(UsdOutPrim::def, "Xform", top);
    PosedUsdDone done;
    CopyPrims prims = make_prims(show, root, done.left_out);
    std::array<std::vector<PlacedPrim>, 2> frames; // one is written while the other is posed and placed
    auto add = [&](double t, const std::vector<PlacedPrim>& all) {
        for (const PlacedPrim& one : all) {
            layer.sample(*one.prim, "token", "visibility", t, usd_token(one.pose ? "inherited" : "invisible"));
            if (one.pose) put_pose(layer, *one.prim, t, *one.pose, lists_of(one.placed, *one.pose));
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
        auto& now = frames[static_cast<std::size_t>(k) % 2];
        place_all(all, prims, order.as, now);
        GARLAND_CHECK(adding.run([&add, &now, t, all = std::move(all)]() -> Result<void> { // all: its poses are written
            add(t, now);
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
    done.written = layer.written();
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
