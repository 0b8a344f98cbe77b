#include "io/usd/usd_scene.h"

#include "io/sources/pose_check.h"

#include <algorithm>

namespace garland {

KeyedModel usd_model(const UsdScene& scene, double first, const std::vector<int>& shown) {
    KeyedModel model;
    const auto& prims = scene.stage->prims;
    const double codes = scene.stage->root->codes_a_second;
    std::vector<int> node_of(prims.size(), -1);
    for (std::size_t i = 0; i < prims.size(); ++i) {
        const UsdPrim& prim = prims[i];
        if (!prim.drawn) continue;
        const UsdOps& ops = scene.ops[i];
        const auto index = static_cast<int>(model.nodes.size());
        node_of[i] = index;
        PartNode node;
        node.name = prim.name;
        node.parent = ops.resets || prim.parent < 0 ? -1 : node_of[static_cast<std::size_t>(prim.parent)];
        for (const UsdOp& o : ops.list) {
            PartOp op = o.op;
            const bool turns = op.kind == PartOp::orient;
            const std::size_t width = turns                       ? 4
                                      : op.kind == PartOp::matrix ? 16
                                      : op.kind == PartOp::rotate ? op.axes.size()
                                                                  : 3;
            if (o.value->moves()) {
                KeyTrack track;
                track.width = static_cast<int>(width), track.rotation = turns;
                for (const double time : o.value->sample_times()) {
                    const auto value = usd_op_value(scene, prim, o, time);
                    track.times.push_back(time / codes);
                    track.values.insert(track.values.end(), value.begin(),
                                        value.begin() + static_cast<std::ptrdiff_t>(width));
                }
                op.track = static_cast<int>(model.tracks.size());
                if (auto ok = validate(track); !ok)
                    scene.bad(prim, fmt::format("has {}: {}", o.value->name, ok.error().message));
                model.tracks.push_back(std::move(track));
            } else {
                op.rest = usd_op_value(scene, prim, o, first);
            }
            node.ops.push_back(std::move(op));
        }
        if (std::binary_search(shown.begin(), shown.end(), static_cast<int>(i))) {
            PartMesh& mesh = model.meshes.emplace_back();
            mesh.base = is_usd_shape(prim.type) ? usd_shape(scene, static_cast<int>(i), first)
                                                : usd_mesh(scene, static_cast<int>(i), first, nullptr);
            mesh.base.velocities.clear();
            if (auto ok = check_pose(mesh.base, scene.stage->path); !ok) throw UsdBad{ok.error()};
            node.meshes.push_back(static_cast<int>(model.meshes.size()) - 1);
        }
        model.nodes.push_back(std::move(node));
    }
    return model;
}

} // namespace garland
