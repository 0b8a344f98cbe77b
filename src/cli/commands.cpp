#include "cli/opened.h"

#include "core/base/numbers.h"
#include "core/source/motion_box.h"
#include "demo/canal.h"
#include "demo/dusk.h"
#include "demo/festival.h"
#include "demo/quay.h"
#include "io/handoff/fast_copy.h"
#include "io/project/project_file.h"
#include "io/sources/open_source.h"
#include "io/tables/camera_file.h"
#include "io/tables/timing_table.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <nlohmann/json.hpp>

namespace garland {

using Json = nlohmann::ordered_json;

Result<FrameList> parse_frames(const std::string& text) {
    std::vector<double> numbers;
    std::size_t at = 0;
    while (at <= text.size() && numbers.size() < 4) {
        const std::size_t end = std::min(text.find(':', at), text.size());
        const auto value = parse_number(std::string_view(text).substr(at, end - at));
        if (!value || std::abs(*value) > frame_limit) break;
        numbers.push_back(*value);
        at = end + 1;
    }
    const bool whole_text = at == text.size() + 1;
    if (!whole_text || numbers.empty() || numbers.size() > 3) {
        return fail(Error{ErrorCode::invalid, fmt::format("\"{}\" is not a list of frames", text)}.advise(
            "write first:last or first:last:step, as in 1:240 or 1:10:0.5"));
    }
    FrameList list;
    list.first = numbers[0];
    list.last = numbers.size() > 1 ? numbers[1] : numbers[0];
    list.step = numbers.size() > 2 ? numbers[2] : 1;
    if (list.last < list.first || list.step <= 0) {
        return fail(Error{ErrorCode::invalid, fmt::format("\"{}\" ends before it starts", text)}.advise(
            "give first:last, with last at or after first"));
    }
    if ((list.last - list.first) / list.step > 10'000'000) {
        return fail(Error{ErrorCode::too_large, fmt::format("\"{}\" is more than ten million frames", text)}.advise(
            "give a shorter range"));
    }
    return list;
}

namespace {

Json info_json(const SourceFacts& f, const std::vector<std::string>& parts, const MotionBox& motion) {
    Json problems = Json::array();
    for (const auto& p : f.problems) {
        Json one{{"what", p.what}, {"advice", p.advice}};
        if (p.frame) one["frame"] = *p.frame;
        problems.push_back(one);
    }
    Json j{{"kind", to_text(f.kind)},
           {"format", f.format},
           {"first", f.first},
           {"last", f.last},
           {"frames", f.frames()},
           {"missing", f.missing},
           {"points", f.points},
           {"faces", f.faces},
           {"velocities", f.carries.velocities},
           {"normals", f.carries.normals},
           {"normals_of_corners", f.carries.normal_corners > 0},
           {"texture_coordinates", f.carries.uvs},
           {"colours", f.carries.colours},
           {"attributes", f.carries.attributes},
           {"bytes", f.bytes_on_disk},
           {"box", {{f.box.min.x, f.box.min.y, f.box.min.z}, {f.box.max.x, f.box.max.y, f.box.max.z}}},
           {"motion_box", nullptr},
           {"motion_frames", motion.frames},
           {"problems", problems}};
    if (const Imath::Box3f& m = motion.box; !m.isEmpty())
        j["motion_box"] = {{m.min.x, m.min.y, m.min.z}, {m.max.x, m.max.y, m.max.z}};
    if (f.varies.faces_change_at) j["faces_change_at"] = *f.varies.faces_change_at;
    if (!parts.empty()) j["parts"] = parts;
    Json options = Json::array();
    for (const SourceChoice& c : f.choices)
        options.push_back({{"name", c.name}, {"title", c.title}, {"chosen", c.chosen}, {"options", c.options}});
    j["choices"] = std::move(options);
    return j;
}

void print_info(const SourceFacts& f, const std::vector<std::string>& parts, const MotionBox& motion) {
    auto yes = [](bool there) { return there ? "yes" : "no"; };
    fmt::print("{}, {}\n", to_text(f.kind), f.format);
    fmt::print("frames      {} to {} ({})\n", f.first, f.last, counted(f.frames(), "frame", "frames"));
    fmt::print("points      {}\nfaces       {}\n", f.points, f.faces);
    if (f.varies.faces_change_at) fmt::print("faces change at frame {}\n", *f.varies.faces_change_at);
    fmt::print("velocities  {}\nnormals     {}\ntexture     {}\ncolours     {}\n", yes(f.carries.velocities),
               f.carries.normal_corners > 0 ? "yes, of corners" : yes(f.carries.normals), yes(f.carries.uvs),
               yes(f.carries.colours));
    for (const auto& name : f.carries.attributes) fmt::print("attribute   {}\n", name);
    for (const auto& name : parts) fmt::print("part        {}\n", name);
    fmt::print("size        {:.4g} × {:.4g} × {:.4g} units\n", f.box.size().x, f.box.size().y, f.box.size().z);
    if (!motion.box.isEmpty()) {
        const V3f size = motion.box.size();
        fmt::print("motion      {:.4g} × {:.4g} × {:.4g} units over {}\n", size.x, size.y, size.z,
                   motion.all ? "all frames" : fmt::format("{} frames, evenly spread", motion.frames));
    }
    fmt::print("on disk     {}\n", byte_count(f.bytes_on_disk));
    for (const SourceChoice& c : f.choices)
        fmt::print("choice      {}={} (of {})\n", c.name, c.chosen, fmt::join(c.options, ", "));
    for (const auto& p : f.problems) fmt::print("problem     {}; {}\n", p.what, p.advice);
}

} // namespace

int info_command(const std::string& path, const std::vector<std::string>& choices, Output out) {
    TerminalProgress progress(out);
    SourceChoices chosen;
    auto source = open_chosen(path, choices, chosen, progress);
    if (!source) return report_error(source.error(), out);
    const SourceFacts& f = (*source)->facts();
    const std::vector<std::string> parts = part_names(**source); // that can be singled out
    constexpr std::int64_t frames_measured = 24;
    PoseCache cache(std::size_t(64) << 20);
    const Sampler sampler(*source, make_clock(f.first, f.last, f.first, Rate{}, Join::frame_for_frame, Rate{}), {},
                          PoseCache::new_serial(), &cache);
    const auto motion = motion_box(sampler, frames_measured, progress);
    if (!motion) return report_error(motion.error(), out);
    if (out.json)
        print_json(info_json(f, parts, *motion));
    else
        print_info(f, parts, *motion);
    return exit_fine;
}

int trace_command(const std::string& path, long long copy, const std::string& frames, Output out) {
    auto list = parse_frames(frames);
    if (!list) return usage(list.error(), out);
    TerminalProgress progress(out);
    auto opened = open(path, progress);
    if (!opened) return report_error(opened.error(), out);
    warn_missing(*opened);
    Json all = Json::array();
    for (double i = 0; list->first + i * list->step <= list->last + 1e-9; ++i) {
        if (progress.cancelled()) return report_error(Error{ErrorCode::cancelled, "stopped"}, out);
        auto t = trace(*opened->show, copy - 1, OutputFrame(list->first + i * list->step));
        if (!t) return report_error(t.error(), out);
        Json stages = Json::array();
        if (!out.json) fmt::print("output frame {} · copy {}\n", exact_number(t->frame.value), copy);
        for (const TraceStage& stage : t->stages) {
            Json numbers = Json::object();
            std::string text;
            for (const auto& [name, value] : stage.numbers) {
                numbers[name] = value;
                text += fmt::format("  {} {:.12g}", name, value == 0 ? 0 : value);
            }
            stages.push_back({{"stage", stage.name}, {"words", stage.words}, {"numbers", numbers}});
            if (!out.json) fmt::print("  {:<15} {}{}{}\n", stage.name, stage.words, text.empty() ? "" : " ·", text);
        }
        all.push_back({{"output_frame", t->frame.value}, {"copy", copy}, {"stages", stages}});
    }
    if (out.json) print_json({{"trace", all}});
    return exit_fine;
}

int table_command(const std::string& path, const std::string& frames, const std::string& file, bool replace,
                  Output out) {
    auto range = whole_steps(frames);
    if (!range) return usage(range.error(), out);
    TerminalProgress progress(out);
    auto opened = open(path, progress);
    if (!opened) return report_error(opened.error(), out);
    warn_missing(*opened);
    const Show& show = *opened->show;
    const Project& project = opened->project.project;
    if (!file.empty()) {
        auto done =
            write_timing_table(file, show, project, *range, replace ? Existing::replace : Existing::refuse, progress);
        if (!done) return report_error(done.error(), out);
        if (out.json) {
            print_json({{"file", file}, {"row_count", range->count() * show.copies()}});
        } else {
            fmt::print("{} written to {}\n", counted(range->count() * show.copies(), "row", "rows"), file);
        }
        return exit_fine;
    }
    const auto stopped = [&] { return report_error(Error{ErrorCode::cancelled, "stopped"}, out); };
    TimingTable table(show, project);
    if (out.json) {
        Json rows = Json::array();
        for (std::int64_t f = range->range.first; f <= range->range.last; f += range->step) {
            if (progress.cancelled()) return stopped();
            table.each_row(f, [&](const TimingTable::Row& r) {
                const CopyMoment& m = r.moment;
                Json row{{"output_frame", f},
                         {"copy", r.number + 1},
                         {"name", copy_name(r.number, show.copies())},
                         {"arrangement", r.arrangement},
                         {"source", r.source},
                         {"source_frame", m.source},
                         {"speed", shown_speed(m.speed)},
                         {"visible", !m.has(mark_absent)},
                         {"delay", m.delay}};
                if (r.played) {
                    row["level"] = r.played->level;
                    if (r.played->entered) row["entered"] = *r.played->entered;
                    if (r.played->left) row["left"] = *r.played->left;
                    if (r.played->run_time) row["run_time"] = *r.played->run_time;
                }
                rows.push_back(std::move(row));
            });
        }
        print_json({{"rows", rows}});
        return exit_fine;
    }
    std::string text = TimingTable::header();
    for (std::int64_t f = range->range.first; f <= range->range.last; f += range->step) {
        if (progress.cancelled()) return stopped();
        table.append(f, text);
        fmt::print("{}", text);
        text.clear();
    }
    return exit_fine;
}

int fast_copy_command(const std::string& path, const FastCopyWords& words, Output out) {
    TerminalProgress progress(out);
    SourceChoices chosen;
    auto source = open_chosen(path, words.choices, chosen, progress);
    if (!source) return report_error(source.error(), out);
    FastCopyOrder order{words.stem, words.half ? NpyType::f16 : NpyType::f32, !words.no_velocities,
                        words.replace ? Existing::replace : Existing::refuse};
    if (words.bare || !words.keep.empty()) order.keep = words.keep;
    const double bytes = fast_copy_bytes((*source)->facts(), order);
    if (words.dry_run) {
        if (out.json) {
            print_json({{"bytes", bytes}, {"free", free_space(folder_of(words.stem))}});
        } else {
            fmt::print("about {}; {} free\n", byte_count(bytes), byte_count(free_space(folder_of(words.stem))));
        }
        return exit_fine;
    }
    auto done = make_fast_copy(**source, order, progress);
    if (!done) return report_error(done.error(), out);
    if (out.json) {
        print_json({{"files", done->files},
                    {"bytes", done->bytes},
                    {"frames", done->frames},
                    {"bridged", done->bridged},
                    {"kept", done->kept},
                    {"largest_difference", done->worst}});
    } else {
        fmt::print("{} in {}, {}; read back, off by at most {:.3g} units; kept: {}{}\n",
                   counted(done->frames, "frame", "frames"), done->files.front(), byte_count(done->bytes), done->worst,
                   done->kept,
                   done->bridged ? fmt::format("; {} missing, written as the frame before", done->bridged)
                                 : std::string());
    }
    return exit_fine;
}

int new_command(const NewWords& w, Output out) {
    Project project;
    project.settings.name = w.name;
    if (!w.rate.empty()) {
        auto rate = parse_rate(w.rate);
        if (!rate) return usage(rate.error(), out);
        project.settings.rate = *rate;
    }
    if (!w.range.empty()) {
        auto range = whole_steps(w.range);
        if (!range) return usage(range.error(), out);
        project.settings.range = range->range;
    }
    if (auto ok = validate(project); !ok) return usage(ok.error(), out);
    if (w.path == "-") {
        fmt::print("{}", project_text(project));
        return exit_fine;
    }
    if (auto saved = save_project(w.path, project, w.replace ? Existing::replace : Existing::refuse); !saved)
        return report_error(saved.error(), out);
    if (out.json) {
        print_json({{"project", w.path}});
    } else {
        fmt::print("{}: {} frames per second, output frames {} to {}\n", w.path, to_text(project.settings.rate),
                   project.settings.range.first, project.settings.range.last);
    }
    return exit_fine;
}

int camera_command(const CameraWords& w, Output out) {
    auto list = parse_frames(w.frames);
    if (!list) return usage(list.error(), out);
    auto project = load(w.project);
    if (!project) return report_error(project.error(), out);
    if (!w.file.empty()) {
        auto steps = whole_steps(w.frames);
        if (!steps) return usage(steps.error(), out);
        const CameraOrder order{w.file, *steps, w.aspect, w.replace ? Existing::replace : Existing::refuse};
        if (auto ok = write_camera(*project, order); !ok) return report_error(ok.error(), out);
        if (out.json) {
            print_json({{"file", w.file}, {"frames", steps->count()}});
        } else {
            fmt::print("the camera of {} written to {}\n", counted(steps->count(), "frame", "frames"), w.file);
        }
        return exit_fine;
    }
    const CameraPlan plan(project->settings.camera_keys, project->settings.camera);
    Json rows = Json::array();
    if (!out.json) fmt::print("{}", camera_table_header());
    for (double i = 0; list->first + i * list->step <= list->last + 1e-9; ++i) {
        const double t = list->first + i * list->step;
        const Camera c = plan.at(OutputFrame(t));
        if (out.json) {
            rows.push_back({{"output_frame", t},
                            {"target", {c.target.x, c.target.y, c.target.z}},
                            {"distance", c.distance},
                            {"azimuth", c.azimuth},
                            {"elevation", c.elevation},
                            {"field_of_view", c.field_of_view}});
        } else {
            fmt::print("{}", camera_table_row(t, c));
        }
    }
    if (out.json) print_json({{"camera", rows}});
    return exit_fine;
}

int demo_command(const std::string& folder, const std::string& only, Output out) {
    TerminalProgress progress(out);
    Json paths = Json::array();
    const bool all = only.empty();
    struct Demo {
        const char* name;
        double until; // of the whole work
    };
    double from = 0;
    for (const Demo& demo : {Demo{"festival", 0.35}, {"quay", 0.9}, {"canal", 0.97}, {"dusk", 1}}) {
        const std::string name = demo.name;
        PartOf part(progress, all ? from : 0, all ? demo.until : 1);
        from = demo.until;
        if (!all && name != only) continue;
        auto project = name == "festival" ? write_demo(folder, part)
                       : name == "quay"   ? write_quay(folder, part)
                       : name == "canal"  ? write_canal(folder, all, part)
                                          : write_dusk(folder, all, part);
        if (!project) return report_error(project.error(), out);
        paths.push_back(*project);
        if (!out.json) fmt::print("{}\n", *project);
    }
    if (out.json) print_json({{"project", paths.front()}, {"projects", paths}});
    return exit_fine;
}

} // namespace garland
