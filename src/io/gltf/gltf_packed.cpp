#include "io/gltf/gltf_packed.h"

#pragma GCC diagnostic push
#pragma GCC diagnostic ignored "-Wall"
#pragma GCC diagnostic ignored "-Wextra"
#pragma GCC diagnostic ignored "-Wconversion"
#pragma GCC diagnostic ignored "-Wsign-conversion"
#pragma GCC diagnostic ignored "-Wshadow"
#include <draco/compression/decode.h>
#pragma GCC diagnostic pop

#include <algorithm>
#include <fmt/format.h>
#include <meshoptimizer.h>

namespace garland {

std::string unpack_draco(std::span<const unsigned char> bytes, const std::map<std::string, int>& ids,
                         const std::map<std::string, bool>& normalised, std::size_t most_points, DracoMesh& out) {
    draco::DecoderBuffer buffer;
    buffer.Init(reinterpret_cast<const char*>(bytes.data()), bytes.size());
    draco::Decoder decoder;
    auto decoded = decoder.DecodeMeshFromBuffer(&buffer);
    if (!decoded.ok())
        return fmt::format("its mesh packed by Draco cannot be unpacked ({})", decoded.status().error_msg());
    const std::unique_ptr<draco::Mesh> mesh = std::move(decoded).value();
    out.points = mesh->num_points();
    if (out.points > most_points) return fmt::format("its mesh packed by Draco has {} points", out.points);
    for (draco::FaceIndex f(0); f < mesh->num_faces(); ++f) {
        for (const draco::PointIndex p : mesh->face(f)) {
            if (p.value() >= out.points) return "its mesh packed by Draco points past its points";
            out.corners.push_back(p.value());
        }
    }
    for (const auto& [name, id] : ids) {
        const draco::PointAttribute* a =
            id >= 0 ? mesh->GetAttributeByUniqueId(static_cast<std::uint32_t>(id)) : nullptr;
        if (!a) return fmt::format("its mesh packed by Draco has no attribute {} for {}", id, name);
        DracoMesh::Values& v = out.attributes[name];
        v.width = a->num_components();
        if (v.width < 1 || v.width > 16) return fmt::format("{} has {} numbers a point", name, v.width);
        double most = 1;
        if (const auto n = normalised.find(name); n != normalised.end() && n->second) {
            switch (a->data_type()) {
            case draco::DT_UINT8: most = 255; break;
            case draco::DT_INT8: most = 127; break;
            case draco::DT_UINT16: most = 65535; break;
            case draco::DT_INT16: most = 32767; break;
            default: break;
            }
        }
        v.floats.resize(out.points * static_cast<std::size_t>(v.width));
        std::vector<float> one(static_cast<std::size_t>(v.width));
        for (draco::PointIndex p(0); p < mesh->num_points(); ++p) {
            if (!a->ConvertValue<float>(a->mapped_index(p), a->num_components(), one.data()))
                return fmt::format("{} has numbers that cannot be read", name);
            for (std::size_t k = 0; k < one.size(); ++k)
                v.floats[p.value() * one.size() + k] =
                    static_cast<float>(std::max(one[k] / most, most > 1 ? -1.0 : double(one[k])));
        }
    }
    return {};
}

std::string unpack_meshopt(std::span<const unsigned char> bytes, std::size_t count, std::size_t stride,
                           const std::string& mode, const std::string& filter, std::vector<unsigned char>& out) {
    const bool attributes = mode == "ATTRIBUTES";
    if (stride == 0 || stride > 256 || (attributes && stride % 4 != 0) || (!attributes && stride != 2 && stride != 4))
        return fmt::format("a packed buffer view has {} bytes an element", stride);
    // A vertex needs more than nothing: of 16, each byte has two bits at least.
    if (count > (bytes.size() + 64) * 256) return fmt::format("a packed buffer view claims {} elements", count);
    out.assign(count * stride, 0);
    int wrong = 0;
    if (attributes) {
        wrong = meshopt_decodeVertexBuffer(out.data(), count, stride, bytes.data(), bytes.size());
    } else if (mode == "TRIANGLES") {
        if (count % 3 != 0) return "packed triangles have corners left over";
        wrong = meshopt_decodeIndexBuffer(out.data(), count, stride, bytes.data(), bytes.size());
    } else if (mode == "INDICES") {
        wrong = meshopt_decodeIndexSequence(out.data(), count, stride, bytes.data(), bytes.size());
    } else {
        return fmt::format("a buffer view is packed as \"{}\", which is not known", mode);
    }
    if (wrong != 0) return "a packed buffer view cannot be unpacked";
    if (filter.empty() || filter == "NONE") return {};
    if (!attributes) return "packed triangles have a filter";
    if (filter == "OCTAHEDRAL" && (stride == 4 || stride == 8)) {
        meshopt_decodeFilterOct(out.data(), count, stride);
    } else if (filter == "QUATERNION" && stride == 8) {
        meshopt_decodeFilterQuat(out.data(), count, stride);
    } else if (filter == "EXPONENTIAL") {
        meshopt_decodeFilterExp(out.data(), count, stride);
    } else {
        return fmt::format("a buffer view of {} bytes an element has the filter \"{}\", which is not known", stride,
                           filter);
    }
    return {};
}

} // namespace garland
