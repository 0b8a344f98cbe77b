#include "io/gltf/gltf_bytes.h"

#include "io/files/json_part.h"

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

// Pictures are not used, so the library is not shown that there are any: it would open them.
void without_pictures(Json& json) {
    for (const char* key : {"images", "textures", "samplers"}) json.erase(key);
}

} // namespace

Result<void> prepare_gltf(std::vector<char>& bytes, bool binary, const std::string& path) {
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
    without_pictures(json);
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
