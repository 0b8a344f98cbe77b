#include "cli/edit_copies.h"

#include "cli/copy_options.h"
#include "cli/edit_words.h"
#include "cli/option_fields.h"
#include "core/base/numbers.h"
#include "core/project/findings.h"
#include "core/project/varying.h"
#include "io/project/open_project.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <map>
#include <memory>
#include <sstream>

namespace garland {

namespace {

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

} // namespace

Result<Done> ignore_finding(Project& p, const Words& w) {
    if (w.remove) {
        GARLAND_CHECK(report_again(p.settings, w.finding));
        return Done{fmt::format("Report again: {}", w.finding)};
    }
    GARLAND_TRY(work, at_work(p, w));
    GARLAND_TRY(report, check(*work->show));
    for (const auto* list : {&report.findings, &report.ignored}) {
        for (const Finding& f : *list) {
            if (f.key != w.finding) continue;
            GARLAND_CHECK(ignore(p.settings, f, w.reason));
            return Done{fmt::format("Ignore: {}", f.words)};
        }
    }
    return fail(Error{ErrorCode::not_found, fmt::format("check finds nothing with the key \"{}\"", w.finding)}.advise(
        "garland-cli check lists what it finds, with keys"));
}

namespace {

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
        if (last < first || last - first > copy_limit)
            return wrong(fmt::format("\"{}\" is not a range of copies", one));
        for (std::int64_t n = first; n <= last; ++n) {
            std::size_t i = 0;
            const ArrangementShow* a = show.find(n - 1, i);
            if (!a || a->id != arrangement)
                return fail(
                    Error{ErrorCode::not_found, fmt::format("there is no copy {} in that arrangement", n)}.advise(
                        fmt::format("the project has {}", counted(show.copies(), "copy", "copies"))));
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
        changed.choice.variants.clear();
        for (const std::string& one : at->second) {
            if (one == "none") continue;
            const auto colon = one.rfind(':');
            GARLAND_TRY(source, source_called(p, one.substr(0, colon)));
            Variant v{source, 1};
            if (colon != one.npos) {
                GARLAND_TRY(weight, real(one.substr(colon + 1)));
                v.weight = weight;
            }
            changed.choice.variants.push_back(v);
        }
        what += what.empty() ? "variants" : ", variants";
    }
    GARLAND_CHECK(validate(changed));
    *p.arrangement(id) = changed;
    if (!what.empty()) words += ": " + what;
    Done done{words};
    if (is_carried(changed.layout.kind)) {
        GARLAND_TRY(work, at_work(p, w));
        for (const ArrangementShow& a : work->show->arrangements) {
            if (a.id != id) continue;
            if (!a.shown.set->problem.empty()) return wrong(a.shown.set->problem);
            done.note = fmt::format("{}{}{}", counted(a.shown.set->places.size(), "copy", "copies"),
                                    a.shown.set->note.empty() ? "" : "; ", a.shown.set->note);
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
        s.by.seed = 1 + a.spreads.size();
        a.spreads.push_back(s);
        number = static_cast<int>(a.spreads.size());
    }
    if (number < 1 || static_cast<std::size_t>(number) > a.spreads.size()) {
        return wrong(a.spreads.empty() ? "the arrangement has no spreads"
                                       : fmt::format("there is no spread {}: spreads are counted from 1 to {}", number,
                                                     a.spreads.size()),
                     "give --number, or --add for a new one");
    }
    Spread& s = a.spreads[static_cast<std::size_t>(number) - 1];
    if (remove) {
        a.spreads.erase(a.spreads.begin() + (number - 1));
        return Done{fmt::format("Remove spread {} of \"{}\"", number, a.name)};
    }
    GARLAND_TRY(what, set_given(s, p, spread_options(), given));
    GARLAND_CHECK(validate(s));
    return Done{fmt::format("{} of \"{}\": {}",
                            add ? fmt::format("Add spread {}", number) : fmt::format("Spread {}", number), a.name,
                            what.empty() ? fmt::format("{} by {}", to_text(s.target), to_text(s.by.kind)) : what)};
}

Result<Done> nudge(Project& p, const Words& w, const std::string& copies, double by, bool clear) {
    GARLAND_TRY(id, arrangement_called(p, w));
    auto& nudges = p.arrangement(id)->by_hand.nudges;
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
    return Done{clear ? "Clear nudges"
                      : fmt::format("Nudge {} {}", counted(ids.size(), "copy", "copies"), delay_words(by))};
}

// What the options of these commands say.
struct CopyState {
    Given given;
    std::string add, copies, part;
    int number = 0, neighbours = 0;
    bool remove = false, adds = false, clear = false, fractions = false;
    double by = 0, ease = 24, stay = 0, low = 0, high = 0;
};

Result<Done> meet(Project& p, const Words& w, const CopyState& state, const std::optional<double>& source_frame) {
    GARLAND_TRY(id, arrangement_called(p, w));
    Done done;
    if (w.off) {
        GARLAND_TRY(without, without_meeting(*p.arrangement(id)));
        *p.arrangement(id) = without.arrangement;
        done = {without.words, without.note};
    } else {
        MeetOrder order{OutputFrame(w.at), state.ease, state.stay, {}};
        if (source_frame) order.source = SourceFrame(*source_frame);
        GARLAND_TRY(met, meet_in(p, id, order));
        done = {met.words, met.note};
    }
    GARLAND_CHECK(validate(p));
    GARLAND_TRY(work, at_work(p, w));
    for (const ArrangementShow& show : work->show->arrangements) {
        if (show.id != id || w.off) continue;
        const auto back = backward_by_amounts(show, p.settings.range);
        if (!back) continue;
        if (!done.note.empty()) done.note += "; ";
        done.note +=
            fmt::format("{} backward between output frames {} and {}: an ease of {} frames would be long enough",
                        counted(back->copies, "copy runs", "copies run"), short_number(back->first.value),
                        short_number(back->last.value), short_number(back->longer_ease(state.ease)));
    }
    return done;
}

Result<Done> part(Project& p, const Words& w, const CopyState& state, bool from_low, bool to_high) {
    GARLAND_TRY(id, arrangement_called(p, w));
    GARLAND_TRY(work, at_work(p, w));
    PartOrder order;
    order.neighbours = static_cast<std::size_t>(state.neighbours);
    order.whole_frames = !state.fractions;
    if (from_low) order.low = state.low;
    if (to_high) order.high = state.high;
    GARLAND_TRY(done, part_twins(*work->show, p, id, order));
    p.arrangement(id)->by_hand.nudges = done.nudges;
    return Done{done.words, fmt::format("copies are now at least {} apart",
                                        counted_number(done.apart, "output frame", "output frames"))};
}

Result<Done> take_out(Project& p, const Words& w, const CopyState& state) {
    GARLAND_TRY(id, arrangement_called(p, w));
    GARLAND_TRY(work, at_work(p, w));
    std::vector<CopyId> ids;
    if (!state.copies.empty()) {
        GARLAND_TRY(found, copies_called(*work->show, id, state.copies));
        ids = found;
    }
    if (!state.part.empty()) {
        const auto open = work->sources.find(p.arrangement(id)->source);
        if (open != work->sources.end() && parts_called(*open->second.source, state.part).empty()) {
            return fail(Error{ErrorCode::not_found, fmt::format("the source has no part \"{}\"", state.part)}.advise(
                "garland-cli info names its parts"));
        }
    }
    GARLAND_TRY(made, single_out(p, id, ids, state.part));
    return Done{
        fmt::format("Single out {}",
                    state.part.empty() ? counted(ids.size(), "copy", "copies") : "\"" + state.part + "\""),
        fmt::format("the arrangement \"{}\" has the same values and a timing of its own", p.arrangement(made)->name)};
}

Result<Done> hide(Project& p, const Words& w, const CopyState& state) {
    GARLAND_TRY(id, arrangement_called(p, w));
    auto& hidden = p.arrangement(id)->hidden_copies;
    if (w.off && state.copies.empty()) {
        hidden.clear();
        return Done{"Show all copies"};
    }
    GARLAND_TRY(work, at_work(p, w));
    GARLAND_TRY(ids, copies_called(*work->show, id, state.copies));
    std::vector<CopyId> next;
    if (w.off) {
        std::set_difference(hidden.begin(), hidden.end(), ids.begin(), ids.end(), std::back_inserter(next));
    } else {
        std::set_union(hidden.begin(), hidden.end(), ids.begin(), ids.end(), std::back_inserter(next));
    }
    hidden = next;
    return Done{fmt::format("{} {}", w.off ? "Show" : "Hide", counted(ids.size(), "copy", "copies"))};
}

} // namespace

void add_copy_commands(CLI::App& edit, const std::shared_ptr<Words>& w, const RunChange& run) {
    auto state = std::make_shared<CopyState>();
    auto sub_of = [&](const char* name, const char* help) {
        CLI::App* sub = edit.add_subcommand(name, help);
        sub->fallthrough();
        sub->add_option("--arrangement", w->arrangement,
                        "Which arrangement, by name or id; not needed where there is only one");
        return sub;
    };
    CLI::App* a = sub_of("arrange", "Place copies: kinds, counts, facing, order, stretch, variants, starts");
    a->add_option("--add", state->add, "A new arrangement of this name");
    a->add_flag("--remove", state->remove, "Remove it, and anything singled out of it");
    add_options(*a, arrangement_options(), state->given);
    a->add_option("--variant", state->given["variant"],
                  "A further source and its weight, \"name:2\"; may be given again; none: only its own");
    a->callback([=] {
        run([=](Project& p) { return arrange(p, *w, only_written(state->given), state->add, state->remove); });
    });

    CLI::App* s = sub_of("spread", "Give every copy its own value: add, change or remove a spread");
    s->add_option("--number", state->number, "Which spread of the arrangement, from 1");
    s->add_flag("--add", state->adds, "A new one");
    s->add_flag("--remove", state->remove, "Remove it");
    add_options(*s, spread_options(), state->given);
    s->callback([=] {
        run([=](Project& p) {
            return set_spread(p, *w, only_written(state->given), state->number, state->adds, state->remove);
        });
    });

    CLI::App* n = sub_of("nudge", "Delay copies by hand, later or earlier");
    n->add_option("--copies", state->copies, "Their numbers over the project, as in 3,5,9:12");
    n->add_option("--frames", state->by, "Output frames later; below 0: ahead");
    n->add_flag("--clear", state->clear, "Remove nudges: of these copies, or of all");
    n->callback([=] { run([=](Project& p) { return nudge(p, *w, state->copies, state->by, state->clear); }); });

    CLI::App* m = sub_of("meet", "Let all copies show the same source frame at an output frame");
    m->add_option("--at", w->at, "The output frame");
    m->add_option("--ease", state->ease, "Output frames before and after it")->capture_default_str();
    m->add_option("--stay", state->stay, "Output frames for which they stay together")->capture_default_str();
    auto* shows =
        m->add_option("--source-frame", w->source_frame,
                      "What they show there: its timing is moved so far. Without it: what it shows by itself");
    m->add_flag("--off", w->off, "Remove the meeting");
    m->callback([=] {
        run([=](Project& p) {
            return meet(p, *w, *state, shows->count() ? std::optional(w->source_frame) : std::nullopt);
        });
    });

    CLI::App* t = sub_of("pull-apart", "Pull twins apart by the smallest change of their delays");
    t->add_option("--neighbours", state->neighbours, "Only so many nearest copies of each; 0: every pair")
        ->check(CLI::Range(0, 64));
    auto* low = t->add_option("--earliest", state->low, "Delays stay above this, output frames");
    auto* high = t->add_option("--latest", state->high, "Delays stay below this");
    t->add_flag("--fractions", state->fractions, "Delays need not be whole frames");
    t->callback([=] { run([=](Project& p) { return part(p, *w, *state, low->count() > 0, high->count() > 0); }); });

    CLI::App* o = sub_of("single-out", "Take copies, or one part of every copy, into an arrangement of its own");
    o->add_option("--copies", state->copies, "Their numbers over the project, as in 3,5,9:12");
    o->add_option("--part", state->part, "A node or piece of the source, by name");
    o->callback([=] { run([=](Project& p) { return take_out(p, *w, *state); }); });

    CLI::App* h = sub_of("hide", "Hide copies, or show them again");
    h->add_option("--copies", state->copies, "Their numbers over the project, as in 3,5,9:12; not needed with --off");
    h->add_flag("--off", w->off, "Show these again, or all");
    h->callback([=] { run([=](Project& p) { return hide(p, *w, *state); }); });
}

} // namespace garland
