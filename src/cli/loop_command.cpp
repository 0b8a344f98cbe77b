#include "cli/edit_changes.h"
#include "cli/edit_words.h"
#include "cli/opened.h"

#include "core/base/numbers.h"
#include "core/project/looping.h"
#include "io/project_file.h"

#include <filesystem>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

namespace garland {

using Json = nlohmann::ordered_json;

namespace {

// The source meant, opened alone.
Result<OpenSource> opened_source(const Project& project, std::size_t index, const std::string& path, Progress& progress) {
    GARLAND_TRY(source, open_spec(project.sources[index], path, progress));
    return OpenSource{source, PoseCache::new_serial()};
}

std::string distance_words(double d, const std::string& unit) {
    return unit.empty() ? fmt::format("{} of the largest", short_number(d, 4)) : fmt::format("{} {}", short_number(d, 4), unit);
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
    wish.shortest = w.shortest, wish.longest = w.longest, wish.settle = w.settle, wish.around = w.around, wish.most = w.most;
    auto listed = find_loops(*matrix, wish, progress);
    if (!listed) return report_error(listed.error(), out);
    const auto& found = *listed;
    const auto own = own_loop(*matrix);
    if (out.json) {
        Json list = Json::array();
        for (const LoopCandidate& c : found) list.push_back({{"start", c.start}, {"length", c.length}, {"score", c.score}, {"gap", c.gap}, {"gap_in_steps", c.steps}});
        Json answer{{"source", project->sources[*index].name}, {"first", f.first}, {"last", f.last}, {"unit", matrix->unit}, {"usual_step", matrix->usual_step()}, {"loops", list}};
        if (own) answer["own_loop"] = {{"period", own->period}, {"last_is_first", own->last_is_first}, {"step", own->step}};
        print_json(answer);
        return exit_fine;
    }
    if (own) {
        fmt::print("it loops as it is: frames {} to {}, period {}{}; nothing to close, let its timing repeat (edit outside --before repeat --after repeat{})\n", f.first, f.last, own->period,
                   own->last_is_first ? ", its last pose is its first" : "", own->last_is_first ? " --last-is-first on" : "");
    }
    if (found.empty()) fmt::print("no loop of {} frames or more was found in frames {} to {}\n", w.shortest, f.first, f.last);
    for (const LoopCandidate& c : found) {
        fmt::print("start {} length {}: gap {}, {} usual steps\n", c.start, c.length, distance_words(c.gap, matrix->unit), short_number(c.steps, 2));
    }
    return exit_fine;
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
        return wrong("a loop needs its start and its length", "give --start and --length; garland-cli loop finds good ones");
    }
    if (given.count("--start")) c.start = w.closing.start;
    if (given.count("--length")) c.length = w.closing.length;
    if (given.count("--way")) {
        GARLAND_TRY(way, word(w.closing_way, {ClosingWay::cut, ClosingWay::end_fade, ClosingWay::half_shift, ClosingWay::spread_gap}, "a way to close"));
        c.way = way;
    }
    if (given.count("--overlap")) {
        c.overlap = w.closing.overlap;
    } else if (c.overlap > c.length) {
        c.overlap = c.length;
    }
    if (given.count("--mix")) {
        GARLAND_TRY(mix, word(w.closing_mix, {LayerMix::mix, LayerMix::add, LayerMix::maximum}, "a way to lay one over the other"));
        c.mix = mix;
    }
    if (given.count("--fade")) {
        if (w.closing_fade != "straight" && w.closing_fade != "smooth") return wrong(fmt::format("\"{}\" is no fade", w.closing_fade), "write straight or smooth");
        c.curve = w.closing_fade == "straight" ? FadeCurve::straight : FadeCurve::smooth;
    }
    if (given.count("--keep-contrast")) c.keep_contrast = w.closing.keep_contrast;
    GARLAND_CHECK(close_source(p, id, c, f.first, f.last));
    PoseCache cache(cache_bytes());
    GARLAND_TRY(seam, seam_of(open_sampler(p.sources[i], open, cache), c));
    std::string note = fmt::format("{} frames; the gap between both ends is {}, {} usual steps", c.length, distance_words(seam.gap, seam.unit), short_number(seam.in_steps(seam.gap), 2));
    if (seam.step_after > 0) note += fmt::format("; the step across the wrap is {} usual steps now", short_number(seam.in_steps(seam.step_after), 2));
    return Done{fmt::format("Close \"{}\" from frame {} over {} frames: {}", name, c.start, c.length, to_text(c.way)), note};
}

} // namespace garland
