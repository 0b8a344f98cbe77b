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

} // namespace

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
