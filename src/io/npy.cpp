#include "io/npy.h"

#include "io/pose_check.h"

#include <Imath/half.h>
#include <cstring>
#include <fcntl.h>
#include <fmt/format.h>
#include <unistd.h>

namespace garland {

namespace {
std::uint64_t size_of(NpyType type) {
    return type == NpyType::f16 ? 2 : type == NpyType::f32 ? 4 : 8;
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
    return shape[1] * shape[2] * size_of(type);
}

Result<NpyHeader> parse_npy_header(const std::string& head, std::uint64_t file_size, const std::string& path) {
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
    if (type.size() < 3 || type[1] != 'f' || (type[0] != '<' && type[0] != '>') ||
        (type[2] != '2' && type[2] != '4' && type[2] != '8')) {
        return fail(Error{ErrorCode::unsupported, fmt::format("its numbers are of type \"{}\"", type)}.at(path).advise(
            "save positions as float16, float32 or float64"));
    }
    header.big_endian = type[0] == '>';
    header.type = type[2] == '2' ? NpyType::f16 : type[2] == '4' ? NpyType::f32 : NpyType::f64;
    if (!value_of(text, "'fortran_order'").starts_with("False")) {
        return fail(Error{ErrorCode::unsupported, "it is stored column by column"}.at(path).advise(
            "save it with numpy.ascontiguousarray"));
    }
    auto shape = value_of(text, "'shape'");
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
            if (digits) header.shape.push_back(number);
            number = 0, digits = false;
        } else if (c != ' ') {
            return bad(ErrorCode::malformed, "the shape is not a list of numbers");
        }
    }
    if (header.shape.size() != 3 || header.shape[2] != 3) {
        std::string found;
        for (auto n : header.shape) found += fmt::format("{}{}", found.empty() ? "" : ", ", n);
        return fail(Error{ErrorCode::unsupported, fmt::format("its shape is ({})", found)}.at(path).advise(
            "positions need the shape (frames, points, 3)"));
    }
    if (header.shape[0] == 0 || header.shape[1] == 0) return bad(ErrorCode::malformed, "the array is empty");
    const std::uint64_t room = file_size > header.data_offset ? file_size - header.data_offset : 0;
    if (header.shape[1] > point_limit || header.shape[0] > room / header.bytes_per_frame()) {
        return fail(
            Error{ErrorCode::too_large,
                  fmt::format("claims {} frames of {} points, but the file has room for {}", header.shape[0],
                              header.shape[1], header.shape[1] > point_limit ? 0 : room / header.bytes_per_frame())}
                .at(path)
                .advise("the file may be cut short; write it again"));
    }
    return header;
}

Result<NpyHeader> read_npy_header(const std::string& path) {
    std::uint64_t size = 0;
    GARLAND_TRY(head, read_head(path, 1 << 16, size));
    return parse_npy_header(head, size, path);
}

Result<std::vector<V3f>> read_npy_frame(const std::string& path, const NpyHeader& header, std::uint64_t frame) {
    const std::uint64_t bytes = header.bytes_per_frame();
    thread_local std::vector<char> raw;
    raw.resize(bytes);
    const int fd = ::open(path.c_str(), O_RDONLY | O_CLOEXEC);
    if (fd < 0) return fail(Error{ErrorCode::not_found, "cannot be opened any more"}.at(path));
    std::uint64_t done = 0;
    while (done < bytes) {
        const auto got =
            ::pread(fd, raw.data() + done, bytes - done, static_cast<off_t>(header.data_offset + frame * bytes + done));
        if (got <= 0) break;
        done += static_cast<std::uint64_t>(got);
    }
    ::close(fd);
    if (done < bytes) {
        return fail(
            Error{ErrorCode::malformed, "the file is cut short"}.at(path).at_frame(static_cast<std::int64_t>(frame)));
    }
    const std::size_t width = size_of(header.type);
    const std::size_t count = header.shape[1] * 3;
    if (header.big_endian) {
        for (std::size_t i = 0; i < count; ++i) std::reverse(raw.data() + i * width, raw.data() + (i + 1) * width);
    }
    std::vector<V3f> out(header.shape[1]);
    auto* to = reinterpret_cast<float*>(out.data());
    switch (header.type) {
    case NpyType::f16:
        for (std::size_t i = 0; i < count; ++i) {
            Imath::half h;
            std::uint16_t bits = 0;
            std::memcpy(&bits, raw.data() + i * 2, 2);
            h.setBits(bits);
            to[i] = h;
        }
        break;
    case NpyType::f32: std::memcpy(to, raw.data(), count * 4); break;
    case NpyType::f64:
        for (std::size_t i = 0; i < count; ++i) {
            double value = 0;
            std::memcpy(&value, raw.data() + i * 8, 8);
            to[i] = static_cast<float>(value);
        }
        break;
    }
    return out;
}

Result<NpyWriter> NpyWriter::create(const std::string& path, std::uint64_t frames, std::uint64_t points, NpyType type,
                                    Existing existing) {
    GARLAND_TRY(file, AtomicFile::create(path, existing));
    std::string text = fmt::format("{{'descr': '<f{}', 'fortran_order': False, 'shape': ({}, {}, 3), }}", size_of(type),
                                   frames, points);
    text.append(63 - (10 + text.size()) % 64, ' '); // with the line break, data starts on a multiple of 64 bytes
    text += '\n';
    const auto length = static_cast<std::uint16_t>(text.size());
    const char head[10] = {
        '\x93', 'N', 'U', 'M', 'P', 'Y', 1, 0, static_cast<char>(length & 0xff), static_cast<char>(length >> 8)};
    file.write(head, sizeof head);
    file.write(text);
    return NpyWriter(std::move(file), type);
}

void NpyWriter::add(const std::vector<V3f>& frame) {
    const auto* values = reinterpret_cast<const float*>(frame.data());
    const std::size_t count = frame.size() * 3;
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
