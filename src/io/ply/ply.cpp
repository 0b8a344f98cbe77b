#include "io/ply/ply.h"

#include "core/base/numbers.h"
#include "io/files/file.h"
#include "io/files/packed_file.h"
#include "io/ply/ply_body.h"
#include "io/sources/pose_check.h"

#include <algorithm>
#include <bit>
#include <cstring>
#include <fast_float/fast_float.h>
#include <filesystem>
#include <fmt/format.h>
#include <functional>

namespace garland {

using ply::Body;
using ply::Element;
using ply::Form;
using ply::Header;
using ply::is_whole;
using ply::Property;
using ply::Sink;
using ply::Type;

namespace {

// Sends the well-known names to their places and every other number to an attribute of its own.
struct Wide { // numbers that need 64 bits, and what did not fit its place
    std::vector<std::int64_t> ids{};
    bool id_lost = false;
    std::unique_ptr<bool[]> lost{}; // of each attribute of the pose
};

std::vector<Sink> make_sinks(const Element& element, Pose& pose, Wide& wide) {
    std::vector<Sink> sinks(element.properties.size());
    wide.lost = std::make_unique<bool[]>(sinks.size());
    auto has = [&](std::string_view name) {
        for (const Property& p : element.properties) {
            if (p.name == name && !p.list) return true;
        }
        return false;
    };
    auto take = [&](auto& values, std::initializer_list<const char*> names, auto scale_of) {
        for (const char* name : names) {
            if (!has(name)) return false;
        }
        values.resize(element.count);
        auto* base = reinterpret_cast<float*>(values.data());
        std::size_t k = 0;
        for (const char* name : names) {
            for (std::size_t p = 0; p < sinks.size(); ++p) {
                const Property& property = element.properties[p];
                if (property.name == name && !property.list)
                    sinks[p] = {base ? base + k : nullptr, names.size(), scale_of(property.type)},
                    sinks[p].known = true;
            }
            ++k;
        }
        return true;
    };
    auto plain = [](Type) { return 1.0f; };
    auto colour = [](Type type) { return type == Type::u8 ? 1.0f / 255 : type == Type::u16 ? 1.0f / 65535 : 1.0f; };
    take(pose.points, {"x", "y", "z"}, plain);
    take(pose.normals, {"nx", "ny", "nz"}, plain);
    take(pose.velocities, {"vx", "vy", "vz"}, plain);
    take(pose.colours, {"red", "green", "blue"}, colour);
    if (!take(pose.uvs, {"s", "t"}, plain) && !take(pose.uvs, {"u", "v"}, plain)) {
        take(pose.uvs, {"texture_u", "texture_v"}, plain);
    }
    pose.attributes.reserve(sinks.size());
    for (std::size_t p = 0; p < sinks.size(); ++p) {
        if (sinks[p].known || element.properties[p].list) continue;
        if (element.properties[p].name == "id" && element.properties[p].type != Type::f32) {
            wide.ids.resize(element.count);
            sinks[p].wide = wide.ids.data(), sinks[p].lost = &wide.id_lost, sinks[p].known = true;
            continue;
        }
        Attribute& attribute = pose.attributes.emplace_back();
        attribute.name = element.properties[p].name;
        if (is_whole(element.properties[p].type)) {
            attribute.whole.resize(element.count);
            sinks[p].whole = attribute.whole.data();
            sinks[p].lost = &wide.lost[pose.attributes.size() - 1];
            continue;
        }
        attribute.values.resize(element.count);
        sinks[p] = {attribute.values.data(), 1, 1.0f};
    }
    return sinks;
}

// The properties wind_0, wind_1 and wind_2 as the attribute wind again.
void join_groups(const std::vector<Header::Group>& groups, std::vector<Attribute>& attributes) {
    for (const Header::Group& group : groups) {
        const auto width = static_cast<std::size_t>(group.width);
        std::vector<std::size_t> parts;
        for (std::size_t k = 0; k < width; ++k) {
            const std::string name = fmt::format("{}_{}", group.name, k);
            const auto at = std::find_if(attributes.begin(), attributes.end(),
                                         [&](const Attribute& a) { return a.name == name && a.width == 1; });
            if (at != attributes.end()) parts.push_back(static_cast<std::size_t>(at - attributes.begin()));
        }
        if (parts.size() != width) continue;
        Attribute joined{group.name, group.width};
        const std::size_t count = std::max(attributes[parts[0]].values.size(), attributes[parts[0]].whole.size());
        bool fits = true;
        for (std::size_t p : parts)
            fits = fits && attributes[p].whole.empty() == attributes[parts[0]].whole.empty() &&
                   std::max(attributes[p].values.size(), attributes[p].whole.size()) == count;
        if (!fits) continue;
        const bool whole = !attributes[parts[0]].whole.empty();
        joined.vector = group.direction && width == 3 && !whole;
        whole ? joined.whole.resize(count * width) : joined.values.resize(count * width);
        for (std::size_t k = 0; k < width; ++k) {
            for (std::size_t i = 0; i < count; ++i) {
                if (whole) {
                    joined.whole[i * width + k] = attributes[parts[k]].whole[i];
                } else {
                    joined.values[i * width + k] = attributes[parts[k]].values[i];
                }
            }
        }
        attributes[parts[0]] = std::move(joined);
        std::sort(parts.begin() + 1, parts.end(), std::greater<>());
        for (std::size_t k = 1; k < width; ++k)
            attributes.erase(attributes.begin() + static_cast<std::ptrdiff_t>(parts[k]));
    }
}

// An element that is not points: faces, strips of triangles, or what is passed over.
Result<void> read_other(Body& body, const Element& element, Faces& faces) {
    const std::size_t none = element.properties.size();
    std::size_t list = none, corner_uvs = none;
    for (std::size_t p = 0; p < none; ++p) {
        const Property& property = element.properties[p];
        if (property.list && (property.name == "vertex_indices" || property.name == "vertex_index")) list = p;
        if (property.list && property.name == "texcoord") corner_uvs = p;
    }
    if (element.name == "tristrips" && list < none) return body.read_strips(element, list, faces);
    if (element.name == "face" && list < none && faces.starts.empty())
        return body.read_faces(element, list, corner_uvs, faces);
    return body.read_items(element, std::vector<Sink>(none));
}

// Points without faces that have an id are particles; points of a mesh keep it as a value of theirs.
void put_ids(Wide& wide, Pose& pose, Faces& faces) {
    if (faces.count() == 0) {
        if (!wide.id_lost) pose.ids = std::move(wide.ids);
        faces.starts.clear();
        return;
    }
    const bool fit =
        std::all_of(wide.ids.begin(), wide.ids.end(), [](std::int64_t i) { return i >= INT32_MIN && i <= INT32_MAX; });
    if (wide.ids.empty() || wide.id_lost || !fit) return;
    pose.attributes.push_back({"id", 1});
    pose.attributes.back().whole.assign(wide.ids.begin(), wide.ids.end());
}

// Names of materials stand in comments of the header, which of them a face has in a value of the face.
void put_materials(const ply::Header& header, const std::string& path, Faces& faces) {
    const auto material = std::find_if(faces.attributes.begin(), faces.attributes.end(),
                                       [](const Attribute& a) { return a.name == "material" && !a.whole.empty(); });
    if (material != faces.attributes.end() && !header.materials.empty()) {
        faces.materials = header.materials;
        std::uint32_t none = 0; // faces whose material is not among them
        for (const std::int32_t m : material->whole) {
            const bool known = m >= 0 && static_cast<std::size_t>(m) < header.materials.size();
            if (!known && none == 0) {
                none = static_cast<std::uint32_t>(faces.materials.size());
                faces.materials.emplace_back();
            }
            faces.material_of.push_back(known ? static_cast<std::uint32_t>(m) : none);
        }
        faces.attributes.erase(material);
    }
    for (const auto& [m, picture] : header.pictures) {
        if (m < faces.materials.size()) faces.pictures[faces.materials[m]] = path_seen_from(picture, path);
    }
    if (!header.picture.empty() && faces.materials.empty() && faces.count() > 0) { // one for all faces
        faces.materials = {std::filesystem::path(header.picture).stem().string()};
        faces.material_of.assign(faces.count(), 0);
        faces.pictures[faces.materials.front()] = path_seen_from(header.picture, path);
    }
}

} // namespace

Result<PosePtr> parse_ply(const char* data, std::size_t size, const std::string& path) {
    GARLAND_TRY(header, ply::parse_header({data, size}, path));
    Body body(data, size, header, path);
    auto pose = std::make_shared<Pose>();
    auto faces = std::make_shared<Faces>();
    Wide wide;
    bool points_read = false; // further lists of that name, which no standard knows, are passed over
    for (const Element& element : header.elements) {
        GARLAND_CHECK(body.check_count(element));
        if (element.name == "vertex" && !points_read) {
            points_read = true;
            const auto sinks = make_sinks(element, *pose, wide);
            if (pose->points.empty() && element.count > 0) return body.bad("the points have no x, y and z");
            GARLAND_CHECK(body.read_items(element, sinks));
            for (std::size_t k = pose->attributes.size(); k-- > 0;) {
                if (wide.lost[k]) pose->attributes.erase(pose->attributes.begin() + static_cast<std::ptrdiff_t>(k));
            }
            continue;
        }
        GARLAND_CHECK(read_other(body, element, *faces));
    }
    put_ids(wide, *pose, *faces);
    put_materials(header, path, *faces);
    join_groups(header.groups, pose->attributes);
    join_groups(header.groups, faces->attributes);
    pose->faces = std::move(faces);
    GARLAND_CHECK(check_pose(*pose, path));
    return pose;
}

Result<PosePtr> read_ply(const std::string& path) {
    thread_local std::vector<char> bytes; // used again for the next frame: fresh memory costs as much as reading
    GARLAND_CHECK(read_contents(path, bytes));
    auto pose = parse_ply(bytes.data(), bytes.size(), path);
    if (bytes.capacity() > (std::size_t(64) << 20)) std::vector<char>().swap(bytes);
    return pose;
}

std::vector<std::string> ply_left_out(const std::string& path, const Pose& pose) {
    std::vector<std::string> out;
    const auto head = read_contents_head(path, 1 << 16);
    const auto header = head ? ply::parse_header(*head, path) : fail(ErrorCode::unreadable, "");
    if (!header) return out;
    auto kept = [&](const std::string& name) {
        return std::any_of(pose.attributes.begin(), pose.attributes.end(), [&](const Attribute& a) {
            return a.name == name || (name.starts_with(a.name + "_") && a.width > 1);
        });
    };
    for (const Element& e : header->elements) {
        if (e.count == 0) continue;
        const bool points = e.name == "vertex", faces = e.name == "face", strips = e.name == "tristrips";
        if (!points && !faces && !strips)
            out.push_back(fmt::format("{} of the kind \"{}\"",
                                      counted(static_cast<long long>(e.count), "item", "items"), e.name));
        for (const Property& p : e.properties) {
            const bool corners =
                p.name == "vertex_indices" || p.name == "vertex_index" || (faces && p.name == "texcoord");
            if ((points || faces || strips) && p.list && !(corners && !points))
                out.push_back(fmt::format("the lists \"{}\" of {}", p.name,
                                          points  ? "points"
                                          : faces ? "faces"
                                                  : "strips"));
            if (points && !p.list && is_whole(p.type) && size_of(p.type) >= 4 && p.name != "id" && !kept(p.name))
                out.push_back(fmt::format("\"{}\", whose numbers are too wide,", p.name));
            if (points && p.name == "id" && !p.list && p.type != Type::f32 && pose.ids.empty() && !kept("id"))
                out.push_back("\"id\", whose numbers are too wide,");
            if (strips && !p.list) out.push_back(fmt::format("\"{}\" of strips", p.name));
        }
    }
    return out;
}

Result<PlyCounts> read_ply_counts(const std::string& path) {
    GARLAND_TRY(head, read_contents_head(path, 1 << 16));
    GARLAND_TRY(header, ply::parse_header(head, path));
    PlyCounts counts;
    for (const Element& element : header.elements) {
        if (element.name == "vertex") counts.points = element.count;
        if (element.name == "face") counts.faces = element.count;
    }
    return counts;
}

} // namespace garland
