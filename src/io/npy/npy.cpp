#include "io/npy/npy.h"

#include "core/base/numbers.h"
#include "core/base/parallel.h"
#include "core/geometry/halves.h"
#include "io/sources/pose_check.h"

#include <Imath/half.h>
#include <algorithm>
#include <cstring>
#include <fmt/format.h>

namespace garland {

namespace {
std::uint64_t size_of(NpyType type) {
    return type == NpyType::f16 ? 2 : type == NpyType::f32 || type == NpyType::i32 ? 4 : 8;
}

// The text after 'key': in the header's dictionary.
std::string_view value_of(std::string_view text, std::string_view key) {
    const auto at = text.find(key);
    if (at == text.npos) return {};
    auto rest = text.substr(at + key.size());
    const auto begin = rest.find_first_not_of(" :'\"");
    return begin == rest.npos ? std::string_view{} : rest.substr(begin);
}
} // namespace

std::uint64_t NpyHeader::bytes_per_frame() const {
    std::uint64_t count = size_of(type);
    for (std::size_t i = 1; i < shape.size(); ++i) count *= shape[i];
    return count;
}

namespace {

// "(96, 2304, 3)" and what follows it.
Result<std::vector<std::uint64_t>> shape_of(std::string_view shape, const std::string& path) {
    auto bad = [&](ErrorCode code, std::string what) { return fail(Error{code, std::move(what)}.at(path)); };
    std::vector<std::uint64_t> out;
    const auto close = shape.find(')');
    if (!shape.starts_with('(') || close == shape.npos) return bad(ErrorCode::malformed, "the shape is missing");
    std::uint64_t number = 0;
    bool digits = false;
    for (char c : shape.substr(1, close)) {
        if (c >= '0' && c <= '9') {
            if (number > UINT64_MAX / 16) return bad(ErrorCode::too_large, "the shape is beyond any file");
            number = number * 10 + static_cast<std::uint64_t>(c - '0');
            digits = true;
        } else if (c == ',' || c == ')') {
            if (digits) out.push_back(number);
            number = 0, digits = false;
        } else if (c != ' ') {
            return bad(ErrorCode::malformed, "the shape is not a list of numbers");
        }
    }
    return out;
}

// Whether the shape is one that is read, and the file has room for it.
Result<void> fits_the_file(const NpyHeader& header, std::uint64_t file_size, const std::string& path) {
    auto bad = [&](ErrorCode code, std::string what) { return fail(Error{code, std::move(what)}.at(path)); };
    if (header.shape.empty() || header.shape.size() > 3)
        return bad(ErrorCode::unsupported, fmt::format("it has {} dimensions", header.shape.size()));
    for (std::size_t i = 1; i < header.shape.size(); ++i) {
        if (header.shape[i] == 0) return bad(ErrorCode::malformed, "the array is empty");
        if (header.shape[i] > point_limit) {
            return bad(ErrorCode::too_large, fmt::format("claims {} values in every frame", header.shape[i]));
        }
    }
    if (header.shape.size() == 3 && header.shape[1] * header.shape[2] > 16 * point_limit) {
        return bad(ErrorCode::too_large,
                   fmt::format("claims {} times {} values in every frame", header.shape[1], header.shape[2]));
    }
    if (header.shape[0] == 0) return bad(ErrorCode::malformed, "the array is empty");
    const std::uint64_t room = file_size > header.data_offset ? file_size - header.data_offset : 0;
    if (header.shape[0] > room / header.bytes_per_frame()) {
        return fail(Error{ErrorCode::too_large,
                          fmt::format("claims {} frames of {}, but the file has room for {}", header.shape[0],
                                      counted(static_cast<long long>(header.shape.size() > 1 ? header.shape[1] : 1),
                                              "point", "points"),
                                      room / header.bytes_per_frame())}
                        .at(path)
                        .advise("the file may be cut short; write it again"));
    }
    return {};
}

} // namespace

Result<NpyHeader> parse_npy_array(const std::string& head, std::uint64_t file_size, const std::string& path) {
    auto bad = [&](ErrorCode code, std::string what) { return fail(Error{code, std::move(what)}.at(path)); };
    if (head.size() < 10 || head.compare(0, 6, "\x93NUMPY", 6) != 0) {
        return bad(ErrorCode::malformed, "this is not a NumPy array");
    }
    auto byte = [&](std::size_t i) { return static_cast<std::uint64_t>(static_cast<unsigned char>(head[i])); };
    const std::uint64_t version = byte(6);
    if (version < 1 || version > 3)
        return bad(ErrorCode::unsupported, fmt::format("NumPy format {} is not read", version));
    const std::size_t begin = version == 1 ? 10 : 12;
    if (head.size() < begin) return bad(ErrorCode::malformed, "the header is cut short");
    std::uint64_t length = byte(8) | byte(9) << 8;
    if (version > 1) length |= byte(10) << 16 | byte(11) << 24;
    if (length > head.size() - begin) return bad(ErrorCode::malformed, "the header is cut short");
    const std::string_view text(head.data() + begin, length);

    NpyHeader header;
    header.data_offset = begin + length;
    const auto type = value_of(text, "'descr'").substr(0, 3);
    const bool sided = type.size() == 3 && (type[0] == '<' || type[0] == '>');
    const bool real = sided && type[1] == 'f' && (type[2] == '2' || type[2] == '4' || type[2] == '8');
    const bool whole = sided && type[1] == 'i' && (type[2] == '4' || type[2] == '8');
    if (!real && !whole) {
        return fail(Error{ErrorCode::unsupported, fmt::format("its numbers are of type \"{}\"", type)}.at(path).advise(
            "save positions as float16, float32 or float64"));
    }
    header.big_endian = type[0] == '>';
    header.type = whole            ? (type[2] == '4' ? NpyType::i32 : NpyType::i64)
                  : type[2] == '2' ? NpyType::f16
                  : type[2] == '4' ? NpyType::f32
                                   : NpyType::f64;
    if (!value_of(text, "'fortran_order'").starts_with("False")) {
        return fail(Error{ErrorCode::unsupported, "it is stored column by column"}.at(path).advise(
            "save it with numpy.ascontiguousarray"));
    }
    GARLAND_TRY(shape, shape_of(value_of(text, "'shape'"), path));
    header.shape = std::move(shape);
    GARLAND_CHECK(fits_the_file(header, file_size, path));
    return header;
}

Result<NpyHeader> parse_npy_header(const std::string& head, std::uint64_t file_size, const std::string& path) {
    GARLAND_TRY(header, parse_npy_array(head, file_size, path));
    if (header.whole()) {
        return fail(Error{ErrorCode::unsupported, "its numbers are whole"}.at(path).advise(
            "save positions as float16, float32 or float64"));
    }
    if (header.shape.size() != 3 || header.shape[2] != 3) {
        std::string found;
        for (auto n : header.shape) found += fmt::format("{}{}", found.empty() ? "" : ", ", n);
        return fail(Error{ErrorCode::unsupported, fmt::format("its shape is ({})", found)}.at(path).advise(
            "positions need the shape (frames, points, 3)"));
    }
    return header;
}

Result<NpyHeader> read_npy_header(const std::string& path) {
    std::uint64_t size = 0;
    GARLAND_TRY(head, read_head(path, 1 << 16, size));
    return parse_npy_header(head, size, path);
}

Result<NpyFile> NpyFile::open(const std::string& path) {
    NpyFile out;
    out.path_ = path;
    GARLAND_TRY(file, MappedFile::open(path));
    out.file_ = std::move(file);
    const std::string head(out.file_.data(), std::min<std::size_t>(out.file_.size(), 1 << 16));
    GARLAND_TRY(header, parse_npy_array(head, out.file_.size(), path));
    out.header_ = std::move(header);
    return out;
}

Result<const char*> NpyFile::bytes(std::uint64_t frame) const {
    if (auto same = file_.unchanged(); !same)
        return fail(std::move(same.error()).at_frame(static_cast<std::int64_t>(frame)));
    return file_.data() + header_.data_offset + frame * header_.bytes_per_frame();
}

Result<void> NpyFile::done(std::uint64_t frame) const {
    file_.forget(header_.data_offset + frame * header_.bytes_per_frame(), header_.bytes_per_frame());
    if (auto same = file_.unchanged(); !same)
        return fail(std::move(same.error()).at_frame(static_cast<std::int64_t>(frame)));
    return {};
}

void NpyFile::want(std::uint64_t frame) const {
    if (frame < header_.shape[0])
        file_.want(header_.data_offset + frame * header_.bytes_per_frame(), header_.bytes_per_frame());
}

void NpyFile::convert(const char* raw, float* to, std::size_t count) const {
    const std::size_t width = size_of(header_.type);
    if (!header_.big_endian && header_.type == NpyType::f32) {
        std::memcpy(to, raw, count * 4);
        return;
    }
    if (mixes()) return from_halves(raw, to, count);
    for (std::size_t i = 0; i < count; ++i) {
        char value[8];
        std::memcpy(value, raw + i * width, width);
        if (header_.big_endian) std::reverse(value, value + width);
        if (header_.type == NpyType::f64) {
            double wide = 0;
            std::memcpy(&wide, value, 8);
            to[i] = static_cast<float>(wide);
        } else if (header_.type == NpyType::f32) {
            std::memcpy(to + i, value, 4);
        } else {
            from_halves(value, to + i, 1);
        }
    }
}

Result<std::vector<V3f>> NpyFile::vectors(std::uint64_t frame) const {
    GARLAND_TRY(raw, bytes(frame));
    std::vector<V3f> out(header_.shape[1]);
    convert(raw, reinterpret_cast<float*>(out.data()), out.size() * 3);
    GARLAND_CHECK(done(frame));
    return out;
}

Result<std::vector<float>> NpyFile::floats(std::uint64_t frame) const {
    GARLAND_TRY(raw, bytes(frame));
    std::vector<float> out(header_.bytes_per_frame() / size_of(header_.type));
    convert(raw, out.data(), out.size());
    GARLAND_CHECK(done(frame));
    return out;
}

Result<std::vector<std::int64_t>> NpyFile::wholes(std::uint64_t frame) const {
    GARLAND_TRY(raw, bytes(frame));
    const std::size_t width = size_of(header_.type);
    std::vector<std::int64_t> out(header_.bytes_per_frame() / width);
    for (std::size_t i = 0; i < out.size(); ++i) {
        char value[8];
        std::memcpy(value, raw + i * width, width);
        if (header_.big_endian) std::reverse(value, value + width);
        if (width == 8) {
            std::memcpy(&out[i], value, 8);
        } else {
            std::int32_t narrow = 0;
            std::memcpy(&narrow, value, 4);
            out[i] = narrow;
        }
    }
    GARLAND_CHECK(done(frame));
    return out;
}

Result<std::vector<V3f>> NpyFile::mixed(std::uint64_t a, std::uint64_t b, float w) const {
    GARLAND_TRY(from, bytes(a));
    GARLAND_TRY(to, bytes(b));
    std::vector<V3f> out(header_.shape[1]);
    auto* values = reinterpret_cast<float*>(out.data());
    parallel_for(out.size() * 3, 1u << 16, [&](std::size_t first, std::size_t last) {
        mix_halves(from + first * 2, to + first * 2, w, values + first, last - first);
    });
    GARLAND_CHECK(done(a));
    GARLAND_CHECK(done(b));
    return out;
}

namespace {
Result<AtomicFile> begin_npy(const std::string& path, const std::string& type, const std::string& shape,
                             Existing existing) {
    GARLAND_TRY(file, AtomicFile::create(path, existing));
    std::string text = fmt::format("{{'descr': '{}', 'fortran_order': False, 'shape': ({}), }}", type, shape);
    text.append(63 - (10 + text.size()) % 64, ' '); // with the line break, data starts on a multiple of 64 bytes
    text += '\n';
    const auto length = static_cast<std::uint16_t>(text.size());
    const char head[10] = {
        '\x93', 'N', 'U', 'M', 'P', 'Y', 1, 0, static_cast<char>(length & 0xff), static_cast<char>(length >> 8)};
    file.write(head, sizeof head);
    file.write(text);
    return file;
}
} // namespace

Result<NpyWriter> NpyWriter::create(const std::string& path, std::uint64_t frames, std::uint64_t points, NpyType type,
                                    Existing existing) {
    GARLAND_TRY(
        file, begin_npy(path, fmt::format("<f{}", size_of(type)), fmt::format("{}, {}, 3", frames, points), existing));
    return NpyWriter(std::move(file), type);
}

Result<NpyWriter> NpyWriter::create_wholes(const std::string& path, std::uint64_t frames, std::uint64_t each,
                                           Existing existing) {
    GARLAND_TRY(file, begin_npy(path, "<i8", fmt::format("{}, {}", frames, each), existing));
    return NpyWriter(std::move(file), NpyType::i64);
}

void NpyWriter::add(const std::vector<std::int64_t>& frame) {
    file_.write(frame.data(), frame.size() * 8);
}

Result<NpyWriter> NpyWriter::create_numbers(const std::string& path, std::uint64_t frames, const std::string& each,
                                            NpyType type, Existing existing) {
    const char kind = type == NpyType::i32 || type == NpyType::i64 ? 'i' : 'f';
    GARLAND_TRY(file, begin_npy(path, fmt::format("<{}{}", kind, size_of(type)), fmt::format("{}, {}", frames, each),
                                existing));
    return NpyWriter(std::move(file), type);
}

void NpyWriter::add(const std::vector<std::int32_t>& frame) {
    file_.write(frame.data(), frame.size() * 4);
}

void NpyWriter::add(const std::vector<V3f>& frame) {
    add(reinterpret_cast<const float*>(frame.data()), frame.size() * 3);
}

void NpyWriter::add(const float* values, std::size_t count) {
    if (type_ == NpyType::f32) return file_.write(values, count * 4);
    if (type_ == NpyType::f64) {
        const std::vector<double> wide(values, values + count);
        return file_.write(wide.data(), count * 8);
    }
    std::vector<std::uint16_t> halves(count);
    for (std::size_t i = 0; i < count; ++i) halves[i] = Imath::half(values[i]).bits();
    file_.write(halves.data(), count * 2);
}

Result<void> NpyWriter::commit() {
    return file_.commit();
}

} // namespace garland
