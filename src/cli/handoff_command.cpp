#include "cli/copy_options.h"
#include "cli/handoff_words.h"
#include "cli/opened.h"

#include "core/base/numbers.h"
#include "io/handoff/bake.h"
#include "io/handoff/job_file.h"
#include "io/handoff/manifest.h"
#include "io/handoff/outputs.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

namespace garland {

namespace {

std::string words_of_outputs() {
    std::string all;
    for (const HandoffOutput& o : outputs()) all += (all.empty() ? "" : ", ") + std::string(o.word);
    return all;
}

nlohmann::ordered_json numbers_json(const std::vector<std::pair<std::string, double>>& numbers) {
    auto json = nlohmann::ordered_json::object();
    for (const auto& [name, value] : numbers) json[name] = value;
    return json;
}

int tell(const HandoffPlan& plan, Output out) {
    if (out.json) {
        print_json({{"file_count", plan.files},
                    {"bytes", plan.bytes},
                    {"free", plan.free},
                    {"existing", plan.existing},
                    {"left_out", plan.left_out},
                    {"figures", numbers_json(plan.numbers)}});
        return exit_fine;
    }
    fmt::print("{} of about {} in all; {} free{}\n", counted(plan.files, "file", "files"), byte_count(plan.bytes),
               byte_count(plan.free), plan.existing ? fmt::format("; {} already there", plan.existing) : std::string());
    for (const std::string& w : plan.words) fmt::print("{}\n", w);
    for (const std::string& w : plan.left_out) fmt::print("left out: {}\n", w);
    return exit_fine;
}

// Space, handles, and what of the geometry is kept.
Result<void> take_form(const HandoffWords& words, HandoffOrder& order) {
    auto wrong = [](std::string what, const char* instead) {
        return fail(Error{ErrorCode::invalid, std::move(what)}.keeping("nothing was written").advise(instead));
    };
    if (words.up != "y" && words.up != "z")
        return wrong(fmt::format("\"{}\" is no axis that can be up", words.up), "use --up y or --up z");
    order.as.z_up = words.up == "z";
    const auto unit = unit_called(words.unit);
    if (!unit)
        return wrong(fmt::format("\"{}\" is no unit of length", words.unit),
                     "use m, dm, cm, mm, in, ft, or a number of metres above 0");
    order.as.unit = *unit;
    if (words.handles < 0 || words.handles > 1000000)
        return wrong("handles are 0 to 1000000 frames", "use --handles 8");
    // In whole steps, so that the frames asked for are among those that are written.
    const std::int64_t more = (words.handles + order.frames.step - 1) / order.frames.step * order.frames.step;
    order.frames.range = {order.frames.range.first - more, order.frames.range.last + more};
    order.as.velocities = !words.no_velocities, order.as.attributes = !words.no_attributes;
    order.frames.shutter = words.shutter;
    return validate(order.frames);
}

} // namespace

void handoff_options(CLI::App& app, HandoffWords& words) {
    app.add_option("PROJECT", words.project, "A project file");
    std::string all = words_of_outputs();
    std::erase(all, ' ');
    app.add_option("--what", words.what, "What to write: " + words_of_outputs())->type_name("TEXT:{" + all + "}");
    app.add_option("--out", words.folder, "The folder to write into; made if it is not there");
    frames_option(&app, words.frames);
    app.add_option("--name", words.name,
                   "What files are called; where each frame has a file, #### is the place of its number: lantern_####")
        ->capture_default_str();
    app.add_option(
        "--as", words.as,
        "The kind of file: ply, obj, npy, usda, usdc, glb, gltf, vdb, csv, json, otio; the usual one if not given");
    app.add_option("--source", words.source, "With one-source: which one, by name or id");
    app.add_option("--poses-per-frame", words.poses_per_frame,
                   "With shared-poses: file frames are rounded to one of so many parts, 1 to 1000")
        ->capture_default_str();
    app.add_option("--tolerance", words.tolerance,
                   "With references and viewer: source frames by which straight pieces may leave a curved clock")
        ->capture_default_str();
    app.add_option("--handles", words.handles, "So many frames more before the first and after the last one")
        ->capture_default_str();
    app.add_option("--up", words.up, "Which axis is up in what is written: y, or z")
        ->type_name("TEXT:{y,z}")
        ->capture_default_str();
    app.add_option("--unit", words.unit, "Of what is written: m, dm, cm, mm, in, ft, or a number of metres")
        ->capture_default_str();
    app.add_option("--shutter-samples", words.shutter.count,
                   "Moments about each frame while the shutter is open, 1 or 3, 5 … 15: extra times in USD, "
                   "name.0011.750.ply in a series")
        ->capture_default_str();
    app.add_option("--shutter", words.shutter.angle, "Degrees of a frame over which they lie, 1 to 359")
        ->capture_default_str();
    app.add_flag("--no-velocities", words.no_velocities, "Leave out the velocities of points");
    app.add_flag("--no-attributes", words.no_attributes, "Leave out named attributes of points and faces");
    app.add_flag("--each-copy", words.each_copy,
                 "Of posed copies as ply or obj: a file for each copy and frame, name.c07.0012.ply");
    app.add_flag("--replace", words.replace, "Replace files that already exist");
}

Result<HandoffOrder> handoff_order(const HandoffWords& words) {
    auto missing = [](const char* what) {
        return fail(Error{ErrorCode::invalid, fmt::format("{} is required", what)}
                        .advise("add it; garland-cli handoff --help shows all options")
                        .keeping("nothing was written"));
    };
    if (words.project.empty()) return missing("PROJECT");
    if (words.what.empty()) return missing("--what");
    if (words.folder.empty()) return missing("--out");
    if (words.frames.empty()) return missing("--frames");
    GARLAND_TRY(frames, whole_steps(words.frames));
    HandoffOrder order{words.what, words.as.empty() ? std::string() : "." + words.as, words.folder, words.name, frames};
    if (words.replace && words.resume)
        return fail(Error{ErrorCode::invalid, "files cannot be kept and replaced"}.advise("use --resume or --replace"));
    order.existing = words.replace ? WhatIsThere::replace : words.resume ? WhatIsThere::resume : WhatIsThere::refuse;
    order.poses_per_frame = words.poses_per_frame;
    order.tolerance = words.tolerance;
    order.each_copy = words.each_copy;
    GARLAND_CHECK(take_form(words, order));
    for (const HandoffOutput& o : outputs()) {
        if (o.word == order.output && order.ending.empty()) order.ending = o.endings.front();
    }
    GARLAND_TRY(output, output_called(order));
    if (output->of_source && words.source.empty())
        return fail(Error{ErrorCode::invalid, "one source is written at a time: name it with --source"}.advise(
            "garland-cli info PROJECT lists the sources"));
    return order;
}

int handoff_command(const HandoffWords& words, Output out) {
    HandoffOrder order;
    std::string project = words.project, source = words.source;
    if (!words.job.empty()) {
        auto job = read_job(words.job);
        if (!job) return report_error(job.error(), out);
        order = job->order, project = job->project;
        if (order.source) source = std::to_string(order.source.value);
    } else {
        auto asked = handoff_order(words);
        if (!asked) return usage(asked.error(), out);
        order = std::move(*asked);
    }
    if (!words.share.empty()) {
        auto share = parse_share(words.share);
        if (!share) return usage(share.error(), out);
        order.share = *share;
    }
    TerminalProgress progress(out);
    auto opened = open(project, progress);
    if (!opened) return report_error(opened.error(), out);
    if (!source.empty()) {
        auto id = source_called(opened->project.project, source);
        if (!id) return report_error(id.error(), out);
        order.source = *id;
        std::erase_if(opened->project.missing, [&](const MissingSource& m) { return m.id != *id; });
    }
    if (!opened->project.missing.empty()) return report_error(opened->project.missing.front().error, out);
    const HandoffInput input{opened->project.project, opened->project.sources, opened->show, *opened->cache};
    if (words.dry_run) {
        auto plan = plan_handoff(input, order, progress);
        if (!plan) return report_error(plan.error(), out);
        return tell(*plan, out);
    }
    auto done = hand_off(input, order, progress);
    if (!done) return report_error(done.error(), out);
    if (out.json) {
        print_json({{"files", done->files},
                    {"bytes", done->bytes},
                    {"kept", done->kept},
                    {"manifest", done->manifest},
                    {"left_out", done->left_out},
                    {"figures", numbers_json(done->numbers)}});
        return exit_fine;
    }
    fmt::print("{}: {}, {}{}\n", done->files.size() == 1 ? done->files.front() : order.folder,
               counted(done->files.size(), "file", "files"), byte_count(done->bytes),
               done->kept ? fmt::format("; {} of them were complete", done->kept) : std::string());
    for (const std::string& w : done->words) fmt::print("{}\n", w);
    for (const std::string& w : done->left_out) fmt::print("left out: {}\n", w);
    if (done->manifest.empty()) fmt::print("other shares are not complete yet\n");
    return exit_fine;
}

int verify_command(const std::string& manifest, Output out) {
    TerminalProgress progress(out);
    auto verified = verify_handoff(manifest, progress);
    if (!verified) return report_error(verified.error(), out);
    if (out.json) {
        print_json({{"file_count", verified->files}, {"bytes", verified->bytes}});
    } else {
        fmt::print("{}, {}: every byte is as it was written\n", counted(verified->files, "file", "files"),
                   byte_count(verified->bytes));
    }
    return exit_fine;
}

} // namespace garland
