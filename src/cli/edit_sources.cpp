// Changes of sources: gathering, how they are taken, water.
#include "cli/edit_changes.h"

#include "cli/edit_words.h"
#include "core/base/numbers.h"
#include "core/project/timings.h"
#include "core/source/motion_box.h"
#include "io/files/series.h"
#include "io/project/open_project.h"
#include "io/project/project_file.h"
#include "io/sources/open_source.h"

#include <algorithm>
#include <filesystem>
#include <fmt/format.h>
#include <functional>

namespace garland {

namespace {

using Say = std::function<void(const char* what, const std::string& value)>;

Result<void> take_settings(ImportSettings& t, const Words& w, const CLI::App& given, const Say& say) {
    if (given.count("--between-frames")) {
        GARLAND_TRY(
            how, word(w.between,
                      {SubFrame::nearest, SubFrame::linear, SubFrame::smooth, SubFrame::carried, SubFrame::level_set},
                      "a way between frames"));
        t.how = how;
        say("between frames", w.between);
    }
    if (given.count("--missing-frames")) {
        GARLAND_TRY(mend, word(w.gaps, {GapFix::hold, GapFix::blend}, "what missing frames show"));
        t.gaps = mend;
        say("missing frames", w.gaps);
    }
    if (given.count("--up-axis")) {
        GARLAND_TRY(up, word(w.up, {UpAxis::y, UpAxis::z}, "an up axis"));
        t.up = up;
        say("up axis", w.up);
    }
    if (given.count("--scale")) {
        t.scale = w.scale;
        say("scale", short_number(w.scale, 9));
    }
    if (given.count("--root-motion")) {
        GARLAND_TRY(root, word(w.root, root_words, "a root motion"));
        t.root = root;
        say("root motion", w.root);
    }
    if (given.count("--normals")) {
        GARLAND_TRY(recomputed, word(w.normals, normals_words, "a way to make normals"));
        t.fresh_normals = recomputed;
        say("normals", w.normals);
    }
    if (given.count("--voxel-size")) {
        t.voxel = w.voxel;
        say("voxels of", short_number(w.voxel, 9));
    }
    if (w.take_back) {
        t.dropped.clear();
        say("all frames", "again");
    }
    for (std::int64_t frame : w.leave_out) {
        const auto at = std::lower_bound(t.dropped.begin(), t.dropped.end(), frame);
        if (at == t.dropped.end() || *at != frame) t.dropped.insert(at, frame);
        say("left out frame", std::to_string(frame));
    }
    return {};
}

// Timings that nobody changed go along with the source; says in words which.
std::string followed(Project& p, const Words& w, const SourceSpec& before, const SourceSpec& s) {
    const std::string project = std::filesystem::absolute(w.project).string();
    const auto opened = open_spec(s, project), was = open_spec(before, project);
    if (!opened || !was) {
        return "its files are missing, so timings stay as they are";
    } else {
        const SourceFacts& f = (*opened)->facts();
        const SourceFacts& g = (*was)->facts();
        const SourceClock then = clock_of(before, g.first, g.last, p.settings.rate),
                          now = clock_of(s, f.first, f.last, p.settings.rate);
        return follow_source(p, s.id, then, now).words(p, now);
    }
}

} // namespace

Result<Done> take_source(Project& p, const Words& w, const CLI::App& given) {
    GARLAND_TRY(i, find_named(p.sources, w.source, "source"));
    SourceSpec& s = p.sources[i];
    const SourceSpec before = s;
    std::vector<std::string> said;
    const Say say = [&](const char* what, const std::string& value) {
        said.push_back(fmt::format("{} {}", what, value));
    };
    if (given.count("--rate")) {
        GARLAND_TRY(rate, parse_rate(w.rate));
        s.rate = rate;
        say("rate", to_text(rate));
    }
    if (given.count("--match-by")) {
        GARLAND_TRY(join, word(w.join, join_words, "a way to match the source to the project"));
        s.join = join;
        say("matched", w.join);
    }
    if (given.count("--first-frame")) {
        s.first = static_cast<std::int64_t>(w.start);
        say("first frame", std::to_string(*s.first));
    }
    GARLAND_CHECK(take_settings(s.import_settings, w, given, say));
    if (given.count("--changes-from")) {
        s.changes_from = w.changes_from;
        say("changing faces from frame", std::to_string(w.changes_from));
    }
    if (given.count("--shape-frames")) {
        s.shape_frames = w.shape_frames;
        say("frames per shape", std::to_string(w.shape_frames));
    }
    if (!w.choices.empty()) {
        if (s.water || !s.shapes.empty())
            return wrong(fmt::format("\"{}\" has nothing to choose", s.name), "leave --choose out");
        GARLAND_TRY(source, open_chosen(absolute_path(s.path, std::filesystem::absolute(w.project).string()), w.choices,
                                        s.choices));
        static_cast<void>(source);
        for (const std::string& one : w.choices) say("choice", one);
    }
    if (said.empty())
        return wrong("nothing to change", "give one of the options that garland-cli edit source --help lists");
    std::string words;
    for (const std::string& one : said) words += (words.empty() ? "" : ", ") + one;
    Done done{fmt::format("Take \"{}\" with {}", s.name, words)};
    if (given.count("--rate") || given.count("--match-by") || given.count("--first-frame") || !w.choices.empty())
        done.note = followed(p, w, before, s);
    return done;
}

Result<Done> gather(Project& p, const Words& w) {
    std::vector<std::string> files;
    for (const std::string& file : w.files)
        files.push_back(std::filesystem::absolute(file).lexically_normal().string());
    auto stored = [&](const std::string& file) {
        return relative_path(file, std::filesystem::absolute(w.project).string());
    };
    std::string names;
    auto add = [&](const SourcePtr& source, const std::string& file) -> SourceSpec& {
        const std::string name = w.name.empty() || (!w.shapes && files.size() > 1) ? source_name(file) : w.name;
        names += fmt::format("{}\"{}\" ({})", names.empty() ? "" : ", ", name, to_text(source->facts().kind));
        SourceLength length = length_of(source->facts(), p.settings.rate);
        const SourceFacts& f = source->facts();
        PoseCache cache(std::size_t(64) << 20);
        const Sampler sampler(source, make_clock(f.first, f.last, f.first, Rate{}, Join::frame_for_frame, Rate{}), {},
                              PoseCache::new_serial(), &cache);
        if (const auto motion = motion_box(sampler, 12))
            length.spacing = usual_spacing(motion->box, length.up == UpAxis::z, length.scale);
        return *p.source(add_source(p, name, stored(file), length));
    };
    if (w.shapes) {
        GARLAND_TRY(source, open_shapes(files, w.shape_frames));
        SourceSpec& spec = add(source, files.front());
        for (const std::string& file : files) spec.shapes.push_back(stored(file));
        spec.shape_frames = w.shape_frames;
        spec.import_settings.how = SubFrame::smooth;
    } else {
        for (const std::string& file : files) {
            SourceChoices chosen;
            GARLAND_TRY(source, open_chosen(file, w.choices, chosen));
            add(source, file).choices = chosen;
        }
    }
    return Done{fmt::format("Gather {}", names)};
}

Result<Done> set_water(Project& p, const Words& w, const CLI::App& given) {
    SourceSpec* spec = nullptr;
    if (!w.source.empty()) {
        GARLAND_TRY(i, find_named(p.sources, w.source, "source"));
        spec = &p.sources[i];
        if (!spec->water)
            return wrong(fmt::format("\"{}\" is no water", spec->name), "leave --source out to add water");
    }
    WaterSpec water = spec ? *spec->water : WaterSpec{};
    auto take = [&](const char* option, auto WaterSpec::*member) {
        if (given.count(option)) water.*member = w.water.*member;
    };
    take("--wind-speed", &WaterSpec::wind), take("--wind-direction", &WaterSpec::direction),
        take("--wave-height", &WaterSpec::height);
    take("--choppiness", &WaterSpec::choppiness), take("--shown-area", &WaterSpec::size),
        take("--tile-length", &WaterSpec::patch);
    take("--shortest-wave", &WaterSpec::smallest), take("--damp-upwind-waves", &WaterSpec::against),
        take("--grid", &WaterSpec::resolution);
    take("--layers", &WaterSpec::layers), take("--frames", &WaterSpec::frames), take("--loop-length", &WaterSpec::loop),
        take("--seed", &WaterSpec::seed);
    GARLAND_CHECK(validate(water));
    const bool fresh = spec == nullptr;
    if (fresh) {
        spec = p.source(add_water(p, w.name.empty() ? "water" : w.name, water));
    }
    std::string followed;
    if (!fresh) {
        const SourceClock then = clock_of(*spec, 0, last_frame(*spec->water), p.settings.rate),
                          now = clock_of(*spec, 0, last_frame(water), p.settings.rate);
        followed = follow_source(p, spec->id, then, now).words(p, now);
    }
    spec->water = water;
    std::string note = fmt::format("0…{} is {} frames", last_frame(water), last_frame(water) + 1);
    if (water.loop > 0)
        note += fmt::format("; frame {} shows frame 0 again, so a repeat lasts {}", water.loop, water.loop);
    const Folds folds = folds_of(water, spec->rate);
    if (folds.share > 0) {
        note += fmt::format(
            "; at frame 0 the surface folds over itself in {} % of its cells, which a choppiness of {} or less avoids",
            short_number(folds.share * 100, 2), short_number(folds.most_choppiness, 3));
    }
    if (!followed.empty()) note += "; " + followed;
    return Done{fmt::format("{} \"{}\"", fresh ? "Add water" : "Change the water", spec->name), note};
}

} // namespace garland
