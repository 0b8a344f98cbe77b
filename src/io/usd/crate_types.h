// Numbers of the binary form's types, as its value representations have them (Alliance for OpenUSD, "Core
// Specification", crate file format).
#pragma once

#include <cstddef>
#include <cstdint>

namespace garland {

enum class CrateType : std::uint8_t {
    boolean = 1,
    uchar = 2,
    int32 = 3,
    uint32 = 4,
    int64 = 5,
    uint64 = 6,
    float16 = 7,
    float32 = 8,
    float64 = 9,
    string = 10,
    token = 11,
    asset = 12,
    matrix2d = 13,
    matrix3d = 14,
    matrix4d = 15,
    quatd = 16,
    quatf = 17,
    quath = 18,
    double2 = 19,
    float2 = 20,
    half2 = 21,
    int2 = 22,
    double3 = 23,
    float3 = 24,
    half3 = 25,
    int3 = 26,
    double4 = 27,
    float4 = 28,
    half4 = 29,
    int4 = 30,
    dictionary = 31,
    token_list_op = 32,
    string_list_op = 33,
    path_list_op = 34,
    reference_list_op = 35,
    int64_list_op = 37,
    path_vector = 40,
    token_vector = 41,
    specifier = 42,
    variability = 44,
    variant_selections = 45,
    time_samples = 46,
    payload = 47,
    double_vector = 48,
    layer_offset_vector = 49,
    string_vector = 50,
    value_block = 51,
    payload_list_op = 55,
    time_code = 56,
};

enum CrateSpec : std::int32_t {
    attribute_spec = 1,
    prim_spec = 6,
    layer_spec = 7,
    relationship_spec = 8,
    variant_spec = 10,
    variant_set_spec = 11,
};

enum CrateListOp : std::uint8_t {
    replaces_items = 1,
    explicit_items = 2,
    added_items = 4,
    deleted_items = 8,
    ordered_items = 16,
    prepended_items = 32,
    appended_items = 64,
};

inline constexpr std::uint64_t crate_array_bit = std::uint64_t(1) << 63, crate_inline_bit = std::uint64_t(1) << 62,
                               crate_packed_bit = std::uint64_t(1) << 61;
inline constexpr std::size_t crate_least_packed = 16; // arrays are packed from here on
inline constexpr std::size_t crate_head_bytes = 88;

} // namespace garland
