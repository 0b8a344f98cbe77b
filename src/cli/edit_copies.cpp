#include "cli/edit_copies.h"

#include "cli/edit_words.h"
#include "core/base/numbers.h"
#include "core/project/varying.h"
#include "io/arrangement_json.h"
#include "io/open_project.h"
#include "io/path_file.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <map>
#include <memory>
#include <sstream>

namespace garland {

namespace {

using Given = std::map<std::string, std::vector<std::string>>; // options as written

template <class E, std::size_t N>
Result<E> of(const Word<E> (&words)[N], const std::string& text, const char* what) {
    std::string choices;
    for (const auto& w : words) {
        if (text == w.text) return w.value;
        choices += fmt::format("{}\"{}\"", choices.empty() ? "" : ", ", w.text);
    }
    return wrong(fmt::format("\"{}\" is not {}", text, what), "write one of " + choices);
}

Result<double> real(const std::string& text) {
    const auto v = parse_number(text);
    if (!v) return wrong(fmt::format("\"{}\" is not a number", text));
    return *v;
}
Result<std::int64_t> whole(const std::string& text) {
    GARLAND_TRY(v, real(text));
    if (v != std::floor(v) || std::abs(v) > 9e15) return wrong(fmt::format("\"{}\" is not a usable whole number", text));
    return static_cast<std::int64_t>(v);
}
Result<int> count(const std::string& text) {
    GARLAND_TRY(v, whole(text));
    return static_cast<int>(std::clamp<std::int64_t>(v, -1, 2'000'000'000));
}
Result<std::uint64_t> seed(const std::string& text) {
    GARLAND_TRY(v, whole(text));
    if (v < 0) return wrong(fmt::format("\"{}\" is no seed", text), "seeds are whole numbers from 0 on");
    return static_cast<std::uint64_t>(v);
}

// One option: its name, what it is for, and what it does.
template <class T>
struct Option {
    const char* name;
    const char* help;
    std::function<Result<void>(T&, const Project&, const std::string&)> set;
};

template <class T, class V, class Parse>
Option<T> field(const char* name, const char* help, V T::*member, Parse parse) {
    return {name, help, [member, parse](T& t, const Project&, const std::string& text) -> Result<void> {
                auto v = parse(text);
                if (!v) return tl::unexpected(v.error());
                t.*member = static_cast<V>(*v);
                return {};
            }};
}

Result<SourceId> source_called(const Project& p, const std::string& text) {
    GARLAND_TRY(i, find_named(p.sources, text, "source"));
    return p.sources[i].id;
}

Result<std::vector<TargetKey>> targets_of(const std::string& text) {
    std::vector<TargetKey> out;
    std::istringstream words(text);
    for (std::string one; words >> one;) {
        const auto colon = one.find(':');
        TargetKey key;
        if (colon != one.npos) {
            GARLAND_TRY(at, real(one.substr(0, colon)));
            key.at = OutputFrame(at);
        }
        GARLAND_TRY(v, place(one.substr(colon == one.npos ? 0 : colon + 1)));
        key.place = v;
        out.push_back(key);
    }
    return out;
}

Result<KeyedCurve> curve_of(const std::string& text) {
    if (text == "none") return KeyedCurve{};
    return parse_keys(text, "a curve");
}

const std::vector<Option<Arrangement>>& arrangement_options() {
    using A = Arrangement;
    static const std::vector<Option<A>> all{
        field("name", "What it is called", &A::name, [](const std::string& t) { return Result<std::string>(t); }),
        {"source", "What the copies show", [](A& a, const Project& p, const std::string& t) -> Result<void> { GARLAND_TRY(id, source_called(p, t)); a.source = id; return {}; }},
        {"follow", "The timing the copies follow", [](A& a, const Project& p, const std::string& t) -> Result<void> { GARLAND_TRY(i, find_named(p.timings, t, "timing")); a.timing = p.timings[i].id; return {}; }},
        field("kind", "line, grid, box, ring, rings, curve, scatter or points", &A::kind, [](const std::string& t) { return of(kind_words, t, "a kind of arrangement"); }),
        field("count", "How many copies (rings: on the innermost)", &A::count, count),
        field("columns", "Grid and box: copies in a row", &A::columns, count),
        field("rows", "Grid and box: rows; rings: how many", &A::rows, count),
        field("layers", "Box: layers, upward", &A::layers, count),
        field("spacing", "From one copy to the next", &A::spacing, real),
        field("row-spacing", "From one row, or ring, to the next", &A::row_spacing, real),
        field("layer-spacing", "From one layer to the next", &A::layer_spacing, real),
        field("radius", "Of the ring, or the innermost one", &A::radius, real),
        field("origin", "Where the middle is: x,y,z", &A::origin, place),
        field("heading", "Degrees about the upright", &A::heading, real),
        field("sag", "How far the middle of each swag hangs down", &A::sag, real),
        field("swag", "Copies from one post to the next", &A::swag, count),
        {"path", "Curve: a file with its line (OBJ, glTF, USD text, CSV)", [](A& a, const Project&, const std::string& t) -> Result<void> {
             GARLAND_TRY(path, read_path(t));
             a.kind = ArrangementKind::curve;
             a.path = path.points;
             a.path_closed = path.closed;
             a.path_smooth = path.smooth;
             return {};
         }},
        {"along", "Curve: its points, \"x,y,z x,y,z …\"", [](A& a, const Project&, const std::string& t) -> Result<void> {
             GARLAND_TRY(keys, targets_of(t));
             a.kind = ArrangementKind::curve;
             a.path.clear();
             for (const TargetKey& k : keys) a.path.push_back(k.place);
             return {};
         }},
        field("closed", "Curve: on or off", &A::path_closed, on_off),
        field("smooth", "Curve: smooth through its points, on or off", &A::path_smooth, on_off),
        field("side", "Curve: how far to the right of it", &A::path_side, real),
        {"carrier", "Scatter and points: the source the copies are on", [](A& a, const Project& p, const std::string& t) -> Result<void> { GARLAND_TRY(id, source_called(p, t)); a.carrier = id; return {}; }},
        {"carrier-timing", "Points: the timing of what carries them, or none", [](A& a, const Project& p, const std::string& t) -> Result<void> {
             a.carrier_timing = {};
             if (t == "none") return {};
             GARLAND_TRY(i, find_named(p.timings, t, "timing"));
             a.carrier_timing = p.timings[i].id;
             return {};
         }},
        field("apart", "Scatter: the least distance between copies", &A::least_apart, real),
        field("seed", "Scatter: another seed, other places", &A::seed, seed),
        field("facing", "fixed, along, outward, velocity, target or carrier", &A::facing, [](const std::string& t) { return of(facing_words, t, "a facing"); }),
        {"target", "What copies face: x,y,z, or keys \"1:x,y,z 48:x,y,z\"", [](A& a, const Project&, const std::string& t) -> Result<void> { GARLAND_TRY(keys, targets_of(t)); a.targets = keys; a.facing = Facing::target; return {}; }},
        field("turn", "Of every copy, degrees", &A::turn, real),
        field("size", "Of every copy", &A::size, real),
        field("width", "Along the order, \"0:1 1:2\", or none", &A::width, curve_of),
        field("height", "Along the order, the same", &A::height, curve_of),
        {"jitter", "Places differ by up to x,y,z either way", [](A& a, const Project&, const std::string& t) -> Result<void> { GARLAND_TRY(v, place(t)); a.jitter.position = v; return {}; }},
        {"jitter-turn", "Turns differ by up to so many degrees", [](A& a, const Project&, const std::string& t) -> Result<void> { GARLAND_TRY(v, real(t)); a.jitter.turn = v; return {}; }},
        {"jitter-size", "Sizes differ by up to this share", [](A& a, const Project&, const std::string& t) -> Result<void> { GARLAND_TRY(v, real(t)); a.jitter.size = v; return {}; }},
        {"jitter-seed", "Another seed, other differences", [](A& a, const Project&, const std::string& t) -> Result<void> { GARLAND_TRY(v, seed(t)); a.jitter.seed = v; return {}; }},
        {"order", "along, x, y, z, distance, random or attribute", [](A& a, const Project&, const std::string& t) -> Result<void> { GARLAND_TRY(v, of(order_words, t, "an order")); a.order.by = v; return {}; }},
        {"reversed", "The order the other way, on or off", [](A& a, const Project&, const std::string& t) -> Result<void> { GARLAND_TRY(v, on_off(t)); a.order.reversed = v; return {}; }},
        {"order-from", "Order by distance: from x,y,z", [](A& a, const Project&, const std::string& t) -> Result<void> { GARLAND_TRY(v, place(t)); a.order.from = v; return {}; }},
        {"order-seed", "Order at random: another seed", [](A& a, const Project&, const std::string& t) -> Result<void> { GARLAND_TRY(v, seed(t)); a.order.seed = v; return {}; }},
        {"order-attribute", "Order by attribute: its name", [](A& a, const Project&, const std::string& t) -> Result<void> { a.order.attribute = t; a.order.by = OrderBy::attribute; return {}; }},
        {"own-weight", "Of its own source among the variants", [](A& a, const Project&, const std::string& t) -> Result<void> { GARLAND_TRY(v, real(t)); a.own_weight = v; return {}; }},
        field("in-turn", "Sources one after the other, on, or by weight, off", &A::in_turn, on_off),
        field("variant-seed", "Another seed, other choices of sources", &A::variant_seed, seed),
        field("start", "with the shot, at birth, at a frame, together", &A::start, [](const std::string& t) { return of(start_words, t, "a start"); }),
        {"start-frame", "The output frame of such a start", [](A& a, const Project&, const std::string& t) -> Result<void> { GARLAND_TRY(v, real(t)); a.start_frame = OutputFrame(v); return {}; }},
        field("passes", "How often a repeat plays in all; 0: as the timing says", &A::passes, count),
        field("hidden-until-start", "Copies appear when their motion starts, on or off", &A::hidden_until_start, on_off),
        field("hidden", "The whole arrangement, on or off", &A::hidden, on_off),
    };
    return all;
}

const std::vector<Option<Spread>>& spread_options() {
    using S = Spread;
    static const std::vector<Option<S>> all{
        field("target", "delay, speed, visibility, size, turn, variant or wobble amount", &S::target, [](const std::string& t) { return of(target_words, t, "what a spread can vary"); }),
        field("driver", "chance, \"order, per step\", \"order, in total\", \"order, on a loop\", \"even, by order\", \"even, over space\", noise, gradient, distance or attribute",
              &S::driver, [](const std::string& t) { return of(driver_words, t, "a driver"); }),
        field("from", "The value at the driver's 0", &S::from, real),
        field("to", "The value at the driver's 1; by step: so much more for each copy", &S::to, real),
        field("whole-frames", "Delays: on or off", &S::whole_frames, on_off),
        field("seed", "Another seed, other values", &S::seed, seed),
        field("on", "Whether it counts, on or off", &S::on, on_off),
        {"amount", "How much of it counts: 0 to 1, or keys over output frames \"1:1 96:0\"", [](S& s, const Project&, const std::string& t) -> Result<void> {
             if (const auto v = parse_number(t)) {
                 s.share = *v;
                 s.amount.clear();
                 return {};
             }
             GARLAND_TRY(keys, curve_of(t));
             s.amount = keys;
             return {};
         }},
        {"meets", "Speed: the output frame at which copies agree, or none", [](S& s, const Project&, const std::string& t) -> Result<void> {
             s.meets.reset();
             if (t == "none") return {};
             GARLAND_TRY(v, real(t));
             s.meets = OutputFrame(v);
             return {};
         }},
        field("curve", "From the driver's 0 … 1 to the value's, \"0:0 smooth 1:1\"", &S::curve, curve_of),
        field("after-start", "Nothing before the timing's first frame, on or off", &S::after_start, on_off),
        field("bell", "Chance: most values in the middle, on or off", &S::bell, on_off),
        field("patch", "Noise: how wide a patch is", &S::patch, real),
        field("detail", "Noise: 1 to 8", &S::detail, count),
        field("drift", "Noise: how the pattern moves in a second, x,y,z", &S::drift, place),
        field("axis", "Gradient: its direction, x,y,z", &S::axis, place),
        field("along-path", "Gradient: along the arrangement's path, on or off", &S::along_path, on_off),
        field("centre", "Distance: from x,y,z", &S::centre, place),
        field("reach", "Distance: where it is 1; 0: at the farthest copy", &S::reach, real),
        field("attribute", "Attribute: its name", &S::attribute, [](const std::string& t) { return Result<std::string>(t); }),
        field("as-it-is", "Attribute: its number is the value, on or off", &S::as_it_is, on_off),
        field("changes", "Visibility: how often a second it may change", &S::changes, real),
    };
    return all;
}

template <class T>
Result<std::string> set_given(T& to, const Project& p, const std::vector<Option<T>>& options, const Given& given) {
    std::string words;
    for (const Option<T>& o : options) {
        const auto at = given.find(o.name);
        if (at == given.end()) continue;
        GARLAND_CHECK(o.set(to, p, at->second.back()));
        words += fmt::format("{}{} {}", words.empty() ? "" : ", ", o.name, at->second.back());
    }
    return words;
}

Result<ArrangementId> arrangement_called(const Project& p, const Words& w) {
    GARLAND_TRY(i, find_named(p.arrangements, w.arrangement, "arrangement"));
    return p.arrangements[i].id;
}

// The project at work, for changes that go by numbers or by what copies show.
struct AtWork {
    OpenSources sources;
    std::unique_ptr<PoseCache> cache = std::make_unique<PoseCache>(std::size_t(1) << 30);
    ShowPtr show;
};
Result<std::shared_ptr<AtWork>> at_work(const Project& p, const Words& w) {
    auto out = std::make_shared<AtWork>();
    std::vector<MissingSource> missing;
    GARLAND_CHECK(open_sources(p, w.project, out->sources, missing, Progress::none()));
    GARLAND_CHECK(find_groundwork(p, out->sources, *out->cache));
    out->show = make_show(p, out->sources, *out->cache);
    return out;
}

// "3,5,9:12", counted from 1 over the project: ids of copies of one arrangement.
Result<std::vector<CopyId>> copies_called(const Show& show, ArrangementId arrangement, const std::string& text) {
    std::vector<CopyId> out;
    std::istringstream words(text);
    for (std::string one; std::getline(words, one, ',');) {
        const auto colon = one.find(':');
        GARLAND_TRY(first, whole(one.substr(0, colon)));
        std::int64_t last = first;
        if (colon != one.npos) {
            GARLAND_TRY(to, whole(one.substr(colon + 1)));
            last = to;
        }
        if (last < first || last - first > copy_limit) return wrong(fmt::format("\"{}\" is not a range of copies", one));
        for (std::int64_t n = first; n <= last; ++n) {
            std::size_t i = 0;
            const ArrangementShow* a = show.find(n - 1, i);
            if (!a || a->id != arrangement) return fail(Error{ErrorCode::not_found, fmt::format("there is no copy {} in that arrangement", n)}.advise(fmt::format("the project has {}", counted(show.copies(), "copy", "copies"))));
            out.push_back(a->places[i].id);
        }
    }
    if (out.empty()) return wrong("which copies?", "give --copies, as in 3,5,9:12");
    std::sort(out.begin(), out.end());
    out.erase(std::unique(out.begin(), out.end()), out.end());
    return out;
}

Result<Done> arrange(Project& p, const Words& w, const Given& given, const std::string& add, bool remove) {
    ArrangementId id;
    std::string words;
    if (!add.empty()) {
        if (p.sources.empty()) return wrong("there is no source to arrange yet", "gather one first");
        Arrangement a;
        if (!p.arrangements.empty()) a.source = p.arrangements.front().source, a.timing = p.arrangements.front().timing;
        if (const auto at = given.find("source"); at != given.end()) {
            GARLAND_TRY(source, source_called(p, at->second.back()));
            a.source = source;
            for (const Arrangement& other : p.arrangements) {
                if (other.source == source) a.timing = other.timing;
            }
        }
        a.id = id = ArrangementId(p.next_id++);
        a.name = add;
        p.arrangements.push_back(a);
        words = fmt::format("Add the arrangement \"{}\"", add);
    } else {
        GARLAND_TRY(found, arrangement_called(p, w));
        id = found;
        words = fmt::format("Arrange \"{}\"", p.arrangement(id)->name);
    }
    if (remove) {
        const std::string name = p.arrangement(id)->name;
        remove_arrangement(p, id);
        return Done{fmt::format("Remove the arrangement \"{}\"", name)};
    }
    Arrangement changed = *p.arrangement(id);
    GARLAND_TRY(what, set_given(changed, p, arrangement_options(), given));
    if (const auto at = given.find("variant"); at != given.end()) {
        changed.variants.clear();
        for (const std::string& one : at->second) {
            if (one == "none") continue;
            const auto colon = one.rfind(':');
            GARLAND_TRY(source, source_called(p, one.substr(0, colon)));
            Variant v{source, 1};
            if (colon != one.npos) {
                GARLAND_TRY(weight, real(one.substr(colon + 1)));
                v.weight = weight;
            }
            changed.variants.push_back(v);
        }
        what += what.empty() ? "variants" : ", variants";
    }
    GARLAND_CHECK(validate(changed));
    *p.arrangement(id) = changed;
    if (!what.empty()) words += ": " + what;
    Done done{words};
    if (is_carried(changed.kind)) {
        GARLAND_TRY(work, at_work(p, w));
        for (const ArrangementShow& a : work->show->arrangements) {
            if (a.id != id) continue;
            if (!a.set->problem.empty()) return wrong(a.set->problem);
            done.note = fmt::format("{}{}{}", counted(static_cast<long long>(a.set->places.size()), "copy", "copies"), a.set->note.empty() ? "" : "; ", a.set->note);
        }
    } else {
        done.note = counted(copies_in(changed), "copy", "copies");
    }
    return done;
}

Result<Done> set_spread(Project& p, const Words& w, const Given& given, int number, bool add, bool remove) {
    GARLAND_TRY(id, arrangement_called(p, w));
    Arrangement& a = *p.arrangement(id);
    if (add) {
        Spread s;
        s.id = SpreadId(p.next_id++);
        s.seed = 1 + a.spreads.size();
        a.spreads.push_back(s);
        number = static_cast<int>(a.spreads.size());
    }
    if (number < 1 || static_cast<std::size_t>(number) > a.spreads.size()) {
        return wrong(a.spreads.empty() ? "the arrangement has no spreads" : fmt::format("there is no spread {}: spreads are counted from 1 to {}", number, a.spreads.size()), "give --number, or --add for a new one");
    }
    Spread& s = a.spreads[static_cast<std::size_t>(number) - 1];
    if (remove) {
        a.spreads.erase(a.spreads.begin() + (number - 1));
        return Done{fmt::format("Remove spread {} of \"{}\"", number, a.name)};
    }
    GARLAND_TRY(what, set_given(s, p, spread_options(), given));
    GARLAND_CHECK(validate(s));
    return Done{fmt::format("{} of \"{}\": {}", add ? fmt::format("Add spread {}", number) : fmt::format("Spread {}", number), a.name,
                            what.empty() ? fmt::format("{} by {}", to_text(s.target), to_text(s.driver)) : what)};
}

Result<Done> nudge(Project& p, const Words& w, const std::string& copies, double by, bool clear) {
    GARLAND_TRY(id, arrangement_called(p, w));
    auto& nudges = p.arrangement(id)->nudges;
    if (clear && copies.empty()) {
        nudges.clear();
        return Done{"Clear nudges"};
    }
    GARLAND_TRY(work, at_work(p, w));
    GARLAND_TRY(ids, copies_called(*work->show, id, copies));
    std::map<CopyId, double> all;
    for (const Nudge& n : nudges) all[n.copy] = n.frames;
    for (CopyId c : ids) all[c] = clear ? 0 : all[c] + by;
    nudges.clear();
    for (const auto& [copy, frames] : all) {
        if (frames != 0) nudges.push_back({copy, frames});
    }
    return Done{clear ? "Clear nudges" : fmt::format("Nudge {} {}", counted(static_cast<long long>(ids.size()), "copy", "copies"), delay_words(by))};
}

} // namespace

void add_copy_commands(CLI::App& edit, const std::shared_ptr<Words>& w, const RunChange& run) {
    struct State {
        Given given;
        std::string add, copies, part;
        int number = 0, neighbours = 0;
        bool remove = false, adds = false, clear = false, fractions = false;
        double by = 0, ease = 24, stay = 0, low = 0, high = 0;
    };
    auto state = std::make_shared<State>();
    auto sub_of = [&](const char* name, const char* help) {
        CLI::App* sub = edit.add_subcommand(name, help);
        sub->fallthrough();
        sub->add_option("--arrangement", w->arrangement, "Which arrangement, by name or id; not needed where there is only one");
        return sub;
    };
    auto options = [&](CLI::App* sub, const auto& all) {
        for (const auto& o : all) sub->add_option("--" + std::string(o.name), state->given[o.name], o.help)->expected(1)->allow_extra_args(false);
    };
    auto written = [state] { // without those not given
        std::erase_if(state->given, [](const auto& entry) { return entry.second.empty(); });
        return state;
    };
    CLI::App* a = sub_of("arrange", "Place copies: kinds, counts, facing, order, stretch, variants, starts");
    a->add_option("--add", state->add, "A new arrangement of this name");
    a->add_flag("--remove", state->remove, "Remove it, and what was singled out of it");
    options(a, arrangement_options());
    a->add_option("--variant", state->given["variant"], "A further source and its weight, \"name:2\"; may be given again; none: only its own");
    a->callback([=] { run([=](Project& p) { return arrange(p, *w, written()->given, state->add, state->remove); }); });

    CLI::App* s = sub_of("spread", "Give every copy its own value: add, change or remove a spread");
    s->add_option("--number", state->number, "Which spread of the arrangement, from 1");
    s->add_flag("--add", state->adds, "A new one");
    s->add_flag("--remove", state->remove, "Remove it");
    options(s, spread_options());
    s->callback([=] { run([=](Project& p) { return set_spread(p, *w, written()->given, state->number, state->adds, state->remove); }); });

    CLI::App* n = sub_of("nudge", "Make copies later or earlier by hand");
    n->add_option("--copies", state->copies, "Their numbers over the project, as in 3,5,9:12");
    n->add_option("--by", state->by, "Output frames later; below 0: ahead");
    n->add_flag("--clear", state->clear, "Take nudges back: of these copies, or of all");
    n->callback([=] { run([=](Project& p) { return nudge(p, *w, state->copies, state->by, state->clear); }); });

    CLI::App* m = sub_of("meet", "Let all copies show the same source frame at an output frame");
    m->add_option("--at", w->at, "The output frame");
    m->add_option("--ease", state->ease, "Output frames before and after it")->capture_default_str();
    m->add_option("--stay", state->stay, "Output frames for which they stay together")->capture_default_str();
    m->add_flag("--off", w->off, "Take the meeting out");
    m->callback([=] {
        run([=](Project& p) -> Result<Done> {
            GARLAND_TRY(id, arrangement_called(p, *w));
            GARLAND_TRY(done, w->off ? without_meeting(*p.arrangement(id)) : meet_at(*p.arrangement(id), {OutputFrame(w->at), state->ease, state->stay}));
            *p.arrangement(id) = done.arrangement;
            GARLAND_CHECK(validate(p));
            GARLAND_TRY(work, at_work(p, *w));
            for (const ArrangementShow& show : work->show->arrangements) {
                if (show.id != id || w->off) continue;
                const auto back = backward_by_amounts(show, p.settings.range);
                if (!back) continue;
                if (!done.note.empty()) done.note += "; ";
                done.note += fmt::format("{} backward between output frames {} and {}: an ease of {} frames would be long enough",
                                         counted(back->copies, "copy runs", "copies run"), short_number(back->first.value), short_number(back->last.value),
                                         short_number(back->longer_ease(state->ease)));
            }
            return Done{done.words, done.note};
        });
    });

    CLI::App* t = sub_of("part", "Part twins by the smallest change of their delays");
    t->add_option("--neighbours", state->neighbours, "Only so many nearest copies of each; 0: every pair")->check(CLI::Range(0, 64));
    auto* low = t->add_option("--from", state->low, "Delays stay above this, output frames");
    auto* high = t->add_option("--to", state->high, "Delays stay below this");
    t->add_flag("--fractions", state->fractions, "Delays need not be whole frames");
    t->callback([=] {
        run([=](Project& p) -> Result<Done> {
            GARLAND_TRY(id, arrangement_called(p, *w));
            GARLAND_TRY(work, at_work(p, *w));
            PartOrder order;
            order.neighbours = static_cast<std::size_t>(state->neighbours);
            order.whole_frames = !state->fractions;
            if (low->count()) order.low = state->low;
            if (high->count()) order.high = state->high;
            GARLAND_TRY(done, part_twins(*work->show, p, id, order));
            p.arrangement(id)->nudges = done.nudges;
            return Done{done.words, fmt::format("copies are now at least {} apart", counted_number(done.apart, "output frame", "output frames"))};
        });
    });

    CLI::App* o = sub_of("single-out", "Take copies, or one part of every copy, into an arrangement of its own");
    o->add_option("--copies", state->copies, "Their numbers over the project, as in 3,5,9:12");
    o->add_option("--part", state->part, "A node or piece of the source, by name");
    o->callback([=] {
        run([=](Project& p) -> Result<Done> {
            GARLAND_TRY(id, arrangement_called(p, *w));
            GARLAND_TRY(work, at_work(p, *w));
            std::vector<CopyId> ids;
            if (!state->copies.empty()) {
                GARLAND_TRY(found, copies_called(*work->show, id, state->copies));
                ids = found;
            }
            if (!state->part.empty()) {
                const auto open = work->sources.find(p.arrangement(id)->source);
                if (open != work->sources.end() && parts_called(*open->second.source, state->part).empty()) {
                    return fail(Error{ErrorCode::not_found, fmt::format("the source has no part \"{}\"", state->part)}.advise("garland-cli info names its parts"));
                }
            }
            GARLAND_TRY(made, single_out(p, id, ids, state->part));
            return Done{fmt::format("Single out {}", state->part.empty() ? counted(static_cast<long long>(ids.size()), "copy", "copies") : "\"" + state->part + "\""),
                        fmt::format("the arrangement \"{}\" has the same values and a timing of its own", p.arrangement(made)->name)};
        });
    });

    CLI::App* h = sub_of("hide", "Hide copies, or show them again");
    h->add_option("--copies", state->copies, "Their numbers over the project, as in 3,5,9:12; not needed with --off");
    h->add_flag("--off", w->off, "Show these again, or all");
    h->callback([=] {
        run([=](Project& p) -> Result<Done> {
            GARLAND_TRY(id, arrangement_called(p, *w));
            auto& hidden = p.arrangement(id)->hidden_copies;
            if (w->off && state->copies.empty()) {
                hidden.clear();
                return Done{"Show all copies"};
            }
            GARLAND_TRY(work, at_work(p, *w));
            GARLAND_TRY(ids, copies_called(*work->show, id, state->copies));
            std::vector<CopyId> next;
            if (w->off) {
                std::set_difference(hidden.begin(), hidden.end(), ids.begin(), ids.end(), std::back_inserter(next));
            } else {
                std::set_union(hidden.begin(), hidden.end(), ids.begin(), ids.end(), std::back_inserter(next));
            }
            hidden = next;
            return Done{fmt::format("{} {}", w->off ? "Show" : "Hide", counted(static_cast<long long>(ids.size()), "copy", "copies"))};
        });
    });
}

} // namespace garland
