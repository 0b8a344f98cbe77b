#include "core/project/timings.h"

#include "core/base/numbers.h"

#include <algorithm>
#include <fmt/format.h>

#include <cmath>

namespace garland {

namespace {
tl::unexpected<Error> no_timing(TimingId id) {
    return fail(Error{ErrorCode::not_found, fmt::format("there is no timing with the id {}", id.value)}.advise(
        "choose one that is in the project"));
}
tl::unexpected<Error> no_arrangement(ArrangementId id) {
    return fail(Error{ErrorCode::not_found, fmt::format("there is no arrangement with the id {}", id.value)}.advise(
        "choose one that is in the project"));
}
bool name_taken(const Project& project, const std::string& name) {
    return std::any_of(project.timings.begin(), project.timings.end(), [&](const Timing& t) { return t.name == name; });
}
} // namespace

std::vector<ArrangementId> users_of(const Project& project, TimingId timing) {
    std::vector<ArrangementId> users;
    for (const Arrangement& a : project.arrangements) {
        if (a.timing == timing) users.push_back(a.id);
    }
    return users;
}

Result<void> share_timing(Project& project, ArrangementId arrangement, TimingId timing) {
    if (!project.timing(timing)) return no_timing(timing);
    Arrangement* a = project.arrangement(arrangement);
    if (!a) return no_arrangement(arrangement);
    a->timing = timing;
    return {};
}

Result<TimingId> separate_timing(Project& project, ArrangementId arrangement) {
    Arrangement* a = project.arrangement(arrangement);
    if (!a) return no_arrangement(arrangement);
    if (users_of(project, a->timing).size() < 2) {
        return fail(Error{ErrorCode::invalid, fmt::format("\"{}\" already has its timing to itself", a->name)}.advise(
            "there is nothing to do"));
    }
    Timing own = *project.timing(a->timing);
    own.id = TimingId(project.next_id++);
    std::string name = a->name;
    for (int n = 2; name_taken(project, name); ++n) name = fmt::format("{} {}", a->name, n);
    own.name = name;
    a->timing = own.id;
    project.timings.push_back(std::move(own));
    return a->timing;
}

Result<void> rename_timing(Project& project, TimingId timing, const std::string& name) {
    Timing* t = project.timing(timing);
    if (!t) return no_timing(timing);
    if (name.find_first_not_of(" \t\n") == name.npos)
        return fail(Error{ErrorCode::invalid, "a timing needs a name"}.advise("give it one"));
    t->name = name;
    return {};
}

Result<void> remove_timing(Project& project, TimingId timing) {
    const Timing* t = project.timing(timing);
    if (!t) return no_timing(timing);
    if (const auto users = users_of(project, timing); !users.empty()) {
        return fail(Error{ErrorCode::invalid, fmt::format("the timing \"{}\" is in use by \"{}\"", t->name,
                                                          project.arrangement(users.front())->name)}
                        .advise("let its users follow another timing first"));
    }
    for (const Arrangement& a : project.arrangements) {
        if (a.layout.carried.timing != timing) continue;
        return fail(
            Error{ErrorCode::invalid, fmt::format("the timing \"{}\" moves what carries \"{}\"", t->name, a.name)}
                .advise("let its carrier follow another timing first"));
    }
    std::erase_if(project.timings, [&](const Timing& each) { return each.id == timing; });
    return {};
}

Followed follow_source(Project& p, SourceId source, const SourceClock& before, const SourceClock& now) {
    Followed out;
    if (before == now || p.source(source)->closing) return out;
    for (const Arrangement& a : p.arrangements) {
        const auto known = [&](const std::vector<TimingId>& list) {
            return std::find(list.begin(), list.end(), a.timing) != list.end();
        };
        if (a.source != source || known(out.moved) || known(out.kept)) continue;
        Timing& t = *p.timing(a.timing);
        const bool untouched = t.form == TimingForm::positions && !t.slider && !t.map.keys.empty() &&
                               t.map == plain_map(t.map.first(), before.first, before.last());
        if (untouched) {
            t.map = plain_map(t.map.first(), now.first, now.last());
            out.moved.push_back(a.timing);
            continue;
        }
        const SourceSpan span = source_span(t);
        if (span.low < now.first || span.high > now.last() || frames_never_shown(t, now) > 0)
            out.kept.push_back(a.timing);
    }
    return out;
}

std::string Followed::words(const Project& p, const SourceClock& now) const {
    std::string text;
    for (TimingId id : moved)
        text += fmt::format("{}the timing \"{}\" plays frames {} to {} now", text.empty() ? "" : "; ",
                            p.timing(id)->name, short_number(now.first.value), short_number(now.last().value));
    for (TimingId id : kept) {
        const SourceSpan span = source_span(*p.timing(id));
        text +=
            fmt::format("{}the timing \"{}\" was changed by hand and stays: it plays frames {} to {} of {} to {}",
                        text.empty() ? "" : "; ", p.timing(id)->name, short_number(span.low.value),
                        short_number(span.high.value), short_number(now.first.value), short_number(now.last().value));
    }
    return text;
}

std::int64_t frames_never_shown(const Timing& t, const SourceClock& clock) {
    const SourceSpan span = source_span(t);
    const double before = span.low - clock.first, after = clock.last() - span.high;
    return static_cast<std::int64_t>(std::floor(std::max(before, 0.0) + 1e-9) +
                                     std::floor(std::max(after, 0.0) + 1e-9));
}

} // namespace garland
