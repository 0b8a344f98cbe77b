#include "io/gltf/viewer_glb.h"

#include "core/base/numbers.h"
#include "core/base/parallel.h"
#include "core/copies/attitude.h"
#include "core/geometry/corner_normals.h"
#include "io/gltf/glb_buffer.h"
#include "io/gltf/gltf_pictures.h"
#include "io/gltf/viewer_shapes.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <map>

namespace garland {

namespace {

using Json = nlohmann::ordered_json;

class ViewerWriter {
  public:
    ViewerWriter(const Show& show, const ViewerOrder& order) : show_(show), order_(order) {}

    Result<void> add(const ViewerShape& shape, Progress& progress) {
        GARLAND_TRY(mesh, mesh_of(shape, progress));
        for (std::size_t k = 0; k < shape.shows.size(); ++k) {
            const ArrangementShow& a = *shape.shows[k];
            GARLAND_TRY(tracks, tracks_of(a, progress));
            for (std::size_t i = 0; i < a.places.size(); ++i) {
                const std::size_t node = nodes_.size();
                const Placement& p = a.places[i];
                const Imath::Quatd q = attitude_of(p);
                Json one{{"name", copy_name(a.number(i), show_.copies())}, {"mesh", mesh}};
                one["translation"] = {p.position.x, p.position.y, p.position.z};
                one["rotation"] = {q.v.x, q.v.y, q.v.z, q.r};
                const V3d size = V3d(p.stretch) * p.size;
                one["scale"] = {size.x, size.y, size.z};
                nodes_.push_back(std::move(one));
                roots_.push_back(node);
                weights(node, shape,
                        weight_keys(shape, shape.clocks[k][i], static_cast<double>(order_.frames.first),
                                    show_.settings.rate));
                moved(node, tracks, i);
                hidden(node, shape.clocks[k][i], tracks, i, size);
            }
        }
        return {};
    }

    Result<void> finish() {
        Json j{{"asset", {{"version", "2.0"}, {"generator", "Garland"}}},
               {"scene", 0},
               {"scenes", {{{"nodes", roots_}}}},
               {"nodes", nodes_},
               {"meshes", meshes_}};
        if (!materials_.empty()) j["materials"] = materials_;
        if (!channels_.empty())
            j["animations"] = {{{"name", "copies"}, {"channels", channels_}, {"samplers", samplers_}}};
        return write_glb_file(order_.path, std::move(j), buffer_, order_.existing);
    }

  private:
    struct Tracks { // of all copies of an arrangement, frame by frame; empty: they stand still
        std::vector<float> times;
        std::vector<std::vector<float>> places, turns, sizes; // of each copy
        std::vector<std::vector<std::uint8_t>> gone;
    };

    Result<std::size_t> mesh_of(const ViewerShape& shape, Progress& progress) {
        bool split = false; // the format has normals of points only
        auto pose_at = [&](std::int64_t number) -> Result<PosePtr> {
            GARLAND_TRY(at, shape.sampler->at(SourceFrame(shape.source_at(static_cast<double>(number))), progress));
            if (number == shape.first) split = !at.pose->corner_normals.empty();
            return split ? std::make_shared<const Pose>(split_at_corners(*at.pose)) : at.pose;
        };
        GARLAND_TRY(base, pose_at(shape.first));
        const Pose& pose = *base;
        Json attributes{{"POSITION", buffer_.vectors(pose.points, true)}};
        const bool normals = pose.normals.size() == pose.points.size();
        if (normals) attributes["NORMAL"] = buffer_.vectors(pose.normals, false);
        if (pose.uvs.size() == pose.points.size()) {
            std::vector<V2f> down;
            for (const V2f& uv : pose.uvs) down.emplace_back(uv.x, 1 - uv.y);
            attributes["TEXCOORD_0"] = buffer_.add(down.data(), down.size(), 2, gl_float, gl_vertices, false);
        }
        if (pose.colours.size() == pose.points.size()) attributes["COLOR_0"] = buffer_.vectors(pose.colours, false);
        Json targets = Json::array();
        std::vector<float> nothing;
        for (std::int64_t g = shape.first + 1; g <= shape.last; ++g) {
            progress.report(static_cast<double>(g - shape.first) / static_cast<double>(shape.poses()), "poses");
            if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped while writing poses");
            GARLAND_TRY(next, pose_at(g));
            const Pose& other = *next;
            if (other.points.size() != pose.points.size()) {
                return fail(Error{ErrorCode::unsupported, "the number of points changes"}
                                .at_frame(g / shape.parts)
                                .keeping("nothing was written")
                                .advise("hand it off as shared poses"));
            }
            Json target{{"POSITION", buffer_.vectors(differences(other.points, pose.points), true)}};
            // Targets have what the base has: of a pose whose edges are hard only now, the mean of their corners.
            const std::vector<V3f> turned = normals ? normals_at_points(other) : std::vector<V3f>();
            if (normals && turned.size() == pose.normals.size())
                target["NORMAL"] = buffer_.vectors(differences(turned, pose.normals), false);
            targets.push_back(std::move(target));
            nothing.push_back(0);
        }
        Json primitives = Json::array();
        for (auto& [material, corners] : triangles_by_material(*pose.faces)) {
            Json one{{"attributes", attributes},
                     {"mode", 4},
                     {"indices", buffer_.add(corners.data(), corners.size(), 1, gl_unsigned, gl_indices, false)},
                     {"material", materials_.size()}};
            if (!targets.empty()) one["targets"] = targets;
            Json look{{"name", material}, {"doubleSided", true}};
            if (const auto picture = pose.faces->pictures.find(material); picture != pose.faces->pictures.end())
                look["extras"][gltf_picture] = picture->second;
            materials_.push_back(std::move(look));
            primitives.push_back(std::move(one));
        }
        Json mesh{{"primitives", primitives}};
        if (!nothing.empty()) mesh["weights"] = nothing;
        meshes_.push_back(std::move(mesh));
        return meshes_.size() - 1;
    }

    static std::vector<V3f> differences(const std::vector<V3f>& a, const std::vector<V3f>& b) {
        std::vector<V3f> out(a.size());
        for (std::size_t i = 0; i < a.size(); ++i) out[i] = a[i] - b[i];
        return out;
    }

    static std::map<std::string, std::vector<std::uint32_t>> triangles_by_material(const Faces& faces) {
        std::map<std::string, std::vector<std::uint32_t>> out;
        for (std::size_t f = 0; f < faces.count(); ++f) {
            const bool named = f < faces.material_of.size() && faces.material_of[f] < faces.materials.size();
            auto& list = out[named ? faces.materials[faces.material_of[f]] : "surface"];
            for (std::uint32_t c = faces.starts[f] + 1; c + 1 < faces.starts[f + 1]; ++c)
                list.insert(list.end(), {faces.corners[faces.starts[f]], faces.corners[c], faces.corners[c + 1]});
        }
        return out;
    }

    void channel(std::size_t node, const char* path, const std::vector<float>& times, const std::vector<float>& values,
                 int width, const char* way) {
        const int input = buffer_.numbers(times, 1, true), output = buffer_.numbers(values, width, false);
        channels_.push_back({{"sampler", samplers_.size()}, {"target", {{"node", node}, {"path", path}}}});
        samplers_.push_back({{"input", input}, {"output", output}, {"interpolation", way}});
    }

    void weights(std::size_t node, const ViewerShape& shape, const WeightKeys& keys) {
        const std::size_t targets = shape.poses() - 1;
        if (targets == 0 || keys.times.empty()) return;
        std::vector<float> values(keys.times.size() * targets, 0.0f);
        for (std::size_t k = 0; k < keys.times.size(); ++k) {
            const double g =
                std::clamp(keys.grid[k] - static_cast<double>(shape.first), 0.0, static_cast<double>(targets));
            const auto below = static_cast<std::size_t>(std::min(std::floor(g), static_cast<double>(targets)));
            const double w = g - static_cast<double>(below);
            if (below > 0) values[k * targets + below - 1] = static_cast<float>(1 - w);
            if (w > 0) values[k * targets + below] = static_cast<float>(w);
        }
        channel(node, "weights", keys.times, values, 1, "LINEAR");
    }

    Result<Tracks> tracks_of(const ArrangementShow& a, Progress& progress) {
        Tracks out;
        if (!a.moves()) return out;
        const std::size_t n = a.places.size();
        out.places.resize(n), out.turns.resize(n), out.sizes.resize(n), out.gone.resize(n);
        for (std::int64_t f = order_.frames.first; f <= order_.frames.last; ++f) {
            if (progress.cancelled()) return fail(ErrorCode::cancelled, fmt::format("stopped at frame {}", f));
            out.times.push_back(
                static_cast<float>(show_.settings.rate.start_of(static_cast<double>(f - order_.frames.first)).value));
            GARLAND_TRY(standing, places_at(a, OutputFrame(static_cast<double>(f)), false, progress));
            for (std::size_t i = 0; i < n; ++i) {
                const Placement& p = standing.places[i];
                Imath::Quatd q = attitude_of(p);
                auto& turns = out.turns[i];
                if (turns.size() >= 4) { // the short way round
                    const float* last = turns.data() + turns.size() - 4;
                    if (last[0] * q.v.x + last[1] * q.v.y + last[2] * q.v.z + last[3] * q.r < 0) q = q * -1.0;
                }
                for (int k = 0; k < 3; ++k) {
                    out.places[i].push_back(static_cast<float>(p.position[k]));
                    out.sizes[i].push_back(static_cast<float>(p.stretch[k] * p.size));
                    turns.push_back(static_cast<float>(q.v[k]));
                }
                turns.push_back(static_cast<float>(q.r));
                out.gone[i].push_back(!standing.gone.empty() && standing.gone[i] != 0);
            }
        }
        return out;
    }

    void moved(std::size_t node, const Tracks& tracks, std::size_t i) {
        if (tracks.times.empty()) return;
        channel(node, "translation", tracks.times, tracks.places[i], 3, "LINEAR");
        channel(node, "rotation", tracks.times, tracks.turns[i], 4, "LINEAR");
    }

    // What hides a copy is a scale of 0, from one key to the next.
    void hidden(std::size_t node, const ClockPieces& clock, const Tracks& tracks, std::size_t i, const V3d& size) {
        const bool always = clock.shown.size() == 1 && clock.shown.front().shown;
        const bool carried = !tracks.times.empty() &&
                             std::any_of(tracks.gone[i].begin(), tracks.gone[i].end(), [](auto g) { return g != 0; });
        if (always && !carried) {
            if (!tracks.times.empty()) channel(node, "scale", tracks.times, tracks.sizes[i], 3, "LINEAR");
            return;
        }
        std::map<float, std::array<float, 3>> keys;
        const auto first = static_cast<double>(order_.frames.first);
        auto shown_at = [&](double t) {
            bool is = true;
            for (const auto& s : clock.shown) {
                if (s.from <= t + 1e-9) is = s.shown;
            }
            return is;
        };
        auto frame_at = [&](double t) {
            return static_cast<std::size_t>(
                std::clamp(std::floor(t - first + 1e-9), 0.0, static_cast<double>(tracks.times.size()) - 1));
        };
        auto put = [&](double t) {
            const bool there = shown_at(t) && (tracks.times.empty() || tracks.gone[i][frame_at(t)] == 0);
            std::array<float, 3> s{};
            for (std::size_t k = 0; there && k < 3; ++k)
                s[k] = tracks.times.empty() ? static_cast<float>(size[static_cast<int>(k)])
                                            : tracks.sizes[i][frame_at(t) * 3 + k];
            keys[static_cast<float>(show_.settings.rate.start_of(t - first).value)] = s;
        };
        for (const auto& s : clock.shown) put(s.from);
        for (std::size_t k = 0; k < tracks.times.size(); ++k) put(first + static_cast<double>(k));
        std::vector<float> times, values;
        for (const auto& [t, s] : keys) times.push_back(t), values.insert(values.end(), s.begin(), s.end());
        channel(node, "scale", times, values, 3, "STEP");
    }

    const Show& show_;
    const ViewerOrder& order_;
    GlbBuffer buffer_;
    Json nodes_ = Json::array(), roots_ = Json::array(), meshes_ = Json::array(), materials_ = Json::array(),
         samplers_ = Json::array(), channels_ = Json::array();
};

void fill(ViewerPlan& plan, const std::vector<ViewerShape>& shapes, const Show& show, const ViewerOrder& order) {
    for (const ViewerShape& s : shapes) {
        const SourceFacts& facts = s.sampler->source()->facts();
        const std::size_t targets = s.poses() > 0 ? s.poses() - 1 : 0;
        plan.targets += static_cast<std::int64_t>(targets);
        plan.bytes += viewer_pose_bytes(facts) * static_cast<double>(s.poses());
        for (std::size_t k = 0; k < s.shows.size(); ++k) {
            plan.copies += static_cast<std::int64_t>(s.shows[k]->places.size());
            for (const ClockPieces& c : s.clocks[k]) {
                const std::size_t count =
                    weight_keys(s, c, static_cast<double>(order.frames.first), show.settings.rate).times.size();
                plan.keys += static_cast<std::int64_t>(count);
                plan.bytes += static_cast<double>(count * (targets + 1)) * 4 + 900;
            }
            if (s.shows[k]->moves())
                plan.bytes +=
                    static_cast<double>(s.shows[k]->places.size()) * static_cast<double>(order.frames.count()) * 52;
        }
    }
    plan.free = free_space(folder_of(order.path));
    plan.there = file_exists(order.path);
}

} // namespace

Result<ViewerPlan> plan_viewer(const Show& show, const ViewerOrder& order, Progress& progress) {
    GARLAND_CHECK(valid_tables(order.frames, order.tolerance, order.per_frame));
    ViewerPlan plan;
    GARLAND_TRY(shapes, viewer_shapes(show, order, plan, progress));
    fill(plan, shapes, show, order);
    return plan;
}

Result<ViewerDone> write_viewer(const Show& show, const ViewerOrder& order, Progress& progress) {
    GARLAND_CHECK(valid_tables(order.frames, order.tolerance, order.per_frame));
    ViewerDone done;
    GARLAND_TRY(shapes, viewer_shapes(show, order, done.plan, progress));
    fill(done.plan, shapes, show, order);
    if (shapes.empty())
        return fail(Error{ErrorCode::unsupported, "there is no copy that can be written for a viewer"}
                        .keeping("nothing was written")
                        .advise(done.plan.left_out.empty() ? "add copies first" : done.plan.left_out.front()));
    if (order.existing == Existing::refuse && done.plan.there) {
        return fail(Error{ErrorCode::exists, "already exists"}
                        .at(order.path)
                        .keeping("the existing file")
                        .advise("choose another place, or say that it may be replaced"));
    }
    if (done.plan.bytes > 4.2e9) {
        return fail(
            Error{ErrorCode::too_large, fmt::format("about {} would be needed, more than the 4 GB a .glb can hold",
                                                    byte_count(done.plan.bytes))}
                .at(order.path)
                .keeping("nothing was written")
                .advise("write fewer frames, or hand off shared poses"));
    }
    ViewerWriter writer(show, order);
    double at = 0;
    for (const ViewerShape& s : shapes) {
        PartOf part(progress, at, at + 0.9 / static_cast<double>(shapes.size()));
        at += 0.9 / static_cast<double>(shapes.size());
        for (const auto& clocks : s.clocks) {
            for (const ClockPieces& c : clocks) done.worst_clock = std::max(done.worst_clock, c.worst);
        }
        if (s.poses() == 0) continue; // never shown
        GARLAND_CHECK(writer.add(s, part));
    }
    GARLAND_CHECK(writer.finish());
    std::uint64_t size = 0;
    GARLAND_CHECK(read_head(order.path, 1, size));
    done.bytes = static_cast<double>(size);
    progress.report(1, "written");
    return done;
}

} // namespace garland
