#include "io/gltf/gltf_bytes.h"

#include "io/files/json_part.h"
#include "io/gltf/gltf_pictures.h"

#include <charconv>
#include <cstring>
#include <fmt/format.h>

namespace garland {

namespace {

constexpr std::uint32_t json_chunk = 0x4E4F534A; // "JSON" (glTF 2.0, section 4.4)

std::uint32_t word_at(const std::vector<char>& bytes, std::size_t at) {
    std::uint32_t value = 0;
    std::memcpy(&value, bytes.data() + at, sizeof value);
    return value;
}

// Pictures have become colours, and the library is not shown that there are any: it would open them.
void without_pictures(Json& json) {
    for (const char* key : {"images", "textures", "samplers"}) json.erase(key);
}

// KHR_animation_pointer: those that point to a node's own transform, weights or visibility are channels; others change
// what is not geometry, or what cannot change here, and are passed over.
void turn_pointers(Json& json, std::vector<std::string>& notes) {
    const auto animations = json.find("animations");
    if (animations == json.end() || !animations->is_array()) return;
    for (Json& animation : *animations) {
        if (!animation.is_object() || !animation.contains("channels") || !animation["channels"].is_array()) continue;
        Json kept = Json::array();
        for (Json& channel : animation["channels"]) {
            Json* target = channel.is_object() && channel.contains("target") ? &channel["target"] : nullptr;
            if (!target || !target->is_object() || target->value("path", Json()) != "pointer") {
                kept.push_back(channel);
                continue;
            }
            const Json said =
                target->value("extensions", Json::object()).value("KHR_animation_pointer", Json::object());
            const std::string pointer = said.is_object() && said.contains("pointer") && said["pointer"].is_string()
                                            ? said["pointer"].get<std::string>()
                                            : "";
            constexpr std::string_view nodes = "/nodes/";
            const std::size_t slash = pointer.find('/', nodes.size());
            const std::string path = slash == pointer.npos ? "" : pointer.substr(slash + 1);
            int node = -1;
            if (pointer.starts_with(nodes) && slash != pointer.npos)
                std::from_chars(pointer.data() + nodes.size(), pointer.data() + slash, node);
            if (node >= 0 && path == "extensions/KHR_node_visibility/visible") {
                *target = Json{{"node", node}, {"path", "visible"}};
                kept.push_back(channel);
            } else if (node >= 0 &&
                       (path == "translation" || path == "rotation" || path == "scale" || path == "weights")) {
                *target = Json{{"node", node}, {"path", path}};
                kept.push_back(channel);
            } else if (pointer.starts_with(nodes)) {
                notes.push_back(fmt::format("the animation of {}", pointer));
            }
        }
        animation["channels"] = std::move(kept);
    }
}

// A buffer that is there only for readers without EXT_meshopt_compression has no bytes: one stands for it.
void fill_fallbacks(Json& json) {
    const auto buffers = json.find("buffers");
    if (buffers == json.end() || !buffers->is_array()) return;
    for (Json& buffer : *buffers) {
        if (!buffer.is_object() || buffer.contains("uri")) continue;
        const Json said = buffer.value("extensions", Json::object());
        if (!said.is_object() || !said.value("EXT_meshopt_compression", Json::object()).is_object()) continue;
        if (said.value("EXT_meshopt_compression", Json::object()).value("fallback", Json()) != true) continue;
        buffer["uri"] = "data:application/octet-stream;base64,AA==";
        buffer["byteLength"] = 1;
    }
}

// The library wants bytes behind a primitive's indices; those that Draco packed are not asked for.
void without_packed_indices(Json& json) {
    const auto meshes = json.find("meshes");
    if (meshes == json.end() || !meshes->is_array()) return;
    for (Json& mesh : *meshes) {
        if (!mesh.is_object() || !mesh.contains("primitives") || !mesh["primitives"].is_array()) continue;
        for (Json& primitive : mesh["primitives"]) {
            if (!primitive.is_object() || !primitive.contains("extensions") || !primitive["extensions"].is_object())
                continue;
            if (primitive["extensions"].contains("KHR_draco_mesh_compression")) primitive.erase("indices");
        }
    }
}

Result<void> check_version(const Json& json, const std::string& path) {
    const auto asset = json.find("asset");
    const Json version = asset != json.end() && asset->is_object() ? asset->value("version", Json()) : Json();
    // Its lists are objects with names; some files leave the version out.
    const bool older = (json.contains("meshes") && json["meshes"].is_object()) ||
                       (json.contains("nodes") && json["nodes"].is_object());
    if (older || (version.is_string() && version.get<std::string>().starts_with("1.")))
        return fail(Error{ErrorCode::unsupported, "this is glTF 1.0, an older format of the same name; 2.0 is read"}
                        .at(path)
                        .advise("write it again as glTF 2.0"));
    return {};
}

} // namespace

Result<void> prepare_gltf(std::vector<char>& bytes, bool binary, const std::string& path,
                          std::vector<std::string>& files, std::vector<std::string>& notes) {
    if (binary && bytes.size() >= 8 && word_at(bytes, 4) == 1) {
        return fail(Error{ErrorCode::unsupported, "this is glTF 1.0, an older format of the same name; 2.0 is read"}
                        .at(path)
                        .advise("write it again as glTF 2.0"));
    }
    const std::size_t from = binary ? 20 : 0;
    std::size_t length = bytes.size();
    if (binary) {
        length = bytes.size() >= 20 ? word_at(bytes, 12) : 0;
        if (bytes.size() < 20 || word_at(bytes, 16) != json_chunk || length > bytes.size() - 20) {
            return fail(
                Error{ErrorCode::malformed, "cannot be read as glTF (its first part is not JSON, or is cut short)"}
                    .at(path)
                    .advise("write it again"));
        }
        // The library compares the second part's length with the file's without its own eight bytes of head.
        const std::size_t rest = bytes.size() - 20 - length;
        if (rest > 0 && (rest < 8 || word_at(bytes, 20 + length) > rest - 8)) {
            return fail(
                Error{ErrorCode::malformed, "cannot be read as glTF (its binary part is cut short)"}.at(path).advise(
                    "write it again"));
        }
    }
    auto read = read_json(std::string_view(bytes.data() + from, length), path);
    if (!read) {
        Error error = std::move(read.error());
        error.message = fmt::format("cannot be read as glTF ({})", error.message);
        return fail(std::move(error).advise("write it again"));
    }
    Json& json = *read;
    if (!json.is_object())
        return fail(Error{ErrorCode::malformed, "cannot be read as glTF (its JSON is no object)"}.at(path));
    GARLAND_CHECK(check_version(json, path));
    const std::size_t own = from + length + 8; // of the second part, behind its head
    const std::string_view buffer =
        binary && own < bytes.size() ? std::string_view(bytes.data() + own, bytes.size() - own) : std::string_view();
    put_mean_colours(json, buffer, folder_of(path), files, notes);
    without_pictures(json);
    turn_pointers(json, notes);
    fill_fallbacks(json);
    without_packed_indices(json);
    std::string text = json.dump(-1, ' ', false, Json::error_handler_t::replace);
    if (!binary) {
        bytes.assign(text.begin(), text.end());
        return {};
    }
    text.resize((text.size() + 3) / 4 * 4, ' ');
    std::vector<char> out(bytes.begin(), bytes.begin() + 12);
    auto word = [&out](std::size_t value) {
        const auto narrow = static_cast<std::uint32_t>(value);
        out.insert(out.end(), reinterpret_cast<const char*>(&narrow), reinterpret_cast<const char*>(&narrow) + 4);
    };
    word(text.size());
    word(json_chunk);
    out.insert(out.end(), text.begin(), text.end());
    out.insert(out.end(), bytes.begin() + static_cast<std::ptrdiff_t>(from + length), bytes.end());
    const auto whole = static_cast<std::uint32_t>(out.size());
    std::memcpy(out.data() + 8, &whole, 4);
    bytes = std::move(out);
    return {};
}

tinygltf::FsCallbacks files_beside(GltfFolder& beside) {
    tinygltf::FsCallbacks calls{};
    calls.FileExists = [](const std::string& name, void* user) {
        return name.starts_with(static_cast<GltfFolder*>(user)->folder + "/") && readable(name).has_value();
    };
    calls.ExpandFilePath = [](const std::string& name, void*) { return name; };
    calls.ReadWholeFile = [](std::vector<unsigned char>* out, std::string* error, const std::string& name, void*) {
        std::vector<char> bytes;
        if (auto read = read_file(name, bytes); !read) {
            *error += describe(read.error());
            return false;
        }
        out->assign(bytes.begin(), bytes.end());
        return true;
    };
    calls.WriteWholeFile = [](std::string*, const std::string&, const std::vector<unsigned char>&, void*) {
        return false;
    };
    calls.user_data = &beside;
    return calls;
}

} // namespace garland
