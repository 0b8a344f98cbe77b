// USD as text (Alliance for OpenUSD, "Core Specification", text file format).
#include "io/usd/text_scanner.h"

#include <algorithm>

namespace garland {

namespace {

class UsdTextLayer final : public UsdLayer, private UsdScanner {
  public:
    explicit UsdTextLayer(UsdBytes from) : UsdScanner(from.view()) { bytes = std::move(from); }

    void run() {
        if (!text().starts_with("#usda 1.0"))
            throw UsdTextBad{at_, "this is not USD text: it does not begin with \"#usda 1.0\""};
        UsdSpec& root = add("/");
        skip();
        if (at_ < end_ && *at_ == '(') layer_metadata();
        prims(root);
        if (at_ < end_) throw UsdTextBad{at_, "a closing brace too many"};
        std::sort(notes.begin(), notes.end());
        notes.erase(std::unique(notes.begin(), notes.end()), notes.end());
    }

    bool blocked(const UsdRef& ref) const override { return ref.text == "None"; }
    Result<std::vector<float>> floats(const UsdRef& ref, std::size_t width) const override {
        return told(usd_text_floats(ref.text, width), ref);
    }
    Result<std::vector<double>> numbers(const UsdRef& ref) const override {
        return told(usd_text_numbers(ref.text), ref);
    }
    Result<std::vector<std::int64_t>> wholes(const UsdRef& ref) const override {
        return told(usd_text_wholes(ref.text), ref);
    }
    Result<std::vector<std::string>> words(const UsdRef& ref) const override { return usd_text_words(ref.text); }
    std::optional<std::size_t> count(const UsdRef&) const override { return {}; }

  private:
    std::string_view text() const { return bytes.view(); }
    template <class T>
    Result<T> told(Result<T> value, const UsdRef& ref) const {
        if (value) return value;
        return fail(std::move(value.error()).at(bytes.name()).at_line(usd_line_of(text(), ref.text.data())));
    }

    void layer_metadata() {
        bool frames_said = false;
        metadata([&](std::string_view name, UsdEdit) {
            if (name == "subLayers") {
                list([&] { sublayer(); });
                return;
            }
            const std::string_view v = value();
            if (name == "timeCodesPerSecond") {
                codes_a_second = usd_number_in(v, "timeCodesPerSecond");
                said_codes = true;
            } else if (name == "framesPerSecond" && !said_codes) {
                codes_a_second = usd_number_in(v, "framesPerSecond");
                frames_said = true;
            } else if (name == "metersPerUnit") {
                metres = usd_number_in(v, "metersPerUnit");
                said_metres = true;
            } else if (name == "startTimeCode") {
                start = usd_number_in(v, "startTimeCode");
            } else if (name == "endTimeCode") {
                end = usd_number_in(v, "endTimeCode");
            } else if (name == "upAxis") {
                z_up = v.find('Z') != v.npos;
                said_axis = true;
            } else if (name == "defaultPrim") {
                default_prim = usd_unquoted(v);
            } else if (name == "relocates") {
                notes.emplace_back("moved prims (relocates)");
            }
        });
        said_codes |= frames_said;
        if (!(codes_a_second > 0 && codes_a_second < 1e6))
            throw UsdTextBad{at_, "timeCodesPerSecond is not between 0 and a million"};
        if (!(metres > 1e-9 && metres < 1e9)) throw UsdTextBad{at_, "metersPerUnit is not between 10⁻⁹ and 10⁹"};
    }

    void sublayer() {
        if (peek() != '@') throw UsdTextBad{at_, "a layer's file is missing"};
        Sublayer& layer = sublayers.emplace_back();
        layer.asset = asset();
        if (peek() == '(') offset_of(layer.offset, layer.scale);
    }
    // "(offset = 10; scale = 2)", and what else is said there.
    void offset_of(double& offset, double& scale) {
        expect('(');
        while (peek() != ')') {
            const std::string_view name = typed_name();
            expect('=');
            const std::string_view v = value();
            if (name == "offset") offset = usd_number_in(v, "offset");
            if (name == "scale") scale = usd_number_in(v, "scale");
        }
        ++at_;
        if (!(std::abs(scale) > 1e-9)) throw UsdTextBad{at_, "a layer's scale in time is 0"};
    }
    // The last word before "=": of "dictionary customData" the second one.
    std::string_view typed_name() {
        std::string_view name;
        while (peek() != '=') {
            const std::string_view next = peek() == '"' || peek() == '\'' ? quoted("") : word();
            if (next.empty()) throw UsdTextBad{at_, "a name is missing"};
            name = next;
        }
        return name;
    }
    UsdArc arc() {
        UsdArc out;
        const char first = peek();
        if (first != '@' && first != '<') throw UsdTextBad{at_, "a file or a path is missing"};
        if (first == '@') out.asset = asset();
        if (peek() == '<') out.prim = target();
        if (peek() == '(') offset_of(out.offset, out.scale);
        return out;
    }
    // A path of the list, in the layer's own terms: relative ones stand below the prim they are said of.
    std::string full(std::string_view path, const std::string& of) const {
        if (path.starts_with("/")) return std::string(path);
        std::string_view base = of;
        while (path.starts_with("../")) path.remove_prefix(3), base = usd_parent(base);
        return path.starts_with(".") ? std::string(base) + std::string(path) : usd_child(base, path);
    }
    std::vector<std::string> targets(const std::string& of) {
        std::vector<std::string> out;
        list([&] { out.push_back(full(target(), of)); });
        return out;
    }

    void prim_metadata(UsdSpec& spec) {
        metadata([&](std::string_view name, UsdEdit edit) {
            if (name == "references" || name == "payload") {
                std::vector<UsdArc> arcs;
                list([&] { arcs.push_back(arc()); });
                put_usd_edit(name == "payload" ? spec.more().payloads : spec.more().references, edit, std::move(arcs));
            } else if (name == "inherits" || name == "specializes") {
                put_usd_edit(name == "inherits" ? spec.more().inherits : spec.more().specializes, edit,
                             targets(spec.path));
            } else if (name == "clips") {
                clips(spec);
            } else {
                plain_metadata(spec, name, edit, value());
            }
        });
    }
    void plain_metadata(UsdSpec& spec, std::string_view name, UsdEdit edit, std::string_view v) {
        if (name == "active") {
            spec.more().active = v != "false" && v != "0";
        } else if (name == "instanceable") {
            spec.more().instanceable = v == "true" || v == "1";
        } else if (name == "variantSets") {
            put_usd_edit(spec.more().variant_sets, edit, usd_text_words(v));
        } else if (name == "clipSets") {
            put_usd_edit(spec.more().clip_sets, edit, usd_text_words(v));
        } else if (name == "inactiveIds") {
            auto ids = usd_text_wholes(v);
            if (!ids) throw UsdTextBad{v.data(), "the ids of instances that are not active are no whole numbers"};
            put_usd_edit(spec.more().inactive_ids, edit, std::move(*ids));
        } else if (name == "variants") {
            UsdScannedChoices(v).into(spec.more().choices);
        } else if (name == "relocates") {
            notes.emplace_back("moved prims (relocates)");
        }
    }
    struct UsdScannedChoices : UsdScanner { // { string colour = "red" }
        using UsdScanner::UsdScanner;
        void into(std::map<std::string, std::string>& choices) {
            expect('{');
            while (peek() != '}') {
                std::string_view name;
                while (peek() != '=') {
                    name = peek() == '"' ? quoted("") : word();
                    if (name.empty()) throw UsdTextBad{at_, "the name of a set of variants is missing"};
                }
                ++at_;
                choices[std::string(name)] = quoted("the name of a variant is missing");
            }
        }
    };

    void clips(UsdSpec& spec) {
        expect('{');
        while (peek() != '}') {
            const std::string_view name = typed_name();
            expect('=');
            UsdClipSet set;
            set.name = name;
            clip_set(set);
            spec.more().clips.push_back(std::move(set));
        }
        ++at_;
    }
    void clip_set(UsdClipSet& set) {
        auto pairs = [](std::string_view v, const char* what) {
            const auto all = usd_text_numbers(v);
            if (!all || all->size() % 2 != 0)
                throw UsdTextBad{v.data(), fmt::format("{} of clips are no pairs of numbers", what)};
            std::vector<std::pair<double, double>> out;
            for (std::size_t i = 0; i < all->size(); i += 2) out.emplace_back((*all)[i], (*all)[i + 1]);
            return out;
        };
        auto one = [](std::string_view v) {
            const auto all = usd_text_words(v);
            return all.empty() ? std::string() : all.front();
        };
        expect('{');
        while (peek() != '}') {
            const std::string_view name = typed_name();
            expect('=');
            const std::string_view v = value();
            if (name == "assetPaths") set.assets = usd_text_words(v);
            if (name == "primPath") set.prim = one(v);
            if (name == "manifestAssetPath") set.manifest = one(v);
            if (name == "active") set.active = pairs(v, "active times");
            if (name == "times") set.times = pairs(v, "times");
            if (name == "templateAssetPath") set.pattern = one(v);
            if (name == "templateStartTime") set.first = usd_number_in(v, "templateStartTime");
            if (name == "templateEndTime") set.last = usd_number_in(v, "templateEndTime");
            if (name == "templateStride") set.stride = usd_number_in(v, "templateStride");
            if (name == "templateActiveOffset") set.active_offset = usd_number_in(v, "templateActiveOffset");
            if (name == "interpolateMissingClipValues") set.interpolates_missing = v == "true" || v == "1";
        }
        ++at_;
    }

    // Everything up to the brace that closes the prim, or the end of the file.
    void prims(UsdSpec& parent) {
        if (++depth_ > usd_depth) throw UsdTextBad{at_, "prims are nested too deeply", ErrorCode::too_large};
        while (peek() != '\0' && *at_ != '}') statement(parent);
        --depth_;
    }

    void statement(UsdSpec& parent) {
        const char* from = at_;
        std::string_view first = word();
        if (first == "def") return prim(parent, UsdSpec::def);
        if (first == "over") return prim(parent, UsdSpec::over);
        if (first == "class") return prim(parent, UsdSpec::kind_class);
        if (first == "reorder") {
            const std::string_view what = word();
            expect('=');
            const std::string_view v = value();
            if (what == "nameChildren" || what == "rootPrims") parent.order = usd_text_words(v);
            return;
        }
        if (parent.path == "/" || first.empty())
            throw UsdTextBad{
                from,
                fmt::format("\"{}\" is not expected here",
                            std::string_view(from, std::min<std::size_t>(static_cast<std::size_t>(end_ - from), 12)))};
        if (first == "variantSet") return variant_set(parent);
        property(parent, from, first);
    }

    void variant_set(UsdSpec& parent) {
        const std::string set(quoted("a set of variants has no name"));
        expect('=');
        expect('{');
        while (peek() != '}') {
            if (at_ >= end_) throw UsdTextBad{at_, "a set of variants does not end"};
            const std::string choice(quoted("a variant has no name"));
            parent.more().variants[set].push_back(choice);
            UsdSpec& spec = add(fmt::format("{}{{{}={}}}", parent.path, set, choice));
            if (peek() == '(') prim_metadata(spec);
            expect('{');
            prims(spec);
            expect('}');
        }
        ++at_;
    }

    void property(UsdSpec& spec, const char* from, std::string_view first) {
        UsdEdit edit = UsdEdit::none;
        bool uniform = false;
        for (bool more = true; more;) {
            more = first == "custom" || first == "uniform" || first == "varying" || first == "config";
            if (first == "uniform") uniform = true;
            for (const auto& [said, meant] : {std::pair{"prepend", UsdEdit::prepend},
                                              {"append", UsdEdit::append},
                                              {"add", UsdEdit::append},
                                              {"delete", UsdEdit::remove}}) {
                if (first == said) edit = meant, more = true;
            }
            if (more) first = word();
        }
        std::string_view name = word();
        if (name.empty()) throw UsdTextBad{at_, "an attribute has no name"};
        constexpr std::string_view samples = ".timeSamples", connect = ".connect", spline = ".spline";
        const bool sampled = name.ends_with(samples), connected = name.ends_with(connect),
                   curve = name.ends_with(spline);
        if (sampled) name.remove_suffix(samples.size());
        if (connected) name.remove_suffix(connect.size());
        if (curve) name.remove_suffix(spline.size());
        if (curve) notes.emplace_back(fmt::format("the spline of \"{}\"", name));
        auto& all = spec.properties;
        auto found = std::find_if(all.begin(), all.end(), [&](const UsdProperty& p) { return p.name == name; });
        UsdProperty& p = found != all.end() ? *found : all.emplace_back();
        p.type = first, p.name = name, p.uniform |= uniform, p.where = from;
        const bool relates = first == "rel";
        if (peek() == '=') {
            ++at_;
            if (connected) {
                put_usd_edit(p.targets, edit, targets(spec.path));
                p.connected = true;
            } else if (relates) {
                put_usd_edit(p.targets, edit, targets(spec.path));
            } else if (sampled) {
                p.samples = time_samples(name);
            } else if (curve) {
                value();
            } else {
                p.value = {value(), 0};
                p.has_value = true;
            }
        }
        if (peek() == '(') property_metadata(p);
        if (relates && peek() == '{') value(); // attributes of a target
    }

    void property_metadata(UsdProperty& p) {
        metadata([&](std::string_view name, UsdEdit) {
            const std::string_view v = value();
            if (name == "interpolation") p.interpolation = usd_unquoted(v);
            if (name == "elementSize")
                p.element_size = static_cast<int>(std::clamp(usd_number_in(v, "elementSize"), 0.0, 1e6));
        });
    }

    UsdSamples time_samples(std::string_view name) {
        const char* from = at_;
        std::vector<std::pair<double, std::string_view>> all;
        expect('{');
        while (peek() != '}') {
            if (at_ >= end_) throw UsdTextBad{from, "time samples do not end"};
            const char* start = at_;
            while (at_ < end_ && *at_ != ':' && *at_ != '\n') ++at_;
            std::string_view key(start, static_cast<std::size_t>(at_ - start));
            while (!key.empty() && key.back() == ' ') key.remove_suffix(1);
            const double time = usd_number_in(key, "a sample's time");
            if (std::abs(time) > 1e9) throw UsdTextBad{start, "a sample's time is beyond what can be counted"};
            expect(':');
            all.emplace_back(time, value());
        }
        ++at_;
        const auto later = [](const auto& x, const auto& y) { return x.first < y.first; };
        if (!std::is_sorted(all.begin(), all.end(), later)) std::stable_sort(all.begin(), all.end(), later);
        UsdSamples out;
        auto times = std::make_shared<std::vector<double>>();
        for (std::size_t i = 0; i < all.size(); ++i) {
            if (i > 0 && all[i].first == all[i - 1].first)
                throw UsdTextBad{from,
                                 fmt::format("the time {} comes twice among the samples of {}", all[i].first, name)};
            times->push_back(all[i].first);
            out.texts.push_back(all[i].second);
        }
        out.times = std::move(times);
        return out;
    }

    void prim(UsdSpec& parent, UsdSpec::Kind kind) {
        std::string_view type;
        if (peek() != '"' && peek() != '\'') type = word();
        const char* from = at_;
        const std::string_view name = quoted("a prim has no name");
        if (name.empty() || name.find_first_of("/{}.<>") != name.npos) throw UsdTextBad{from, "a prim's name is none"};
        std::string path = usd_child(parent.path, name);
        if (this->spec(path)) throw UsdTextBad{from, fmt::format("\"{}\" comes twice below one prim", name)};
        UsdSpec& spec = add(std::move(path));
        parent.children.emplace_back(name);
        spec.kind = kind, spec.type = type;
        if (peek() == '(') prim_metadata(spec);
        expect('{');
        prims(spec);
        expect('}');
    }

    int depth_ = 0;
};

} // namespace

Result<UsdLayerPtr> read_text_layer(UsdBytes bytes) {
    const std::string_view text = bytes.view();
    const std::string name = bytes.name();
    auto layer = std::make_shared<UsdTextLayer>(std::move(bytes));
    try {
        layer->run();
    } catch (const UsdTextBad& bad) {
        return fail(Error{bad.code, bad.what}.at(name).at_line(usd_line_of(text, bad.at)));
    }
    return UsdLayerPtr(layer);
}

} // namespace garland
