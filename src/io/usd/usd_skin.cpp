// Skeletons and blend shapes (Alliance for OpenUSD, UsdSkel schemas): linear blend skinning.
#include "io/usd/usd_scene.h"

#include "core/base/parallel.h"

#include <algorithm>
#include <cmath>

namespace garland {

namespace {

std::vector<M44d> matrices(const std::vector<double>& v) {
    std::vector<M44d> out(v.size() / 16);
    for (std::size_t i = 0; i < out.size(); ++i) {
        for (int k = 0; k < 16; ++k) out[i][k / 4][k % 4] = v[i * 16 + static_cast<std::size_t>(k)];
    }
    return out;
}

std::vector<M44d> matrices_of(const UsdScene& scene, const UsdPrim& p, const char* name, double time) {
    const UsdAttribute* a = p.find(name);
    return a ? matrices(scene.numbers(*a, time)) : std::vector<M44d>{};
}

std::vector<std::string> names_of(const UsdScene& scene, const UsdPrim& p, const char* name, double time) {
    const UsdAttribute* a = p.find(name);
    return a ? scene.words(*a, time) : std::vector<std::string>{};
}

int place_of(const std::vector<std::string>& names, const std::string& name) {
    const auto at = std::find(names.begin(), names.end(), name);
    return at == names.end() ? -1 : static_cast<int>(at - names.begin());
}

// Every joint's transform in the skeleton's space, divided by the one it was bound in.
std::vector<M44d> skinning(const UsdScene& scene, const UsdPrim& skeleton, int animation, double time) {
    const auto joints = names_of(scene, skeleton, "joints", time);
    auto local = matrices_of(scene, skeleton, "restTransforms", time);
    const auto bind = matrices_of(scene, skeleton, "bindTransforms", time);
    if (bind.size() != joints.size())
        scene.bad(skeleton,
                  fmt::format("has {} joints and {} transforms they were bound in", joints.size(), bind.size()));
    local.resize(joints.size());
    if (animation >= 0) {
        const UsdPrim& anim = scene.prim(animation);
        const auto moved = names_of(scene, anim, "joints", time);
        const UsdAttribute *t = anim.find("translations"), *r = anim.find("rotations"), *s = anim.find("scales");
        const auto ts = t ? scene.vectors(*t, time) : std::vector<V3f>{};
        const auto rs = r ? scene.rotations(*r, time) : std::vector<Quatd>{};
        const auto ss = s ? scene.vectors(*s, time) : std::vector<V3f>{};
        if (ts.size() == moved.size() && rs.size() == moved.size() && ss.size() == moved.size()) {
            for (std::size_t j = 0; j < joints.size(); ++j) {
                const int k = place_of(moved, joints[j]);
                if (k < 0) continue;
                const auto i = static_cast<std::size_t>(k);
                M44d m;
                if (rs[i].length() > 1e-12) m = rs[i].normalized().toMatrix44();
                for (int row = 0; row < 3; ++row) {
                    for (int c = 0; c < 3; ++c) m[row][c] *= ss[i][row];
                }
                m[3][0] = ts[i].x, m[3][1] = ts[i].y, m[3][2] = ts[i].z;
                local[j] = m;
            }
        }
    }
    std::vector<M44d> out(joints.size());
    std::vector<char> done(joints.size(), 0);
    for (std::size_t j = 0; j < joints.size(); ++j) {
        // Parents stand before their children, as the schema asks.
        std::string above = joints[j];
        int parent = -1;
        while (parent < 0) {
            const std::size_t cut = above.rfind('/');
            if (cut == above.npos || cut == 0) break;
            above.resize(cut);
            parent = place_of(joints, above);
        }
        if (parent >= static_cast<int>(j))
            scene.bad(skeleton, fmt::format("has the joint {} before its parent", joints[j]));
        out[j] = parent < 0 ? local[j] : local[j] * out[static_cast<std::size_t>(parent)];
        done[j] = 1;
    }
    for (std::size_t j = 0; j < joints.size(); ++j) out[j] = bind[j].inverse() * out[j];
    return out;
}

} // namespace

const std::vector<std::string>* UsdSkins::inherited(int prim, std::string_view relationship) const {
    for (int p = prim; p >= 0; p = scene_.prim(p).parent) {
        const auto* targets = scene_.prim(p).targets(relationship);
        if (targets) return targets;
    }
    return nullptr;
}

int UsdSkins::animation_of(int prim, int skeleton) const {
    const auto* from = inherited(skeleton >= 0 ? skeleton : prim, "skel:animationSource");
    if (!from && skeleton >= 0) from = inherited(prim, "skel:animationSource");
    const int animation = from && !from->empty() ? scene_.stage->prim_at(from->front()) : -1;
    return animation >= 0 && scene_.prim(animation).type == "SkelAnimation" ? animation : -1;
}

bool UsdSkins::binds(int prim) const {
    bool below_root = false;
    for (int p = prim; p >= 0; p = scene_.prim(p).parent) below_root |= scene_.prim(p).type == "SkelRoot";
    if (!below_root) return false;
    const UsdPrim& p = scene_.prim(prim);
    return (p.find("primvars:skel:jointIndices") && inherited(prim, "skel:skeleton")) || p.find("skel:blendShapes");
}

void UsdSkins::blend_shapes(int prim, int animation, double time, Pose& pose) const {
    const UsdPrim& p = scene_.prim(prim);
    const auto* targets = p.targets("skel:blendShapeTargets");
    if (!targets || animation < 0) return;
    const auto names = names_of(scene_, p, "skel:blendShapes", time),
               moved = names_of(scene_, scene_.prim(animation), "blendShapes", time);
    const UsdAttribute* all = scene_.prim(animation).find("blendShapeWeights");
    const auto weights = all ? scene_.numbers(*all, time) : std::vector<double>{};
    pose.corner_normals.clear(); // what blend shapes do to them is not said
    for (std::size_t k = 0; k < names.size() && k < targets->size(); ++k) {
        const int at = place_of(moved, names[k]), shape = scene_.stage->prim_at((*targets)[k]);
        if (at < 0 || shape < 0 || static_cast<std::size_t>(at) >= weights.size()) continue;
        const auto w = static_cast<float>(weights[static_cast<std::size_t>(at)]);
        if (w == 0) continue;
        const UsdPrim& s = scene_.prim(shape);
        const UsdAttribute *offsets = s.find("offsets"), *turns = s.find("normalOffsets"),
                           *which = s.find("pointIndices");
        const auto moves = offsets ? scene_.vectors(*offsets, time) : std::vector<V3f>{};
        const auto bends = turns ? scene_.vectors(*turns, time) : std::vector<V3f>{};
        const auto indices = which ? scene_.wholes(*which, time) : std::vector<std::int64_t>{};
        for (std::size_t i = 0; i < moves.size(); ++i) {
            const std::int64_t point = indices.empty()      ? static_cast<std::int64_t>(i)
                                       : i < indices.size() ? indices[i]
                                                            : -1;
            if (point < 0 || point >= static_cast<std::int64_t>(pose.points.size()))
                scene_.bad(s, fmt::format("moves point {}, but there are only {}", point, pose.points.size()));
            pose.points[static_cast<std::size_t>(point)] += moves[i] * w;
            if (i < bends.size() && !pose.normals.empty())
                pose.normals[static_cast<std::size_t>(point)] += bends[i] * w;
        }
    }
}

static V3f turned_normal(const V3f& n, const M44d& by) {
    V3d out;
    by.multDirMatrix(V3d(n), out);
    return V3f(out.normalized());
}

bool UsdSkins::apply(int prim, double time, Pose& pose, int& skeleton) const {
    const UsdPrim& p = scene_.prim(prim);
    const auto* bound = inherited(prim, "skel:skeleton");
    skeleton = bound && !bound->empty() ? scene_.stage->prim_at(bound->front()) : -1;
    const int animation = animation_of(prim, skeleton);
    blend_shapes(prim, animation, time, pose);
    const UsdAttribute *which = p.find("primvars:skel:jointIndices"), *how = p.find("primvars:skel:jointWeights");
    if (skeleton < 0 || scene_.prim(skeleton).type != "Skeleton" || !which || !how) return false;
    pose.velocities.clear(); // of the mesh at rest
    const UsdPrim& bones = scene_.prim(skeleton);
    std::vector<M44d> moves = skinning(scene_, bones, animation, time);
    if (const auto own = names_of(scene_, p, "skel:joints", time); !own.empty()) {
        const auto joints = names_of(scene_, bones, "joints", time);
        std::vector<M44d> picked;
        for (const std::string& name : own) {
            const int at = place_of(joints, name);
            if (at < 0) scene_.bad(p, fmt::format("is bound to the joint {}, which its skeleton does not have", name));
            picked.push_back(moves[static_cast<std::size_t>(at)]);
        }
        moves = std::move(picked);
    }
    const auto indices = scene_.wholes(*which, time);
    const auto weights = scene_.floats(*how, time, 1);
    const auto each = static_cast<std::size_t>(which->element_size);
    const bool rigid = which->interpolation == "constant";
    const std::size_t wanted = rigid ? each : each * pose.points.size();
    if (indices.size() != wanted || weights.size() != wanted)
        scene_.bad(p,
                   fmt::format("has {} joints and {} weights, {} are needed", indices.size(), weights.size(), wanted));
    for (const std::int64_t j : indices) {
        if (j < 0 || j >= static_cast<std::int64_t>(moves.size()))
            scene_.bad(p, fmt::format("is bound to joint {}, but there are only {}", j, moves.size()));
    }
    M44d geometry;
    if (const auto bind = matrices_of(scene_, p, "primvars:skel:geomBindTransform", time); bind.size() == 1)
        geometry = bind[0];
    std::vector<M44d> turns(pose.corner_normals.empty() ? 0 : pose.points.size());
    parallel_for(pose.points.size(), 8192, [&](std::size_t from, std::size_t to) {
        for (std::size_t i = from; i < to; ++i) {
            M44d blended(0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0);
            for (std::size_t k = 0; k < each; ++k) {
                const std::size_t at = (rigid ? 0 : i * each) + k;
                if (weights[at] != 0)
                    blended += moves[static_cast<std::size_t>(indices[at])] * static_cast<double>(weights[at]);
            }
            blended = geometry * blended;
            const V3d at(pose.points[i]);
            for (int k = 0; k < 3; ++k)
                pose.points[i][k] = static_cast<float>(at.x * blended[0][k] + at.y * blended[1][k] +
                                                       at.z * blended[2][k] + blended[3][k]);
            if (pose.normals.empty() && turns.empty()) continue;
            M44d turn = blended;
            for (int k = 0; k < 3; ++k) turn[3][k] = turn[k][3] = 0;
            turn[3][3] = 1;
            turn = turn.inverse().transposed();
            if (!turns.empty()) turns[i] = turn;
            if (!pose.normals.empty()) pose.normals[i] = turned_normal(pose.normals[i], turn);
        }
    });
    for (std::size_t c = 0; c < pose.corner_normals.size(); ++c)
        pose.corner_normals[c] = turned_normal(pose.corner_normals[c], turns[pose.faces->corners[c]]);
    return true;
}

std::vector<double> UsdSkins::sample_times(int prim) const {
    std::vector<double> out;
    if (!binds(prim)) return out;
    const auto* bound = inherited(prim, "skel:skeleton");
    const int skeleton = bound && !bound->empty() ? scene_.stage->prim_at(bound->front()) : -1;
    const int animation = animation_of(prim, skeleton);
    if (animation < 0) return out;
    for (const UsdAttribute& a : scene_.prim(animation).attributes) {
        const auto times = a.sample_times();
        out.insert(out.end(), times.begin(), times.end());
    }
    return out;
}

void UsdSkins::tell(int prim, std::vector<SourceProblem>& problems) const {
    if (!binds(prim)) return;
    const UsdPrim& p = scene_.prim(prim);
    if (scene_.word(p, "primvars:skel:skinningMethod", "classicLinear", scene_.start()) != "classicLinear")
        problems.push_back({fmt::format("\"{}\" asks for skinning by dual quaternions", p.name),
                            "it is skinned linearly", std::nullopt});
    const auto* targets = p.targets("skel:blendShapeTargets");
    if (const UsdAttribute* normals = p.find("primvars:normals") ? p.find("primvars:normals") : p.find("normals");
        targets && normals && normals->interpolation == "faceVarying")
        problems.push_back({fmt::format("\"{}\" has normals of corners that its blend shapes do not move", p.name),
                            "smooth ones are made from its faces", std::nullopt});
    for (const std::string& t : targets ? *targets : std::vector<std::string>{}) {
        const int shape = scene_.stage->prim_at(t);
        if (shape < 0) continue;
        for (const UsdAttribute& a : scene_.prim(shape).attributes) {
            if (!a.name.starts_with("inbetweens:")) continue;
            problems.push_back({fmt::format("\"{}\" has shapes in between", scene_.prim(shape).name),
                                "the straight way to the whole shape is taken", std::nullopt});
            return;
        }
    }
}

} // namespace garland
