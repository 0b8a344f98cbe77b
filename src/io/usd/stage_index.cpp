#include "io/usd/stage_index.h"

#include "io/files/file.h"

#include <algorithm>
#include <fmt/format.h>

namespace garland {

namespace {

constexpr int sublayer_depth = 64;
constexpr std::size_t open_arcs = 64; // arcs that lead into one another

int names_in(std::string_view path) {
    return path.size() <= 1
               ? 0
               : static_cast<int>(std::count_if(path.begin(), path.end(), [](char c) { return c == '/'; }));
}

bool within(std::string_view path, std::string_view of) {
    return of == "/" || path == of || (path.starts_with(of) && path[of.size()] == '/');
}

// A path moved from below one prim to below another.
std::string moved(std::string_view path, std::string_view from, std::string_view to) {
    std::string_view rest = path.substr(from == "/" ? 0 : from.size());
    if (rest == "/") rest = {};
    return to == "/" && !rest.empty() ? std::string(rest) : std::string(to) + std::string(rest);
}

void put_in_order(std::vector<UsdSite>& list) {
    std::stable_sort(list.begin(), list.end(), [](const UsdSite& a, const UsdSite& b) {
        return a.arc != b.arc ? a.arc < b.arc : a.depth > b.depth;
    });
}

void see_strong(const UsdSite& site, const std::function<void(const UsdSite&)>& see,
                std::vector<const UsdSite*>& weakest) {
    see(site);
    for (const UsdSite& s : site.below) {
        if (s.arc == UsdSite::specialize) {
            weakest.push_back(&s);
        } else {
            see_strong(s, see, weakest);
        }
    }
}

} // namespace

void each_usd_site(const UsdSite& site, const std::function<void(const UsdSite&)>& see) {
    std::vector<const UsdSite*> weakest;
    see_strong(site, see, weakest);
    for (std::size_t i = 0; i < weakest.size(); ++i) see_strong(*weakest[i], see, weakest);
}

std::string usd_without_variants(std::string_view path) {
    std::string out;
    bool inside = false;
    for (std::size_t i = 0; i < path.size(); ++i) {
        if (path[i] == '{') inside = true;
        if (!inside) out += path[i];
        if (path[i] != '}') continue;
        inside = false;
        if (i + 1 < path.size() && path[i + 1] != '{' && path[i + 1] != '/' && path[i + 1] != '.') out += '/';
    }
    return out;
}

std::string usd_mapped(const UsdSite& site, std::string_view path) {
    const std::string plain = usd_without_variants(path);
    if (plain.empty()) return plain;
    return within(plain, site.from) ? moved(plain, site.from, site.to) : site.arc == UsdSite::inherit ? plain : "";
}

void UsdIndexer::note(std::string what, std::string instead) {
    if (noted_.insert(what).second) notes_.push_back({std::move(what), std::move(instead)});
}

Result<UsdLayerStackPtr> UsdIndexer::stack_of(const UsdLayerPtr& root) {
    if (const auto known = stacks_.find(root.get()); known != stacks_.end()) return known->second;
    auto stack = std::make_shared<UsdLayerStack>();
    stack->codes_a_second = root->codes_a_second;
    if (!add_sublayers(*stack, root, 0, 1, 0))
        return fail(Error{ErrorCode::too_large, "its layers stand below each other in a circle, or too deeply"}
                        .advise("remove one of the arcs")
                        .at(root->bytes.name()));
    stacks_[root.get()] = stack;
    return UsdLayerStackPtr(stack);
}

bool UsdIndexer::add_sublayers(UsdLayerStack& stack, const UsdLayerPtr& layer, double offset, double scale, int depth) {
    if (depth > sublayer_depth || stack.layers.size() > usd_file_limit) return false;
    stack.layers.push_back({layer, offset, scale});
    for (const std::string& n : layer->notes) note(n + " was passed over", "the rest is shown");
    bool fine = true;
    for (const UsdLayer::Sublayer& s : layer->sublayers) {
        auto next = files_.open_from(*layer, s.asset);
        if (!next) {
            note(fmt::format("the layer below, {}, could not be read: {}", s.asset, describe(next.error())),
                 "what it says is left out");
            continue;
        }
        const double own = s.scale * layer->codes_a_second / (*next)->codes_a_second;
        fine &= add_sublayers(stack, *next, offset + scale * s.offset, scale * own, depth + 1);
    }
    return fine;
}

UsdSite UsdIndexer::root(UsdLayerStackPtr stack) {
    UsdSite out;
    out.stack = std::move(stack);
    out.path = out.from = out.to = "/";
    return out;
}

bool UsdIndexer::speaks(const UsdSite& site) const {
    return std::any_of(site.stack->layers.begin(), site.stack->layers.end(),
                       [&](const UsdLayerStack::Entry& e) { return e.layer->spec(site.path) != nullptr; });
}

UsdSite UsdIndexer::extended(const UsdSite& of, std::string_view name, bool of_instance) {
    UsdSite out = UsdSite{of.arc,    of.stack, usd_child(of.path, name),
                          of.from,   of.to,    of.offset,
                          of.scale,  of.depth, of.id,
                          of.silent, of.keeps, of.heir,
                          {}};
    if (of_instance && of.arc == UsdSite::root) out.silent = true;
    for (const UsdSite& s : of.below) {
        UsdSite next = extended(s, name, false);
        if (!next.below.empty() || next.keeps || speaks(next)) out.below.push_back(std::move(next));
    }
    return out;
}

const UsdSite* UsdIndexer::index(const UsdLayerStackPtr& stack, const std::string& path, bool whole) {
    auto& known = whole ? whole_ : bare_;
    const std::pair<const UsdLayerStack*, std::string> key{stack.get(), path};
    if (const auto at = known.find(key); at != known.end()) return at->second.get();
    if (path == "/" || path.empty())
        return known.emplace(key, std::make_unique<UsdSite>(root(stack))).first->second.get();
    if (std::find(open_.begin(), open_.end(), key) != open_.end() || open_.size() > open_arcs) return nullptr;
    open_.push_back(key);
    std::vector<const UsdSite*> chain;
    std::swap(chain, chain_);
    const UsdSite* parent = index(stack, std::string(usd_parent(path)), true);
    std::unique_ptr<UsdSite> made;
    if (parent) {
        made = std::make_unique<UsdSite>(extended(*parent, usd_name(path), false));
        add_all_arcs(*made, path);
        imply_classes(*made, path);
        if (whole) add_variants(*made, path, false);
    }
    open_.pop_back();
    std::swap(chain, chain_);
    if (!made) return nullptr;
    return known.emplace(key, std::move(made)).first->second.get();
}

UsdSite UsdIndexer::child(const UsdSite& of, const std::string& parent, std::string_view name, bool of_instance) {
    UsdSite out = extended(of, name, of_instance);
    const std::string path = usd_child(parent, name);
    add_all_arcs(out, path);
    imply_classes(out, path);
    add_variants(out, path, true);
    return out;
}

void UsdIndexer::add_all_arcs(UsdSite& site, const std::string& stage_path) {
    const std::size_t before = site.below.size(); // what arcs add below has its own arcs already
    chain_.push_back(&site);
    for (std::size_t i = 0; i < before; ++i) add_all_arcs(site.below[i], stage_path);
    add_arcs(site, stage_path);
    chain_.pop_back();
}

template <class List>
std::vector<UsdIndexer::Said> UsdIndexer::arcs(const UsdSite& site, List&& list) {
    std::vector<Said> out;
    for (std::size_t i = site.stack->layers.size(); i-- > 0;) {
        const UsdLayerStack::Entry& entry = site.stack->layers[i];
        const UsdSpec* spec = entry.layer->spec(site.path);
        if (!spec || !spec->about) continue;
        const auto& said = list(*spec->about);
        auto wrap = [&](const auto& from) {
            std::vector<Said> to;
            for (const auto& one : from) {
                if constexpr (std::is_same_v<std::decay_t<decltype(one)>, std::string>) {
                    to.push_back({UsdArc{{}, usd_without_variants(one)}, &entry});
                } else {
                    to.push_back({one, &entry});
                }
            }
            return to;
        };
        const UsdList<Said> edits{said.replaces, wrap(said.items), wrap(said.prepended), wrap(said.appended),
                                  wrap(said.deleted)};
        edits.apply(out);
    }
    return out;
}

void UsdIndexer::add_arcs(UsdSite& site, const std::string& stage_path) {
    if (site.silent || !speaks(site)) return;
    using About = UsdSpec::About;
    for (const Said& s : arcs(
             site, [](const About& a) -> auto& { return a.inherits; }))
        follow(site, UsdSite::inherit, s, stage_path);
    for (const Said& s : arcs(
             site, [](const About& a) -> auto& { return a.references; }))
        follow(site, UsdSite::reference, s, stage_path);
    for (const Said& s : arcs(
             site, [](const About& a) -> auto& { return a.payloads; }))
        follow(site, UsdSite::payload, s, stage_path);
    for (const Said& s : arcs(
             site, [](const About& a) -> auto& { return a.specializes; }))
        follow(site, UsdSite::specialize, s, stage_path);
    put_in_order(site.below);
}

void UsdIndexer::follow(UsdSite& site, UsdSite::Arc arc, const Said& said, const std::string& stage_path) {
    UsdLayerStackPtr stack = site.stack;
    double offset = said.arc.offset, scale = said.arc.scale;
    std::string path = usd_without_variants(said.arc.prim);
    if (!said.arc.asset.empty()) {
        auto layer = files_.open_from(*said.entry->layer, said.arc.asset);
        if (!layer) {
            note(fmt::format("{}, which \"{}\" refers to, could not be read: {}", said.arc.asset, usd_name(stage_path),
                             describe(layer.error())),
                 "what it holds is left out");
            return;
        }
        auto other = stack_of(*layer);
        if (!other) return note(describe(other.error()), "what it holds is left out");
        stack = *other;
        scale *= site.stack->codes_a_second / stack->codes_a_second;
    }
    if (path.empty()) {
        const std::string& usual = stack->root().default_prim;
        if (usual.empty())
            return note(fmt::format("{} names no default prim, and \"{}\" refers to that", stack->root().bytes.name(),
                                    usd_name(stage_path)),
                        "what it holds is left out");
        path = usual.starts_with("/") ? usual : "/" + usual;
    }
    offset = said.entry->offset + said.entry->scale * offset;
    attach(site, arc, stack, path, offset, said.entry->scale * scale, stage_path);
}

void UsdIndexer::attach(UsdSite& to, UsdSite::Arc arc, const UsdLayerStackPtr& stack, const std::string& path,
                        double offset, double scale, const std::string& stage_path) {
    const bool points = arc == UsdSite::reference || arc == UsdSite::payload;
    // What a prim refers to must not hold that prim, nor the other way round, all along the way here.
    const bool circle = std::any_of(chain_.begin(), chain_.end(), [&](const UsdSite* s) {
        const std::string own = usd_without_variants(s->path);
        return s->stack == stack && (within(own, path) || (points && within(path, own)));
    });
    const UsdSite* sub = circle ? nullptr : index(stack, path, false);
    if (!sub) {
        note(fmt::format("\"{}\" refers to {} in a circle", usd_name(stage_path), path), "that is passed over");
        return;
    }
    if (!speaks(*sub) && sub->below.empty()) {
        if (points)
            note(fmt::format("there is no {} in {}, which \"{}\" refers to", path, stack->root().bytes.name(),
                             usd_name(stage_path)),
                 "it is left out");
        return;
    }
    for (const UsdSite& known : to.below) {
        if (!points && known.arc == arc && known.stack == stack && (known.path == path || known.from == path)) return;
    }
    UsdSite copy = *sub;
    const double all_offset = to.offset + to.scale * offset, all_scale = to.scale * scale;
    const std::function<void(UsdSite&)> move = [&](UsdSite& s) {
        if (within(s.to, path)) s.to = moved(s.to, path, stage_path);
        s.offset = all_offset + all_scale * s.offset, s.scale *= all_scale;
        s.id = next_id_++;
        s.heir |= arc == UsdSite::inherit || arc == UsdSite::specialize;
        for (UsdSite& b : s.below) move(b);
    };
    copy.arc = arc, copy.from = copy.to = path, copy.depth = names_in(stage_path);
    move(copy);
    to.below.push_back(std::move(copy));
}

// A class that is inherited in what was referred to can be overridden where the reference stands: under the same name,
// or, if it lies within what was referred to, where that went.
void UsdIndexer::imply_classes(UsdSite& site, const std::string& stage_path) {
    std::vector<std::pair<UsdSite::Arc, std::string>> classes;
    const std::string here = usd_without_variants(site.path);
    for (UsdSite& b : site.below) {
        imply_classes(b, stage_path);
        const std::string there = usd_without_variants(b.path);
        if (!within(there, b.from)) continue;
        const std::size_t below = there.size() - (b.from == "/" ? 0 : b.from.size());
        if (below > here.size()) continue;
        const std::string prefix = here.substr(0, here.size() - below);
        for (const UsdSite& c : b.below) {
            if ((c.arc != UsdSite::inherit && c.arc != UsdSite::specialize) || c.stack != b.stack) continue;
            const std::string name = usd_without_variants(c.from),
                              ours = within(name, b.from) ? moved(name, b.from, prefix) : name;
            if (site.stack != b.stack || ours != name) classes.emplace_back(c.arc, ours);
        }
    }
    for (const auto& [kind, name] : classes) attach(site, kind, site.stack, name, 0, 1, stage_path);
    if (!classes.empty()) put_in_order(site.below);
}

void UsdIndexer::add_variants(UsdSite& whole, const std::string& stage_path, bool of_stage) {
    std::set<std::pair<int, std::string>> done;
    std::map<std::string, UsdVariants> seen;
    std::vector<std::string> order;
    for (bool more = true; more;) {
        more = false;
        std::vector<UsdSite*> sites;
        each_usd_site(whole, [&](const UsdSite& s) { sites.push_back(const_cast<UsdSite*>(&s)); });
        auto choice = [&](const std::string& set) {
            if (of_stage) {
                if (const auto own = choices_.find(stage_path + "{" + set + "}"); own != choices_.end())
                    return own->second;
            }
            for (const UsdSite* s : sites) {
                for (const auto& e : s->stack->layers) {
                    const UsdSpec* spec = s->silent ? nullptr : e.layer->spec(s->path);
                    if (!spec || !spec->about) continue;
                    if (const auto said = spec->about->choices.find(set); said != spec->about->choices.end())
                        return said->second;
                }
            }
            return std::string();
        };
        for (UsdSite* s : sites) {
            std::set<std::string> sets;
            for (const auto& e : s->stack->layers) {
                const UsdSpec* spec = e.layer->spec(s->path);
                if (!spec || !spec->about) continue;
                for (const auto& [set, choices] : spec->about->variants) {
                    sets.insert(set);
                    UsdVariants& v = seen[set];
                    if (v.set.empty()) v = {stage_path, set, {}, {}}, order.push_back(set);
                    for (const std::string& c : choices) {
                        if (std::find(v.choices.begin(), v.choices.end(), c) == v.choices.end()) v.choices.push_back(c);
                    }
                }
            }
            for (const std::string& set : sets) {
                if (!done.insert({s->id, s->path + "{" + set}).second) continue;
                const std::string chosen = choice(set);
                seen[set].chosen = chosen;
                UsdSite inside{UsdSite::variant,
                               s->stack,
                               fmt::format("{}{{{}={}}}", s->path, set, chosen),
                               s->from,
                               s->to,
                               s->offset,
                               s->scale,
                               names_in(stage_path),
                               next_id_++};
                if (chosen.empty() || !speaks(inside)) continue;
                chain_.push_back(&whole);
                chain_.push_back(&inside);
                add_arcs(inside, stage_path);
                chain_.resize(chain_.size() - 2);
                s->below.push_back(std::move(inside));
                put_in_order(s->below);
                more = true;
                break;
            }
            if (more) break; // the list of sites is another one now
        }
    }
    if (!done.empty()) imply_classes(whole, stage_path);
    if (!of_stage) return;
    for (const std::string& set : order) variants_.push_back(seen[set]);
}

} // namespace garland
