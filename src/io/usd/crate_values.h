// Values of USD binary: its bytes, tokens, strings and paths, and what value representations stand for. Used by
// crate_layer.cpp only; what is wrong is thrown as CrateBad and becomes an error with its byte there.
#pragma once

#include "io/usd/crate_pack.h"
#include "io/usd/crate_types.h"
#include "io/usd/layer.h"

#include <Imath/half.h>

#include <algorithm>
#include <bit>
#include <cmath>
#include <cstring>
#include <fmt/format.h>
#include <type_traits>

namespace garland {

struct CrateBad {
    std::uint64_t at;
    std::string what;
    ErrorCode code = ErrorCode::malformed;
};

enum class CratePart : std::uint8_t { none, u8, i32, u32, i64, u64, f16, f32, f64 };
struct CrateLayout { // of one element
    CratePart part = CratePart::none;
    std::size_t width = 1;
    bool quaternion = false; // the real part is the last one
    std::size_t bytes() const {
        constexpr std::size_t sizes[] = {0, 1, 4, 4, 8, 8, 2, 4, 8};
        return sizes[static_cast<int>(part)] * width;
    }
};

inline CrateLayout crate_layout(CrateType type) {
    switch (type) {
    case CrateType::boolean:
    case CrateType::uchar: return {CratePart::u8};
    case CrateType::int32: return {CratePart::i32};
    case CrateType::uint32: return {CratePart::u32};
    case CrateType::int64: return {CratePart::i64};
    case CrateType::uint64: return {CratePart::u64};
    case CrateType::float16: return {CratePart::f16};
    case CrateType::float32: return {CratePart::f32};
    case CrateType::float64:
    case CrateType::time_code: return {CratePart::f64};
    case CrateType::matrix2d: return {CratePart::f64, 4};
    case CrateType::matrix3d: return {CratePart::f64, 9};
    case CrateType::matrix4d: return {CratePart::f64, 16};
    case CrateType::quatd: return {CratePart::f64, 4, true};
    case CrateType::quatf: return {CratePart::f32, 4, true};
    case CrateType::quath: return {CratePart::f16, 4, true};
    case CrateType::double2: return {CratePart::f64, 2};
    case CrateType::float2: return {CratePart::f32, 2};
    case CrateType::half2: return {CratePart::f16, 2};
    case CrateType::int2: return {CratePart::i32, 2};
    case CrateType::double3: return {CratePart::f64, 3};
    case CrateType::float3: return {CratePart::f32, 3};
    case CrateType::half3: return {CratePart::f16, 3};
    case CrateType::int3: return {CratePart::i32, 3};
    case CrateType::double4: return {CratePart::f64, 4};
    case CrateType::float4: return {CratePart::f32, 4};
    case CrateType::half4: return {CratePart::f16, 4};
    case CrateType::int4: return {CratePart::i32, 4};
    default: return {};
    }
}

class CrateValues {
  protected:
    explicit CrateValues(UsdBytes from) : file_(std::move(from)) {}

    static CrateType type_of(std::uint64_t rep) { return static_cast<CrateType>(rep >> 48 & 0xff); }
    static std::uint64_t payload(std::uint64_t rep) { return rep & 0xffff'ffff'ffff; }

    // -- bytes
    std::string_view piece(std::uint64_t at, std::uint64_t size) const {
        const std::string_view all = file_.view();
        if (at > all.size() || size > all.size() - at)
            throw CrateBad{at, "the file is cut, or a value lies outside it"};
        return all.substr(at, size);
    }
    template <class T>
    T number(std::uint64_t at) const {
        T out;
        std::memcpy(&out, piece(at, sizeof out).data(), sizeof out);
        return out;
    }
    template <class T>
    T next(std::uint64_t& at) const {
        const T out = number<T>(at);
        at += sizeof out;
        return out;
    }
    // A count of things of at least `each` bytes that follow.
    std::uint64_t counted(std::uint64_t& at, std::uint64_t each) const {
        const auto n = next<std::uint64_t>(at);
        if (n > (file_.size - at) / each) throw CrateBad{at - 8, fmt::format("{} things do not fit into the file", n)};
        return n;
    }
    std::uint64_t length(std::uint64_t& at) const { // of an array
        if (minor_ < 5) at += 4;                    // its rank, which is 1
        return minor_ < 7 ? next<std::uint32_t>(at) : next<std::uint64_t>(at);
    }
    template <class T>
    T told(Result<T> value, std::uint64_t at) const {
        if (!value) throw CrateBad{at, value.error().message, value.error().code};
        return std::move(*value);
    }
    std::vector<std::int32_t> packed_list(std::uint64_t& at, std::uint64_t count) const {
        const auto size = next<std::uint64_t>(at);
        const std::uint64_t from = at;
        at += size;
        return told(unpacked_wholes32(piece(from, size), count), from);
    }

    struct Path {
        std::string text;
        std::uint32_t owner = 0; // of a property: its prim
        bool property = false, known = false;
        std::string_view name{}; // of a property
    };
    // -- values
    std::string_view token(std::uint64_t i) const {
        if (i >= tokens_.size()) throw CrateBad{0, fmt::format("token {} is not there", i)};
        return tokens_[i];
    }
    std::string_view string(std::uint64_t i) const {
        if (i >= strings_.size()) throw CrateBad{0, fmt::format("string {} is not there", i)};
        return token(strings_[i]);
    }
    std::string path(std::uint64_t i) const {
        if (i >= paths_.size()) throw CrateBad{0, fmt::format("path {} is not there", i)};
        return paths_[i].text; // empty: not a path of this file
    }

    template <class T>
    std::vector<T> decoded(std::uint64_t rep) const {
        const CrateType type = type_of(rep);
        if (type == CrateType::double_vector) {
            std::uint64_t at = payload(rep);
            const std::uint64_t n = counted(at, 8);
            return converted<T>(piece(at, n * 8), {CratePart::f64}, n);
        }
        const CrateLayout layout = crate_layout(type);
        if (layout.part == CratePart::none) throw CrateBad{payload(rep), "a value is of a kind that has no numbers"};
        if (std::is_integral_v<T> && layout.part >= CratePart::f16)
            throw CrateBad{payload(rep), "there are fractions where whole numbers are needed"};
        if (rep & crate_inline_bit) return inlined<T>(static_cast<std::uint32_t>(rep), type, layout);
        std::uint64_t at = payload(rep);
        if (!(rep & crate_array_bit)) return converted<T>(piece(at, layout.bytes()), layout, 1);
        if (at == 0) return {};
        const std::uint64_t n = length(at);
        if (n > UINT32_MAX) throw CrateBad{at, "an array has too many values", ErrorCode::too_large};
        if ((rep & crate_packed_bit) && n >= crate_least_packed) return unpacked_array<T>(at, layout, n);
        return converted<T>(piece(at, n * layout.bytes()), layout, n);
    }
    template <class T>
    std::vector<T> inlined(std::uint32_t bits, CrateType type, const CrateLayout& layout) const {
        auto byte = [bits](std::size_t k) { return static_cast<std::int8_t>(bits >> (8 * k) & 0xff); };
        std::string wide;
        auto put = [&wide](auto v) { wide.append(reinterpret_cast<const char*>(&v), sizeof v); };
        auto put_part = [&](double v) {
            switch (layout.part) {
            case CratePart::f64: return put(v);
            case CratePart::f32: return put(static_cast<float>(v));
            case CratePart::f16: return put(Imath::half(static_cast<float>(v)));
            default: return put(static_cast<std::int32_t>(v));
            }
        };
        const auto side = static_cast<std::size_t>(type == CrateType::matrix2d   ? 2
                                                   : type == CrateType::matrix3d ? 3
                                                   : type == CrateType::matrix4d ? 4
                                                                                 : 0);
        if (side > 0) { // the diagonal as bytes
            for (std::size_t i = 0; i < side * side; ++i) put(i % (side + 1) == 0 ? double(byte(i / (side + 1))) : 0.0);
        } else if (layout.bytes() <= 4) {
            put(bits);
        } else if (layout.width > 1) { // parts as bytes
            for (std::size_t k = 0; k < layout.width; ++k) put_part(byte(k));
        } else if (layout.part == CratePart::f64) {
            put(static_cast<double>(std::bit_cast<float>(bits)));
        } else if (layout.part == CratePart::i64) {
            put(static_cast<std::int64_t>(static_cast<std::int32_t>(bits)));
        } else {
            put(static_cast<std::uint64_t>(bits));
        }
        return converted<T>(wide, layout, 1);
    }
    template <class T>
    std::vector<T> unpacked_array(std::uint64_t at, const CrateLayout& layout, std::uint64_t n) const {
        auto widened = [](const auto& from) {
            std::vector<T> out(from.size());
            std::transform(from.begin(), from.end(), out.begin(), [](auto v) { return static_cast<T>(v); });
            return out;
        };
        switch (layout.part) {
        case CratePart::i32: return widened(packed_list(at, n));
        case CratePart::u32: {
            const auto list = packed_list(at, n);
            return widened(std::vector<std::uint32_t>(list.begin(), list.end()));
        }
        case CratePart::i64:
        case CratePart::u64: {
            const auto size = next<std::uint64_t>(at);
            return widened(told(unpacked_wholes64(piece(at, size), n), at));
        }
        default: break;
        }
        const auto code = next<char>(at);
        if (code == 'i') return widened(packed_list(at, n));
        if (code != 't' || layout.width != 1) throw CrateBad{at, "numbers are packed in a way that is not known"};
        const auto entries = next<std::uint32_t>(at);
        const std::vector<T> table = converted<T>(piece(at, entries * layout.bytes()), layout, entries);
        at += entries * layout.bytes();
        std::vector<T> out;
        out.reserve(n);
        for (const std::int32_t i : packed_list(at, n)) {
            if (static_cast<std::uint32_t>(i) >= entries) throw CrateBad{at, "packed numbers reach past their table"};
            out.push_back(table[static_cast<std::uint32_t>(i)]);
        }
        return out;
    }
    template <class T>
    std::vector<T> converted(std::string_view from, const CrateLayout& layout, std::uint64_t n) const {
        std::vector<T> out(n * layout.width);
        auto convert = [&]<class Stored>(Stored) {
            if constexpr (std::is_same_v<Stored, T>) {
                if (!out.empty()) std::memcpy(out.data(), from.data(), from.size());
            } else {
                for (std::size_t i = 0; i < out.size(); ++i) {
                    Stored v;
                    std::memcpy(&v, from.data() + i * sizeof v, sizeof v);
                    if constexpr (std::is_same_v<Stored, Imath::half>) {
                        out[i] = static_cast<T>(static_cast<float>(v));
                    } else {
                        out[i] = static_cast<T>(v);
                    }
                }
            }
        };
        switch (layout.part) {
        case CratePart::u8: convert(std::uint8_t()); break;
        case CratePart::i32: convert(std::int32_t()); break;
        case CratePart::u32: convert(std::uint32_t()); break;
        case CratePart::i64: convert(std::int64_t()); break;
        case CratePart::u64: convert(std::uint64_t()); break;
        case CratePart::none: break;
        default: // fractions are never asked for as whole numbers
            if constexpr (!std::is_integral_v<T>) {
                if (layout.part == CratePart::f16) convert(Imath::half());
                if (layout.part == CratePart::f32) convert(float());
                if (layout.part == CratePart::f64) convert(double());
            }
        }
        if (layout.quaternion) { // the real part first, as in text
            for (std::size_t i = 0; i + 3 < out.size(); i += 4) std::rotate(&out[i], &out[i] + 3, &out[i] + 4);
        }
        return out;
    }

    std::vector<std::string> words_of(std::uint64_t rep) const {
        const CrateType type = type_of(rep);
        std::uint64_t at = payload(rep);
        std::vector<std::string> out;
        if ((rep & crate_inline_bit) && type != CrateType::token_vector) {
            if (type == CrateType::token || type == CrateType::asset) out.emplace_back(token(at & 0xffff'ffff));
            if (type == CrateType::string) out.emplace_back(string(at & 0xffff'ffff));
            if (out.empty()) throw CrateBad{at, "a value is of a kind that has no words"};
            return out;
        }
        const bool tokens = type == CrateType::token || type == CrateType::token_vector;
        if (!tokens && type != CrateType::string && type != CrateType::asset && type != CrateType::string_vector)
            throw CrateBad{at, "a value is of a kind that has no words"};
        if (at == 0) return out;
        const std::uint64_t n = rep & crate_array_bit ? length(at) : next<std::uint64_t>(at);
        if (n > file_.size / 4) throw CrateBad{at, "more words than the file can hold"};
        for (std::uint64_t i = 0; i < n; ++i) {
            const auto word = next<std::uint32_t>(at);
            out.emplace_back(tokens ? token(word) : string(word));
        }
        return out;
    }

    // A value that stands elsewhere: here is how far away.
    std::uint64_t inner(std::uint64_t& at) const {
        const std::uint64_t from = at;
        const auto offset = next<std::int64_t>(at);
        const std::uint64_t there = from + static_cast<std::uint64_t>(offset);
        const auto rep = number<std::uint64_t>(there);
        at = there + 8;
        return rep;
    }
    UsdSamples time_samples(std::uint64_t rep) {
        if (type_of(rep) != CrateType::time_samples) throw CrateBad{payload(rep), "time samples are none"};
        UsdSamples out;
        std::uint64_t at = payload(rep);
        const std::uint64_t times_rep = inner(at);
        auto& known = times_[times_rep];
        if (!known) {
            auto times = decoded<double>(times_rep);
            for (std::size_t i = 0; i < times.size(); ++i) {
                if (!(std::abs(times[i]) <= 1e9)) throw CrateBad{at, "a sample's time is beyond what can be counted"};
                if (i > 0 && !(times[i] > times[i - 1])) throw CrateBad{at, "the times of samples do not rise"};
            }
            known = std::make_shared<const std::vector<double>>(std::move(times));
        }
        const std::uint64_t from = at;
        at = from + static_cast<std::uint64_t>(next<std::int64_t>(at));
        const std::uint64_t n = counted(at, 8);
        if (n != known->size()) throw CrateBad{at, "there are not as many samples as times"};
        out.times = known;
        out.reps = piece(at, n * 8).data();
        return out;
    }

    template <class T, class Read>
    UsdList<T> list_op(std::uint64_t rep, Read&& read, std::uint64_t bytes_each = 4) const { // at least
        UsdList<T> out;
        std::uint64_t at = payload(rep);
        if (at == 0) return out;
        const auto bits = next<std::uint8_t>(at);
        out.replaces = bits & replaces_items;
        std::vector<T> unused;
        auto items = [&](int bit, std::vector<T>& to) {
            if (!(bits & bit)) return;
            const std::uint64_t n = counted(at, bytes_each);
            for (std::uint64_t i = 0; i < n; ++i) to.push_back(read(at));
        };
        items(explicit_items, out.items);
        items(added_items, out.appended);
        items(prepended_items, out.prepended);
        items(appended_items, out.appended);
        items(deleted_items, out.deleted);
        items(ordered_items, unused);
        return out;
    }
    UsdList<std::string> path_list(std::uint64_t rep) const {
        return list_op<std::string>(rep, [this](std::uint64_t& at) { return path(next<std::uint32_t>(at)); });
    }
    UsdList<std::string> string_list(std::uint64_t rep) const {
        const bool tokens = type_of(rep) == CrateType::token_list_op;
        return list_op<std::string>(rep, [&](std::uint64_t& at) {
            const auto i = next<std::uint32_t>(at);
            return std::string(tokens ? token(i) : string(i));
        });
    }
    UsdArc arc(std::uint64_t& at, bool offset) const {
        UsdArc out;
        out.asset = string(next<std::uint32_t>(at));
        const auto p = next<std::uint32_t>(at);
        if (p != UINT32_MAX) out.prim = path(p);
        if (out.prim == "/") out.prim.clear();
        if (!offset) return out;
        out.offset = next<double>(at), out.scale = next<double>(at);
        if (!std::isfinite(out.offset) || !(std::abs(out.scale) > 1e-9))
            throw CrateBad{at, "an offset in time is not a number, or its scale is 0"};
        return out;
    }
    UsdArc reference(std::uint64_t& at) const {
        UsdArc out = arc(at, true);
        dictionary(at, 0); // custom data
        return out;
    }
    void payloads(UsdList<UsdArc>& to, std::uint64_t rep) const {
        if (type_of(rep) == CrateType::payload_list_op) {
            to = list_op<UsdArc>(rep, [this](std::uint64_t& at) { return arc(at, minor_ >= 8); });
        } else if (type_of(rep) == CrateType::payload) {
            std::uint64_t at = payload(rep);
            to.replaces = true;
            to.items = {arc(at, minor_ >= 8)};
        }
    }
    void choices(std::map<std::string, std::string>& to, std::uint64_t rep) const {
        std::uint64_t at = payload(rep);
        if (at == 0) return;
        const std::uint64_t n = counted(at, 8);
        for (std::uint64_t i = 0; i < n; ++i) {
            const std::string set(string(next<std::uint32_t>(at)));
            to[set] = string(next<std::uint32_t>(at));
        }
    }
    using Entries = std::vector<std::pair<std::string, std::uint64_t>>;
    Entries dictionary(std::uint64_t& at, int depth) const {
        if (depth > 60) throw CrateBad{at, "dictionaries are nested too deeply", ErrorCode::too_large};
        Entries out;
        const std::uint64_t n = counted(at, 12);
        for (std::uint64_t i = 0; i < n; ++i) {
            std::string key(string(next<std::uint32_t>(at)));
            out.emplace_back(std::move(key), inner(at));
        }
        return out;
    }
    Entries dictionary_of(std::uint64_t rep) const {
        if (type_of(rep) != CrateType::dictionary) throw CrateBad{payload(rep), "a dictionary is none"};
        std::uint64_t at = payload(rep);
        return (rep & crate_inline_bit) || at == 0 ? Entries() : dictionary(at, 0);
    }
    void clips(UsdSpec& spec, std::uint64_t rep) const {
        for (const auto& [name, inside] : dictionary_of(rep)) {
            UsdClipSet set;
            set.name = name;
            for (const auto& [key, value] : dictionary_of(inside)) clip_entry(set, key, value);
            spec.more().clips.push_back(std::move(set));
        }
    }
    void clip_entry(UsdClipSet& set, const std::string& key, std::uint64_t rep) const {
        auto pairs = [&] {
            const auto all = decoded<double>(rep);
            std::vector<std::pair<double, double>> out;
            for (std::size_t i = 0; i + 1 < all.size(); i += 2) out.emplace_back(all[i], all[i + 1]);
            return out;
        };
        auto one = [&] {
            const auto all = decoded<double>(rep);
            return all.empty() ? 0 : all[0];
        };
        auto word = [&] {
            const auto all = words_of(rep);
            return all.empty() ? std::string() : all[0];
        };
        if (key == "assetPaths") set.assets = words_of(rep);
        if (key == "primPath") set.prim = word();
        if (key == "manifestAssetPath") set.manifest = word();
        if (key == "active") set.active = pairs();
        if (key == "times") set.times = pairs();
        if (key == "templateAssetPath") set.pattern = word();
        if (key == "templateStartTime") set.first = one();
        if (key == "templateEndTime") set.last = one();
        if (key == "templateStride") set.stride = one();
        if (key == "templateActiveOffset") set.active_offset = one();
        if (key == "interpolateMissingClipValues") set.interpolates_missing = payload(rep) != 0;
    }

    UsdBytes file_;
    int minor_ = 8; // of its version, 0.x
    std::string token_bytes_;
    std::vector<std::string_view> tokens_;
    std::vector<std::uint32_t> strings_;
    std::vector<Path> paths_;
    std::map<std::uint64_t, std::shared_ptr<const std::vector<double>>> times_; // by what stands for them
};

} // namespace garland
