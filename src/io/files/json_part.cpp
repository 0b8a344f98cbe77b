#include "io/files/json_part.h"

#include <algorithm>

namespace garland {

// Where brackets open more than json_depth deep; null: nowhere.
static const char* too_deep(std::string_view text) {
    int depth = 0;
    bool quoted = false;
    for (const char& c : text) {
        if (quoted) {
            const bool escaped = c == '"' && [&] { // an odd number of backslashes before it
                std::size_t slashes = 0;
                for (const char* at = &c; at > text.data() && at[-1] == '\\'; --at) ++slashes;
                return slashes % 2 == 1;
            }();
            quoted = c != '"' || escaped;
        } else if (c == '"') {
            quoted = true;
        } else if (c == '[' || c == '{') {
            if (++depth > json_depth) return &c;
        } else if (c == ']' || c == '}') {
            --depth;
        }
    }
    return nullptr;
}

Result<Json> read_json(std::string_view text, const std::string& path) {
    auto line_at = [&](std::size_t byte) {
        return 1 +
               std::count(text.begin(), text.begin() + static_cast<std::ptrdiff_t>(std::min(byte, text.size())), '\n');
    };
    if (const char* deep = too_deep(text)) {
        return fail(Error{ErrorCode::too_large, fmt::format("brackets are nested more than {} deep", json_depth)}
                        .advise("write it again with fewer levels")
                        .at(path)
                        .at_line(line_at(static_cast<std::size_t>(deep - text.data()))));
    }
    try {
        return Json::parse(text.begin(), text.end());
    } catch (const Json::parse_error& error) {
        std::string what = error.what();
        if (auto at = what.find("syntax error"); at != what.npos) what = what.substr(at);
        return fail(Error{ErrorCode::malformed, std::move(what)}.at(path).at_line(line_at(error.byte)));
    } catch (const Json::exception& error) { // a number beyond its type
        return fail(Error{ErrorCode::malformed, error.what()}.at(path));
    }
}

namespace {

constexpr const char* entries_key = "garland:entries"; // in what is kept: of the entries of a list

Json unknown_part(const Json& original, const Json& written);

// Whether everything that is written of an entry stands in an original so too.
bool agrees(const Json& original, const Json& written) {
    if (!original.is_object() || !written.is_object()) return false;
    for (const auto& [key, value] : written.items()) {
        const auto there = original.find(key);
        if (there != original.end() && *there != value) return false;
    }
    return true;
}

// What entries of a list say beyond what is written of them: with the entry as it was, by which it is found again.
Json unknown_entries(const Json& original, const Json& written) {
    Json list = Json::array();
    for (std::size_t i = 0; i < original.size(); ++i) {
        if (!original[i].is_object()) continue;
        std::size_t at = i;
        if (at >= written.size() || !agrees(original[i], written[at])) {
            for (at = 0; at < written.size() && !agrees(original[i], written[at]);) ++at;
        }
        if (at >= written.size()) continue;
        Json rest = unknown_part(original[i], written[at]);
        if (!rest.empty()) list.push_back({{"place", at}, {"was", written[at]}, {"rest", std::move(rest)}});
    }
    if (list.empty()) return Json::object();
    return {{entries_key, std::move(list)}, {"count", written.size()}};
}

Json unknown_part(const Json& original, const Json& written) {
    Json rest = Json::object();
    for (const auto& [key, value] : original.items()) {
        const auto there = written.find(key);
        if (there == written.end()) {
            rest[key] = value;
            continue;
        }
        Json inner = Json::object();
        if (value.is_object() && there->is_object()) inner = unknown_part(value, *there);
        if (value.is_array() && there->is_array()) inner = unknown_entries(value, *there);
        if (!inner.empty()) rest[key] = std::move(inner);
    }
    return rest;
}

void add_extra(Json& to, const Json& extra);

// Each to the entry that is as it was; where none is, to the one in its place, if the list is as long as it was.
void add_to_entries(Json& list, const Json& extra) {
    std::vector<bool> taken(list.size(), false);
    for (const Json& one : extra[entries_key]) {
        const auto place = one.value("place", std::size_t(0));
        std::size_t at = list.size();
        if (place < list.size() && !taken[place] && list[place] == one["was"]) at = place;
        for (std::size_t i = 0; i < list.size() && at == list.size(); ++i) {
            if (!taken[i] && list[i] == one["was"]) at = i;
        }
        if (at == list.size() && list.size() == extra.value("count", std::size_t(0)) && place < list.size() &&
            !taken[place])
            at = place;
        if (at == list.size()) continue;
        taken[at] = true;
        add_extra(list[at], one["rest"]);
    }
}

void add_extra(Json& to, const Json& extra) {
    for (const auto& [key, value] : extra.items()) {
        if (!to.contains(key)) {
            if (!value.is_object() || !value.contains(entries_key))
                to[key] = value; // a list that is empty now has no entries to add to
        } else if (value.is_object() && value.contains(entries_key)) {
            if (to[key].is_array()) add_to_entries(to[key], value);
        } else if (value.is_object() && to[key].is_object()) {
            add_extra(to[key], value);
        }
    }
}

} // namespace

std::string extra_of(const Json& original, const Json& written) {
    const Json rest = unknown_part(original, written);
    return rest.empty() ? std::string() : rest.dump();
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
