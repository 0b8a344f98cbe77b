// USD binary, read (Alliance for OpenUSD, "Core Specification", crate file format), versions 0.4 to 0.13.
#include "io/usd/crate_pack.h"
#include "io/usd/crate_types.h"
#include "io/usd/layer.h"

#include <Imath/half.h>

#include <algorithm>
#include <bit>
#include <cmath>
#include <cstring>
#include <fmt/format.h>
#include <mutex>
#include <type_traits>

namespace garland {

namespace {

struct Bad {
    std::uint64_t at;
    std::string what;
    ErrorCode code = ErrorCode::malformed;
};

enum class Part : std::uint8_t { none, u8, i32, u32, i64, u64, f16, f32, f64 };
struct Layout { // of one element
    Part part = Part::none;
    std::size_t width = 1;
    bool quaternion = false; // the real part is the last one
    std::size_t bytes() const {
        constexpr std::size_t sizes[] = {0, 1, 4, 4, 8, 8, 2, 4, 8};
        return sizes[static_cast<int>(part)] * width;
    }
};

Layout layout_of(CrateType type) {
    switch (type) {
    case CrateType::boolean:
    case CrateType::uchar: return {Part::u8};
    case CrateType::int32: return {Part::i32};
    case CrateType::uint32: return {Part::u32};
    case CrateType::int64: return {Part::i64};
    case CrateType::uint64: return {Part::u64};
    case CrateType::float16: return {Part::f16};
    case CrateType::float32: return {Part::f32};
    case CrateType::float64:
    case CrateType::time_code: return {Part::f64};
    case CrateType::matrix2d: return {Part::f64, 4};
    case CrateType::matrix3d: return {Part::f64, 9};
    case CrateType::matrix4d: return {Part::f64, 16};
    case CrateType::quatd: return {Part::f64, 4, true};
    case CrateType::quatf: return {Part::f32, 4, true};
    case CrateType::quath: return {Part::f16, 4, true};
    case CrateType::double2: return {Part::f64, 2};
    case CrateType::float2: return {Part::f32, 2};
    case CrateType::half2: return {Part::f16, 2};
    case CrateType::int2: return {Part::i32, 2};
    case CrateType::double3: return {Part::f64, 3};
    case CrateType::float3: return {Part::f32, 3};
    case CrateType::half3: return {Part::f16, 3};
    case CrateType::int3: return {Part::i32, 3};
    case CrateType::double4: return {Part::f64, 4};
    case CrateType::float4: return {Part::f32, 4};
    case CrateType::half4: return {Part::f16, 4};
    case CrateType::int4: return {Part::i32, 4};
    default: return {};
    }
}

class UsdCrateLayer final : public UsdLayer {
  public:
    explicit UsdCrateLayer(UsdBytes from) { bytes = std::move(from); }

    void run() {
        const std::string_view all = bytes.view();
        if (all.size() < crate_head_bytes) throw Bad{0, "the file is cut"};
        const int major = all[8];
        minor_ = static_cast<unsigned char>(all[9]);
        if (major != 0 || minor_ < 4 || minor_ > 13)
            throw Bad{8, fmt::format("its version {}.{} is not read; 0.4 to 0.13 are", major, minor_),
                      ErrorCode::unsupported};
        sections(number<std::uint64_t>(16));
        read_tokens();
        read_strings();
        read_fields();
        read_paths();
        read_specs();
        std::sort(notes.begin(), notes.end());
        notes.erase(std::unique(notes.begin(), notes.end()), notes.end());
        if (!(codes_a_second > 0 && codes_a_second < 1e6)) throw Bad{0, "timeCodesPerSecond is not usable"};
        if (!(metres > 1e-9 && metres < 1e9)) throw Bad{0, "metersPerUnit is not usable"};
    }

    bool blocked(const UsdRef& ref) const override { return type_of(ref.rep) == CrateType::value_block; }
    Result<std::vector<float>> floats(const UsdRef& ref, std::size_t width) const override {
        return guarded([&] {
            std::vector<float> out = decoded<float>(ref.rep);
            if (out.size() % width != 0)
                throw Bad{payload(ref.rep), fmt::format("{} numbers do not make groups of {}", out.size(), width)};
            return out;
        });
    }
    Result<std::vector<double>> numbers(const UsdRef& ref) const override {
        return guarded([&] {
            std::vector<double> out = decoded<double>(ref.rep);
            for (const double v : out) {
                if (!std::isfinite(v)) throw Bad{payload(ref.rep), "a number is not finite"};
            }
            return out;
        });
    }
    Result<std::vector<std::int64_t>> wholes(const UsdRef& ref) const override {
        return guarded([&] { return decoded<std::int64_t>(ref.rep); });
    }
    Result<std::vector<std::string>> words(const UsdRef& ref) const override {
        return guarded([&] { return words_of(ref.rep); });
    }
    std::optional<std::size_t> count(const UsdRef& ref) const override {
        if (!(ref.rep & crate_array_bit)) return {};
        if (payload(ref.rep) == 0) return 0;
        const auto got = guarded([&] {
            std::uint64_t at = payload(ref.rep);
            return static_cast<std::size_t>(length(at));
        });
        return got ? std::optional(*got) : std::nullopt;
    }

  private:
    static CrateType type_of(std::uint64_t rep) { return static_cast<CrateType>(rep >> 48 & 0xff); }
    static std::uint64_t payload(std::uint64_t rep) { return rep & 0xffff'ffff'ffff; }

    template <class Read>
    auto guarded(Read&& read) const -> Result<decltype(read())> {
        try {
            return read();
        } catch (const Bad& bad) {
            return fail(error_of(bad));
        }
    }

  public:
    Error error_of(const Bad& bad) const {
        return Error{bad.code, bad.what}.at(bytes.name()).at_offset(static_cast<std::int64_t>(bad.at));
    }

  private:
    // -- bytes
    std::string_view piece(std::uint64_t at, std::uint64_t size) const {
        const std::string_view all = bytes.view();
        if (at > all.size() || size > all.size() - at) throw Bad{at, "the file is cut, or a value lies outside it"};
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
        if (n > (bytes.size - at) / each) throw Bad{at - 8, fmt::format("{} things do not fit into the file", n)};
        return n;
    }
    std::uint64_t length(std::uint64_t& at) const { // of an array
        if (minor_ < 5) at += 4;                    // its rank, which is 1
        return minor_ < 7 ? next<std::uint32_t>(at) : next<std::uint64_t>(at);
    }
    template <class T>
    T told(Result<T> value, std::uint64_t at) const {
        if (!value) throw Bad{at, value.error().message, value.error().code};
        return std::move(*value);
    }
    std::vector<std::int32_t> packed_list(std::uint64_t& at, std::uint64_t count) const {
        const auto size = next<std::uint64_t>(at);
        const std::uint64_t from = at;
        at += size;
        return told(unpacked_wholes32(piece(from, size), count), from);
    }

    // -- sections
    void sections(std::uint64_t at) {
        const std::uint64_t n = counted(at, 32);
        for (std::uint64_t i = 0; i < n; ++i, at += 32) {
            std::string name(piece(at, 16));
            name.resize(std::strlen(name.c_str()));
            const auto from = number<std::uint64_t>(at + 16), size = number<std::uint64_t>(at + 24);
            piece(from, size);
            sections_[name] = from;
        }
    }
    std::uint64_t section(const char* name) const {
        const auto found = sections_.find(name);
        if (found == sections_.end()) throw Bad{0, fmt::format("the section {} is missing", name)};
        return found->second;
    }
    void read_tokens() {
        std::uint64_t at = section("TOKENS");
        const auto n = next<std::uint64_t>(at), size = next<std::uint64_t>(at), packed = next<std::uint64_t>(at);
        token_bytes_ = told(unpacked_bytes(piece(at, packed), size), at);
        if (n > size) throw Bad{at, "there are not as many tokens as is said"};
        tokens_.reserve(n);
        for (std::size_t from = 0; tokens_.size() < n;) {
            const std::size_t end = token_bytes_.find('\0', from);
            if (end == std::string::npos) throw Bad{at, "there are not as many tokens as is said"};
            tokens_.push_back(std::string_view(token_bytes_).substr(from, end - from));
            from = end + 1;
        }
    }
    void read_strings() {
        std::uint64_t at = section("STRINGS");
        const std::uint64_t n = counted(at, 4);
        for (std::uint64_t i = 0; i < n; ++i) strings_.push_back(next<std::uint32_t>(at));
    }
    void read_fields() {
        std::uint64_t at = section("FIELDS");
        const auto n = next<std::uint64_t>(at);
        field_names_ = packed_list(at, n);
        const auto size = next<std::uint64_t>(at);
        if (n > UINT64_MAX / 8) throw Bad{at, "there are too many fields"};
        const std::string reps = told(unpacked_bytes(piece(at, size), n * 8), at);
        field_reps_.resize(n);
        std::memcpy(field_reps_.data(), reps.data(), reps.size());
        at = section("FIELDSETS");
        const auto sets = next<std::uint64_t>(at);
        field_sets_ = packed_list(at, sets);
    }

    struct Path {
        std::string text;
        std::uint32_t owner = 0; // of a property: its prim
        bool property = false, known = false;
        std::string_view name{}; // of a property
    };
    void read_paths() {
        std::uint64_t at = section("PATHS");
        const std::uint64_t from = at;
        const auto n = next<std::uint64_t>(at), encoded = next<std::uint64_t>(at);
        const auto numbers = packed_list(at, encoded), elements = packed_list(at, encoded),
                   jumps = packed_list(at, encoded);
        if (n > encoded * 4 + 16) throw Bad{from, "there are not as many paths as is said"};
        paths_.resize(n);
        struct Step {
            std::size_t at;
            std::uint32_t parent;
            int depth;
        };
        std::vector<Step> open;
        if (encoded > 0) open.push_back({0, UINT32_MAX, 0});
        std::size_t done = 0;
        while (!open.empty()) {
            auto [here, parent, depth] = open.back();
            open.pop_back();
            for (;;) {
                if (here >= encoded || ++done > encoded) throw Bad{from, "the tree of paths does not close"};
                if (depth > usd_depth) throw Bad{from, "prims are nested too deeply", ErrorCode::too_large};
                const auto index = static_cast<std::uint32_t>(numbers[here]);
                if (index >= n || paths_[index].known) throw Bad{from, "a path has no number of its own"};
                set_path(paths_[index], parent, elements[here], from);
                const std::int32_t jump = jumps[here];
                const bool below = jump > 0 || jump == -1, beside = jump >= 0;
                if (below && beside) open.push_back({here + static_cast<std::size_t>(jump), parent, depth});
                if (!below && !beside) break;
                if (below) parent = index, ++depth;
                ++here;
            }
        }
    }
    void set_path(Path& path, std::uint32_t parent, std::int32_t element, std::uint64_t at) {
        path.known = true;
        if (parent == UINT32_MAX) {
            path.text = "/";
            return;
        }
        path.property = element < 0;
        const std::string_view name = token(static_cast<std::uint32_t>(std::abs(static_cast<std::int64_t>(element))));
        path.owner = parent;
        path.name = name;
        const std::string& above = paths_[parent].text;
        if (above.size() + name.size() > 100'000) throw Bad{at, "a path is too long", ErrorCode::too_large};
        path.text = path.property                                    ? above + "." + std::string(name)
                    : name.starts_with("{") || name.starts_with("[") ? above + std::string(name)
                                                                     : usd_child(above, name);
    }

    void read_specs() {
        std::uint64_t at = section("SPECS");
        const std::uint64_t from = at;
        const auto n = next<std::uint64_t>(at);
        const auto paths = packed_list(at, n), sets = packed_list(at, n), types = packed_list(at, n);
        for (std::size_t i = 0; i < n; ++i) {
            const auto p = static_cast<std::uint32_t>(paths[i]);
            if (p >= paths_.size() || !paths_[p].known) throw Bad{from, "a spec has a path that is not there"};
            std::vector<std::size_t> fields;
            for (auto f = static_cast<std::size_t>(static_cast<std::uint32_t>(sets[i]));; ++f) {
                if (f >= field_sets_.size()) throw Bad{from, "a spec's fields do not end"};
                if (field_sets_[f] == -1) break;
                const auto field = static_cast<std::uint32_t>(field_sets_[f]);
                if (field >= field_names_.size()) throw Bad{from, "a spec has a field that is not there"};
                fields.push_back(field);
            }
            const Path& path = paths_[p];
            if (types[i] == prim_spec || types[i] == variant_spec || types[i] == layer_spec) {
                if (path.property) throw Bad{from, "a prim has the path of a property"};
                prim(add(path.text), fields);
            } else if (types[i] == attribute_spec || types[i] == relationship_spec) {
                if (!path.property || paths_[path.owner].property) throw Bad{from, "a property has the path of a prim"};
                property(add(paths_[path.owner].text), path.name, fields, types[i] == relationship_spec);
            } else if (types[i] == variant_set_spec) {
                variant_set(path.text, fields);
            }
        }
        add("/");
    }
    std::string_view field_name(std::size_t f) const { return token(static_cast<std::uint32_t>(field_names_[f])); }

    void prim(UsdSpec& spec, const std::vector<std::size_t>& fields) {
        for (const std::size_t f : fields) {
            const std::string_view name = field_name(f);
            const std::uint64_t rep = field_reps_[f];
            if (name == "specifier") {
                const std::uint64_t kind = payload(rep);
                spec.kind = kind == 0 ? UsdSpec::def : kind == 1 ? UsdSpec::over : UsdSpec::kind_class;
            } else if (name == "typeName") {
                spec.type = token(static_cast<std::uint32_t>(payload(rep)));
            } else if (name == "primChildren") {
                spec.children = words_of(rep);
                for (const std::string& child : spec.children) {
                    if (child.empty() || child.find_first_of("/{}.<>[]") != child.npos)
                        throw Bad{payload(rep), fmt::format("\"{}\" is no name of a prim", child)};
                }
            } else if (name == "primOrder") {
                spec.order = words_of(rep);
            } else if (name == "references") {
                spec.more().references = list_op<UsdArc>(rep, [this](std::uint64_t& at) { return reference(at); });
            } else if (name == "payload") {
                payloads(spec.more().payloads, rep);
            } else if (name == "inheritPaths") {
                spec.more().inherits = path_list(rep);
            } else if (name == "specializes") {
                spec.more().specializes = path_list(rep);
            } else if (name == "variantSetNames") {
                spec.more().variant_sets = string_list(rep);
            } else if (name == "clipSets") {
                spec.more().clip_sets = string_list(rep);
            } else if (name == "variantSelection") {
                choices(spec.more().choices, rep);
            } else if (name == "active") {
                spec.more().active = payload(rep) != 0;
            } else if (name == "instanceable") {
                spec.more().instanceable = payload(rep) != 0;
            } else if (name == "clips") {
                clips(spec, rep);
            } else if (name == "relocates" || name == "layerRelocates") {
                notes.emplace_back("moved prims (relocates)");
            } else if (spec.path == "/") {
                layer_field(name, rep);
            }
        }
    }
    void layer_field(std::string_view name, std::uint64_t rep) {
        auto number_of = [&] {
            const auto all = decoded<double>(rep);
            if (all.size() != 1 || !std::isfinite(all[0])) throw Bad{0, fmt::format("{} is not a number", name)};
            return all[0];
        };
        auto word_of = [&] {
            const auto all = words_of(rep);
            return all.empty() ? std::string() : all[0];
        };
        if (name == "timeCodesPerSecond") {
            codes_a_second = number_of(), said_codes = true, own_codes_ = true;
        } else if (name == "framesPerSecond" && !own_codes_) {
            codes_a_second = number_of(), said_codes = true;
        } else if (name == "metersPerUnit") {
            metres = number_of(), said_metres = true;
        } else if (name == "startTimeCode") {
            start = number_of();
        } else if (name == "endTimeCode") {
            end = number_of();
        } else if (name == "upAxis") {
            z_up = word_of() == "Z", said_axis = true;
        } else if (name == "defaultPrim") {
            default_prim = word_of();
        } else if (name == "subLayers") {
            const auto all = words_of(rep);
            if (sublayers.size() < all.size()) sublayers.resize(all.size());
            for (std::size_t i = 0; i < all.size(); ++i) sublayers[i].asset = all[i];
        } else if (name == "subLayerOffsets") {
            std::uint64_t at = payload(rep);
            const std::uint64_t n = counted(at, 16);
            if (sublayers.size() < n) sublayers.resize(n);
            for (std::uint64_t i = 0; i < n; ++i)
                sublayers[i].offset = next<double>(at), sublayers[i].scale = next<double>(at);
        }
    }
    void variant_set(const std::string& path, const std::vector<std::size_t>& fields) { // "/a{colour=}"
        const std::size_t open = path.rfind('{'), is = path.find('=', open);
        if (open == path.npos || is == path.npos) return;
        for (const std::size_t f : fields) {
            if (field_name(f) != "variantChildren") continue;
            add(path.substr(0, open)).more().variants[path.substr(open + 1, is - open - 1)] = words_of(field_reps_[f]);
        }
    }
    void property(UsdSpec& spec, std::string_view called, const std::vector<std::size_t>& fields, bool relates) {
        UsdProperty& p = spec.properties.emplace_back();
        p.name = called;
        if (relates) p.type = "rel";
        for (const std::size_t f : fields) {
            const std::string_view name = field_name(f);
            const std::uint64_t rep = field_reps_[f];
            if (name == "typeName" && !relates) {
                p.type = token(static_cast<std::uint32_t>(payload(rep)));
            } else if (name == "default") {
                p.value = {{}, rep};
                p.has_value = true;
            } else if (name == "timeSamples") {
                p.samples = time_samples(rep);
            } else if (name == "variability") {
                p.uniform = payload(rep) == 1;
            } else if (name == "interpolation") {
                p.interpolation = token(static_cast<std::uint32_t>(payload(rep)));
            } else if (name == "elementSize") {
                p.element_size = static_cast<int>(std::min<std::uint64_t>(payload(rep) & 0xffff'ffff, 1'000'000));
            } else if (name == "connectionPaths") {
                p.connected = true;
            } else if (name == "targetPaths") {
                p.targets = path_list(rep);
            } else if (name == "spline") {
                notes.emplace_back(fmt::format("the spline of \"{}\"", called));
            }
        }
    }

    // -- values
    std::string_view token(std::uint64_t i) const {
        if (i >= tokens_.size()) throw Bad{0, fmt::format("token {} is not there", i)};
        return tokens_[i];
    }
    std::string_view string(std::uint64_t i) const {
        if (i >= strings_.size()) throw Bad{0, fmt::format("string {} is not there", i)};
        return token(strings_[i]);
    }
    std::string path(std::uint64_t i) const {
        if (i >= paths_.size()) throw Bad{0, fmt::format("path {} is not there", i)};
        return paths_[i].text; // empty: not a path of this file
    }

    template <class T>
    std::vector<T> decoded(std::uint64_t rep) const {
        const CrateType type = type_of(rep);
        if (type == CrateType::double_vector) {
            std::uint64_t at = payload(rep);
            const std::uint64_t n = counted(at, 8);
            return converted<T>(piece(at, n * 8), {Part::f64}, n);
        }
        const Layout layout = layout_of(type);
        if (layout.part == Part::none) throw Bad{payload(rep), "a value is of a kind that has no numbers"};
        if (std::is_integral_v<T> && layout.part >= Part::f16)
            throw Bad{payload(rep), "there are fractions where whole numbers are needed"};
        if (rep & crate_inline_bit) return inlined<T>(static_cast<std::uint32_t>(rep), type, layout);
        std::uint64_t at = payload(rep);
        if (!(rep & crate_array_bit)) return converted<T>(piece(at, layout.bytes()), layout, 1);
        if (at == 0) return {};
        const std::uint64_t n = length(at);
        if (n > UINT32_MAX) throw Bad{at, "an array has too many values", ErrorCode::too_large};
        if ((rep & crate_packed_bit) && n >= crate_least_packed) return unpacked_array<T>(at, layout, n);
        return converted<T>(piece(at, n * layout.bytes()), layout, n);
    }
    template <class T>
    std::vector<T> inlined(std::uint32_t bits, CrateType type, const Layout& layout) const {
        auto byte = [bits](std::size_t k) { return static_cast<std::int8_t>(bits >> (8 * k) & 0xff); };
        std::string wide;
        auto put = [&wide](auto v) { wide.append(reinterpret_cast<const char*>(&v), sizeof v); };
        auto put_part = [&](double v) {
            switch (layout.part) {
            case Part::f64: return put(v);
            case Part::f32: return put(static_cast<float>(v));
            case Part::f16: return put(Imath::half(static_cast<float>(v)));
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
        } else if (layout.part == Part::f64) {
            put(static_cast<double>(std::bit_cast<float>(bits)));
        } else if (layout.part == Part::i64) {
            put(static_cast<std::int64_t>(static_cast<std::int32_t>(bits)));
        } else {
            put(static_cast<std::uint64_t>(bits));
        }
        return converted<T>(wide, layout, 1);
    }
    template <class T>
    std::vector<T> unpacked_array(std::uint64_t at, const Layout& layout, std::uint64_t n) const {
        auto widened = [](const auto& from) {
            std::vector<T> out(from.size());
            std::transform(from.begin(), from.end(), out.begin(), [](auto v) { return static_cast<T>(v); });
            return out;
        };
        switch (layout.part) {
        case Part::i32: return widened(packed_list(at, n));
        case Part::u32: {
            const auto list = packed_list(at, n);
            return widened(std::vector<std::uint32_t>(list.begin(), list.end()));
        }
        case Part::i64:
        case Part::u64: {
            const auto size = next<std::uint64_t>(at);
            return widened(told(unpacked_wholes64(piece(at, size), n), at));
        }
        default: break;
        }
        const auto code = next<char>(at);
        if (code == 'i') return widened(packed_list(at, n));
        if (code != 't' || layout.width != 1) throw Bad{at, "numbers are packed in a way that is not known"};
        const auto entries = next<std::uint32_t>(at);
        const std::vector<T> table = converted<T>(piece(at, entries * layout.bytes()), layout, entries);
        at += entries * layout.bytes();
        std::vector<T> out;
        out.reserve(n);
        for (const std::int32_t i : packed_list(at, n)) {
            if (static_cast<std::uint32_t>(i) >= entries) throw Bad{at, "packed numbers reach past their table"};
            out.push_back(table[static_cast<std::uint32_t>(i)]);
        }
        return out;
    }
    template <class T>
    std::vector<T> converted(std::string_view from, const Layout& layout, std::uint64_t n) const {
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
        case Part::u8: convert(std::uint8_t()); break;
        case Part::i32: convert(std::int32_t()); break;
        case Part::u32: convert(std::uint32_t()); break;
        case Part::i64: convert(std::int64_t()); break;
        case Part::u64: convert(std::uint64_t()); break;
        case Part::none: break;
        default: // fractions are never asked for as whole numbers
            if constexpr (!std::is_integral_v<T>) {
                if (layout.part == Part::f16) convert(Imath::half());
                if (layout.part == Part::f32) convert(float());
                if (layout.part == Part::f64) convert(double());
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
            if (out.empty()) throw Bad{at, "a value is of a kind that has no words"};
            return out;
        }
        const bool tokens = type == CrateType::token || type == CrateType::token_vector;
        if (!tokens && type != CrateType::string && type != CrateType::asset && type != CrateType::string_vector)
            throw Bad{at, "a value is of a kind that has no words"};
        if (at == 0) return out;
        const std::uint64_t n = rep & crate_array_bit ? length(at) : next<std::uint64_t>(at);
        if (n > bytes.size / 4) throw Bad{at, "more words than the file can hold"};
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
        if (type_of(rep) != CrateType::time_samples) throw Bad{payload(rep), "time samples are none"};
        UsdSamples out;
        std::uint64_t at = payload(rep);
        const std::uint64_t times_rep = inner(at);
        auto& known = times_[times_rep];
        if (!known) {
            auto times = decoded<double>(times_rep);
            for (std::size_t i = 0; i < times.size(); ++i) {
                if (!(std::abs(times[i]) <= 1e9)) throw Bad{at, "a sample's time is beyond what can be counted"};
                if (i > 0 && !(times[i] > times[i - 1])) throw Bad{at, "the times of samples do not rise"};
            }
            known = std::make_shared<const std::vector<double>>(std::move(times));
        }
        const std::uint64_t from = at;
        at = from + static_cast<std::uint64_t>(next<std::int64_t>(at));
        const std::uint64_t n = counted(at, 8);
        if (n != known->size()) throw Bad{at, "there are not as many samples as times"};
        out.times = known;
        out.reps = piece(at, n * 8).data();
        return out;
    }

    template <class T, class Read>
    UsdList<T> list_op(std::uint64_t rep, Read&& read) const {
        UsdList<T> out;
        std::uint64_t at = payload(rep);
        if (at == 0) return out;
        const auto bits = next<std::uint8_t>(at);
        out.replaces = bits & replaces_items;
        std::vector<T> unused;
        auto items = [&](int bit, std::vector<T>& to) {
            if (!(bits & bit)) return;
            const std::uint64_t n = counted(at, 4);
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
            throw Bad{at, "an offset in time is not usable"};
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
        if (depth > 60) throw Bad{at, "dictionaries are nested too deeply", ErrorCode::too_large};
        Entries out;
        const std::uint64_t n = counted(at, 12);
        for (std::uint64_t i = 0; i < n; ++i) {
            std::string key(string(next<std::uint32_t>(at)));
            out.emplace_back(std::move(key), inner(at));
        }
        return out;
    }
    Entries dictionary_of(std::uint64_t rep) const {
        if (type_of(rep) != CrateType::dictionary) throw Bad{payload(rep), "a dictionary is none"};
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

    int minor_ = 8;
    bool own_codes_ = false;
    std::map<std::string, std::uint64_t> sections_;
    std::string token_bytes_;
    std::vector<std::string_view> tokens_;
    std::vector<std::uint32_t> strings_;
    std::vector<std::int32_t> field_names_, field_sets_;
    std::vector<std::uint64_t> field_reps_;
    std::vector<Path> paths_;
    std::map<std::uint64_t, std::shared_ptr<const std::vector<double>>> times_;
};

} // namespace

Result<UsdLayerPtr> read_crate_layer(UsdBytes bytes) {
    auto layer = std::make_shared<UsdCrateLayer>(std::move(bytes));
    try {
        layer->run();
    } catch (const Bad& bad) {
        return fail(layer->error_of(bad));
    }
    return UsdLayerPtr(layer);
}

} // namespace garland
