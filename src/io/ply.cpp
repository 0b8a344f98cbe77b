#include "io/ply.h"

#include "io/ply_header.h"
#include "io/pose_check.h"

#include <bit>
#include <cstring>
#include <fast_float/fast_float.h>
#include <fmt/format.h>

namespace garland {

using ply::Element;
using ply::Form;
using ply::Header;
using ply::Property;
using ply::Type;

namespace {

// Where a property's numbers go: base[item · stride], times scale; or whole[item] as they are.
struct Sink {
    float* base = nullptr;
    std::size_t stride = 0;
    float scale = 1;
    std::int32_t* whole = nullptr;
};

bool is_whole(Type type) {
    return type != Type::f32 && type != Type::f64;
}

std::int32_t to_whole(double value) {
    return static_cast<std::int32_t>(std::clamp(value, -2147483648.0, 2147483647.0));
}

template <class T>
T load(const char* at, bool swap) {
    unsigned char bytes[sizeof(T)];
    std::memcpy(bytes, at, sizeof(T));
    if (swap) std::reverse(std::begin(bytes), std::end(bytes));
    T value;
    std::memcpy(&value, bytes, sizeof(T));
    return value;
}

double load(const char* at, Type type, bool swap) {
    switch (type) {
    case Type::i8: return load<std::int8_t>(at, swap);
    case Type::u8: return load<std::uint8_t>(at, swap);
    case Type::i16: return load<std::int16_t>(at, swap);
    case Type::u16: return load<std::uint16_t>(at, swap);
    case Type::i32: return load<std::int32_t>(at, swap);
    case Type::u32: return load<std::uint32_t>(at, swap);
    case Type::f32: return load<float>(at, swap);
    case Type::f64: return load<double>(at, swap);
    }
    return 0;
}

template <class T>
void copy_column(const char* from, std::size_t stride, std::uint64_t count, bool swap, Sink sink) {
    if (!swap) {
        for (std::uint64_t i = 0; i < count; ++i) {
            T value;
            std::memcpy(&value, from + i * stride, sizeof(T));
            sink.base[i * sink.stride] = static_cast<float>(value) * sink.scale;
        }
        return;
    }
    for (std::uint64_t i = 0; i < count; ++i) {
        sink.base[i * sink.stride] = static_cast<float>(load<T>(from + i * stride, true)) * sink.scale;
    }
}

class Body {
  public:
    Body(const char* data, std::size_t size, const Header& header, const std::string& path)
        : at_(data + header.bytes), begin_(data), end_(data + size), form_(header.form), line_(header.lines + 1),
          path_(path), swap_((header.form == Form::big) == (std::endian::native == std::endian::little)) {}

    std::size_t left() const { return static_cast<std::size_t>(end_ - at_); }

    tl::unexpected<Error> bad(std::string what) const {
        Error error{ErrorCode::malformed, std::move(what)};
        error.path = path_;
        if (form_ == Form::ascii) {
            error.line = line_;
        } else {
            error.offset = at_ - begin_;
        }
        return fail(std::move(error));
    }

    // The counts were checked against the file's size, so what is allocated for them is bounded by it.
    Result<void> check_count(const Element& element) const {
        const std::size_t least = element.least_bytes(form_);
        // An ASCII file may lack the very last line break.
        const std::uint64_t room = least == 0 ? element.count : (left() + 1) / least;
        if (element.count > room || element.count > point_limit) {
            return fail(
                Error{ErrorCode::too_large, fmt::format("claims {} items \"{}\", but the file has room for {} at most",
                                                        element.count, element.name, std::min(room, point_limit))}
                    .at(path_)
                    .advise("the file may be cut short; write it again"));
        }
        return {};
    }

    Result<double> number(Type type) {
        if (form_ != Form::ascii) {
            const std::size_t bytes = ply::size_of(type);
            if (left() < bytes) return bad("the file is cut short");
            const double value = load(at_, type, swap_);
            at_ += bytes;
            return value;
        }
        skip_space();
        if (at_ == end_) return bad("the file is cut short");
        double value = 0;
        auto [stop, error] = fast_float::from_chars(at_ + (*at_ == '+'), end_, value);
        const bool ends = stop == end_ || std::isspace(static_cast<unsigned char>(*stop));
        if (error == std::errc::invalid_argument || !ends) {
            std::size_t length = 0;
            while (length < 20 && at_ + length < end_ && !std::isspace(static_cast<unsigned char>(at_[length])))
                ++length;
            return bad(fmt::format("\"{}\" is not a number", std::string_view(at_, length)));
        }
        at_ = stop;
        return value;
    }

    Result<std::uint64_t> list_length(const Property& property) {
        GARLAND_TRY(length, number(property.count_type));
        const std::size_t each = form_ == Form::ascii ? 2 : ply::size_of(property.type);
        if (!(length >= 0) || length != std::floor(length)) return bad("a list's length is not a whole number");
        if (length > static_cast<double>((left() + 1) / each)) return bad("a list is longer than the rest of the file");
        return static_cast<std::uint64_t>(length);
    }

    // sinks: one per property; a sink without base skips it.
    Result<void> read_items(const Element& element, const std::vector<Sink>& sinks) {
        if (form_ != Form::ascii && !element.has_lists()) return read_columns(element, sinks);
        for (std::uint64_t i = 0; i < element.count; ++i) {
            for (std::size_t p = 0; p < sinks.size(); ++p) {
                const Property& property = element.properties[p];
                std::uint64_t values = 1;
                if (property.list) {
                    GARLAND_TRY(length, list_length(property));
                    values = length;
                }
                for (std::uint64_t v = 0; v < values; ++v) {
                    GARLAND_TRY(value, number(property.type));
                    const Sink& sink = sinks[p];
                    if (sink.whole) sink.whole[i] = to_whole(value);
                    if (sink.base) sink.base[i * sink.stride] = static_cast<float>(value) * sink.scale;
                }
            }
        }
        return {};
    }

    Result<void> read_faces(const Element& element, std::size_t list, Faces& faces) {
        faces.starts.reserve(element.count + 1);
        faces.starts.push_back(0);
        for (const Property& property : element.properties) {
            if (!property.list) faces.attributes.push_back({property.name, 1});
        }
        const Property& only = element.properties.front();
        const bool common = form_ != Form::ascii && !swap_ && element.properties.size() == 1 && only.count_type == Type::u8 &&
                            (only.type == Type::i32 || only.type == Type::u32);
        if (common) return read_plain_faces(element, faces);
        for (std::uint64_t i = 0; i < element.count; ++i) {
            const std::size_t kept = faces.starts.size();
            auto named = faces.attributes.begin();
            for (std::size_t p = 0; p < element.properties.size(); ++p) {
                const Property& property = element.properties[p];
                if (!property.list) {
                    GARLAND_TRY(value, number(property.type));
                    if (is_whole(property.type)) {
                        named->whole.push_back(to_whole(value));
                    } else {
                        named->values.push_back(static_cast<float>(value));
                    }
                    ++named;
                    continue;
                }
                GARLAND_TRY(length, list_length(property));
                const std::size_t before = faces.corners.size();
                for (std::uint64_t v = 0; v < length; ++v) {
                    GARLAND_TRY(value, number(property.type));
                    if (p != list) continue;
                    if (!(value >= 0) || value >= static_cast<double>(point_limit) || value != std::floor(value)) {
                        return bad(fmt::format("face {} points to point {}", i, value));
                    }
                    faces.corners.push_back(static_cast<std::uint32_t>(value));
                }
                if (p != list) continue;
                if (length < 3) { // a line or a point is no face
                    faces.corners.resize(before);
                } else {
                    faces.starts.push_back(static_cast<std::uint32_t>(faces.corners.size()));
                }
            }
            if (faces.starts.size() > kept) continue;
            for (Attribute& a : faces.attributes) { // what is no face has no values
                if (!a.whole.empty()) a.whole.pop_back();
                if (!a.values.empty()) a.values.pop_back();
            }
        }
        return {};
    }

  private:
    // One list a face, a byte for its length and four for each corner, as nearly every file has them.
    Result<void> read_plain_faces(const Element& element, Faces& faces) {
        faces.corners.reserve((left() - std::min<std::size_t>(left(), element.count)) / 4);
        for (std::uint64_t i = 0; i < element.count; ++i) {
            if (at_ == end_) return bad("the file is cut short");
            const auto length = static_cast<std::size_t>(static_cast<unsigned char>(*at_));
            if (left() - 1 < length * 4) return bad("a list is longer than the rest of the file");
            const std::size_t before = faces.corners.size();
            faces.corners.resize(before + length);
            if (length > 0) std::memcpy(faces.corners.data() + before, at_ + 1, length * 4);
            at_ += 1 + length * 4;
            if (length < 3) { // a line or a point is no face
                faces.corners.resize(before);
                continue;
            }
            for (std::size_t c = before; c < faces.corners.size(); ++c) {
                if (faces.corners[c] >= point_limit) return bad(fmt::format("face {} points to point {}", i, faces.corners[c]));
            }
            faces.starts.push_back(static_cast<std::uint32_t>(faces.corners.size()));
        }
        return {};
    }

    Result<void> read_columns(const Element& element, const std::vector<Sink>& sinks) {
        const std::size_t stride = element.stride();
        if (left() / std::max<std::size_t>(stride, 1) < element.count) return bad("the file is cut short");
        std::size_t offset = 0;
        for (std::size_t p = 0; p < sinks.size(); ++p) {
            const Type type = element.properties[p].type;
            const char* from = at_ + offset;
            offset += ply::size_of(type);
            if (sinks[p].whole) {
                for (std::uint64_t i = 0; i < element.count; ++i) sinks[p].whole[i] = to_whole(load(from + i * stride, type, swap_));
            }
            if (!sinks[p].base) continue;
            switch (type) {
            case Type::i8: copy_column<std::int8_t>(from, stride, element.count, swap_, sinks[p]); break;
            case Type::u8: copy_column<std::uint8_t>(from, stride, element.count, swap_, sinks[p]); break;
            case Type::i16: copy_column<std::int16_t>(from, stride, element.count, swap_, sinks[p]); break;
            case Type::u16: copy_column<std::uint16_t>(from, stride, element.count, swap_, sinks[p]); break;
            case Type::i32: copy_column<std::int32_t>(from, stride, element.count, swap_, sinks[p]); break;
            case Type::u32: copy_column<std::uint32_t>(from, stride, element.count, swap_, sinks[p]); break;
            case Type::f32: copy_column<float>(from, stride, element.count, swap_, sinks[p]); break;
            case Type::f64: copy_column<double>(from, stride, element.count, swap_, sinks[p]); break;
            }
        }
        at_ += stride * element.count;
        return {};
    }

    void skip_space() {
        while (at_ < end_ && std::isspace(static_cast<unsigned char>(*at_))) line_ += *at_++ == '\n';
    }

    const char *at_, *begin_, *end_;
    Form form_;
    std::int64_t line_;
    const std::string& path_;
    bool swap_;
};

// Sends the well-known names to their places and every other number to an attribute of its own.
std::vector<Sink> make_sinks(const Element& element, Pose& pose) {
    std::vector<Sink> sinks(element.properties.size());
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
                    sinks[p] = {base + k, names.size(), scale_of(property.type)};
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
        if (sinks[p].base || element.properties[p].list) continue;
        Attribute& attribute = pose.attributes.emplace_back();
        attribute.name = element.properties[p].name;
        if (is_whole(element.properties[p].type)) {
            attribute.whole.resize(element.count);
            sinks[p].whole = attribute.whole.data();
            continue;
        }
        attribute.values.resize(element.count);
        sinks[p] = {attribute.values.data(), 1, 1.0f};
    }
    return sinks;
}

} // namespace

Result<PosePtr> parse_ply(const char* data, std::size_t size, const std::string& path) {
    GARLAND_TRY(header, ply::parse_header({data, size}, path));
    Body body(data, size, header, path);
    auto pose = std::make_shared<Pose>();
    auto faces = std::make_shared<Faces>();
    for (const Element& element : header.elements) {
        if (element.name == "tristrips") {
            return fail(Error{ErrorCode::unsupported, "triangle strips are not read"}.at(path).advise(
                "write the mesh with plain faces"));
        }
        GARLAND_CHECK(body.check_count(element));
        if (element.name == "vertex" && pose->points.empty()) {
            const auto sinks = make_sinks(element, *pose);
            if (pose->points.empty() && element.count > 0) return body.bad("the points have no x, y and z");
            GARLAND_CHECK(body.read_items(element, sinks));
            continue;
        }
        std::size_t list = element.properties.size();
        for (std::size_t p = 0; p < element.properties.size(); ++p) {
            const Property& property = element.properties[p];
            if (property.list && (property.name == "vertex_indices" || property.name == "vertex_index")) list = p;
        }
        if (element.name == "face" && list < element.properties.size() && faces->starts.empty()) {
            GARLAND_CHECK(body.read_faces(element, list, *faces));
        } else {
            GARLAND_CHECK(body.read_items(element, std::vector<Sink>(element.properties.size())));
        }
    }
    if (faces->count() == 0) { // points with an id are particles
        const auto id = std::find_if(pose->attributes.begin(), pose->attributes.end(), [](const Attribute& a) { return a.name == "id" && !a.whole.empty(); });
        if (id != pose->attributes.end()) {
            pose->ids.assign(id->whole.begin(), id->whole.end());
            pose->attributes.erase(id);
        }
        faces->starts.clear();
    }
    pose->faces = std::move(faces);
    GARLAND_CHECK(check_pose(*pose, path));
    return pose;
}

Result<PosePtr> read_ply(const std::string& path) {
    thread_local std::vector<char> bytes; // used again for the next frame: fresh memory costs as much as reading
    GARLAND_CHECK(read_file(path, bytes));
    auto pose = parse_ply(bytes.data(), bytes.size(), path);
    if (bytes.capacity() > (std::size_t(64) << 20)) std::vector<char>().swap(bytes);
    return pose;
}

Result<PlyCounts> read_ply_counts(const std::string& path) {
    std::uint64_t size = 0;
    GARLAND_TRY(head, read_head(path, 1 << 16, size));
    GARLAND_TRY(header, ply::parse_header(head, path));
    PlyCounts counts;
    for (const Element& element : header.elements) {
        if (element.name == "vertex") counts.points = element.count;
        if (element.name == "face") counts.faces = element.count;
    }
    return counts;
}

} // namespace garland
