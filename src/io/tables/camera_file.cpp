#include "io/tables/camera_file.h"

#include "core/base/angles.h"
#include "core/base/base64.h"
#include "core/base/numbers.h"
#include "core/base/portable_math.h"
#include "core/project/camera_axes.h"
#include "core/time/frame_steps.h"

#include <Imath/ImathMatrixAlgo.h>
#include <array>
#include <cmath>
#include <cstring>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

namespace garland {

namespace {

constexpr double aperture = 24; // tenths of a scene unit, upright; only its ratio to the focal length counts

double focal_length(const Camera& c) {
    const double half = c.field_of_view / 2 * radians;
    return aperture / 2 * portable::cos(half) / portable::sin(half);
}

template <class Use>
void each_frame(const CameraOrder& order, const CameraPlan& plan, Use&& use) {
    for (std::int64_t k = 0; k < order.frames.moments(); ++k) {
        const OutputFrame at = order.frames.moment(k).at;
        use(at.value, plan.at(at));
    }
}

std::string usd_text(const Project& project, const CameraOrder& order, const CameraPlan& plan) {
    std::string matrices, lengths, focus;
    each_frame(order, plan, [&](double f, const Camera& c) {
        const CameraAxes own = axes_of(c);
        const WrittenAs& as = order.as;
        const CameraAxes p{as.turned(own.right), as.turned(own.up), as.turned(own.back), as.sized(own.place)};
        auto n = [](double v) { return exact_number(v); };
        matrices +=
            fmt::format("            {}: (({}, {}, {}, 0), ({}, {}, {}, 0), ({}, {}, {}, 0), ({}, {}, {}, 1)),\n", n(f),
                        n(p.right.x), n(p.right.y), n(p.right.z), n(p.up.x), n(p.up.y), n(p.up.z), n(p.back.x),
                        n(p.back.y), n(p.back.z), n(p.place.x), n(p.place.y), n(p.place.z));
        lengths += fmt::format("            {}: {},\n", n(f), n(focal_length(c)));
        focus += fmt::format("            {}: {},\n", n(f), n(c.distance / order.as.unit));
    });
    return fmt::format(R"(#usda 1.0
(
    defaultPrim = "camera"
    endTimeCode = {}
    metersPerUnit = {}
    startTimeCode = {}
    timeCodesPerSecond = {}
    upAxis = "{}"
)

def Camera "camera"
{{
    float2 clippingRange = ({}, {})
    float focalLength.timeSamples = {{
{}    }}
    float focusDistance.timeSamples = {{
{}    }}
    float horizontalAperture = {}
    token projection = "perspective"
    float verticalAperture = {}
    matrix4d xformOp:transform.timeSamples = {{
{}    }}
    uniform token[] xformOpOrder = ["xformOp:transform"]
}}
)",
                       order.frames.range.last, exact_number(order.as.unit), order.frames.range.first,
                       exact_number(project.settings.rate.per_second()), order.as.z_up ? "Z" : "Y",
                       exact_number(0.01 / order.as.unit), exact_number(100000 / order.as.unit), lengths, focus,
                       exact_number(aperture * order.aspect), exact_number(aperture), matrices);
}

// The camera's places, and its turns as quaternions (x, y, z, w) the short way round, at every output frame.
struct GltfTrack {
    std::vector<float> times, places, turns; // times in seconds
    double field_of_view = 0;                // degrees, of the first frame
    bool zooms = false;                      // the field of view changes
};

GltfTrack gltf_track(const Project& project, const CameraOrder& order, const CameraPlan& plan) {
    GltfTrack out;
    std::array<double, 4> before{};
    each_frame(order, plan, [&](double f, const Camera& c) {
        if (out.times.empty()) out.field_of_view = c.field_of_view;
        out.zooms |= std::abs(c.field_of_view - out.field_of_view) > 1e-6;
        const CameraAxes p = axes_of(c);
        const Imath::Quatd turn =
            Imath::extractQuat(Imath::M44d(p.right.x, p.right.y, p.right.z, 0, p.up.x, p.up.y, p.up.z, 0, p.back.x,
                                           p.back.y, p.back.z, 0, 0, 0, 0, 1));
        std::array<double, 4> q{turn.v.x, turn.v.y, turn.v.z, turn.r};
        double same = 0;
        for (std::size_t k = 0; k < 4; ++k) same += q[k] * before[k];
        if (same < 0) {
            for (double& v : q) v = -v;
        }
        before = q;
        const double begins = order.frames.moment(0).at.value;
        out.times.push_back(static_cast<float>(project.settings.rate.start_of(f - begins).value));
        for (int k = 0; k < 3; ++k) out.places.push_back(static_cast<float>(p.place[k]));
        for (double v : q) out.turns.push_back(static_cast<float>(v));
    });
    return out;
}

Result<std::string> gltf_text(const Project& project, const CameraOrder& order, const CameraPlan& plan) {
    const GltfTrack track = gltf_track(project, order, plan);
    if (track.zooms)
        return fail(
            Error{ErrorCode::unsupported, "the field of view changes over these frames, and glTF has one field of view"}
                .at(order.path)
                .keeping("nothing was written")
                .advise("write .usda, or frames over which the field of view stays"));
    std::string bytes;
    using Json = nlohmann::json;
    Json views = Json::array(), accessors = Json::array();
    auto add = [&](const std::vector<float>& list, const char* type, int width) {
        views.push_back({{"buffer", 0}, {"byteOffset", bytes.size()}, {"byteLength", list.size() * sizeof(float)}});
        bytes.append(reinterpret_cast<const char*>(list.data()), list.size() * sizeof(float));
        accessors.push_back({{"bufferView", views.size() - 1},
                             {"componentType", 5126},
                             {"count", list.size() / static_cast<std::size_t>(width)},
                             {"type", type}});
        return accessors.size() - 1;
    };
    const std::size_t time = add(track.times, "SCALAR", 1), place = add(track.places, "VEC3", 3),
                      turn = add(track.turns, "VEC4", 4);
    accessors[time]["min"] = Json::array({track.times.front()});
    accessors[time]["max"] = Json::array({track.times.back()});
    Json j{{"asset", {{"version", "2.0"}, {"generator", "Garland"}}},
           {"scene", 0},
           {"scenes", {{{"nodes", {0}}}}},
           {"nodes", {{{"name", "camera"}, {"camera", 0}}}},
           {"cameras",
            {{{"type", "perspective"},
              {"perspective",
               {{"yfov", track.field_of_view * radians}, {"aspectRatio", order.aspect}, {"znear", 0.01}}}}}},
           {"bufferViews", views},
           {"accessors", accessors},
           {"buffers",
            {{{"byteLength", bytes.size()}, {"uri", "data:application/octet-stream;base64," + base64(bytes)}}}}};
    j["animations"] = {{{"name", "camera"},
                        {"samplers",
                         {{{"input", time}, {"output", place}, {"interpolation", "LINEAR"}},
                          {{"input", time}, {"output", turn}, {"interpolation", "LINEAR"}}}},
                        {"channels",
                         {{{"sampler", 0}, {"target", {{"node", 0}, {"path", "translation"}}}},
                          {{"sampler", 1}, {"target", {{"node", 0}, {"path", "rotation"}}}}}}}};
    return j.dump(1) + "\n";
}

} // namespace

std::string camera_table_header() {
    return "output_frame,target_x,target_y,target_z,distance,azimuth,elevation,field_of_view\n";
}

std::string camera_table_row(double t, const Camera& c) {
    return fmt::format("{},{},{},{},{},{},{},{}\n", exact_number(t), exact_number(c.target.x), exact_number(c.target.y),
                       exact_number(c.target.z), exact_number(c.distance), exact_number(c.azimuth),
                       exact_number(c.elevation), exact_number(c.field_of_view));
}

Result<void> write_camera(const Project& project, const CameraOrder& order) {
    GARLAND_CHECK(validate(order.frames));
    if (order.frames.moments() > 10'000'000)
        return fail(Error{ErrorCode::too_large, "these are too many frames for a camera"}.advise(
            "write ten million frames or fewer"));
    if (!std::isfinite(order.aspect) || order.aspect <= 0 || order.aspect > 1000)
        return fail(Error{ErrorCode::invalid, "the shape of the picture must be above 0"}.advise("16:9 is usual"));
    const CameraPlan plan(project.settings.camera_keys, project.settings.camera);
    const std::string kind = extension(order.path);
    if (kind == ".usda") return write_file(order.path, usd_text(project, order, plan), order.existing);
    if (kind == ".gltf") {
        GARLAND_TRY(text, gltf_text(project, order, plan));
        return write_file(order.path, text, order.existing);
    }
    if (kind == ".csv") {
        std::string text = camera_table_header();
        each_frame(order, plan, [&](double f, const Camera& c) { text += camera_table_row(f, c); });
        return write_file(order.path, text, order.existing);
    }
    return fail(Error{ErrorCode::invalid, fmt::format("a camera cannot be written as \"{}\"", kind)}
                    .at(order.path)
                    .keeping("nothing was written")
                    .advise("use .usda, .gltf or .csv"));
}

} // namespace garland
