// A hand-off's order as manifests and job files hold it.
#pragma once

#include "io/handoff/outputs.h"

#include <nlohmann/json.hpp>

namespace garland {

inline void put_order(nlohmann::ordered_json& j, const HandoffOrder& o) {
    j["output"] = o.output;
    j["ending"] = o.ending;
    j["name"] = o.name;
    j["first"] = o.frames.range.first;
    j["last"] = o.frames.range.last;
    j["step"] = o.frames.step;
    j["source"] = o.source.value;
    j["poses_per_frame"] = o.poses_per_frame;
    j["tolerance"] = o.tolerance;
    if (o.as.z_up) j["up"] = "z";
    if (o.as.unit != 1) j["unit"] = o.as.unit; // metres
    if (!o.as.velocities) j["velocities"] = false;
    if (!o.as.attributes) j["attributes"] = false;
    if (o.each_copy) j["each_copy"] = true;
    if (o.frames.shutter.count != 1) {
        j["shutter_samples"] = o.frames.shutter.count;
        j["shutter"] = o.frames.shutter.angle; // degrees
    }
}

// Throws what the library throws.
inline HandoffOrder order_in(const nlohmann::ordered_json& j, std::string folder) {
    HandoffOrder o;
    o.output = j.at("output").get<std::string>(), o.ending = j.at("ending").get<std::string>();
    o.name = j.at("name").get<std::string>(), o.folder = std::move(folder);
    o.frames = {{j.at("first").get<std::int64_t>(), j.at("last").get<std::int64_t>()},
                j.at("step").get<std::int64_t>()};
    o.source = SourceId(j.at("source").get<std::uint64_t>());
    o.poses_per_frame = j.at("poses_per_frame").get<int>();
    o.tolerance = j.at("tolerance").get<double>();
    o.as.z_up = j.value("up", "y") == "z", o.as.unit = j.value("unit", 1.0);
    o.as.velocities = j.value("velocities", true), o.as.attributes = j.value("attributes", true);
    o.each_copy = j.value("each_copy", false);
    o.frames.shutter.count = j.value("shutter_samples", 1), o.frames.shutter.angle = j.value("shutter", 180.0);
    return o;
}

} // namespace garland
