#include "cli/edit_changes.h"
#include "cli/edit_words.h"
#include "cli/opened.h"

#include "core/base/numbers.h"
#include "core/project/looping.h"
#include "io/project/project_file.h"

#include <filesystem>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

namespace garland {

using Json = nlohmann::ordered_json;

namespace {

// The source meant, opened alone.
Result<OpenSource> opened_source(const Project& project, std::size_t index, const std::string& path,
                                 Progress& progress) {
    GARLAND_TRY(source, open_spec(project.sources[index], path, progress));
    return OpenSource{source, PoseCache::new_serial()};
}

std::string distance_words(double d, const std::string& unit) {
    return unit.empty() ? fmt::format("{} of the largest", short_number(d, 4))
                        : fmt::format("{} {}", short_number(d, 4), unit);
}

} // namespace

int loop_command(const LoopWords& w, Output out) {
    TerminalProgress progress(out);
    auto project = load(w.project);
    if (!project) return report_error(project.error(), out);
    auto index = find_named(project->sources, w.source, "source");
    if (!index) return report_error(index.error(), out);
    auto open = opened_source(*project, *index, w.project, progress);
    if (!open) return report_error(open.error(), out);
    PoseCache cache(cache_bytes());
    const Sampler sampler = open_sampler(project->sources[*index], *open, cache);
    const SourceFacts& f = sampler.source()->facts();
    auto rows = signatures_of(sampler, f.first, f.last, 0, progress);
    if (!rows) return report_error(rows.error(), out);
    auto matrix = distances(*rows, w.rigid, progress);
    if (!matrix) return report_error(matrix.error(), out);
    LoopWish wish;
    wish.shortest = w.shortest, wish.longest = w.longest, wish.settle = w.settle, wish.around = w.around,
    wish.most = w.most;
    auto listed = find_loops(*matrix, wish, progress);
    if (!listed) return report_error(listed.error(), out);
    const auto& found = *listed;
    const auto own = own_loop(*matrix);
    if (out.json) {
        Json list = Json::array();
        for (const LoopCandidate& c : found)
            list.push_back({{"start", c.start},
                            {"length", c.length},
                            {"score", c.score},
                            {"gap", c.gap},
                            {"gap_in_steps", c.steps}});
        Json answer{
            {"source", project->sources[*index].name}, {"first", f.first}, {"last", f.last}, {"unit", matrix->unit},
            {"usual_step", matrix->usual_step()},      {"loops", list}};
        if (own)
            answer["own_loop"] = {{"period", own->period}, {"last_is_first", own->last_is_first}, {"step", own->step}};
        print_json(answer);
        return exit_fine;
    }
    if (own) {
        fmt::print("it loops as it is: frames {} to {}, period {}{}; nothing to close, let it repeat (edit repeat)\n",
                   f.first, f.last, own->period, own->last_is_first ? ", its last pose is its first" : "");
    }
    if (found.empty())
        fmt::print("no loop of {} frames or more was found in frames {} to {}\n", w.shortest, f.first, f.last);
    for (const LoopCandidate& c : found) {
        fmt::print("start {} length {}: gap {}, {} usual steps\n", c.start, c.length,
                   distance_words(c.gap, matrix->unit), short_number(c.steps, 2));
    }
    return exit_fine;
}

Result<Done> repeat_source(Project& p, const Words& w) {
    GARLAND_TRY(i, find_named(p.sources, w.source, "source"));
    GARLAND_TRY(open, opened_source(p, i, std::filesystem::absolute(w.project).string(), Progress::none()));
    const SourceSpec spec = p.sources[i];
    PoseCache cache(cache_bytes());
    const Sampler sampler = open_sampler(spec, open, cache);
    const SourceFacts& f = sampler.source()->facts();
    GARLAND_TRY(rows, signatures_of(sampler, f.first, f.last, 0, Progress::none()));
    GARLAND_TRY(matrix, distances(rows, false, Progress::none()));
    const auto own = own_loop(matrix);
    if (!own) {
        return wrong(fmt::format("\"{}\" does not loop as it is: its first pose does not follow its last", spec.name),
                     "close a range of it: garland-cli loop finds good ones, edit close closes them");
    }
    GARLAND_TRY(done,
                repeat_as_it_is(p, spec.id, own->last_is_first, clock_of(spec, f.first, f.last, p.settings.rate)));
    if (done.timings.empty())
        return wrong(fmt::format("no timing plays all of \"{}\"", spec.name),
                     "set it by hand: edit outside --before repeat --after repeat");
    std::string note = fmt::format("period {} frames", own->period);
    for (TimingId id : done.others)
        note += fmt::format("; \"{}\" plays something else and stays as it is", p.timing(id)->name);
    return Done{fmt::format("Repeat \"{}\" as it is", spec.name), note};
}

Result<Done> close_loop_of(Project& p, const Words& w, const CLI::App& given) {
    GARLAND_TRY(i, find_named(p.sources, w.source, "source"));
    GARLAND_TRY(open, opened_source(p, i, std::filesystem::absolute(w.project).string(), Progress::none()));
    const SourceFacts& f = open.source->facts();
    const SourceId id = p.sources[i].id;
    const std::string name = p.sources[i].name;
    if (w.off) {
        GARLAND_CHECK(open_source_again(p, id, f.first, f.last));
        return Done{fmt::format("Open the loop of \"{}\"", name)};
    }
    Closing c = p.sources[i].closing.value_or(Closing{});
    if (!p.sources[i].closing && (!given.count("--start") || !given.count("--length"))) {
        return wrong("a loop needs its start and its length",
                     "give --start and --length; garland-cli loop finds good ones");
    }
    if (given.count("--start")) c.start = w.closing.start;
    if (given.count("--length")) c.length = w.closing.length;
    if (given.count("--ends")) {
        GARLAND_TRY(way, word(w.closing_way, closing_words, "a way to blend the ends"));
        c.way = way;
    }
    if (given.count("--overlap")) {
        c.overlap = w.closing.overlap;
    } else if (c.overlap > c.length) {
        c.overlap = c.length;
    }
    if (given.count("--layers")) {
        GARLAND_TRY(mix, word(w.closing_mix, {LayerMix::mix, LayerMix::add, LayerMix::maximum, LayerMix::density},
                              "a way to lay one over the other"));
        c.mix = mix;
    }
    if (given.count("--fade")) {
        c.drawn_in.clear();
        if (w.closing_fade == "straight" || w.closing_fade == "smooth") {
            c.curve = w.closing_fade == "straight" ? FadeCurve::straight : FadeCurve::smooth;
        } else {
            auto drawn = parse_keys(w.closing_fade, "the fade");
            if (!drawn)
                return fail(std::move(drawn.error())
                                .advise("write straight, smooth, or keys of the incoming layer's weight, as in \"0:0 "
                                        "0.3:0.1 smooth 1:1\""));
            c.drawn_in = *drawn;
        }
    }
    if (given.count("--fade-out")) {
        c.drawn_out.clear();
        if (w.closing_fade_out != "none") {
            GARLAND_TRY(drawn, parse_keys(w.closing_fade_out, "the fade of the layer that goes"));
            c.drawn_out = drawn;
        }
    }
    if (given.count("--keep-contrast")) c.keep_contrast = w.closing.keep_contrast;
    if (given.count("--keep-contrast") && c.keep_contrast && !contrast_counts(c, f.kind)) {
        return wrong(fmt::format("keeping contrast does nothing for {} closed by {}", to_text(f.kind), to_text(c.way)),
                     "leave it out; it is for fades of meshes");
    }
    GARLAND_CHECK(close_source(p, id, c, f.first, f.last));
    PoseCache cache(cache_bytes());
    GARLAND_TRY(seam, seam_of(open_sampler(p.sources[i], open, cache), c));
    std::string note = fmt::format("{} frames; the gap between both ends is {}, {} usual steps", c.length,
                                   distance_words(seam.gap, seam.unit), short_number(seam.in_steps(seam.gap), 2));
    if (seam.step_after > 0)
        note += fmt::format("; the step across the seam is {} usual steps now",
                            short_number(seam.in_steps(seam.step_after), 2));
    return Done{fmt::format("Close \"{}\" from frame {} over {} frames: {}", name, c.start, c.length, to_text(c.way)),
                note};
}

} // namespace garland
