#include "io/usd/crate_pack.h"

#include <algorithm>
#include <cstring>
#include <lz4.h>
#include <type_traits>
#include <unordered_map>
#include <vector>

namespace garland {

namespace {

constexpr std::size_t chunk = LZ4_MAX_INPUT_SIZE;

template <class T>
void append(std::string& to, T value) {
    to.append(reinterpret_cast<const char*>(&value), sizeof value);
}

template <class T>
std::string packed(std::span<const T> numbers) {
    if (numbers.empty()) return {};
    using Raw = std::make_unsigned_t<T>;
    std::vector<T> steps(numbers.size());
    Raw before = 0;
    std::unordered_map<T, std::size_t> counts;
    for (std::size_t i = 0; i < numbers.size(); ++i) {
        steps[i] = static_cast<T>(static_cast<Raw>(numbers[i]) - before); // wraps, as reading adds with wrapping
        before = static_cast<Raw>(numbers[i]);
        ++counts[steps[i]];
    }
    T common = steps[0];
    std::size_t most = 0;
    for (const auto& [step, count] : counts) {
        if (count > most || (count == most && step > common)) common = step, most = count;
    }
    using Small = std::conditional_t<sizeof(T) == 4, std::int8_t, std::int16_t>;
    using Middle = std::conditional_t<sizeof(T) == 4, std::int16_t, std::int32_t>;
    std::string codes((numbers.size() * 2 + 7) / 8, '\0'), rest;
    for (std::size_t i = 0; i < steps.size(); ++i) {
        unsigned code = 3;
        if (steps[i] == common) {
            code = 0;
        } else if (steps[i] == static_cast<Small>(steps[i])) {
            code = 1, append(rest, static_cast<Small>(steps[i]));
        } else if (steps[i] == static_cast<Middle>(steps[i])) {
            code = 2, append(rest, static_cast<Middle>(steps[i]));
        } else {
            append(rest, steps[i]);
        }
        codes[i / 4] = static_cast<char>(static_cast<unsigned char>(codes[i / 4]) | (code << (i % 4 * 2)));
    }
    std::string all;
    append(all, common);
    return packed_bytes(all + codes + rest);
}

void append_packed(std::string& to, const char* from, std::size_t size) {
    const std::size_t at = to.size();
    to.resize(at + static_cast<std::size_t>(LZ4_compressBound(static_cast<int>(size))));
    const int packed = LZ4_compress_default(from, to.data() + at, static_cast<int>(size),
                                            static_cast<int>(to.size() - at)); // cannot fail: the bound is kept
    to.resize(at + static_cast<std::size_t>(packed));
}

// Up to `most` bytes; fewer are fine.
Result<std::string> unpacked_up_to(std::string_view packed, std::size_t most) {
    const auto bad = [] {
        return fail(Error{ErrorCode::malformed, "packed bytes cannot be unpacked"}.advise("write the file again"));
    };
    if (packed.empty()) return bad();
    // A byte of LZ4 stands for 255 at most.
    if (most / 256 > packed.size() + 16) most = (packed.size() + 16) * 256;
    const auto chunks = static_cast<unsigned char>(packed[0]);
    packed.remove_prefix(1);
    std::string out(most, '\0');
    std::size_t at = 0;
    auto one = [&](std::string_view from) {
        if (from.size() > INT32_MAX) return false;
        const auto room = static_cast<int>(std::min<std::size_t>(most - at, INT32_MAX));
        const int got = LZ4_decompress_safe(from.data(), out.data() + at, static_cast<int>(from.size()), room);
        if (got < 0) return false;
        at += static_cast<std::size_t>(got);
        return true;
    };
    if (chunks == 0) {
        if (!one(packed)) return bad();
    }
    for (unsigned c = 0; c < chunks; ++c) {
        std::int32_t size = 0;
        if (packed.size() < sizeof size) return bad();
        std::memcpy(&size, packed.data(), sizeof size);
        packed.remove_prefix(sizeof size);
        if (size < 0 || static_cast<std::size_t>(size) > packed.size()) return bad();
        if (!one(packed.substr(0, static_cast<std::size_t>(size)))) return bad();
        packed.remove_prefix(static_cast<std::size_t>(size));
    }
    out.resize(at);
    return out;
}

template <class T>
Result<std::vector<T>> unpacked(std::string_view packed, std::size_t count) {
    std::vector<T> out;
    if (count == 0) return out;
    const auto bad = [] {
        return fail(
            Error{ErrorCode::malformed, "packed whole numbers do not fit their count"}.advise("write the file again"));
    };
    if (count / 2048 > packed.size()) return bad(); // two bits for each, and a byte of LZ4 for 255
    const std::size_t codes = (count * 2 + 7) / 8;
    GARLAND_TRY(bytes, unpacked_up_to(packed, sizeof(T) + codes + count * sizeof(T)));
    if (bytes.size() < sizeof(T) + codes) return bad();
    using Raw = std::make_unsigned_t<T>;
    using Small = std::conditional_t<sizeof(T) == 4, std::int8_t, std::int16_t>;
    using Middle = std::conditional_t<sizeof(T) == 4, std::int16_t, std::int32_t>;
    T common = 0;
    std::memcpy(&common, bytes.data(), sizeof common);
    const char *code = bytes.data() + sizeof(T), *rest = code + codes, *end = bytes.data() + bytes.size();
    bool fits = true;
    auto take = [&]<class Piece>(Piece piece) {
        if (static_cast<std::size_t>(end - rest) < sizeof piece) {
            fits = false;
            return T(0);
        }
        std::memcpy(&piece, rest, sizeof piece);
        rest += sizeof piece;
        return static_cast<T>(piece);
    };
    out.resize(count);
    Raw now = 0;
    for (std::size_t i = 0; i < count && fits; ++i) {
        T step = common;
        switch (static_cast<unsigned char>(code[i / 4]) >> (i % 4 * 2) & 3) {
        case 1: step = take(Small()); break;
        case 2: step = take(Middle()); break;
        case 3: step = take(T()); break;
        default: break;
        }
        now += static_cast<Raw>(step);
        out[i] = static_cast<T>(now);
    }
    if (!fits) return bad();
    return out;
}

} // namespace

Result<std::string> unpacked_bytes(std::string_view packed, std::size_t size) {
    GARLAND_TRY(out, unpacked_up_to(packed, size));
    if (out.size() != size)
        return fail(
            Error{ErrorCode::malformed, "packed bytes are not as many as is said"}.advise("write the file again"));
    return out;
}
Result<std::vector<std::int32_t>> unpacked_wholes32(std::string_view packed, std::size_t count) {
    return unpacked<std::int32_t>(packed, count);
}
Result<std::vector<std::int64_t>> unpacked_wholes64(std::string_view packed, std::size_t count) {
    return unpacked<std::int64_t>(packed, count);
}

std::string packed_bytes(std::string_view bytes) {
    std::string out;
    if (bytes.size() <= chunk) {
        out.push_back(0);
        append_packed(out, bytes.data(), bytes.size());
        return out;
    }
    out.push_back(static_cast<char>((bytes.size() + chunk - 1) / chunk));
    for (std::size_t at = 0; at < bytes.size(); at += chunk) {
        std::string one;
        append_packed(one, bytes.data() + at, std::min(chunk, bytes.size() - at));
        append(out, static_cast<std::int32_t>(one.size()));
        out += one;
    }
    return out;
}

std::string packed_wholes(std::span<const std::int32_t> numbers) {
    return packed(numbers);
}

std::string packed_wholes(std::span<const std::int64_t> numbers) {
    return packed(numbers);
}

} // namespace garland
