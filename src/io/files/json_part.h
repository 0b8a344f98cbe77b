// Reading and writing JSON with complaints that say where: shared by the project file and curve files.
#pragma once

#include "core/base/words.h"
#include "core/geometry/pose.h"
#include "core/time/rate.h"

#include <cmath>
#include <cstdint>
#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <string>
#include <string_view>

namespace garland {

using Json = nlohmann::ordered_json;

// Text as JSON. Errors: malformed, with the line; too_large, where brackets are nested more than json_depth deep, which
// would cost more of the stack than there is.
Result<Json> read_json(std::string_view text, const std::string& path);
inline constexpr int json_depth = 64;

// Everything of `original` that `written` does not say, as JSON text; "" when there is nothing.
std::string extra_of(const Json& original, const Json& written);
// An object with what extra_of kept added to it, where it says nothing itself.
Json with_extra(Json object, const std::string& extra);

Json number(double value); // whole numbers without ".0", for people who read the file
Json vector(const V3d& v);

struct BadJson { // thrown by JsonPart only, turned into an Error at the border of the file that reads
    std::string message;
};

// An object of the file and where it stands in it, so that complaints can say so.
struct JsonPart {
    const Json& json;
    std::string where;

    JsonPart(const Json& j, std::string w) : json(j), where(std::move(w)) {
        if (!json.is_object()) throw BadJson{fmt::format("{} must be an object in braces", where)};
    }
    const Json* get(const char* key) const {
        auto at = json.find(key);
        return at == json.end() ? nullptr : &*at;
    }
    [[noreturn]] void complain(const char* key, const char* wanted) const {
        throw BadJson{fmt::format("\"{}\" of {} must be {}", key, where, wanted)};
    }
    double real(const char* key, double otherwise) const {
        const Json* j = get(key);
        if (!j) return otherwise;
        if (!j->is_number()) complain(key, "a number");
        return j->get<double>();
    }
    std::int64_t whole(const char* key, std::int64_t otherwise, std::int64_t low, std::int64_t high) const {
        const Json* j = get(key);
        if (!j) return otherwise;
        if (!j->is_number()) complain(key, "a whole number");
        const double value = j->get<double>();
        if (value != std::floor(value) || value < static_cast<double>(low) || value > static_cast<double>(high)) {
            complain(key, fmt::format("a whole number from {} to {}", low, high).c_str());
        }
        return j->is_number_integer() ? j->get<std::int64_t>() : static_cast<std::int64_t>(value);
    }
    std::uint64_t id(const char* key) const {
        const Json* j = get(key);
        if (!j || !j->is_number_unsigned() || j->get<std::uint64_t>() == 0) complain(key, "a whole number above 0");
        return j->get<std::uint64_t>();
    }
    bool flag(const char* key, bool otherwise) const {
        const Json* j = get(key);
        if (!j) return otherwise;
        if (!j->is_boolean()) complain(key, "true or false");
        return j->get<bool>();
    }
    std::string text(const char* key, std::string otherwise) const {
        const Json* j = get(key);
        if (!j) return otherwise;
        if (!j->is_string()) complain(key, "a text in quotes");
        return j->get<std::string>();
    }
    template <class E, std::size_t N>
    E word(const char* key, const Word<E> (&words)[N], E otherwise) const {
        const Json* j = get(key);
        if (!j) return otherwise;
        std::string all;
        for (const auto& w : words) {
            if (j->is_string() && j->get<std::string>() == w.text) return w.value;
            all += fmt::format("{}\"{}\"", all.empty() ? "" : ", ", w.text);
        }
        complain(key, fmt::format("one of {}", all).c_str());
    }
    Rate rate(const char* key, Rate otherwise) const {
        const Json* j = get(key);
        if (!j) return otherwise;
        auto rate = parse_rate(j->is_string() ? j->get<std::string>() : j->is_number() ? j->dump() : "");
        if (!rate) complain(key, "a frame rate, as in \"24\" or \"24000/1001\"");
        return *rate;
    }
    V3d place(const char* key, V3d otherwise) const {
        const Json* j = get(key);
        if (!j) return otherwise;
        if (!j->is_array() || j->size() != 3) complain(key, "a list of three numbers");
        V3d v;
        for (std::size_t k = 0; k < 3; ++k) {
            if (!(*j)[k].is_number()) complain(key, "a list of three numbers");
            v[static_cast<int>(k)] = (*j)[k].get<double>();
        }
        return v;
    }
    template <class F>
    void each(const char* key, std::string_view called, F&& use) const {
        const Json* j = get(key);
        if (!j) return;
        if (!j->is_array()) complain(key, "a list in brackets");
        for (std::size_t i = 0; i < j->size(); ++i) use(JsonPart((*j)[i], fmt::format("{} {}", called, i + 1)));
    }
};

} // namespace garland
