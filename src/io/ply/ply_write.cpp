#include "io/ply/ply.h"

#include "core/base/put_number.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <cstring>
#include <fmt/format.h>

namespace garland {

static_assert(std::endian::native == std::endian::little, "the PLY writer copies little-endian numbers as they are");

namespace {

// A line end in a name would end the comment that it stands in.
bool is_one_line(const std::string& name) {
    return name.find_first_of("\r\n") == name.npos;
}

std::string header_text(const char* form, const PlyMerger::Content& c, const std::vector<Attribute>& attributes,
                        const std::string& comment, bool ids) {
    std::string text = fmt::format("ply\nformat {} 1.0\n", form);
    if (!comment.empty()) text += "comment " + comment + "\n";
    for (std::size_t m = 0; m < c.materials.size(); ++m)
        text += fmt::format("comment material {} {}\n", m, c.materials[m].empty() ? "none" : c.materials[m]);
    for (std::size_t m = 0; m < c.materials.size(); ++m) {
        const auto picture = c.pictures.find(c.materials[m]);
        if (picture != c.pictures.end() && is_one_line(picture->second))
            text += fmt::format("comment picture {} {}\n", m, picture->second);
    }
    for (const auto* list : {&attributes, &c.face_attributes}) { // names with spaces would not be read back as one word
        for (const Attribute& a : *list) {
            if (a.width > 1 && a.name.find(' ') == a.name.npos)
                text += fmt::format("comment attribute {} {}{}\n", a.name, a.width, a.vector ? " direction" : "");
        }
    }
    text += fmt::format("element vertex {}\n", c.points);
    auto floats = [&](std::initializer_list<const char*> names) {
        for (const char* name : names) text += fmt::format("property float {}\n", name);
    };
    floats({"x", "y", "z"});
    if (c.normals) floats({"nx", "ny", "nz"});
    if (c.velocities) floats({"vx", "vy", "vz"});
    if (c.uvs) floats({"s", "t"});
    if (c.colours) text += "property uchar red\nproperty uchar green\nproperty uchar blue\n";
    if (c.copy) text += "property int copy\n";
    if (ids) text += c.large_ids ? "property double id\n" : "property int id\n";
    auto named = [&](const std::vector<Attribute>& list) {
        for (const Attribute& a : list) {
            for (int k = 0; k < a.width; ++k) {
                text += fmt::format("property {} {}{}\n", a.whole.empty() ? "float" : "int", a.name,
                                    a.width > 1 ? fmt::format("_{}", k) : "");
            }
        }
    };
    named(attributes);
    text += fmt::format("element face {}\nproperty list {} int vertex_indices\n", c.faces,
                        c.many_corners ? "int" : "uchar");
    if (c.corner_uvs) text += fmt::format("property list {} float texcoord\n", c.many_corners ? "int" : "uchar");
    if (!c.materials.empty()) text += "property int material\n";
    named(c.face_attributes);
    text += "end_header\n";
    return text;
}

unsigned char to_byte(float x) {
    return static_cast<unsigned char>(std::lround(std::min(std::max(x, 0.0f), 1.0f) * 255));
}

PlyMerger::Content content_of(const Pose& pose) {
    PlyMerger::Content c;
    c.points = pose.points.size();
    c.add_faces(*pose.faces);
    c.normals = !pose.normals.empty();
    c.velocities = !pose.velocities.empty();
    c.uvs = !pose.uvs.empty();
    c.colours = !pose.colours.empty();
    return c;
}

// Appends numbers to a buffer in one of the three forms.
class Out {
  public:
    Out(std::string& text, PlyForm form) : text_(text), form_(form) {}
    void number(float value) {
        if (form_ == PlyForm::ascii) {
            text(value);
        } else {
            raw(&value, sizeof value);
        }
    }
    void byte(unsigned char value) {
        if (form_ == PlyForm::ascii) {
            text(std::int32_t(value));
        } else {
            text_ += static_cast<char>(value);
        }
    }
    void index(std::int32_t value) {
        if (form_ == PlyForm::ascii) {
            text(value);
        } else {
            raw(&value, sizeof value);
        }
    }
    void end_item() {
        if (form_ == PlyForm::ascii) text_.back() = '\n';
    }

  private:
    template <class Number>
    void text(Number value) {
        char digits[longest_number + 1];
        char* end = put_number(digits, value);
        *end++ = ' ';
        text_.append(digits, end);
    }
    void raw(const void* data, std::size_t bytes) {
        char copy[8];
        std::memcpy(copy, data, bytes);
        if (form_ == PlyForm::big_endian) std::reverse(copy, copy + bytes);
        text_.append(copy, bytes);
    }
    std::string& text_;
    PlyForm form_;
};

} // namespace

bool has_large_face(const Faces& faces, std::uint32_t most) {
    for (std::size_t f = 0; f < faces.count(); ++f) {
        if (faces.starts[f + 1] - faces.starts[f] > most) return true;
    }
    return false;
}

void PlyMerger::Content::add_faces(const Faces& f) {
    faces += f.count();
    corners += f.corners.size();
    corner_uvs |= !f.corner_uvs.empty();
    many_corners = many_corners || has_large_face(f, 127); // two texture coordinates a corner
    for (const std::string& name : f.materials) {
        if (std::find(materials.begin(), materials.end(), name) == materials.end()) materials.push_back(name);
    }
    pictures.insert(f.pictures.begin(), f.pictures.end());
    for (const Attribute& a : f.attributes) {
        const bool known = a.name == "material" || std::any_of(face_attributes.begin(), face_attributes.end(),
                                                               [&](const Attribute& b) { return b.name == a.name; });
        if (known || a.width > 16) continue;
        face_attributes.push_back({a.name,
                                   a.width,
                                   {},
                                   a.whole.empty() ? std::vector<std::int32_t>{} : std::vector<std::int32_t>{0},
                                   a.vector});
    }
}

namespace {

void put_values(Out& out, const std::vector<Attribute>& list, std::size_t i) {
    for (const Attribute& a : list) {
        const auto width = static_cast<std::size_t>(a.width);
        for (std::size_t k = 0; k < width; ++k)
            a.whole.empty() ? out.number(a.values[i * width + k]) : out.index(a.whole[i * width + k]);
    }
}

void put_point(Out& out, const Pose& pose, std::size_t i) {
    auto vector = [&](const std::vector<V3f>& values) {
        if (values.empty()) return;
        for (int k = 0; k < 3; ++k) out.number(values[i][k]);
    };
    vector(pose.points);
    vector(pose.normals);
    vector(pose.velocities);
    if (!pose.uvs.empty()) out.number(pose.uvs[i].x), out.number(pose.uvs[i].y);
    if (!pose.colours.empty()) {
        for (int k = 0; k < 3; ++k) out.byte(to_byte(pose.colours[i][k]));
    }
    if (!pose.ids.empty()) out.index(static_cast<std::int32_t>(pose.ids[i]));
    put_values(out, pose.attributes, i);
    out.end_item();
}

void put_face(Out& out, const PlyMerger::Content& content, const Faces& faces, std::size_t f) {
    auto length = [&](std::uint32_t count) {
        if (content.many_corners)
            out.index(static_cast<std::int32_t>(count));
        else
            out.byte(static_cast<unsigned char>(count));
    };
    const auto corners = faces.starts[f + 1] - faces.starts[f];
    length(corners);
    for (std::uint32_t c = faces.starts[f]; c < faces.starts[f + 1]; ++c) {
        out.index(static_cast<std::int32_t>(faces.corners[c]));
    }
    if (content.corner_uvs) {
        length(corners * 2);
        for (std::uint32_t c = faces.starts[f]; c < faces.starts[f + 1]; ++c)
            out.number(faces.corner_uvs[c].x), out.number(faces.corner_uvs[c].y);
    }
    if (!content.materials.empty())
        out.index(faces.material_of.empty() ? -1 : static_cast<std::int32_t>(faces.material_of[f]));
    put_values(out, faces.attributes, f);
    out.end_item();
}

} // namespace

Result<void> write_ply(const std::string& path, const Pose& pose, PlyForm form, Existing existing) {
    GARLAND_TRY(file, AtomicFile::create(path, existing));
    const PlyMerger::Content content = content_of(pose);
    const char* names[] = {"ascii", "binary_little_endian", "binary_big_endian"};
    std::string text = header_text(names[static_cast<int>(form)], content, pose.attributes, "", !pose.ids.empty());
    Out out(text, form);
    auto flush = [&](std::size_t above) {
        if (text.size() <= above) return;
        file.write(text);
        text.clear();
    };
    for (const std::int64_t id : pose.ids) {
        if (id < INT32_MIN || id > INT32_MAX) {
            return fail(Error{ErrorCode::too_large, fmt::format("the id {} does not fit a PLY file", id)}
                            .advise("write it as USD")
                            .at(path)
                            .keeping("nothing was written"));
        }
    }
    for (std::size_t i = 0; i < pose.points.size(); ++i) {
        put_point(out, pose, i);
        flush(1 << 20);
    }
    for (std::size_t f = 0; f < pose.faces->count(); ++f) {
        put_face(out, content, *pose.faces, f);
        flush(1 << 20);
    }
    flush(0);
    return file.commit();
}

Result<PlyMerger> PlyMerger::create(const std::string& path, const Content& content, Existing existing,
                                    const std::string& comment) {
    if (content.points > INT32_MAX) {
        return fail(Error{ErrorCode::too_large, fmt::format("{} points do not fit one PLY file", content.points)}
                        .at(path)
                        .advise("write fewer copies at a time"));
    }
    GARLAND_TRY(file, AtomicFile::create(path, existing));
    file.write(header_text("binary_little_endian", content, content.attributes, comment, content.ids));
    return PlyMerger(std::move(file), content);
}

namespace {
std::size_t point_stride(const PlyMerger::Content& c) {
    std::size_t bytes = 12u + (c.normals ? 12u : 0u) + (c.velocities ? 12u : 0u) + (c.uvs ? 8u : 0u) +
                        (c.colours ? 3u : 0u) + (c.copy ? 4u : 0u) + (c.ids ? c.large_ids ? 8u : 4u : 0u);
    for (const Attribute& a : c.attributes) bytes += static_cast<std::size_t>(a.width) * 4;
    return bytes;
}
} // namespace

std::uint64_t PlyMerger::size_of(const Content& c) {
    std::uint64_t face = (c.many_corners ? 4u : 1u) * (c.corner_uvs ? 2u : 1u) + (c.materials.empty() ? 0u : 4u);
    for (const Attribute& a : c.face_attributes) face += static_cast<std::uint64_t>(a.width) * 4;
    return 400 + c.points * point_stride(c) + c.faces * face + c.corners * (c.corner_uvs ? 12u : 4u);
}

namespace {
// Where each wanted attribute's values are; null: there is none of that name and kind.
std::vector<const char*> places_of(const std::vector<Attribute>& wanted, const std::vector<Attribute>& have,
                                   std::size_t count) {
    std::vector<const char*> values;
    for (const Attribute& w : wanted) {
        const char* found = nullptr;
        for (const Attribute& a : have) {
            const bool whole = !a.whole.empty(),
                       fits = (whole ? a.whole.size() : a.values.size()) == count * static_cast<std::size_t>(a.width);
            if (a.name != w.name || a.width != w.width || whole == w.whole.empty() || !fits) continue;
            found =
                whole ? reinterpret_cast<const char*>(a.whole.data()) : reinterpret_cast<const char*>(a.values.data());
        }
        values.push_back(found);
    }
    return values;
}
} // namespace

void PlyMerger::add_points(const std::vector<V3f>& points, const std::vector<V3f>& normals,
                           const std::vector<V3f>& velocities, const std::vector<Attribute>& attributes,
                           const Pose& pose, std::int32_t copy) {
    buffer_.resize(points.size() * point_stride(content_));
    char* at = buffer_.data();
    auto put = [&](const void* data, std::size_t bytes) {
        std::memcpy(at, data, bytes);
        at += bytes;
    };
    const std::vector<const char*> values = places_of(content_.attributes, attributes, points.size());
    const V3f none3(0);
    const V2f none2(0);
    const char nothing[64] = {};
    for (std::size_t i = 0; i < points.size(); ++i) {
        put(&points[i], 12);
        if (content_.normals) put(normals.empty() ? &none3 : &normals[i], 12);
        if (content_.velocities) put(velocities.empty() ? &none3 : &velocities[i], 12);
        if (content_.uvs) put(pose.uvs.empty() ? &none2 : &pose.uvs[i], 8);
        if (content_.colours) {
            const V3f c = pose.colours.empty() ? V3f(1) : pose.colours[i];
            const unsigned char bytes[3] = {to_byte(c.x), to_byte(c.y), to_byte(c.z)};
            put(bytes, 3);
        }
        if (content_.copy) put(&copy, 4);
        if (content_.ids && content_.large_ids) {
            const auto id = static_cast<double>(pose.ids.empty() ? -1 : pose.ids[i]);
            put(&id, 8);
        } else if (content_.ids) {
            const auto id = static_cast<std::int32_t>(pose.ids.empty() ? -1 : pose.ids[i]);
            put(&id, 4);
        }
        for (std::size_t k = 0; k < values.size(); ++k) {
            const std::size_t bytes = static_cast<std::size_t>(content_.attributes[k].width) * 4;
            put(values[k] ? values[k] + i * bytes : nothing, bytes);
        }
    }
    file_.write(buffer_.data(), buffer_.size());
}

void PlyMerger::add_faces(const Faces& faces, std::uint32_t first_point) {
    Content one;
    one.corner_uvs = content_.corner_uvs, one.materials = content_.materials,
    one.face_attributes = content_.face_attributes, one.many_corners = content_.many_corners;
    one.faces = faces.count(), one.corners = faces.corners.size();
    buffer_.resize(static_cast<std::size_t>(size_of(one)));
    char* at = buffer_.data();
    auto put = [&](const void* data, std::size_t bytes) {
        std::memcpy(at, data, bytes);
        at += bytes;
    };
    const std::vector<const char*> values = places_of(content_.face_attributes, faces.attributes, faces.count());
    std::vector<std::int32_t> material_here; // of the file, for each of these faces' own
    for (const std::string& name : faces.materials) {
        material_here.push_back(static_cast<std::int32_t>(
            std::find(content_.materials.begin(), content_.materials.end(), name) - content_.materials.begin()));
    }
    const std::size_t length_bytes = content_.many_corners ? 4 : 1; // little-endian: the first byte is enough for 255
    const char nothing[64] = {};
    const V2f none(0);
    for (std::size_t f = 0; f < faces.count(); ++f) {
        const std::uint32_t corners = faces.starts[f + 1] - faces.starts[f], twice = corners * 2;
        put(&corners, length_bytes);
        for (std::uint32_t c = faces.starts[f]; c < faces.starts[f + 1]; ++c) {
            const std::uint32_t index = faces.corners[c] + first_point;
            put(&index, 4);
        }
        if (content_.corner_uvs) {
            put(&twice, length_bytes);
            for (std::uint32_t c = faces.starts[f]; c < faces.starts[f + 1]; ++c)
                put(faces.corner_uvs.empty() ? &none : &faces.corner_uvs[c], 8);
        }
        if (!content_.materials.empty()) {
            const std::int32_t material = faces.material_of.empty() ? -1 : material_here[faces.material_of[f]];
            put(&material, 4);
        }
        for (std::size_t k = 0; k < values.size(); ++k) {
            const std::size_t bytes = static_cast<std::size_t>(content_.face_attributes[k].width) * 4;
            put(values[k] ? values[k] + f * bytes : nothing, bytes);
        }
    }
    file_.write(buffer_.data(), static_cast<std::size_t>(at - buffer_.data()));
}

} // namespace garland
