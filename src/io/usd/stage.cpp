#include "io/usd/stage.h"

#include "io/files/file.h"
#include "io/usd/stage_clips.h"
#include "io/usd/stage_index.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace garland {

namespace {

constexpr std::size_t prim_limit = 5'000'000;

struct Opinion { // a spec, with whose time it counts
    const UsdSpec* spec;
    const UsdSite* site;
    UsdLayerPtr layer;
    std::size_t rank; // of its layer in the stack
    double offset, scale;
};

class StageBuilder {
  public:
    StageBuilder(UsdStage& out, const UsdChoices& choices)
        : out_(out), indexer_(files_, choices, out.notes, out.variants) {}

    Result<void> run(const std::string& path) {
        GARLAND_TRY(root, files_.open(path));
        out_.root = root;
        GARLAND_TRY(stack, indexer_.stack_of(root));
        const UsdSite site = indexer_.root(stack);
        GARLAND_CHECK(children(site, "/", -1, true, false, {}));
        units();
        out_.mapped = files_.mapped();
        out_.layers = files_.layers();
        out_.files = files_.paths();
        for (std::size_t i = 0; i < out_.prims.size(); ++i) {
            UsdPrim& p = out_.prims[i];
            out_.by_path.emplace(p.path, static_cast<int>(i));
            if (p.parent >= 0) out_.prims[static_cast<std::size_t>(p.parent)].children.push_back(static_cast<int>(i));
        }
        return {};
    }

  private:
    static std::vector<Opinion> opinions(const UsdSite& site) {
        std::vector<Opinion> out;
        each_usd_site(site, [&](const UsdSite& s) {
            if (s.silent) return;
            for (std::size_t i = 0; i < s.stack->layers.size(); ++i) {
                const UsdLayerStack::Entry& e = s.stack->layers[i];
                if (const UsdSpec* spec = e.layer->spec(s.path))
                    out.push_back({spec, &s, e.layer, i, s.offset + s.scale * e.offset, s.scale * e.scale});
            }
        });
        return out;
    }

    Result<void> children(const UsdSite& site, const std::string& path, int parent, bool drawn, bool instance,
                          const UsdClipBindings& clips) {
        if (depth_ > usd_depth) {
            indexer_.note("prims are nested too deeply inside each other", "those further down are left out");
            return {};
        }
        ++depth_;
        auto done = children_of(site, path, parent, drawn, instance, clips);
        --depth_;
        return done;
    }
    Result<void> children_of(const UsdSite& site, const std::string& path, int parent, bool drawn, bool instance,
                             const UsdClipBindings& clips) {
        std::vector<std::string> names;
        std::set<std::string> known;
        const std::vector<Opinion> said = opinions(site);
        for (std::size_t i = said.size(); i-- > 0;) { // the weakest first
            for (const std::string& name : said[i].spec->children) {
                if (known.insert(name).second) names.push_back(name);
            }
            reorder(names, said[i].spec->order);
        }
        for (const std::string& name : names) {
            UsdSite below = indexer_.child(site, path, name, instance);
            GARLAND_CHECK(prim(below, usd_child(path, name), name, parent, drawn, clips));
        }
        return {};
    }
    // Names of the order that are there, each followed by those that stood behind it.
    static void reorder(std::vector<std::string>& names, const std::vector<std::string>& order) {
        if (order.empty()) return;
        std::vector<std::string> head, out;
        std::map<std::string, std::vector<std::string>> groups;
        std::string* current = nullptr;
        std::string name;
        for (const std::string& n : names) {
            if (std::find(order.begin(), order.end(), n) != order.end()) {
                name = n, current = &name;
                groups[n].push_back(n);
            } else {
                (current ? groups[name] : head).push_back(n);
            }
        }
        out = head;
        for (const std::string& n : order) {
            auto& group = groups[n];
            out.insert(out.end(), group.begin(), group.end());
            group.clear();
        }
        names = std::move(out);
    }

    Result<void> prim(UsdSite& site, const std::string& path, const std::string& name, int parent, bool drawn,
                      UsdClipBindings clips) {
        if (out_.prims.size() >= prim_limit)
            return fail(Error{ErrorCode::too_large, fmt::format("it has more than {} prims", prim_limit)}
                            .advise("write it with fewer prims, as point instancers")
                            .at(out_.path));
        const std::vector<Opinion> said = opinions(site);
        std::optional<bool> active, instance;
        std::optional<UsdSpec::Kind> kind;
        UsdPrim p;
        for (const Opinion& o : said) {
            // A class that is inherited does not make its heirs one.
            const bool says = o.spec->kind == UsdSpec::def || (o.spec->kind == UsdSpec::kind_class && !o.site->heir);
            if (says && !kind && !o.spec->path.ends_with("}")) kind = o.spec->kind;
            if (p.type.empty()) p.type = o.spec->type;
            if (!o.spec->about) continue;
            if (!active) active = o.spec->about->active;
            if (!instance) instance = o.spec->about->instanceable;
        }
        if (!active.value_or(true)) {
            indexer_.note(fmt::format("\"{}\" is not active", name), "it is left out, as the file says");
            return {};
        }
        p.name = name, p.path = path, p.parent = parent;
        p.drawn = drawn && kind == UsdSpec::def;
        for (const Opinion& o : said) {
            if (!o.spec->about || o.spec->about->clips.empty()) continue;
            keep(site, o.site->id);
            bind(clips, o, path);
        }
        attributes(p, said, clips);
        for (std::size_t i = said.size(); i-- > 0;) { // the weakest first
            if (said[i].spec->about && !said[i].spec->about->inactive_ids.empty())
                said[i].spec->about->inactive_ids.apply(p.inactive);
        }
        std::sort(p.inactive.begin(), p.inactive.end());
        const int index = static_cast<int>(out_.prims.size());
        const bool below_drawn = p.drawn;
        out_.prims.push_back(std::move(p));
        return children(site, path, index, below_drawn, instance.value_or(false) && !site.below.empty(), clips);
    }
    static void keep(UsdSite& site, int id) {
        if (site.id == id) site.keeps = true;
        for (UsdSite& s : site.below) keep(s, id);
    }

    void bind(UsdClipBindings& clips, const Opinion& o, const std::string& path) {
        for (const UsdClipSet& set : o.spec->about->clips) {
            UsdClipBinding b;
            b.prim = path, b.site = o.site->id, b.rank = o.rank;
            std::string wrong;
            b.clips = open_clips(files_, *o.layer, set, o.offset, o.scale, wrong);
            if (!wrong.empty()) indexer_.note(wrong, "values from that clip are left out");
            if (b.clips) clips.push_back(std::move(b));
        }
    }

    void attributes(UsdPrim& p, const std::vector<Opinion>& said, const UsdClipBindings& clips) {
        std::unordered_map<std::string_view, std::size_t> at;
        std::map<std::string_view, std::vector<std::string>> targets;
        for (const Opinion& o : said) {
            for (const UsdProperty& q : o.spec->properties) {
                if (q.type == "rel") {
                    targets.try_emplace(q.name);
                    continue;
                }
                const auto [known, fresh] = at.try_emplace(q.name, p.attributes.size());
                if (fresh) {
                    UsdAttribute& a = p.attributes.emplace_back();
                    a.name = q.name, a.element_size = 0;
                }
                UsdAttribute& a = p.attributes[known->second];
                if (a.type.empty()) a.type = q.type;
                if (a.interpolation.empty()) a.interpolation = q.interpolation;
                if (a.element_size == 0) a.element_size = q.element_size;
                a.connected |= q.connected;
                if (q.connected) targets.try_emplace(q.name);
            }
        }
        // In one order, whatever the form of the file.
        std::sort(p.attributes.begin(), p.attributes.end(),
                  [](const auto& a, const auto& b) { return a.name < b.name; });
        for (UsdAttribute& a : p.attributes) {
            resolve(p, a, said, clips);
            a.element_size = std::max(a.element_size, 1);
        }
        for (auto& [name, list] : targets) {
            for (std::size_t i = said.size(); i-- > 0;) {
                const UsdProperty* q = said[i].spec->find(name);
                if (!q) continue;
                auto mapped = [&](const std::vector<std::string>& from) {
                    std::vector<std::string> to;
                    for (const std::string& t : from) {
                        const std::size_t choice = t.rfind('}'); // may have a dot in it
                        const std::size_t end = std::min(t.find('.', choice == t.npos ? 0 : choice), t.size());
                        std::string prim = usd_mapped(*said[i].site, std::string_view(t).substr(0, end));
                        to.push_back(prim.empty() ? prim : prim + t.substr(end));
                    }
                    return to;
                };
                UsdList<std::string>{q->targets.replaces, mapped(q->targets.items), mapped(q->targets.prepended),
                                     mapped(q->targets.appended), mapped(q->targets.deleted)}
                    .apply(list);
            }
            std::erase(list, std::string());
            const bool connects = at.count(name) > 0;
            (connects ? p.connections : p.relationships).emplace_back(name, std::move(list));
        }
    }

    // The strongest opinion that has a value: samples before a default in one spec, a layer's clips after both.
    static void resolve(const UsdPrim& p, UsdAttribute& a, const std::vector<Opinion>& said,
                        const UsdClipBindings& clips) {
        std::vector<const UsdClipBinding*> open;
        for (const UsdClipBinding& b : clips) {
            if (b.has(p.path, a.name)) open.push_back(&b);
        }
        for (std::size_t i = 0; i <= said.size(); ++i) {
            for (const UsdClipBinding* b : open) {
                const auto theirs =
                    std::find_if(said.begin(), said.end(), [&](const Opinion& o) { return o.site->id == b->site; });
                // Their place: behind the opinions of their site's layers up to their own.
                std::size_t place = theirs == said.end() ? 0 : static_cast<std::size_t>(theirs - said.begin());
                while (place < said.size() && said[place].site->id == b->site && said[place].rank <= b->rank) ++place;
                if (place != i) continue;
                if (auto values = b->values(p.path, a.name)) {
                    a.clips = std::move(values);
                    return;
                }
            }
            if (i == said.size()) return;
            const UsdProperty* q = said[i].spec->find(a.name);
            if (!q || (q->samples.empty() && !q->has_value)) continue;
            a.offset = said[i].offset, a.scale = said[i].scale;
            if (q->samples.empty() && said[i].layer->blocked(q->value)) return; // None: there is no value
            a.layer = said[i].layer.get(), a.property = q;
            return;
        }
    }

    // The standard leaves units and axes of referenced layers to whoever puts them together.
    void units() {
        const UsdLayer& root = *out_.root;
        for (const UsdLayerPtr& l : files_.layers()) {
            if (l->said_metres && std::abs(l->metres / root.metres - 1) > 1e-9)
                indexer_.note(fmt::format("{} counts in {} m, the file itself in {} m", file_name(l->bytes.name()),
                                          l->metres, root.metres),
                              "its numbers are taken as they are, as the format says");
            if (l->said_axis && l->z_up != root.z_up)
                indexer_.note(fmt::format("{} has another axis up than the file itself", file_name(l->bytes.name())),
                              "its points are taken as they are, as the format says");
        }
    }

    UsdStage& out_;
    UsdFiles files_;
    UsdIndexer indexer_;
    int depth_ = 0;
};

std::size_t bracket(const std::vector<double>& times, double time) { // the last one not above it; 0 before the first
    const auto after = std::upper_bound(times.begin(), times.end(), time);
    return after == times.begin() ? 0 : static_cast<std::size_t>(after - times.begin()) - 1;
}

UsdAttribute::At sampled(const UsdLayer& layer, const UsdSamples& samples, double time, bool interpolates) {
    const std::vector<double>& times = *samples.times;
    const std::size_t i = bracket(times, time);
    UsdAttribute::At out{&layer, samples.ref(i), {}, 0};
    if (layer.blocked(out.a)) return {};
    if (!interpolates || time <= times[i] || i + 1 == times.size()) return out;
    out.b = samples.ref(i + 1);
    if (layer.blocked(out.b)) return {&layer, out.a, {}, 0};
    out.weight = (time - times[i]) / (times[i + 1] - times[i]);
    return out;
}

} // namespace

bool UsdAttribute::interpolates() const {
    const std::string_view base = type.substr(0, type.find('['));
    return base != "string" && base != "token" && base != "asset" && base != "bool" && base != "uchar" &&
           !base.starts_with("int") && !base.starts_with("uint");
}

bool UsdAttribute::has_samples() const {
    return clips || (property && !property->samples.empty());
}

bool UsdAttribute::moves() const {
    return clips || (property && property->samples.size() > 1);
}

std::vector<double> UsdAttribute::sample_times() const {
    if (clips) return clips->sample_times;
    std::vector<double> out;
    if (!property || property->samples.empty()) return out;
    for (const double t : *property->samples.times) out.push_back(offset + scale * t);
    if (scale < 0) std::reverse(out.begin(), out.end());
    return out;
}

UsdAttribute::At UsdAttribute::at(double time) const {
    if (clips) {
        const std::size_t f = clips->file_at(time);
        if (f >= clips->files.size() || !clips->files[f].property) return {};
        const auto& [file, q] = clips->files[f];
        if (q->samples.empty()) return file->blocked(q->value) ? At() : At{file.get(), q->value, {}, 0};
        return sampled(*file, q->samples, clips->clip_time(time), interpolates());
    }
    if (!property) return {};
    if (property->samples.empty()) return {layer, property->value, {}, 0};
    return sampled(*layer, property->samples, (time - offset) / scale, interpolates());
}

const UsdAttribute* UsdPrim::find(std::string_view wanted) const {
    for (const UsdAttribute& a : attributes) {
        if (a.name == wanted) return a.property || a.clips ? &a : nullptr;
    }
    return nullptr;
}

const std::vector<std::string>* UsdPrim::targets(std::string_view wanted) const {
    for (const auto& [name_of, list] : relationships) {
        if (name_of == wanted) return &list;
    }
    return nullptr;
}

const std::vector<std::string>* UsdPrim::connected_to(std::string_view wanted) const {
    for (const auto& [name_of, list] : connections) {
        if (name_of == wanted && !list.empty()) return &list;
    }
    return nullptr;
}

int UsdStage::prim_at(std::string_view wanted) const {
    const auto at = by_path.find(wanted);
    return at == by_path.end() ? -1 : at->second;
}

Result<void> UsdStage::unchanged() const {
    for (const auto& file : mapped) GARLAND_CHECK(file->unchanged());
    return {};
}

Result<std::shared_ptr<const UsdStage>> open_usd_stage(const std::string& path, const UsdChoices& choices) {
    auto stage = std::make_shared<UsdStage>();
    stage->path = path;
    GARLAND_CHECK(StageBuilder(*stage, choices).run(path));
    GARLAND_CHECK(stage->unchanged());
    return std::shared_ptr<const UsdStage>(stage);
}

} // namespace garland
