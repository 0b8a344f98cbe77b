// USD binary, read (Alliance for OpenUSD, "Core Specification", crate file format), versions 0.4 to 0.13.
#include "io/usd/crate_values.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <fmt/format.h>

namespace garland {

namespace {

class UsdCrateLayer final : public UsdLayer, private CrateValues {
  public:
    explicit UsdCrateLayer(UsdBytes from) : CrateValues(from) { bytes = std::move(from); }

    void run() {
        const std::string_view all = bytes.view();
        if (all.size() < crate_head_bytes) throw CrateBad{0, "the file is cut"};
        const int major = all[8];
        minor_ = static_cast<unsigned char>(all[9]);
        if (major != 0 || minor_ < 4 || minor_ > 13)
            throw CrateBad{8, fmt::format("its version {}.{} is not read; 0.4 to 0.13 are", major, minor_),
                           ErrorCode::unsupported};
        sections(number<std::uint64_t>(16));
        read_tokens();
        read_strings();
        read_fields();
        read_paths();
        read_specs();
        std::sort(notes.begin(), notes.end());
        notes.erase(std::unique(notes.begin(), notes.end()), notes.end());
        if (!(codes_a_second > 0 && codes_a_second < 1e6))
            throw CrateBad{0, "timeCodesPerSecond is not between 0 and a million"};
        if (!(metres > 1e-9 && metres < 1e9)) throw CrateBad{0, "metersPerUnit is not between 10⁻⁹ and 10⁹"};
    }

    bool blocked(const UsdRef& ref) const override { return type_of(ref.rep) == CrateType::value_block; }
    Result<std::vector<float>> floats(const UsdRef& ref, std::size_t width) const override {
        return guarded([&] {
            std::vector<float> out = decoded<float>(ref.rep);
            if (out.size() % width != 0)
                throw CrateBad{payload(ref.rep), fmt::format("{} numbers do not make groups of {}", out.size(), width)};
            return out;
        });
    }
    Result<std::vector<double>> numbers(const UsdRef& ref) const override {
        return guarded([&] {
            std::vector<double> out = decoded<double>(ref.rep);
            for (const double v : out) {
                if (!std::isfinite(v)) throw CrateBad{payload(ref.rep), "a number is not finite"};
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
    template <class Read>
    auto guarded(Read&& read) const -> Result<decltype(read())> {
        try {
            return read();
        } catch (const CrateBad& bad) {
            return fail(error_of(bad));
        }
    }

  public:
    Error error_of(const CrateBad& bad) const {
        return Error{bad.code, bad.what}.at(bytes.name()).at_offset(static_cast<std::int64_t>(bad.at));
    }

  private:
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
        if (found == sections_.end()) throw CrateBad{0, fmt::format("the section {} is missing", name)};
        return found->second;
    }
    void read_tokens() {
        std::uint64_t at = section("TOKENS");
        const auto n = next<std::uint64_t>(at), size = next<std::uint64_t>(at), packed = next<std::uint64_t>(at);
        token_bytes_ = told(unpacked_bytes(piece(at, packed), size), at);
        if (n > size) throw CrateBad{at, "there are not as many tokens as is said"};
        tokens_.reserve(n);
        for (std::size_t from = 0; tokens_.size() < n;) {
            const std::size_t end = token_bytes_.find('\0', from);
            if (end == std::string::npos) throw CrateBad{at, "there are not as many tokens as is said"};
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
        if (n > UINT64_MAX / 8) throw CrateBad{at, "there are too many fields"};
        const std::string reps = told(unpacked_bytes(piece(at, size), n * 8), at);
        field_reps_.resize(n);
        std::memcpy(field_reps_.data(), reps.data(), reps.size());
        at = section("FIELDSETS");
        const auto sets = next<std::uint64_t>(at);
        field_sets_ = packed_list(at, sets);
    }

    void read_paths() {
        std::uint64_t at = section("PATHS");
        const std::uint64_t from = at;
        const auto n = next<std::uint64_t>(at), encoded = next<std::uint64_t>(at);
        const auto numbers = packed_list(at, encoded), elements = packed_list(at, encoded),
                   jumps = packed_list(at, encoded);
        if (n > encoded * 4 + 16) throw CrateBad{from, "there are not as many paths as is said"};
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
                if (here >= encoded || ++done > encoded) throw CrateBad{from, "the tree of paths does not close"};
                if (depth > usd_depth) throw CrateBad{from, "prims are nested too deeply", ErrorCode::too_large};
                const auto index = static_cast<std::uint32_t>(numbers[here]);
                if (index >= n || paths_[index].known) throw CrateBad{from, "a path has no number of its own"};
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
        if (above.size() + name.size() > 100'000) throw CrateBad{at, "a path is too long", ErrorCode::too_large};
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
            if (p >= paths_.size() || !paths_[p].known) throw CrateBad{from, "a spec has a path that is not there"};
            std::vector<std::size_t> fields;
            for (auto f = static_cast<std::size_t>(static_cast<std::uint32_t>(sets[i]));; ++f) {
                if (f >= field_sets_.size()) throw CrateBad{from, "a spec's fields do not end"};
                if (field_sets_[f] == -1) break;
                const auto field = static_cast<std::uint32_t>(field_sets_[f]);
                if (field >= field_names_.size()) throw CrateBad{from, "a spec has a field that is not there"};
                fields.push_back(field);
            }
            const Path& path = paths_[p];
            if (types[i] == prim_spec || types[i] == variant_spec || types[i] == layer_spec) {
                if (path.property) throw CrateBad{from, "a prim has the path of a property"};
                prim(add(path.text), fields);
            } else if (types[i] == attribute_spec || types[i] == relationship_spec) {
                if (!path.property || paths_[path.owner].property)
                    throw CrateBad{from, "a property has the path of a prim"};
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
                        throw CrateBad{payload(rep), fmt::format("\"{}\" is no name of a prim", child)};
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
            } else if (name == "inactiveIds" && type_of(rep) == CrateType::int64_list_op) {
                spec.more().inactive_ids = list_op<std::int64_t>(
                    rep, [this](std::uint64_t& at) { return next<std::int64_t>(at); }, 8);
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
            if (all.size() != 1 || !std::isfinite(all[0])) throw CrateBad{0, fmt::format("{} is not a number", name)};
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
                p.targets = path_list(rep);
            } else if (name == "targetPaths") {
                p.targets = path_list(rep);
            } else if (name == "spline") {
                notes.emplace_back(fmt::format("the spline of \"{}\"", called));
            }
        }
    }

    bool own_codes_ = false;
    std::map<std::string, std::uint64_t> sections_;
    std::vector<std::int32_t> field_names_, field_sets_;
    std::vector<std::uint64_t> field_reps_;
};

} // namespace

Result<UsdLayerPtr> read_crate_layer(UsdBytes bytes) {
    auto layer = std::make_shared<UsdCrateLayer>(std::move(bytes));
    try {
        layer->run();
    } catch (const CrateBad& bad) {
        return fail(layer->error_of(bad));
    }
    return UsdLayerPtr(layer);
}

} // namespace garland
