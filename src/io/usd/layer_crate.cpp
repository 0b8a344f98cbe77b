// A layer as USD binary, crate version 0.8 (Alliance for OpenUSD, "Core Specification", crate file format): values come
// first, as they are kept; then tokens, strings, fields, sets of fields, paths and specs in sections of their own.
#include "io/usd/crate_pack.h"
#include "io/usd/crate_types.h"
#include "io/usd/layer_writer.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <cstring>
#include <map>
#include <unordered_map>

namespace garland {

namespace {

std::uint64_t rep(CrateType type, std::uint64_t payload, std::uint64_t bits = 0) {
    return bits | static_cast<std::uint64_t>(type) << 48 | payload;
}

CrateType crate_type(UsdType type) {
    switch (type) {
    case UsdType::boolean: return CrateType::boolean;
    case UsdType::int32: return CrateType::int32;
    case UsdType::int64: return CrateType::int64;
    case UsdType::float32: return CrateType::float32;
    case UsdType::float64: return CrateType::float64;
    case UsdType::string: return CrateType::string;
    case UsdType::token: return CrateType::token;
    case UsdType::asset: return CrateType::asset;
    case UsdType::int2: return CrateType::int2;
    case UsdType::int3: return CrateType::int3;
    case UsdType::int4: return CrateType::int4;
    case UsdType::float2: return CrateType::float2;
    case UsdType::float3: return CrateType::float3;
    case UsdType::float4: return CrateType::float4;
    case UsdType::double2: return CrateType::double2;
    case UsdType::double3: return CrateType::double3;
    case UsdType::quatf: return CrateType::quatf;
    case UsdType::quath: return CrateType::quath;
    case UsdType::matrix4d: return CrateType::matrix4d;
    case UsdType::dictionary: return CrateType::dictionary;
    case UsdType::token_list: return CrateType::token_list_op;
    case UsdType::references: return CrateType::reference_list_op;
    }
    return CrateType::token;
}

class CrateStore final : public UsdStore {
  public:
    explicit CrateStore(AtomicFile file) : UsdStore(std::move(file)) {
        file_.forgo_hash(); // its beginning is written last
        file_.write(std::string(crate_head_bytes, '\0'));
        token(";"); // so that number 0 is nobody's: the sign of a path's token says what it is
        path("/");
    }

    UsdKept keep(const UsdValue& v) override {
        switch (v.type) {
        case UsdType::token:
            if (v.array) return kept_once(v);
            return rep(CrateType::token, token(v.words.front()), crate_inline_bit);
        case UsdType::asset:
            if (v.array) return kept_once(v);
            return rep(CrateType::asset, token(v.words.front()), crate_inline_bit);
        case UsdType::string:
            if (v.array) return kept_once(v);
            return rep(CrateType::string, string(v.words.front()), crate_inline_bit);
        case UsdType::boolean:
            if (!v.array) return rep(CrateType::boolean, v.own[0] != 0 ? 1 : 0, crate_inline_bit);
            break;
        case UsdType::int32:
            if (!v.array) {
                const auto whole = static_cast<std::uint32_t>(static_cast<std::int32_t>(v.own[0]));
                return rep(CrateType::int32, whole, crate_inline_bit);
            }
            break;
        case UsdType::float32:
            if (!v.array)
                return rep(CrateType::float32, std::bit_cast<std::uint32_t>(static_cast<float>(v.own[0])),
                           crate_inline_bit);
            break;
        case UsdType::float64: // those that a float holds
            if (!v.array && static_cast<double>(static_cast<float>(v.own[0])) == v.own[0])
                return rep(CrateType::float64, std::bit_cast<std::uint32_t>(static_cast<float>(v.own[0])),
                           crate_inline_bit);
            break;
        default: break;
        }
        if (v.array && v.count == 0) return rep(crate_type(v.type), 0, crate_array_bit);
        return kept_once(v);
    }

    Result<void> finish(const UsdOutPrim& root) override {
        layer(root);
        struct Section {
            const char* name;
            std::uint64_t start, size;
        };
        std::vector<Section> sections;
        auto section = [&](const char* name, const std::string& bytes) {
            sections.push_back({name, file_.written(), bytes.size()});
            file_.write(bytes);
        };
        section("TOKENS", tokens_section());
        std::string strings;
        put(strings, std::uint64_t(strings_.size()));
        for (const std::uint32_t s : strings_) put(strings, s);
        section("STRINGS", strings);
        section("FIELDS", fields_section());
        std::string sets;
        put(sets, std::uint64_t(field_sets_.size()));
        put_packed(sets, field_sets_);
        section("FIELDSETS", sets);
        section("PATHS", paths_section());
        std::string specs;
        put(specs, std::uint64_t(spec_paths_.size()));
        for (const auto* list : {&spec_paths_, &spec_sets_, &spec_types_}) put_packed(specs, *list);
        section("SPECS", specs);
        const std::uint64_t contents = file_.written();
        std::string toc;
        put(toc, std::uint64_t(sections.size()));
        for (const Section& s : sections) {
            char name[16] = {};
            std::strncpy(name, s.name, sizeof name - 1);
            toc.append(name, sizeof name);
            put(toc, s.start), put(toc, s.size);
        }
        file_.write(toc);
        bytes_ = file_.written();
        std::string head = "PXR-USDC"; // the format's own mark
        head += std::string("\0\x8\0\0\0\0\0\0", 8);
        put(head, contents);
        file_.seek(0);
        file_.write(head);
        return {};
    }

  private:
    template <class T>
    static void put(std::string& to, T value) {
        to.append(reinterpret_cast<const char*>(&value), sizeof value);
    }
    static void put_packed(std::string& to, const std::vector<std::int32_t>& list) {
        const std::string packed = packed_wholes(list);
        put(to, std::uint64_t(packed.size()));
        to += packed;
    }

    std::uint32_t token(const std::string& word) {
        const auto [at, fresh] = token_at_.try_emplace(word, static_cast<std::uint32_t>(tokens_.size()));
        if (fresh) tokens_.push_back(word);
        return at->second;
    }
    std::uint32_t string(const std::string& word) {
        const auto [at, fresh] = string_at_.try_emplace(word, static_cast<std::uint32_t>(strings_.size()));
        if (fresh) strings_.push_back(token(word));
        return at->second;
    }

    // Paths are numbered as they come up; above each there is its parent.
    std::uint32_t path(const std::string& name) {
        if (const auto known = path_at_.find(name); known != path_at_.end()) return known->second;
        Path p;
        if (name != "/") {
            const std::size_t slash = name.rfind('/'), dot = name.rfind('.');
            p.property = dot != name.npos && dot > slash;
            const std::size_t cut = p.property ? dot : slash;
            const std::uint32_t parent = path(cut == 0 ? "/" : name.substr(0, cut));
            p.element = token(name.substr(cut + 1));
            paths_[parent].children.push_back(static_cast<std::uint32_t>(paths_.size()));
        }
        paths_.push_back(std::move(p));
        const auto number = static_cast<std::uint32_t>(paths_.size() - 1);
        path_at_.emplace(name, number);
        return number;
    }

    std::uint64_t write(std::string_view bytes) {
        const std::uint64_t at = file_.written();
        file_.write(bytes);
        return at;
    }
    void align() {
        static const char zeros[8] = {};
        if (const std::size_t over = file_.written() % 8; over > 0) file_.write(zeros, 8 - over);
    }

    UsdKept kept_once(const UsdValue& v) {
        const auto [known, fresh] = known_.try_emplace(hash_of(v), 0);
        if (fresh) known->second = stored(v);
        return known->second;
    }

    UsdKept stored(const UsdValue& v) {
        const CrateType type = crate_type(v.type);
        std::string out;
        switch (v.type) {
        case UsdType::dictionary: return rep(type, dictionary(v));
        case UsdType::references:
            put(out, static_cast<char>(prepended_items)), put(out, std::uint64_t(1));
            put(out, string(v.words[0])), put(out, path(v.words[1]));
            put(out, 0.0), put(out, 1.0); // the times of its layer as they are
            put(out, std::uint64_t(0));   // no custom data
            return rep(type, write(out));
        case UsdType::token_list:
            put(out, static_cast<char>(prepended_items)), put(out, std::uint64_t(v.words.size()));
            for (const std::string& w : v.words) put(out, token(w));
            return rep(type, write(out));
        case UsdType::token:
        case UsdType::asset:
        case UsdType::string: { // arrays
            align();
            const std::uint64_t at = file_.written();
            put(out, std::uint64_t(v.words.size()));
            for (const std::string& w : v.words) put(out, v.type == UsdType::token ? token(w) : string(w));
            write(out);
            return rep(type, at, crate_array_bit);
        }
        default: break;
        }
        return v.array ? array(v, type) : scalar(v, type);
    }

    UsdKept array(const UsdValue& v, CrateType type) {
        std::string packed;
        if (v.count >= crate_least_packed && v.type == UsdType::int32)
            packed = packed_wholes(std::span(static_cast<const std::int32_t*>(v.numbers), v.count));
        if (v.count >= crate_least_packed && v.type == UsdType::int64)
            packed = packed_wholes(std::span(static_cast<const std::int64_t*>(v.numbers), v.count));
        std::string head;
        put(head, std::uint64_t(v.count));
        if (!packed.empty()) {
            put(head, std::uint64_t(packed.size()));
            const std::uint64_t at = write(head);
            file_.write(packed);
            return rep(type, at, crate_array_bit | crate_packed_bit);
        }
        align();
        const std::uint64_t at = write(head);
        file_.write(v.numbers, v.count * numbers_of(v.type).bytes());
        return rep(type, at, crate_array_bit);
    }

    UsdKept scalar(const UsdValue& v, CrateType type) {
        const UsdNumbers layout = numbers_of(v.type);
        std::string out;
        for (std::size_t k = 0; k < layout.width; ++k) {
            const double n = v.own[k];
            switch (layout.component) {
            case UsdNumbers::f64: put(out, n); break;
            case UsdNumbers::f32: put(out, static_cast<float>(n)); break;
            case UsdNumbers::f16: put(out, Imath::half(static_cast<float>(n)).bits()); break;
            case UsdNumbers::i64: put(out, static_cast<std::int64_t>(n)); break;
            case UsdNumbers::i32: put(out, static_cast<std::int32_t>(n)); break;
            case UsdNumbers::byte:
            case UsdNumbers::none: break;
            }
        }
        return rep(type, write(out));
    }

    // A value inside another one is written ahead, and its representation follows an offset to it.
    std::uint64_t dictionary(const UsdValue& v) {
        std::vector<std::uint64_t> inside;
        for (const auto& [name, value] : v.entries) inside.push_back(keep(value));
        std::string out;
        put(out, std::uint64_t(v.entries.size()));
        for (std::size_t i = 0; i < v.entries.size(); ++i)
            put(out, string(v.entries[i].name)), put(out, std::int64_t(8)), put(out, inside[i]);
        return write(out);
    }

    std::uint64_t token_vector(const std::vector<std::string>& words) {
        std::string out;
        put(out, std::uint64_t(words.size()));
        for (const std::string& w : words) put(out, token(w));
        return rep(CrateType::token_vector, write(out));
    }

    std::uint64_t time_samples(const std::vector<UsdOutSample>& samples) {
        std::vector<double> times;
        for (const UsdOutSample& s : samples) times.push_back(s.time);
        std::uint64_t& known = times_known_[times];
        if (known == 0) {
            std::string out;
            put(out, std::uint64_t(times.size()));
            for (const double t : times) put(out, t);
            align();
            known = rep(CrateType::double_vector, write(out));
        }
        std::string out;
        put(out, std::int64_t(8)), put(out, known);
        put(out, std::int64_t(8)), put(out, std::uint64_t(samples.size()));
        for (const UsdOutSample& s : samples) put(out, s.value);
        return rep(CrateType::time_samples, write(out));
    }

    using Fields = std::vector<std::pair<std::string, std::uint64_t>>;

    void spec(const std::string& at, const Fields& fields, CrateSpec type) {
        std::vector<std::int32_t> set;
        for (const auto& [name, value] : fields) {
            const std::pair field{token(name), value};
            const auto [known, fresh] = field_at_.try_emplace(field, static_cast<std::int32_t>(fields_.size()));
            if (fresh) fields_.push_back(field);
            set.push_back(known->second);
        }
        const auto [known, fresh] = set_at_.try_emplace(set, static_cast<std::int32_t>(field_sets_.size()));
        if (fresh) {
            field_sets_.insert(field_sets_.end(), set.begin(), set.end());
            field_sets_.push_back(-1);
        }
        spec_paths_.push_back(static_cast<std::int32_t>(path(at)));
        spec_sets_.push_back(known->second);
        spec_types_.push_back(type);
    }

    void layer(const UsdOutPrim& root) {
        Fields fields;
        for (const auto& a : root.about) fields.emplace_back(a.name, a.value);
        std::vector<std::string> names;
        for (const auto& c : root.children) names.push_back(c->name);
        if (!names.empty()) fields.emplace_back("primChildren", token_vector(names));
        spec("/", fields, layer_spec);
        for (const auto& c : root.children) prim(*c, "/" + c->name);
    }

    void prim(const UsdOutPrim& p, const std::string& at) {
        Fields fields{{"specifier", rep(CrateType::specifier, p.kind, crate_inline_bit)}}; // def 0, over 1, class 2
        if (!p.type.empty()) fields.emplace_back("typeName", rep(CrateType::token, token(p.type), crate_inline_bit));
        for (const auto& a : p.about) fields.emplace_back(a.name, a.value);
        std::vector<std::string> children, properties;
        for (const auto& c : p.children) children.push_back(c->name);
        for (const auto& q : p.properties) properties.push_back(q->name);
        if (!children.empty()) fields.emplace_back("primChildren", token_vector(children));
        if (!properties.empty()) fields.emplace_back("properties", token_vector(properties));
        spec(at, fields, prim_spec);
        for (const auto& q : p.properties) property(*q, at + "." + q->name);
        for (const auto& c : p.children) prim(*c, at + "/" + c->name);
    }

    void property(const UsdOutProperty& p, const std::string& at) {
        Fields fields;
        if (p.type == "rel") {
            std::string out;
            put(out, static_cast<char>(replaces_items | explicit_items)), put(out, std::uint64_t(p.targets.size()));
            for (const std::string& t : p.targets) put(out, path(t));
            fields.emplace_back("variability", rep(CrateType::variability, 1, crate_inline_bit)); // never in time
            fields.emplace_back("targetPaths", rep(CrateType::path_list_op, write(out)));
            return spec(at, fields, relationship_spec);
        }
        fields.emplace_back("typeName", rep(CrateType::token, token(p.type), crate_inline_bit));
        if (p.uniform) fields.emplace_back("variability", rep(CrateType::variability, 1, crate_inline_bit));
        if (p.value) fields.emplace_back("default", *p.value);
        if (!p.samples.empty()) fields.emplace_back("timeSamples", time_samples(p.samples));
        for (const auto& [name, value] : p.about) fields.emplace_back(name, value);
        spec(at, fields, attribute_spec);
    }

    std::string tokens_section() const {
        std::string all, out;
        for (const std::string& t : tokens_) all += t + '\0';
        const std::string packed = packed_bytes(all);
        put(out, std::uint64_t(tokens_.size())), put(out, std::uint64_t(all.size()));
        put(out, std::uint64_t(packed.size()));
        return out + packed;
    }

    std::string fields_section() const {
        std::vector<std::int32_t> names;
        std::string reps, out;
        for (const auto& [name, value] : fields_) names.push_back(static_cast<std::int32_t>(name)), put(reps, value);
        put(out, std::uint64_t(fields_.size()));
        put_packed(out, names);
        const std::string packed = packed_bytes(reps);
        put(out, std::uint64_t(packed.size()));
        return out + packed;
    }

    // The tree of paths, depth first: for each its number, the token of its last part (below 0 for a property), and
    // where its next sibling is: −2 nothing below or beside it, −1 only something below, 0 only the next one beside it.
    std::string paths_section() const {
        std::vector<std::int32_t> numbers, elements, jumps;
        struct Step {
            std::uint32_t path;
            bool last;
            std::size_t before; // whose jump leads here; npos: nobody's
        };
        constexpr std::size_t nobody = SIZE_MAX;
        std::vector<Step> open{{0, true, nobody}};
        while (!open.empty()) {
            const Step step = open.back();
            open.pop_back();
            const Path& p = paths_[step.path];
            const std::size_t here = numbers.size();
            if (step.before != nobody && jumps[step.before] > 0)
                jumps[step.before] = static_cast<std::int32_t>(here - step.before);
            numbers.push_back(static_cast<std::int32_t>(step.path));
            const auto element = static_cast<std::int32_t>(p.element);
            elements.push_back(p.property ? -element : element);
            const bool below = !p.children.empty();
            jumps.push_back(below ? step.last ? -1 : 1 : step.last ? -2 : 0); // 1: set when its sibling comes up
            if (!step.last) open.back().before = here;
            for (std::size_t k = p.children.size(); k-- > 0;)
                open.push_back({p.children[k], k + 1 == p.children.size(), nobody});
        }
        std::string out;
        put(out, std::uint64_t(paths_.size())), put(out, std::uint64_t(numbers.size()));
        for (const auto* list : {&numbers, &elements, &jumps}) put_packed(out, *list);
        return out;
    }

    struct Path {
        std::uint32_t element = 0; // token
        bool property = false;
        std::vector<std::uint32_t> children{};
    };
    std::vector<std::string> tokens_;
    std::unordered_map<std::string, std::uint32_t> token_at_, string_at_, path_at_;
    std::vector<std::uint32_t> strings_; // tokens
    std::vector<Path> paths_;
    std::map<UsdHash, UsdKept> known_;
    std::map<std::vector<double>, std::uint64_t> times_known_;
    std::vector<std::pair<std::uint32_t, std::uint64_t>> fields_;
    std::map<std::pair<std::uint32_t, std::uint64_t>, std::int32_t> field_at_;
    std::map<std::vector<std::int32_t>, std::int32_t> set_at_;
    std::vector<std::int32_t> field_sets_, spec_paths_, spec_sets_, spec_types_;
};

} // namespace

std::unique_ptr<UsdStore> make_crate_store(AtomicFile file) {
    return std::make_unique<CrateStore>(std::move(file));
}

} // namespace garland
