// Values of glTF: what accessors, buffer views and packed primitives hold. Used by gltf.cpp and
// gltf_animations.cpp; what is wrong is thrown as GltfBad and becomes an error in the former.
#pragma once

#include "io/gltf/gltf.h"
#include "io/gltf/gltf_bytes.h"
#include "io/gltf/gltf_packed.h"
#include "io/sources/pose_check.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <fmt/format.h>
#include <optional>
#include <span>

namespace garland {

struct GltfBad {
    std::string what;
    ErrorCode code = ErrorCode::malformed;
};

class GltfValues {
  protected:
    explicit GltfValues(const tinygltf::Model& model) : g_(model) {}

    template <class List>
    const auto& at(const List& list, int index, const char* what) const {
        if (index < 0 || static_cast<std::size_t>(index) >= list.size())
            throw GltfBad{fmt::format("{} {} is not there", what, index)};
        return list[static_cast<std::size_t>(index)];
    }

    static double component(const unsigned char* p, int type, bool normalised) {
        auto as = [p](auto value) {
            std::memcpy(&value, p, sizeof value);
            return value;
        };
        switch (type) {
        case TINYGLTF_COMPONENT_TYPE_FLOAT: return static_cast<double>(as(0.0f));
        case TINYGLTF_COMPONENT_TYPE_UNSIGNED_BYTE: return normalised ? *p / 255.0 : *p;
        case TINYGLTF_COMPONENT_TYPE_BYTE:
            return normalised ? std::max(as(std::int8_t(0)) / 127.0, -1.0) : as(std::int8_t(0));
        case TINYGLTF_COMPONENT_TYPE_UNSIGNED_SHORT:
            return normalised ? as(std::uint16_t(0)) / 65535.0 : as(std::uint16_t(0));
        case TINYGLTF_COMPONENT_TYPE_SHORT:
            return normalised ? std::max(as(std::int16_t(0)) / 32767.0, -1.0) : as(std::int16_t(0));
        case TINYGLTF_COMPONENT_TYPE_UNSIGNED_INT: return as(std::uint32_t(0));
        }
        throw GltfBad{fmt::format("numbers of type {} are not known", type)};
    }

    // Bytes of `count` elements `stride` apart in a buffer view, from `offset` on.
    const unsigned char* bytes(int view_index, std::size_t offset, std::size_t count, std::size_t stride,
                               std::size_t size, int accessor) const {
        const auto& view = at(g_.bufferViews, view_index, "buffer view");
        const std::size_t needed = count == 0 ? 0 : (count - 1) * stride + size;
        if (const std::vector<unsigned char>* unpacked = unpacked_view(view_index)) {
            if (offset > unpacked->size() || needed > unpacked->size() - offset)
                throw GltfBad{
                    fmt::format("accessor {} reaches past the end of its buffer view {}", accessor, view_index),
                    ErrorCode::too_large};
            return unpacked->data() + offset;
        }
        const auto& buffer = at(g_.buffers, view.buffer, "buffer");
        if (view.byteOffset > buffer.data.size() || view.byteLength > buffer.data.size() - view.byteOffset ||
            offset > view.byteLength || needed > view.byteLength - offset) {
            throw GltfBad{fmt::format("accessor {} reaches past the end of its buffer view {}", accessor, view_index),
                          ErrorCode::too_large};
        }
        return buffer.data.data() + view.byteOffset + offset;
    }

    std::size_t buffer_bytes() const {
        std::size_t all = 0;
        for (const auto& buffer : g_.buffers) all += buffer.data.size();
        for (const auto& [index, bytes] : unpacked_) all += bytes.size();
        return all;
    }

    // A part of a buffer that an extension names.
    std::span<const unsigned char> piece(const tinygltf::Value& said, const char* what) const {
        auto whole = [&](const char* name) {
            return said.Has(name) && said.Get(name).IsInt() ? said.Get(name).GetNumberAsInt() : 0;
        };
        const auto& buffer = at(g_.buffers, whole("buffer"), "buffer");
        const auto from = static_cast<std::size_t>(std::max(whole("byteOffset"), 0)),
                   size = static_cast<std::size_t>(std::max(whole("byteLength"), 0));
        if (from > buffer.data.size() || size > buffer.data.size() - from)
            throw GltfBad{fmt::format("{} reaches past the end of its buffer", what), ErrorCode::too_large};
        return {buffer.data.data() + from, size};
    }
    // The bytes of a view that is packed; null for others.
    const std::vector<unsigned char>* unpacked_view(int index) const {
        const auto& view = at(g_.bufferViews, index, "buffer view");
        const auto packed = view.extensions.find("EXT_meshopt_compression");
        if (packed == view.extensions.end()) return nullptr;
        if (const auto known = unpacked_.find(index); known != unpacked_.end()) return &known->second;
        const tinygltf::Value& said = packed->second;
        auto whole = [&](const char* name) {
            return said.Has(name) && said.Get(name).IsInt()
                       ? static_cast<std::size_t>(std::max(said.Get(name).GetNumberAsInt(), 0))
                       : 0;
        };
        auto word = [&](const char* name) {
            return said.Has(name) && said.Get(name).IsString() ? said.Get(name).Get<std::string>() : std::string();
        };
        std::vector<unsigned char> out;
        const std::string wrong = unpack_meshopt(piece(said, "a packed buffer view"), whole("count"),
                                                 whole("byteStride"), word("mode"), word("filter"), out);
        if (!wrong.empty()) throw GltfBad{wrong};
        return &unpacked_.emplace(index, std::move(out)).first->second;
    }

    // All numbers of an accessor, `width` each.
    std::vector<float> numbers(int index, int width, std::vector<std::uint32_t>* whole = nullptr) const {
        const auto& a = at(g_.accessors, index, "accessor");
        const int components = tinygltf::GetNumComponentsInType(static_cast<std::uint32_t>(a.type));
        const int each = tinygltf::GetComponentSizeInBytes(static_cast<std::uint32_t>(a.componentType));
        if (each <= 0 || components != width) {
            throw GltfBad{
                fmt::format("accessor {} has {} numbers an element, {} are needed", index, components, width)};
        }
        if (a.bufferView >= 0) unpacked_view(a.bufferView);
        check_count(a, index, width);
        const auto size = static_cast<std::size_t>(each) * static_cast<std::size_t>(width);
        const std::size_t values = a.count * static_cast<std::size_t>(width);
        std::vector<float> out;
        auto put = [&](const unsigned char* p, std::size_t element) {
            for (std::size_t k = 0; k < static_cast<std::size_t>(width); ++k) {
                const double v = component(p + k * static_cast<std::size_t>(each), a.componentType, a.normalized);
                if (whole) {
                    (*whole)[element * static_cast<std::size_t>(width) + k] = static_cast<std::uint32_t>(v);
                } else {
                    if (!std::isfinite(v))
                        throw GltfBad{fmt::format("accessor {}, element {}, is not finite", index, element)};
                    out[element * static_cast<std::size_t>(width) + k] = static_cast<float>(v);
                }
            }
        };
        auto room = [&] { whole ? whole->resize(values) : out.resize(values); };
        if (a.bufferView >= 0) {
            const auto& view = at(g_.bufferViews, a.bufferView, "buffer view");
            const std::size_t stride = stride_of(a.bufferView, view.byteStride > 0 ? view.byteStride : size);
            const unsigned char* from = bytes(a.bufferView, a.byteOffset, a.count, stride, size, index);
            room();
            for (std::size_t i = 0; i < a.count; ++i) put(from + i * stride, i);
        } else {
            room(); // zeros, as the specification has it
        }
        if (a.sparse.isSparse) each_sparse(a, index, size, put);
        return out;
    }

    // Refuses an accessor that claims more than the file can hold.
    void check_count(const tinygltf::Accessor& a, int index, int width) const {
        if (a.count > point_limit)
            throw GltfBad{fmt::format("accessor {} claims {} elements", index, a.count), ErrorCode::too_large};
        // Every element has a byte somewhere in the buffers, even where this accessor only says what differs from
        // another.
        if (a.count > buffer_bytes()) {
            throw GltfBad{fmt::format("accessor {} claims {} elements, but all buffers together have {} bytes", index,
                                      a.count, buffer_bytes()),
                          ErrorCode::too_large};
        }
        // The same data may serve several meshes, but not without end.
        decoded_ += a.count * static_cast<std::size_t>(width);
        if (decoded_ > 64 * buffer_bytes() + (std::size_t(1) << 24)) {
            throw GltfBad{"its accessors use the same data so often that it would need many times its size in memory",
                          ErrorCode::too_large};
        }
    }

    // Calls put(bytes, element) for every element of `size` bytes that differs (glTF 2.0, section 3.6.2.3).
    template <class Put>
    void each_sparse(const tinygltf::Accessor& a, int index, std::size_t size, const Put& put) const {
        const auto& places_in = a.sparse.indices;
        const auto& values_in = a.sparse.values;
        const auto count = static_cast<std::size_t>(std::max(a.sparse.count, 0));
        const int wide = tinygltf::GetComponentSizeInBytes(static_cast<std::uint32_t>(places_in.componentType));
        if (count > a.count || wide <= 0)
            throw GltfBad{fmt::format("accessor {} has more sparse elements than it has elements", index)};
        const auto w = static_cast<std::size_t>(wide);
        const unsigned char* places =
            bytes(places_in.bufferView, static_cast<std::size_t>(places_in.byteOffset), count, w, w, index);
        const unsigned char* data =
            bytes(values_in.bufferView, static_cast<std::size_t>(values_in.byteOffset), count, size, size, index);
        for (std::size_t i = 0; i < count; ++i) {
            const double place = component(places + i * w, places_in.componentType, false);
            if (place >= static_cast<double>(a.count))
                throw GltfBad{fmt::format("accessor {} has a sparse element beyond its end", index)};
            put(data + i * size, static_cast<std::size_t>(place));
        }
    }

    std::size_t stride_of(int view, std::size_t usual) const {
        const auto& extensions = at(g_.bufferViews, view, "buffer view").extensions;
        const auto packed = extensions.find("EXT_meshopt_compression");
        if (packed == extensions.end() || !packed->second.Has("byteStride")) return usual;
        return static_cast<std::size_t>(std::max(packed->second.Get("byteStride").GetNumberAsInt(), 1));
    }

    std::vector<V3f> vectors(int index) const {
        const std::vector<float> values = numbers(index, 3);
        std::vector<V3f> out(values.size() / 3);
        if (!out.empty()) std::memcpy(&out[0].x, values.data(), values.size() * sizeof(float));
        return out;
    }

    static int attribute(const std::map<std::string, int>& list, const std::string& name) {
        const auto found = list.find(name);
        return found == list.end() ? -1 : found->second;
    }

    // Where a primitive's values are: in accessors, or in a mesh that Draco packed.
    struct PrimitiveValues {
        const GltfValues& reader;
        const tinygltf::Primitive& p;
        std::optional<DracoMesh> packed{};

        bool has(const std::string& name) const { return attribute(p.attributes, name) >= 0; }
        int width(const std::string& name) const {
            const auto& a = reader.at(reader.g_.accessors, attribute(p.attributes, name), "accessor");
            return tinygltf::GetNumComponentsInType(static_cast<std::uint32_t>(a.type));
        }
        bool whole(const std::string& name) const {
            const auto& a = reader.at(reader.g_.accessors, attribute(p.attributes, name), "accessor");
            return a.componentType != TINYGLTF_COMPONENT_TYPE_FLOAT && !a.normalized;
        }
        std::vector<float> floats(const std::string& name, int wanted) const {
            const auto known = packed ? packed->attributes.find(name) : decltype(packed->attributes.end())();
            if (!packed || known == packed->attributes.end())
                return reader.numbers(attribute(p.attributes, name), wanted);
            if (known->second.width != wanted)
                throw GltfBad{
                    fmt::format("{} packed by Draco has {} numbers, {} are needed", name, known->second.width, wanted)};
            for (const float v : known->second.floats) {
                if (!std::isfinite(v)) throw GltfBad{fmt::format("{} packed by Draco is not finite", name)};
            }
            return known->second.floats;
        }
        std::vector<std::uint32_t> wholes(const std::string& name, int wanted) const {
            std::vector<std::uint32_t> out;
            if (packed && packed->attributes.count(name)) {
                for (const float v : floats(name, wanted)) out.push_back(static_cast<std::uint32_t>(std::max(v, 0.0f)));
            } else {
                reader.numbers(attribute(p.attributes, name), wanted, &out);
            }
            return out;
        }
        std::vector<V3f> vectors(const std::string& name) const { return triples(floats(name, 3)); }
    };
    static std::vector<V3f> triples(const std::vector<float>& values) {
        std::vector<V3f> out(values.size() / 3);
        if (!out.empty()) std::memcpy(&out[0].x, values.data(), values.size() * sizeof(float));
        return out;
    }

    PrimitiveValues values_of(const tinygltf::Primitive& p) const {
        PrimitiveValues out{*this, p};
        const auto draco = p.extensions.find("KHR_draco_mesh_compression");
        if (draco == p.extensions.end()) return out;
        const tinygltf::Value& said = draco->second;
        if (!said.Has("bufferView") || !said.Get("bufferView").IsInt() || !said.Has("attributes") ||
            !said.Get("attributes").IsObject())
            throw GltfBad{"a primitive packed by Draco does not say where"};
        std::map<std::string, int> ids;
        std::map<std::string, bool> normalised;
        for (const std::string& name : said.Get("attributes").Keys()) {
            ids[name] = said.Get("attributes").Get(name).GetNumberAsInt();
            if (out.has(name))
                normalised[name] = at(g_.accessors, attribute(p.attributes, name), "accessor").normalized;
        }
        const int index = said.Get("bufferView").GetNumberAsInt();
        const auto& view = at(g_.bufferViews, index, "buffer view");
        const unsigned char* from = bytes(index, 0, 1, view.byteLength, view.byteLength, -1);
        out.packed.emplace();
        const std::string wrong = unpack_draco({from, view.byteLength}, ids, normalised, point_limit, *out.packed);
        if (!wrong.empty()) throw GltfBad{wrong};
        decoded_ += out.packed->points * 4;
        return out;
    }

    static void need(std::size_t have, std::size_t points, const char* what, const std::string& mesh) {
        if (have != points) throw GltfBad{fmt::format("mesh \"{}\" has {} {} for {} points", mesh, have, what, points)};
    }

    const tinygltf::Model& g_;
    mutable std::size_t decoded_ = 0;                            // numbers so far
    mutable std::map<int, std::vector<unsigned char>> unpacked_; // buffer views
};

} // namespace garland
