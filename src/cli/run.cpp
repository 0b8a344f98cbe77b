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

// The parser of the command line and what it fills; the callbacks refer to it, so it stays where it is.
class CommandLine {
  public:
    CommandLine();
    CommandLine(const CommandLine&) = delete;
    CommandLine& operator=(const CommandLine&) = delete;
    int run(int argc, char** argv);

  private:
    template <class Run>
    CLI::App* command(const char* name, const char* what, Run run) {
        CLI::App* sub = app_.add_subcommand(name, what);
        sub->add_flag("--json", out_.json, "Answer as one JSON object");
        sub->add_flag("--quiet", out_.quiet, "Show no progress");
        sub->callback([this, run] { code_ = run(); });
        return sub;
    }
    void add_projects();
    void add_proofs();
    void add_pictures();
    void add_outputs();
    void add_tables();
    void show_help(int argc, char** argv);

    CLI::App app_{"Retimes baked motion and strings it over copies, each with its own time.", "garland-cli"};
    Output out_;
    NewWords fresh_;
    std::vector<std::string> choices_;
    CheckWords checked_;
    LoopWords loops_;
    PreviewWords seen_;
    ContactWords sheet_;
    HandoffWords handed_;
    FarmWords farmed_;
    std::string points_out_;
    FastCopyWords fast_;
    CameraWords filmed_;
    std::string only_;
    SettingsWords settings_;
    std::string path_;
    std::string frames_;
    std::string table_file_;
    BakeWords words_;
    long long copy_ = 1;
    int code_ = exit_fine;
};

CommandLine::CommandLine() {
    app_.set_version_flag("--version", std::string("garland-cli ") + garland_version);
    app_.require_subcommand(1);
    app_.fallthrough();
    app_.footer("A project may be - for standard input. Times may carry a unit: 12f, 0.5s, 2beats. Exit codes: 0 fine, "
                "1 error, 2 wrong usage, 3 findings, 130 interrupted.");
    add_projects();
    add_proofs();
    add_pictures();
    add_outputs();
    add_tables();
    add_edit_commands(app_, out_, code_);
    app_.add_option_function<std::uint64_t>(
            "--cache", [](const std::uint64_t& bytes) { set_cache_bytes(static_cast<std::size_t>(bytes)); },
            "Memory for poses, as in 500MB or 4GB; usually 2 GB, or less where the machine has little")
        ->transform(CLI::AsSizeValue(false));
}

void CommandLine::add_projects() {
    auto* make = command("new", "Make an empty project", [this] { return new_command(fresh_, out_); });
    make->add_option("FILE", fresh_.path, "The project file to make")->required();
    make->add_option("--name", fresh_.name, "What it is called");
    make->add_option("--rate", fresh_.rate, "Output frames per second, as in 24 or 24000/1001");
    make->add_option("--range", fresh_.range, "Output frames, as in 1:240");
    make->add_flag("--replace", fresh_.replace, "Replace the file if it already exists");

    auto* info = command("info", "Describe a source: its kind, frames, points and problems",
                         [this] { return info_command(path_, choices_, out_); });
    info->add_option("FILE", path_, "Any file of the source")->required();
    info->add_option("--choose", choices_,
                     "A variant or animation to look at, as NAME=OPTION; without it, info lists them");

    auto* trace = command("trace", "Print every stage from output frame to source frame for one copy",
                          [this] { return trace_command(path_, copy_, frames_, out_); });
    trace->add_option("PROJECT", path_, "A project file")->required();
    trace->add_option("--copy", copy_, "Which copy, counted from 1")->required();
    frames_option(trace, frames_)->required();
}

void CommandLine::add_proofs() {
    auto* check = command("check",
                          "Check for twins, pops, seams, frames past the source's end and everything else that is "
                          "likely a mistake; ends with 3 when something is found",
                          [this] { return check_command(checked_, out_); });
    check->add_option("PROJECT", checked_.project, "A project file")->required();
    check->add_option("--fail-on", checked_.fail_on, "Only these kinds end with 3: \"twins,pop,seam\"");
    check->add_flag("--crowding", checked_.crowding, "Look for copies that stand in each other, too");
    check->add_option("--out", checked_.folder, "Also look whether a hand-off into this folder has room on its disk");
    check->add_option("--what", checked_.what, "With --out: what would be handed off, as for garland-cli handoff")
        ->capture_default_str();
    check->add_option("--as", checked_.as, "With --out: the kind of file; the usual one if not given");
    check->add_option("--report", checked_.report, "Also write one HTML page with pictures");
    check->add_flag("--replace", checked_.replace, "Replace the page if it already exists");

    auto* loop = command(
        "loop", "Find where a source nearly repeats: the best starts and lengths of a loop, with the gap that is left",
        [this] { return loop_command(loops_, out_); });
    loop->add_option("PROJECT", loops_.project, "A project file")->required();
    loop->add_option("--source", loops_.source, "Which source, by name or id; not needed where there is only one");
    loop->add_option("--shortest", loops_.shortest, "Frames, of the files")->capture_default_str();
    loop->add_option("--longest", loops_.longest, "Frames; 0: as long as there are frames")->capture_default_str();
    loop->add_option("--skip-first", loops_.settle, "Frames at the start that are not looked at")
        ->capture_default_str();
    loop->add_option("--around", loops_.around,
                     "Frames on both sides that must be alike as well, so that the direction counts")
        ->capture_default_str();
    loop->add_option("--most", loops_.most, "Number of loops to list")
        ->capture_default_str()
        ->check(CLI::Range(1, 1000));
    loop->add_flag("--rigid", loops_.rigid, "Ignore position and rotation when comparing poses");
}

void CommandLine::add_pictures() {
    auto* preview = command("preview", "Pictures or a movie of the copies, traced without any display",
                            [this] { return preview_command(seen_, out_); });
    preview_options(*preview, seen_);

    auto* contact = command("contact", "One sheet of pictures: copies down, output frames across",
                            [this] { return contact_command(sheet_, out_); });
    contact_options(*contact, sheet_);
}

void CommandLine::add_outputs() {
    auto* bake = command("bake", "Write the posed copies, one PLY file for each output frame; or one retimed source",
                         [this] { return bake_command(words_, out_); });
    bake->add_option("PROJECT", words_.project, "A project file")->required();
    bake->add_option("--out", words_.folder, "The folder to write into")->required();
    frames_option(bake, words_.frames)->required();
    words_.name = "copies";
    bake->add_option("--name", words_.name, "What files are called before their number")->capture_default_str();
    bake->add_flag("--replace", words_.replace, "Replace files that already exist");
    bake->add_option("--source", words_.source, "Write this source alone, in its timing, at the origin");
    bake->add_option("--as", words_.as,
                     "ply; with --source also usda or usdc: one USD file, text or binary, with time samples")
        ->check(CLI::IsMember({"ply", "usda", "usdc"}))
        ->capture_default_str();
    bake->add_flag("--dry-run", words_.dry_run, "Only say how much would be written");

    auto* handoff = command("handoff", "Write any of the outputs: posed copies, shared poses, references with timing …",
                            [this] { return handoff_command(handed_, out_); });
    handoff_options(*handoff, handed_);
    handoff->add_flag("--resume", handed_.resume, "Go on where the same hand-off was stopped; what is complete stays");
    handoff->add_option("--chunk", handed_.share, "Only a share of the frames, as in 2/5: the second of five");
    handoff->add_option("--job", handed_.job,
                        "Everything else as a job file of farm says; goes on where it was stopped");
    handoff->add_flag("--dry-run", handed_.dry_run, "Only say what would be written, how large, and how exact");

    auto* farm = command("farm", "Write a job file and scripts that split a hand-off over many machines",
                         [this] { return farm_command(farmed_, out_); });
    farm_options(*farm, farmed_);

    auto* verify = command("verify", "Read back every file of a hand-off and compare it with what was written",
                           [this] { return verify_command(path_, out_); });
    verify->add_option("MANIFEST", path_, "Its manifest: NAME.ply.handoff.json, NAME.usdc.handoff.json …")->required();
}

void CommandLine::add_tables() {
    auto* table = command("table", "Write the timing table: which source frame every copy shows, as CSV",
                          [this] { return table_command(path_, frames_, table_file_, words_.replace, out_); });
    table->add_option("PROJECT", path_, "A project file")->required();
    frames_option(table, frames_)->required();
    table->add_option("--out", table_file_, "The file to write; standard output if not given");
    table->add_flag("--replace", words_.replace, "Replace the file if it already exists");

    auto* copy_of = command("fast-copy", "Write a source again as arrays (volumes: plain OpenVDB) with random access",
                            [this] { return fast_copy_command(path_, fast_, out_); });
    copy_of->add_option("FILE", path_, "Any file of the source")->required();
    copy_of->add_option("--choose", fast_.choices, "A variant or animation of the source, as NAME=OPTION");
    copy_of->add_option("--out", fast_.stem, "Output path without extension")->required();
    copy_of->add_flag("--half", fast_.half, "Half floats: half the size, three digits");
    copy_of->add_flag("--no-velocities", fast_.no_velocities, "Leave velocities out");
    copy_of->add_option(
        "--keep", fast_.keep,
        "Keep only these: normals, \"texture coordinates\", colours, attributes by name; of volumes: grids by name");
    copy_of->add_flag("--bare", fast_.bare, "Keep nothing but points, faces and velocities");
    copy_of->add_flag("--replace", fast_.replace, "Replace files that already exist");
    copy_of->add_flag("--dry-run", fast_.dry_run, "Only say how large it would be");

    auto* camera =
        command("camera", "Print the camera at output frames, as its keys say, as CSV; or write it as USD or glTF",
                [this] { return camera_command(filmed_, out_); });
    camera->add_option("PROJECT", filmed_.project, "A project file")->required();
    frames_option(camera, filmed_.frames)->required();
    camera->add_option("--out", filmed_.file, "A file to write: .usda, .gltf or .csv");
    camera->add_option("--aspect", filmed_.aspect, "Width over height of the picture, for .usda and .gltf")
        ->capture_default_str();
    camera->add_flag("--replace", filmed_.replace, "Replace the file if it already exists");

    auto* demo =
        command("demo", "Make the demo data: the lantern festival, the quay at night, and the canal with its copies",
                [this] { return demo_command(path_, only_, out_); });
    demo->add_option("DIR", path_, "The folder to make it in")->required();
    demo->add_option("--only", only_, "Only one of the projects")
        ->check(CLI::IsMember({"festival", "quay", "canal", "dusk"}));

    auto* points = app_.add_subcommand("vdb-points", "Turn OpenVDB points into PLY files");
    points->group(""); // run by the program itself
    points->add_option("FILE", path_)->required();
    points->add_option("OUT", points_out_)->required();
    points->callback([this] { code_ = points_command(path_, points_out_); });

    settings_commands(app_, settings_, out_, code_);
}

// "edit hold --help" is about hold: CLI11 would take the word for the project.
void CommandLine::show_help(int argc, char** argv) {
    CLI::App* about = &app_;
    for (int i = 1; i < argc; ++i) {
        for (CLI::App* sub : about->get_subcommands([](CLI::App*) { return true; })) {
            if (sub->get_name() != argv[i]) continue;
            about = sub;
            break;
        }
    }
    fmt::print("{}", about->help(about == &app_                 ? ""
                                 : about->get_parent() == &app_ ? "garland-cli"
                                                                : "garland-cli edit PROJECT"));
}

int CommandLine::run(int argc, char** argv) {
    if (has(argc, argv, "--help") || has(argc, argv, "-h")) {
        show_help(argc, argv);
        return exit_fine;
    }
    try {
        std::vector<std::string> arguments;
        if (auto in_frames = with_times_in_frames(argc, argv); in_frames) {
            arguments = std::move(*in_frames);
        } else {
            out_.json = has(argc, argv, "--json");
            return usage(in_frames.error(), out_);
        }
        std::reverse(arguments.begin(), arguments.end()); // as CLI11 takes them
        app_.parse(std::move(arguments));
    } catch (const CLI::Success& done) {
        return app_.exit(done);
    } catch (const CLI::ParseError& error) {
        if (has(argc, argv, "--json"))
            print_json({{"error",
                         {{"code", "usage"},
                          {"message", error.what()},
                          {"advice", "garland-cli --help lists what there is"}}}});
        app_.exit(error);
        return exit_usage;
    }
    return code_;
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
        code = CommandLine().run(argc, argv);
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
