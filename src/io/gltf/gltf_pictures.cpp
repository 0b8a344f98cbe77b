#include "io/gltf/gltf_pictures.h"

#include "core/base/colour.h"
#include "io/files/file.h"

#include <algorithm>
#include <array>
#include <charconv>
#include <filesystem>
#include <fmt/format.h>
#include <map>
#include <optional>
#include <tiny_gltf.h>

namespace garland {

namespace {

constexpr std::uint64_t most_picture_bytes = std::uint64_t(256) << 20, most_texels = std::uint64_t(1) << 26;

struct PictureBad {
    std::string what;
};

std::uint64_t big_endian(std::string_view bytes, std::size_t at, std::size_t count) {
    std::uint64_t out = 0;
    for (std::size_t i = 0; i < count; ++i) out = out << 8 | static_cast<unsigned char>(bytes[at + i]);
    return out;
}

// Width times height, by the head alone: PNG (ISO/IEC 15948, IHDR), JPEG (ITU-T T.81, B.2.2: frame headers).
std::uint64_t texels(std::string_view bytes) {
    if (bytes.size() >= 24 && bytes.substr(1, 3) == "PNG") return big_endian(bytes, 16, 4) * big_endian(bytes, 20, 4);
    if (!bytes.starts_with("\xff\xd8")) throw PictureBad{"it is neither PNG nor JPEG"};
    for (std::size_t at = 2; at + 9 < bytes.size();) {
        const auto mark = static_cast<unsigned char>(bytes[at + 1]);
        if (static_cast<unsigned char>(bytes[at]) != 0xff) break;
        const bool frame = mark >= 0xc0 && mark <= 0xcf && mark != 0xc4 && mark != 0xc8 && mark != 0xcc;
        if (frame) return big_endian(bytes, at + 5, 2) * big_endian(bytes, at + 7, 2);
        at += mark == 0xff ? 1 : 2 + big_endian(bytes, at + 2, 2);
    }
    throw PictureBad{"it has no size"};
}

using Mean = std::array<double, 3>;

Mean mean_of(std::string_view bytes, bool by_alpha) {
    if (texels(bytes) > most_texels) throw PictureBad{"it has more than 67 million texels"};
    tinygltf::Image image;
    std::string error, warning;
    if (!tinygltf::LoadImageData(&image, 0, &error, &warning, 0, 0,
                                 reinterpret_cast<const unsigned char*>(bytes.data()), static_cast<int>(bytes.size()),
                                 nullptr))
        throw PictureBad{"it is damaged"};
    const auto parts = static_cast<std::size_t>(image.component);
    const std::size_t wide = image.bits == 16 ? 2 : 1,
                      count = image.image.size() / std::max<std::size_t>(parts * wide, 1);
    if (parts < 1 || count == 0) throw PictureBad{"it is empty"};
    std::array<double, 256> linear{};
    for (std::size_t i = 0; i < linear.size(); ++i) linear[i] = srgb_linear(static_cast<double>(i) / 255);
    auto part = [&](std::size_t texel, std::size_t k) { // the more significant byte tells enough for a mean
        return static_cast<std::size_t>(image.image[(texel * parts + k) * wide + wide - 1]);
    };
    Mean sum{};
    double weights = 0;
    for (std::size_t i = 0; i < count; ++i) {
        const bool alpha = by_alpha && parts % 2 == 0;
        const double weight = alpha ? static_cast<double>(part(i, parts - 1)) / 255 : 1;
        for (std::size_t k = 0; k < 3; ++k) sum[k] += weight * linear[part(i, parts < 3 ? 0 : k)];
        weights += weight;
    }
    for (double& v : sum) v = weights > 0 ? v / weights : 1;
    return sum;
}

// "red%20paper.png" (RFC 3986, section 2.1).
std::string without_percents(const std::string& uri) {
    std::string out;
    for (std::size_t i = 0; i < uri.size(); ++i) {
        unsigned code = 0;
        const char* from = uri.data() + i + 1;
        const bool coded =
            uri[i] == '%' && i + 2 < uri.size() && std::from_chars(from, from + 2, code, 16).ptr == from + 2;
        out += coded ? static_cast<char>(code) : uri[i];
        if (coded) i += 2;
    }
    return out;
}

class Pictures {
  public:
    Pictures(const Json& json, std::string_view binary, const std::string& folder, std::vector<std::string>& files)
        : json_(json), binary_(binary), folder_(folder), files_(files) {}

    Mean of_texture(const Json& number, bool by_alpha) {
        const Json& texture = entry("textures", number);
        const Json source = texture.value("source", Json());
        if (!source.is_number_unsigned()) throw PictureBad{"it has no picture that is read"};
        const auto key = std::pair(source.get<std::uint64_t>(), by_alpha);
        if (const auto known = known_.find(key); known != known_.end()) return known->second;
        const Mean mean = mean_of(bytes_of(entry("images", source)), by_alpha);
        known_.emplace(key, mean);
        return mean;
    }

    // The file of a texture's picture, as a path; "" where it has none of its own.
    std::string name_of(const Json& number) const {
        try {
            const Json& image = entry("images", entry("textures", number).value("source", Json()));
            const Json uri = image.value("uri", Json());
            if (!uri.is_string() || uri.get<std::string>().starts_with("data:")) return {};
            return path_seen_from(without_percents(uri.get<std::string>()), folder_ + "/");
        } catch (const PictureBad&) {
            return {}; // of_texture says what is wrong with it
        }
    }

  private:
    const Json& entry(const char* list, const Json& number) const {
        const auto all = json_.find(list);
        if (all == json_.end() || !all->is_array() || !number.is_number_unsigned() ||
            number.get<std::uint64_t>() >= all->size() || !(*all)[number.get<std::size_t>()].is_object())
            throw PictureBad{fmt::format("it is none of the file's {}", list)};
        return (*all)[number.get<std::size_t>()];
    }
    std::string_view bytes_of(const Json& image) {
        if (image.contains("bufferView")) return bytes_of_view(entry("bufferViews", image["bufferView"]));
        const Json uri = image.value("uri", Json());
        if (!uri.is_string()) throw PictureBad{"it has no bytes"};
        const std::string name = uri.get<std::string>();
        if (name.starts_with("data:")) return of_uri(name);
        return of_file(name);
    }
    std::string_view bytes_of_view(const Json& view) const {
        const Json buffer = view.value("buffer", Json()), length = view.value("byteLength", Json()),
                   offset = view.value("byteOffset", Json(0u));
        if (buffer != 0 || binary_.empty() || !length.is_number_unsigned() || !offset.is_number_unsigned())
            throw PictureBad{"it lies in a buffer of another file"};
        const auto from = offset.get<std::uint64_t>(), count = length.get<std::uint64_t>();
        if (from > binary_.size() || count > binary_.size() - from || count > most_picture_bytes)
            throw PictureBad{"it reaches past the end of the file"};
        return binary_.substr(from, count);
    }
    std::string_view of_uri(const std::string& uri) {
        std::vector<unsigned char> bytes;
        std::string kind;
        if (!tinygltf::DecodeDataURI(&bytes, kind, uri, 0, false)) throw PictureBad{"its bytes cannot be decoded"};
        bytes_.assign(bytes.begin(), bytes.end());
        return bytes_;
    }
    std::string_view of_file(const std::string& uri) {
        namespace fs = std::filesystem;
        const std::string name = without_percents(uri);
        const fs::path inside = fs::path(name).lexically_normal();
        if (inside.is_absolute() || inside.empty() || *inside.begin() == ".." || name.find("://") != name.npos)
            throw PictureBad{"it lies outside the file's folder"};
        const std::string path = folder_ + "/" + inside.string();
        std::vector<char> bytes;
        if (!read_file(path, bytes, most_picture_bytes))
            throw PictureBad{fmt::format("{} cannot be read", inside.string())};
        files_.push_back(path);
        bytes_.assign(bytes.begin(), bytes.end());
        return bytes_;
    }

    const Json& json_;
    std::string_view binary_;
    const std::string& folder_;
    std::vector<std::string>& files_;
    std::map<std::pair<std::uint64_t, bool>, Mean> known_;
    std::string bytes_;
};

} // namespace

void put_mean_colours(Json& json, std::string_view binary, const std::string& folder, std::vector<std::string>& files,
                      std::vector<std::string>& notes) {
    const auto materials = json.find("materials");
    if (materials == json.end() || !materials->is_array()) return;
    Pictures pictures(json, binary, folder, files);
    std::map<std::size_t, Json> colours; // of materials; put in last, since pictures look at the same JSON
    for (std::size_t i = 0; i < materials->size(); ++i) {
        const Json& material = (*materials)[i];
        if (!material.is_object()) continue;
        const Json look = material.value("pbrMetallicRoughness", Json::object());
        const Json texture = look.is_object() ? look.value("baseColorTexture", Json()) : Json();
        if (!texture.is_object()) continue;
        if (const std::string name = pictures.name_of(texture.value("index", Json())); !name.empty()) {
            Json extras = material.value("extras", Json::object());
            if (!extras.is_object()) extras = Json::object();
            extras[gltf_picture] = name;
            (*materials)[i]["extras"] = std::move(extras);
        }
        Json colour = look.value("baseColorFactor", Json::array({1, 1, 1, 1}));
        const bool four = colour.is_array() && colour.size() == 4;
        if (!four || !std::all_of(colour.begin(), colour.end(), [](const Json& v) { return v.is_number(); })) continue;
        try {
            const bool by_alpha = material.value("alphaMode", Json("OPAQUE")) != "OPAQUE";
            const Mean mean = pictures.of_texture(texture.value("index", Json()), by_alpha);
            for (std::size_t k = 0; k < 3; ++k) colour[k] = colour[k].get<double>() * mean[k];
            colours[i] = std::move(colour);
        } catch (const PictureBad& bad) {
            const Json name = material.value("name", Json());
            notes.push_back(fmt::format("the colour of the texture of \"{}\" ({})",
                                        name.is_string() ? name.get<std::string>() : fmt::format("material {}", i),
                                        bad.what));
        }
    }
    for (auto& [i, colour] : colours) (*materials)[i]["pbrMetallicRoughness"]["baseColorFactor"] = std::move(colour);
}

} // namespace garland
