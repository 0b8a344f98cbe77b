// The body of a PLY file: items and faces, in each of its three forms. Used by io/ply.cpp only.
#pragma once

#include "core/geometry/pose.h"
#include "io/ply/ply_header.h"
#include "io/sources/pose_check.h"

#include <algorithm>
#include <bit>
#include <charconv>
#include <cmath>
#include <cstring>
#include <fast_float/fast_float.h>
#include <fmt/format.h>

namespace garland::ply {

// Where a property's numbers go: base[item · stride], times scale; or whole[item] as they are.
struct Sink {
    float* base = nullptr;
    std::size_t stride = 0;
    float scale = 1;
    std::int32_t* whole = nullptr;
    std::int64_t* wide = nullptr; // whole numbers of 64 bits
    bool* lost = nullptr;         // set where a number does not fit its place
    bool known = false;           // goes to a place of its own, also where there are no items
};

inline bool is_whole(Type type) {
    return type != Type::f32 && type != Type::f64;
}

inline std::int32_t to_whole(double value, bool* lost = nullptr) {
    if (lost && !(value >= -2147483648.0 && value <= 2147483647.0)) *lost = true;
    return static_cast<std::int32_t>(std::clamp(value, -2147483648.0, 2147483647.0));
}
// Doubles hold whole numbers up to 2⁵³.
inline std::int64_t to_wide(double value, bool* lost) {
    const bool fits = value == std::floor(value) && std::abs(value) <= 9007199254740992.0;
    if (lost && !fits) *lost = true;
    return fits ? static_cast<std::int64_t>(value) : 0;
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

inline double load(const char* at, Type type, bool swap) {
    switch (type) {
    case Type::i8: return load<std::int8_t>(at, swap);
    case Type::u8: return load<std::uint8_t>(at, swap);
    case Type::i16: return load<std::int16_t>(at, swap);
    case Type::u16: return load<std::uint16_t>(at, swap);
    case Type::i32: return load<std::int32_t>(at, swap);
    case Type::u32: return load<std::uint32_t>(at, swap);
    case Type::f32: return load<float>(at, swap);
    case Type::f64: return load<double>(at, swap);
    case Type::i64: return static_cast<double>(load<std::int64_t>(at, swap));
    case Type::u64: return static_cast<double>(load<std::uint64_t>(at, swap));
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
            const std::size_t bytes = size_of(type);
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

    // A whole number of 64 bits, to the last digit.
    Result<std::int64_t> wide_number(Type type, bool* lost) {
        std::int64_t value = 0;
        if (form_ != Form::ascii) {
            if (left() < 8) return bad("the file is cut short");
            value = load<std::int64_t>(at_, swap_);
            at_ += 8;
            if (type == Type::u64 && value < 0 && lost) *lost = true;
            return value;
        }
        skip_space();
        const char* from = at_ + (at_ < end_ && *at_ == '+');
        const auto [stop, error] = std::from_chars(from, end_, value);
        if (error == std::errc() && (stop == end_ || std::isspace(static_cast<unsigned char>(*stop)))) {
            at_ = stop;
            return value;
        }
        GARLAND_TRY(other, number(type)); // "7.0", or one beyond 64 bits
        return to_wide(other, lost);
    }

    // Strips of triangles (one list of points each, −1 between strips) as faces; of a strip every other triangle is
    // turned.
    Result<void> read_strips(const Element& element, std::size_t list, Faces& faces) {
        if (faces.starts.empty()) faces.starts.push_back(0);
        for (std::uint64_t i = 0; i < element.count; ++i) {
            for (std::size_t p = 0; p < element.properties.size(); ++p) {
                const Property& property = element.properties[p];
                std::uint64_t length = 1;
                if (property.list) {
                    GARLAND_TRY(said, list_length(property));
                    length = said;
                }
                std::vector<std::uint32_t> strip;
                for (std::uint64_t v = 0; v < length; ++v) {
                    GARLAND_TRY(value, number(property.type));
                    if (p != list) continue;
                    if (value == -1) {
                        strip.clear();
                        continue;
                    }
                    if (!(value >= 0) || value >= static_cast<double>(point_limit) || value != std::floor(value))
                        return bad(fmt::format("a strip points to point {}", value));
                    strip.push_back(static_cast<std::uint32_t>(value));
                    if (strip.size() < 3) continue;
                    const std::uint32_t *last = &strip.back(), a = last[-2], b = last[-1], c = last[0];
                    if (a == b || b == c || a == c) continue; // only turns a corner
                    const bool odd = strip.size() % 2 == 0;
                    for (const std::uint32_t corner : {odd ? b : a, odd ? a : b, c}) faces.corners.push_back(corner);
                    faces.starts.push_back(static_cast<std::uint32_t>(faces.corners.size()));
                }
            }
        }
        return {};
    }

    Result<std::uint64_t> list_length(const Property& property) {
        GARLAND_TRY(length, number(property.count_type));
        const std::size_t each = form_ == Form::ascii ? 2 : size_of(property.type);
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
                    const Sink& sink = sinks[p];
                    if (sink.wide && (property.type == Type::i64 || property.type == Type::u64)) {
                        GARLAND_TRY(whole, wide_number(property.type, sink.lost));
                        sink.wide[i] = whole;
                        continue;
                    }
                    GARLAND_TRY(value, number(property.type));
                    if (sink.wide) sink.wide[i] = to_wide(value, sink.lost);
                    if (sink.whole) sink.whole[i] = to_whole(value, sink.lost);
                    if (sink.base) sink.base[i * sink.stride] = static_cast<float>(value) * sink.scale;
                }
            }
        }
        return {};
    }

    // corner_uvs: the list that holds texture coordinates of the corners; as many as there are properties: none does.
    Result<void> read_faces(const Element& element, std::size_t list, std::size_t corner_uvs, Faces& faces) {
        faces.starts.reserve(element.count + 1);
        faces.starts.push_back(0);
        for (const Property& property : element.properties) {
            if (!property.list) faces.attributes.push_back({property.name, 1});
        }
        const Property& only = element.properties.front();
        const bool common = form_ != Form::ascii && !swap_ && element.properties.size() == 1 &&
                            only.count_type == Type::u8 && (only.type == Type::i32 || only.type == Type::u32);
        if (common) return read_plain_faces(element, faces);
        std::vector<float> uvs; // of one face
        for (std::uint64_t i = 0; i < element.count; ++i) {
            const std::size_t kept = faces.starts.size();
            uvs.clear();
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
                    if (p == corner_uvs) uvs.push_back(static_cast<float>(value));
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
            if (faces.starts.size() > kept) {
                if (corner_uvs == element.properties.size()) continue;
                const std::size_t corners = faces.corners.size() - faces.starts[kept - 1];
                if (uvs.size() != corners * 2)
                    return bad(fmt::format("face {} has {} numbers of texture coordinates for {} corners", i,
                                           uvs.size(), corners));
                for (std::size_t c = 0; c < corners; ++c) faces.corner_uvs.emplace_back(uvs[c * 2], uvs[c * 2 + 1]);
                continue;
            }
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
        faces.corners.resize(left() / 4); // no file has more, whatever it claims
        faces.starts.resize(element.count + 1);
        std::uint32_t *to = faces.corners.data(), *start = faces.starts.data();
        for (std::uint64_t i = 0; i < element.count; ++i) {
            if (at_ == end_) return bad("the file is cut short");
            const auto length = static_cast<std::size_t>(static_cast<unsigned char>(*at_));
            if (left() - 1 < length * 4) return bad("a list is longer than the rest of the file");
            std::uint32_t highest = 0;
            for (std::size_t c = 0; c < length; ++c) {
                std::memcpy(to + c, at_ + 1 + c * 4, 4);
                highest = std::max(highest, to[c]);
            }
            at_ += 1 + length * 4;
            if (length < 3) continue; // a line or a point is no face
            if (highest >= point_limit) return bad(fmt::format("face {} points to point {}", i, highest));
            to += length;
            *++start = static_cast<std::uint32_t>(to - faces.corners.data());
        }
        faces.corners.resize(static_cast<std::size_t>(to - faces.corners.data()));
        faces.starts.resize(static_cast<std::size_t>(start - faces.starts.data()) + 1);
        return {};
    }

    Result<void> read_columns(const Element& element, const std::vector<Sink>& sinks) {
        const std::size_t stride = element.stride();
        if (left() / std::max<std::size_t>(stride, 1) < element.count) return bad("the file is cut short");
        std::size_t offset = 0;
        for (std::size_t p = 0; p < sinks.size(); ++p) {
            if (const std::size_t together = run_of_floats(element, sinks, p); together > 1) {
                const char* from = at_ + offset;
                float* to = sinks[p].base;
                const std::size_t bytes = together * sizeof(float);
                if (stride == bytes) {
                    std::memcpy(to, from, bytes * element.count);
                } else if (together == 3) { // a size the compiler knows
                    for (std::uint64_t i = 0; i < element.count; ++i)
                        std::memcpy(to + i * 3, from + i * stride, 3 * sizeof(float));
                } else {
                    for (std::uint64_t i = 0; i < element.count; ++i)
                        std::memcpy(to + i * together, from + i * stride, bytes);
                }
                offset += bytes;
                p += together - 1;
                continue;
            }
            const Type type = element.properties[p].type;
            const char* from = at_ + offset;
            offset += size_of(type);
            if (sinks[p].wide) {
                for (std::uint64_t i = 0; i < element.count; ++i) {
                    if (type == Type::i64 || type == Type::u64) {
                        sinks[p].wide[i] = load<std::int64_t>(from + i * stride, swap_);
                        if (type == Type::u64 && sinks[p].wide[i] < 0 && sinks[p].lost) *sinks[p].lost = true;
                    } else {
                        sinks[p].wide[i] = to_wide(load(from + i * stride, type, swap_), sinks[p].lost);
                    }
                }
            }
            if (sinks[p].whole) {
                for (std::uint64_t i = 0; i < element.count; ++i)
                    sinks[p].whole[i] = to_whole(load(from + i * stride, type, swap_), sinks[p].lost);
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
            case Type::i64: copy_column<std::int64_t>(from, stride, element.count, swap_, sinks[p]); break;
            case Type::u64: copy_column<std::uint64_t>(from, stride, element.count, swap_, sinks[p]); break;
            }
        }
        at_ += stride * element.count;
        return {};
    }

    // How many properties from p on are floats of this machine that go to one place as they lie: x, y and z.
    std::size_t run_of_floats(const Element& element, const std::vector<Sink>& sinks, std::size_t p) const {
        if (swap_ || !sinks[p].base) return 0;
        std::size_t count = 0;
        for (; p + count < sinks.size(); ++count) {
            const Sink& sink = sinks[p + count];
            if (element.properties[p + count].type != Type::f32 || sink.scale != 1 ||
                sink.base != sinks[p].base + count || sink.whole)
                break;
        }
        return count == sinks[p].stride ? count : 0;
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

} // namespace garland::ply
