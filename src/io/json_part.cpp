#include "io/json_part.h"

namespace garland {

static Json unknown_part(const Json& original, const Json& written) {
    Json rest = Json::object();
    for (const auto& [key, value] : original.items()) {
        if (!written.contains(key)) {
            rest[key] = value;
        } else if (value.is_object() && written[key].is_object()) {
            Json inner = unknown_part(value, written[key]);
            if (!inner.empty()) rest[key] = std::move(inner);
        }
    }
    return rest;
}

std::string extra_of(const Json& original, const Json& written) {
    const Json rest = unknown_part(original, written);
    return rest.empty() ? std::string() : rest.dump();
}

static void add_extra(Json& to, const Json& extra) {
    for (const auto& [key, value] : extra.items()) {
        if (!to.contains(key)) {
            to[key] = value;
        } else if (value.is_object() && to[key].is_object()) {
            add_extra(to[key], value);
        }
    }
}

Json with_extra(Json object, const std::string& extra) {
    if (extra.empty()) return object;
    add_extra(object, Json::parse(extra, nullptr, false));
    return object;
}

Json number(double value) {
    if (value == std::floor(value) && std::abs(value) < 1e15) return static_cast<std::int64_t>(value);
    return value;
}

Json vector(const V3d& v) {
    return Json::array({number(v.x), number(v.y), number(v.z)});
}

} // namespace garland
