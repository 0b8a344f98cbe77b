#include "io/usd/layer_values.h"

#include "core/base/put_number.h"

#include <algorithm>
#include <fmt/format.h>
#include <iterator>
#include <xxhash.h>

namespace garland {

namespace {

UsdValue scalar(UsdType type, std::initializer_list<double> numbers) {
    UsdValue v;
    v.type = type;
    std::copy(numbers.begin(), numbers.end(), v.own.begin());
    return v;
}

UsdValue word(UsdType type, std::string text) {
    UsdValue v;
    v.type = type;
    v.words.push_back(std::move(text));
    return v;
}

UsdValue word_list(UsdType type, std::vector<std::string> words) {
    UsdValue v;
    v.type = type;
    v.array = true;
    v.count = words.size();
    v.words = std::move(words);
    return v;
}

std::string quoted(const std::string& text) {
    std::string out = "\"";
    for (const char c : text) {
        if (c == '"' || c == '\\') {
            out += '\\', out += c;
        } else if (c == '\n') {
            out += "\\n";
        } else if (static_cast<unsigned char>(c) < 32) {
            out += fmt::format("\\x{:02x}", static_cast<unsigned char>(c));
        } else {
            out += c;
        }
    }
    return out += '"';
}

// A path with an @ in it stands between three of them.
std::string path_text(const std::string& path) {
    const std::string mark = path.find('@') == path.npos ? "@" : "@@@";
    return mark + path + mark;
}

std::string word_text(UsdType type, const std::string& text) {
    return type == UsdType::asset ? path_text(text) : quoted(text);
}

// The longest element: sixteen doubles of 24 characters each, with what stands between them.
constexpr std::size_t element_text = 512;

template <class T>
char* put_numbers(char* to, const T* at, std::size_t width, bool quat) {
    if (width == 1) return put_number(to, at[0]);
    for (std::size_t k = 0; k < width; ++k) {
        *to++ = k ? ',' : '(';
        if (k) *to++ = ' ';
        to = put_number(to, at[quat ? (k + 3) % 4 : k]); // of a quaternion the real part first
    }
    *to++ = ')';
    return to;
}

char* put_element(char* to, const UsdValue& v, const UsdNumbers& layout, std::size_t i) {
    const bool quat = v.type == UsdType::quatf || v.type == UsdType::quath;
    const std::size_t width = layout.width;
    switch (layout.component) {
    case UsdNumbers::i32: return put_numbers(to, static_cast<const std::int32_t*>(v.numbers) + i * width, width, quat);
    case UsdNumbers::i64: return put_numbers(to, static_cast<const std::int64_t*>(v.numbers) + i * width, width, quat);
    case UsdNumbers::f32: return put_numbers(to, static_cast<const float*>(v.numbers) + i * width, width, quat);
    case UsdNumbers::f64: return put_numbers(to, static_cast<const double*>(v.numbers) + i * width, width, quat);
    case UsdNumbers::f16: {
        float wide[4] = {};
        for (std::size_t k = 0; k < width; ++k) wide[k] = static_cast<const Imath::half*>(v.numbers)[i * width + k];
        return put_numbers(to, wide, width, quat);
    }
    case UsdNumbers::byte:
        return fmt::format_to(to, "{}", static_cast<const std::uint8_t*>(v.numbers)[i] ? "true" : "false");
    case UsdNumbers::none: break;
    }
    return to;
}

// Large arrays in pieces, on all processors.
void put_array_text(const UsdValue& v, const UsdNumbers& layout, const std::function<void(std::string_view)>& sink) {
    sink("[");
    put_texts(
        v.count,
        [&](TextEnd& out, std::size_t i) {
            char* to = out.room(element_text);
            if (i > 0) *to++ = ',', *to++ = ' ';
            out.ends_at(put_element(to, v, layout, i));
        },
        sink);
    sink("]");
}

std::string matrix_text(const double* m) {
    std::string out = "(";
    for (int r = 0; r < 4; ++r)
        fmt::format_to(std::back_inserter(out), "{}({}, {}, {}, {})", r ? ", " : "", m[r * 4], m[r * 4 + 1],
                       m[r * 4 + 2], m[r * 4 + 3]);
    return out += ")";
}

std::string scalar_text(const UsdValue& v, const UsdNumbers& layout) {
    if (v.type == UsdType::boolean) return v.own[0] != 0 ? "true" : "false";
    if (v.type == UsdType::matrix4d) return matrix_text(v.own.data());
    const bool quat = v.type == UsdType::quatf || v.type == UsdType::quath;
    char text[element_text];
    char* end = text;
    if (layout.component == UsdNumbers::f64) {
        end = put_numbers(text, v.own.data(), layout.width, quat);
    } else if (layout.component == UsdNumbers::i32 || layout.component == UsdNumbers::i64) {
        std::int64_t whole[4] = {};
        for (std::size_t k = 0; k < layout.width; ++k) whole[k] = static_cast<std::int64_t>(v.own[k]);
        end = put_numbers(text, whole, layout.width, quat);
    } else {
        float narrow[4] = {};
        for (std::size_t k = 0; k < layout.width; ++k) narrow[k] = static_cast<float>(v.own[k]);
        end = put_numbers(text, narrow, layout.width, quat);
    }
    return std::string(text, end);
}

const char* type_word(const UsdValue& v) {
    switch (v.type) {
    case UsdType::string: return v.array ? "string[]" : "string";
    case UsdType::token: return v.array ? "token[]" : "token";
    case UsdType::asset: return v.array ? "asset[]" : "asset";
    case UsdType::double2: return v.array ? "double2[]" : "double2";
    case UsdType::float64: return v.array ? "double[]" : "double";
    case UsdType::int32: return v.array ? "int[]" : "int";
    case UsdType::boolean: return "bool";
    default: return "dictionary";
    }
}

// All but arrays of numbers.
std::string small_text(const UsdValue& v, const UsdNumbers& layout) {
    std::string out;
    switch (v.type) {
    case UsdType::dictionary:
        out = "{\n";
        for (const auto& [name, value] : v.entries) {
            std::string inside = text_of(value);
            for (std::size_t at = inside.find('\n'); at != inside.npos; at = inside.find('\n', at + 1))
                inside.insert(at + 1, "    ");
            out += fmt::format("            {} {} = {}\n", type_word(value), name, inside);
        }
        return out += "        }";
    case UsdType::references: return fmt::format("{}<{}>", path_text(v.words[0]), v.words[1]);
    case UsdType::token_list:
        for (const std::string& w : v.words) out += (out.empty() ? "[" : ", ") + quoted(w);
        return out += "]";
    case UsdType::string:
    case UsdType::token:
    case UsdType::asset:
        if (!v.array) return word_text(v.type, v.words.front());
        out = "[";
        for (std::size_t i = 0; i < v.words.size(); ++i) out += (i ? ", " : "") + word_text(v.type, v.words[i]);
        return out += "]";
    default: break;
    }
    return scalar_text(v, layout);
}

} // namespace

UsdNumbers numbers_of(UsdType type) {
    switch (type) {
    case UsdType::boolean: return {UsdNumbers::byte, 1};
    case UsdType::int32: return {UsdNumbers::i32, 1};
    case UsdType::int64: return {UsdNumbers::i64, 1};
    case UsdType::float32: return {UsdNumbers::f32, 1};
    case UsdType::float64: return {UsdNumbers::f64, 1};
    case UsdType::int2: return {UsdNumbers::i32, 2};
    case UsdType::int3: return {UsdNumbers::i32, 3};
    case UsdType::int4: return {UsdNumbers::i32, 4};
    case UsdType::float2: return {UsdNumbers::f32, 2};
    case UsdType::float3: return {UsdNumbers::f32, 3};
    case UsdType::float4: return {UsdNumbers::f32, 4};
    case UsdType::double2: return {UsdNumbers::f64, 2};
    case UsdType::double3: return {UsdNumbers::f64, 3};
    case UsdType::quatf: return {UsdNumbers::f32, 4};
    case UsdType::quath: return {UsdNumbers::f16, 4};
    case UsdType::matrix4d: return {UsdNumbers::f64, 16};
    case UsdType::string:
    case UsdType::token:
    case UsdType::asset:
    case UsdType::dictionary:
    case UsdType::token_list:
    case UsdType::references: return {};
    }
    return {};
}

UsdValue usd_token(std::string text) {
    return word(UsdType::token, std::move(text));
}
UsdValue usd_tokens(std::vector<std::string> words) {
    return word_list(UsdType::token, std::move(words));
}
UsdValue usd_string(std::string text) {
    return word(UsdType::string, std::move(text));
}
UsdValue usd_asset(std::string path) {
    return word(UsdType::asset, std::move(path));
}
UsdValue usd_assets(std::vector<std::string> paths) {
    return word_list(UsdType::asset, std::move(paths));
}
UsdValue usd_bool(bool value) {
    return scalar(UsdType::boolean, {value ? 1.0 : 0.0});
}
UsdValue usd_int(std::int32_t value) {
    return scalar(UsdType::int32, {static_cast<double>(value)});
}
UsdValue usd_double(double value) {
    return scalar(UsdType::float64, {value});
}
UsdValue usd_float(float value) {
    return scalar(UsdType::float32, {value});
}
UsdValue usd_double3(const V3d& v) {
    return scalar(UsdType::double3, {v.x, v.y, v.z});
}
UsdValue usd_float3(const V3f& v) {
    return scalar(UsdType::float3, {v.x, v.y, v.z});
}
UsdValue usd_quatf(float real, const V3f& v) {
    return scalar(UsdType::quatf, {v.x, v.y, v.z, real});
}
UsdValue usd_matrix(const std::array<double, 16>& rows) {
    UsdValue v;
    v.type = UsdType::matrix4d;
    v.own = rows;
    return v;
}
UsdValue usd_dictionary(std::vector<UsdEntry> entries) {
    UsdValue v;
    v.type = UsdType::dictionary;
    v.entries = std::move(entries);
    return v;
}
UsdValue usd_reference(std::string file, std::string prim) {
    UsdValue v;
    v.type = UsdType::references;
    v.words = {std::move(file), std::move(prim)};
    return v;
}
UsdValue usd_schemas(std::vector<std::string> names) {
    UsdValue v;
    v.type = UsdType::token_list;
    v.words = std::move(names);
    return v;
}
UsdValue usd_numbers(UsdType type, const void* numbers, std::size_t count) {
    UsdValue v;
    v.type = type;
    v.array = true;
    v.count = count;
    v.numbers = numbers;
    return v;
}

std::string text_of(const UsdValue& v) {
    std::string out;
    put_text(v, [&](std::string_view text) { out += text; });
    return out;
}

void put_text(const UsdValue& v, const std::function<void(std::string_view)>& sink) {
    const UsdNumbers layout = numbers_of(v.type);
    if (v.array && layout.component != UsdNumbers::none) {
        put_array_text(v, layout, sink);
    } else {
        sink(small_text(v, layout));
    }
}

UsdHash hash_of(const UsdValue& v) {
    const std::size_t each = numbers_of(v.type).bytes();
    const XXH64_hash_t seed = static_cast<XXH64_hash_t>(v.type) * 2 + (v.array ? 1 : 0);
    XXH128_hash_t h;
    if (v.array && each > 0) {
        h = XXH3_128bits_withSeed(v.numbers, v.count * each, seed);
    } else if (each > 0) {
        h = XXH3_128bits_withSeed(v.own.data(), sizeof v.own, seed);
    } else {
        std::string all;
        for (const std::string& w : v.words) all += w + '\0';
        for (const auto& [name, value] : v.entries) {
            const UsdHash inside = hash_of(value);
            all += fmt::format("{}\1{:x}{:x}\1", name, inside.low, inside.high);
        }
        h = XXH3_128bits_withSeed(all.data(), all.size(), seed);
    }
    return {h.low64, h.high64};
}

std::string usd_identifier(const std::string& name) {
    std::string out;
    for (char c : name) {
        const bool fine = (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '_';
        out += fine ? c : '_';
    }
    if (out.empty() || (out[0] >= '0' && out[0] <= '9')) out.insert(0, "_");
    return out;
}

} // namespace garland
