// Typed values of a USD layer that is written. A value only points to its numbers: they must stay where they are until
// the value has been kept by a layer (see layer_writer.h).
#pragma once

#include "core/geometry/pose.h"

#include <Imath/half.h>
#include <array>
#include <compare>
#include <cstdint>
#include <functional>
#include <span>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace garland {

enum class UsdType : std::uint8_t {
    boolean,
    int32,
    int64,
    float32,
    float64,
    string,
    token,
    asset, // the path of a file
    int2,
    int3,
    int4,
    float2,
    float3,
    float4,
    double2,
    double3,
    quatf, // x, y, z, then the real part
    quath,
    matrix4d,
    dictionary,
    token_list, // a list operation that prepends tokens
    references, // a list operation that prepends one reference: words are the file and the prim's path
};

struct UsdNumbers { // how a type is laid out in memory
    enum Component : std::uint8_t { none, byte, i32, i64, f16, f32, f64 } component = none;
    std::uint8_t width = 1;
    std::size_t bytes() const {
        constexpr std::uint8_t sizes[] = {0, 1, 4, 8, 2, 4, 8};
        return std::size_t(sizes[component]) * width;
    }
};
UsdNumbers numbers_of(UsdType type);

struct UsdEntry; // of a dictionary

struct UsdValue {
    UsdType type = UsdType::token;
    bool array = false;
    std::size_t count = 1;
    const void* numbers = nullptr;  // count values, one after the other; of scalars: null, and `own` is meant
    std::array<double, 16> own{};   // the numbers of a scalar
    std::vector<std::string> words; // strings, tokens, files
    std::vector<UsdEntry> entries;  // of a dictionary, names rising
};

struct UsdEntry {
    std::string name;
    UsdValue value;
};

UsdValue usd_token(std::string word);
UsdValue usd_tokens(std::vector<std::string> words);
UsdValue usd_string(std::string word);
UsdValue usd_asset(std::string path);
UsdValue usd_assets(std::vector<std::string> paths);
UsdValue usd_bool(bool value);
UsdValue usd_int(std::int32_t value);
UsdValue usd_double(double value);
UsdValue usd_float(float value);
UsdValue usd_double3(const V3d& value);
UsdValue usd_float3(const V3f& value);
UsdValue usd_quatf(float real, const V3f& imaginary);
UsdValue usd_matrix(const std::array<double, 16>& rows); // for row vectors, row by row
UsdValue usd_dictionary(std::vector<UsdEntry> entries);
UsdValue usd_reference(std::string file, std::string prim); // prim: "/lantern"
UsdValue usd_schemas(std::vector<std::string> names);       // prepended apiSchemas

UsdValue usd_numbers(UsdType type, const void* numbers, std::size_t count); // an array
inline UsdValue usd_array(const std::vector<V3f>& list) {
    return usd_numbers(UsdType::float3, list.data(), list.size());
}
inline UsdValue usd_array(const std::vector<V2f>& list) {
    return usd_numbers(UsdType::float2, list.data(), list.size());
}
inline UsdValue usd_array(const std::vector<std::int32_t>& list) {
    return usd_numbers(UsdType::int32, list.data(), list.size());
}
inline UsdValue usd_array(const std::vector<std::int64_t>& list) {
    return usd_numbers(UsdType::int64, list.data(), list.size());
}
inline UsdValue usd_array(const std::vector<float>& list) {
    return usd_numbers(UsdType::float32, list.data(), list.size());
}

// The value as USD text, at once or in pieces one after the other.
std::string text_of(const UsdValue& value);
void put_text(const UsdValue& value, const std::function<void(std::string_view)>& sink);

// What values are told apart by: XXH3 of their type and bytes.
struct UsdHash {
    std::uint64_t low = 0, high = 0;
    auto operator<=>(const UsdHash&) const = default;
};
UsdHash hash_of(const UsdValue& value);

// A name as USD wants it: letters, digits and underscores, not starting with a digit.
std::string usd_identifier(const std::string& name);

} // namespace garland
