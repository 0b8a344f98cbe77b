#include "cli/commands.h"

#include "cli/edit.h"
#include "cli/opened.h"
#include "cli/time_arguments.h"
#include "cli/version.h"

#include <CLI/CLI.hpp>
#include <algorithm>
#include <cerrno>
#include <cstdio>
#include <cstring>
#include <exception>
#include <fmt/format.h>
#include <new>
#include <nlohmann/json.hpp>
#include <string_view>

namespace garland {

namespace {

bool has(int argc, char** argv, std::string_view word) {
    return std::any_of(argv + 1, argv + argc, [&](const char* a) { return a == word; });
}

int run(int argc, char** argv) {
    CLI::App app{"Retimes baked motion and strings it over copies, each with its own time.", "garland-cli"};
    app.set_version_flag("--version", std::string("garland-cli ") + garland_version);
    app.require_subcommand(1);
    app.fallthrough();
    app.footer("A project may be - for standard input. Times may carry a unit: 12f, 0.5s, 2beats. Exit codes: 0 fine, "
               "1 error, 2 wrong usage, 3 findings, 130 interrupted.");
    Output out;
    std::string path, frames;
    long long copy = 1;
    BakeWords words;
    std::string table_file;
    int code = exit_fine;

    auto command = [&](const char* name, const char* what, auto&& run) {
        CLI::App* sub = app.add_subcommand(name, what);
        sub->add_flag("--json", out.json, "Answer as one JSON object");
        sub->add_flag("--quiet", out.quiet, "Show no progress");
        sub->callback([&code, run] { code = run(); });
        return sub;
    };

    NewWords fresh;
    auto* make = command("new", "Make an empty project", [&] { return new_command(fresh, out); });
    make->add_option("FILE", fresh.path, "The project file to make")->required();
    make->add_option("--name", fresh.name, "What it is called");
    make->add_option("--rate", fresh.rate, "Output frames per second, as in 24 or 24000/1001");
    make->add_option("--range", fresh.range, "Output frames, as in 1:240");
    make->add_flag("--replace", fresh.replace, "Replace the file if it already exists");

    std::vector<std::string> choices;
    auto* info = command("info", "Say what a source is: its kind, frames, points and problems",
                         [&] { return info_command(path, choices, out); });
    info->add_option("FILE", path, "Any file of the source")->required();
    info->add_option("--choose", choices,
                     "A variant or animation to look at, as NAME=OPTION; without it, info lists them");

    auto* trace = command("trace", "Print every stage from output frame to source frame for one copy",
                          [&] { return trace_command(path, copy, frames, out); });
    trace->add_option("PROJECT", path, "A project file")->required();
    trace->add_option("--copy", copy, "Which copy, counted from 1")->required();
    frames_option(trace, frames)->required();

    CheckWords checked;
    auto* check = command("check",
                          "Look for twins, pops, seams, frames past the source's end and everything else that is "
                          "likely a mistake; ends with 3 when something is found",
                          [&] { return check_command(checked, out); });
    check->add_option("PROJECT", checked.project, "A project file")->required();
    check->add_option("--fail-on", checked.fail_on, "Only these kinds end with 3: \"twins,pop,seam\"");
    check->add_flag("--crowding", checked.crowding, "Look for copies that stand in each other, too");
    check->add_option("--report", checked.report, "Also write one HTML page with pictures");
    check->add_flag("--replace", checked.replace, "Replace the page if it is there already");

    LoopWords loops;
    auto* loop = command(
        "loop", "Find where a source nearly repeats: the best starts and lengths of a loop, with the gap that is left",
        [&] { return loop_command(loops, out); });
    loop->add_option("PROJECT", loops.project, "A project file")->required();
    loop->add_option("--source", loops.source, "Which source, by name or id; not needed where there is only one");
    loop->add_option("--shortest", loops.shortest, "Frames, of the files")->capture_default_str();
    loop->add_option("--longest", loops.longest, "Frames; 0: as long as there are frames")->capture_default_str();
    loop->add_option("--settle", loops.settle, "Frames at the start that are not looked at")->capture_default_str();
    loop->add_option("--around", loops.around,
                     "Frames on both sides that must be alike as well, so that the direction counts")
        ->capture_default_str();
    loop->add_option("--most", loops.most, "How many are told")->capture_default_str()->check(CLI::Range(1, 1000));
    loop->add_flag("--rigid", loops.rigid, "Poses count as alike wherever they stand and however they are turned");

    PreviewWords seen;
    auto* preview = command("preview", "Pictures or a movie of the copies, traced without any display",
                            [&] { return preview_command(seen, out); });
    preview_options(*preview, seen);

    ContactWords sheet;
    auto* contact = command("contact", "One sheet of pictures: copies down, output frames across",
                            [&] { return contact_command(sheet, out); });
    contact_options(*contact, sheet);

    auto* bake = command("bake", "Write the posed copies, one PLY file for each output frame; or one retimed source",
                         [&] { return bake_command(words, out); });
    bake->add_option("PROJECT", words.project, "A project file")->required();
    bake->add_option("--out", words.folder, "The folder to write into")->required();
    frames_option(bake, words.frames)->required();
    words.name = "copies";
    bake->add_option("--name", words.name, "What files are called before their number")->capture_default_str();
    bake->add_flag("--replace", words.replace, "Replace files that are there already");
    bake->add_option("--source", words.source, "Write this source alone, in its timing, at the origin");
    bake->add_option("--as", words.as,
                     "ply; with --source also usda or usdc: one USD file, text or binary, with time samples")
        ->check(CLI::IsMember({"ply", "usda", "usdc"}))
        ->capture_default_str();
    bake->add_flag("--dry-run", words.dry_run, "Only say how much would be written");

    HandoffWords handed;
    auto* handoff = command("handoff", "Write any of the outputs: posed copies, shared poses, references with timing …",
                            [&] { return handoff_command(handed, out); });
    handoff_options(*handoff, handed);
    handoff->add_flag("--resume", handed.resume, "Go on where the same hand-off was stopped; what is complete stays");
    handoff->add_option("--chunk", handed.share, "Only a share of the frames, as in 2/5: the second of five");
    handoff->add_option("--job", handed.job,
                        "Everything else as a job file of farm says; goes on where it was stopped");
    handoff->add_flag("--dry-run", handed.dry_run, "Only say what would be written, how large, and how exact");

    FarmWords farmed;
    auto* farm = command("farm", "Write a job file and scripts that split a hand-off over many machines",
                         [&] { return farm_command(farmed, out); });
    farm_options(*farm, farmed);

    auto* verify = command("verify", "Read back every file of a hand-off and compare it with what was written",
                           [&] { return verify_command(path, out); });
    verify->add_option("MANIFEST", path, "Its manifest: NAME.ply.handoff.json, NAME.usdc.handoff.json …")->required();

    auto* table = command("table", "Write the timing table: which source frame every copy shows, as CSV",
                          [&] { return table_command(path, frames, table_file, words.replace, out); });
    table->add_option("PROJECT", path, "A project file")->required();
    frames_option(table, frames)->required();
    table->add_option("--out", table_file, "The file to write; standard output if not given");
    table->add_flag("--replace", words.replace, "Replace the file if it is there already");

    FastCopyWords fast;
    auto* copy_of =
        command("fast-copy", "Write a source again as arrays (volumes: plain OpenVDB) that are read by seeking",
                [&] { return fast_copy_command(path, fast, out); });
    copy_of->add_option("FILE", path, "Any file of the source")->required();
    copy_of->add_option("--choose", fast.choices, "A variant or animation of the source, as NAME=OPTION");
    copy_of->add_option("--out", fast.stem, "Where to, without an ending")->required();
    copy_of->add_flag("--half", fast.half, "Half floats: half the size, three digits");
    copy_of->add_flag("--no-velocities", fast.no_velocities, "Leave velocities out");
    copy_of->add_option(
        "--keep", fast.keep,
        "Keep only these: normals, \"texture coordinates\", colours, attributes by name; of volumes: grids by name");
    copy_of->add_flag("--bare", fast.bare, "Keep nothing but points, faces and velocities");
    copy_of->add_flag("--replace", fast.replace, "Replace files that are there already");
    copy_of->add_flag("--dry-run", fast.dry_run, "Only say how large it would be");

    CameraWords filmed;
    auto* camera =
        command("camera", "Print the camera at output frames, as its keys say, as CSV; or write it as USD or glTF",
                [&] { return camera_command(filmed, out); });
    camera->add_option("PROJECT", filmed.project, "A project file")->required();
    frames_option(camera, filmed.frames)->required();
    camera->add_option("--out", filmed.file, "A file to write: .usda, .gltf or .csv");
    camera->add_option("--aspect", filmed.aspect, "Width over height of the picture, for .usda and .gltf")
        ->capture_default_str();
    camera->add_flag("--replace", filmed.replace, "Replace the file if it is there already");

    std::string only;
    auto* demo =
        command("demo", "Make the demo data: the lantern festival, the quay at night, and the canal with its copies",
                [&] { return demo_command(path, only, out); });
    demo->add_option("DIR", path, "The folder to make it in")->required();
    demo->add_option("--only", only, "Only one of the projects")
        ->check(CLI::IsMember({"festival", "quay", "canal", "dusk"}));

    SettingsWords settings;
    settings_commands(app, settings, out, code);
    add_edit_commands(app, out, code);

    app.add_option_function<std::uint64_t>(
           "--cache", [](const std::uint64_t& bytes) { set_cache_bytes(static_cast<std::size_t>(bytes)); },
           "Memory for poses, as in 500MB or 4GB; usually 2 GB, or less where the machine has little")
        ->transform(CLI::AsSizeValue(false));

    // "edit hold --help" is about hold: CLI11 would take the word for the project.
    if (has(argc, argv, "--help") || has(argc, argv, "-h")) {
        CLI::App* about = &app;
        for (int i = 1; i < argc; ++i) {
            for (CLI::App* sub : about->get_subcommands([](CLI::App*) { return true; })) {
                if (sub->get_name() != argv[i]) continue;
                about = sub;
                break;
            }
        }
        fmt::print("{}", about->help(about == &app                 ? ""
                                     : about->get_parent() == &app ? "garland-cli"
                                                                   : "garland-cli edit PROJECT"));
        return exit_fine;
    }
    try {
        std::vector<std::string> arguments;
        if (auto in_frames = with_times_in_frames(argc, argv); in_frames) {
            arguments = std::move(*in_frames);
        } else {
            out.json = has(argc, argv, "--json");
            return usage(in_frames.error(), out);
        }
        std::reverse(arguments.begin(), arguments.end()); // as CLI11 takes them
        app.parse(std::move(arguments));
    } catch (const CLI::Success& done) {
        return app.exit(done);
    } catch (const CLI::ParseError& error) {
        if (has(argc, argv, "--json"))
            print_json({{"error",
                         {{"code", "usage"},
                          {"message", error.what()},
                          {"advice", "garland-cli --help lists what there is"}}}});
        app.exit(error);
        return exit_usage;
    }
    return code;
}

} // namespace

CLI::Option* frames_option(CLI::App* command, std::string& to) {
    return command->add_option("--frames", to, "Output frames, as in 1:240 (STEP may follow: 1:240:4)");
}

int run_command_line(int argc, char** argv) {
    listen_to_signals();
    Output out;
    out.json = has(argc, argv, "--json");
    int code = exit_fine;
    try {
        code = run(argc, argv);
    } catch (const std::bad_alloc&) {
        code =
            report_error(Error{ErrorCode::too_large, "there is not enough memory for this"}
                             .keeping("everything that was there before")
                             .advise("close other programs, give a smaller --cache, or write fewer copies at a time"),
                         out);
    } catch (const std::exception& error) { // a library's: nobody else throws here
        code = std::ferror(stdout) ? exit_error : report_error(Error{ErrorCode::unreadable, error.what()}, out);
    }
    errno = 0;
    if (std::fflush(stdout) != 0 || std::ferror(stdout)) {
        std::fprintf(stderr, "garland-cli: standard output: cannot be written (%s). The answer is not complete.\n",
                     errno ? std::strerror(errno) : "no room, or closed");
        if (code == exit_fine || code == exit_findings) code = exit_error;
    }
    if (const int signal = signal_received(); signal != 0 && code != exit_fine) return 128 + signal;
    return code;
}

} // namespace garland
