#include "io/gltf/glb_buffer.h"

#include <algorithm>

namespace garland {

using Json = nlohmann::ordered_json;

int GlbBuffer::add(const void* data, std::size_t count, int width, int component, int target, bool box) {
    while (bytes_.size() % 4 != 0) bytes_.push_back(0);
    const std::size_t size = count * static_cast<std::size_t>(width) * 4;
    Json view{{"buffer", 0}, {"byteOffset", bytes_.size()}, {"byteLength", size}};
    if (target != 0) view["target"] = target;
    const auto* from = static_cast<const char*>(data);
    bytes_.insert(bytes_.end(), from, from + size);
    static const char* const types[] = {"", "SCALAR", "VEC2", "VEC3", "VEC4"};
    Json accessor{{"bufferView", views.size()}, {"componentType", component}, {"count", count}, {"type", types[width]}};
    if (box) {
        const auto* values = static_cast<const float*>(data);
        Json low = Json::array(), high = Json::array();
        for (int k = 0; k < width; ++k) {
            float least = values[k], most = values[k];
            for (std::size_t i = 0; i < count; ++i) {
                least = std::min(least, values[i * static_cast<std::size_t>(width) + static_cast<std::size_t>(k)]);
                most = std::max(most, values[i * static_cast<std::size_t>(width) + static_cast<std::size_t>(k)]);
            }
            low.push_back(least), high.push_back(most);
        }
        accessor["min"] = low, accessor["max"] = high;
    }
    views.push_back(view);
    accessors.push_back(accessor);
    return static_cast<int>(accessors.size()) - 1;
}

Result<void> write_glb_file(const std::string& path, Json json, const GlbBuffer& buffer, Existing existing) {
    std::string binary = buffer.bytes();
    while (binary.size() % 4 != 0) binary.push_back(0);
    json["accessors"] = buffer.accessors;
    json["bufferViews"] = buffer.views;
    json["buffers"] = {{{"byteLength", binary.size()}}};
    std::string text = json.dump();
    while (text.size() % 4 != 0) text.push_back(' ');
    const std::uint64_t total = 12 + 8 + text.size() + 8 + binary.size();
    if (total > UINT32_MAX) {
        return fail(Error{ErrorCode::too_large, "is more than the 4 GB a .glb can hold"}
                        .advise("write fewer frames or copies, or another kind of file")
                        .at(path)
                        .keeping("nothing was written"));
    }
    GARLAND_TRY(file, AtomicFile::create(path, existing));
    auto word = [&](std::uint64_t value) {
        const auto v = static_cast<std::uint32_t>(value);
        file.write(&v, 4);
    };
    file.write("glTF");
    word(2), word(total);
    word(text.size()), file.write("JSON"), file.write(text);
    word(binary.size()), file.write(std::string_view("BIN\0", 4)), file.write(binary);
    return file.commit();
}

} // namespace garland
