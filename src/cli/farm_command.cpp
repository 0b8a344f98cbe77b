#include "cli/copy_options.h"
#include "cli/handoff_words.h"
#include "cli/opened.h"

#include "core/base/numbers.h"
#include "io/handoff/job_file.h"

#include <CLI/CLI.hpp>
#include <array>
#include <cstdio>
#include <filesystem>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

namespace garland {

namespace {

// What a program prints, without the last line's end. Errors: unreadable, where it cannot be run or ends badly.
Result<std::string> answer_of(const std::string& command) {
    std::FILE* pipe = ::popen((command + " 2>&1").c_str(), "r");
    std::string text;
    std::array<char, 4096> buffer;
    for (std::size_t got; pipe && (got = std::fread(buffer.data(), 1, buffer.size(), pipe)) > 0;)
        text.append(buffer.data(), got);
    const int code = pipe ? ::pclose(pipe) : -1;
    while (!text.empty() && text.back() == '\n') text.pop_back();
    if (code != 0) {
        return fail(Error{ErrorCode::unreadable, fmt::format("\"{}\" failed: {}", command, text)}
                        .keeping("the job file and the scripts")
                        .advise("submit the scripts by hand, or try again"));
    }
    return text;
}

int tell_state(const std::string& file, Output out) {
    auto job = read_job(file);
    if (!job) return report_error(job.error(), out);
    auto state = state_of(*job);
    if (!state) return report_error(state.error(), out);
    if (out.json) {
        print_json({{"frames", state->frames}, {"complete", state->complete}, {"whole", state->whole}});
    } else {
        fmt::print("{} of {} complete{}\n", state->complete, counted(state->frames, "frame", "frames"),
                   state->whole ? "; the manifest is written" : "");
    }
    return exit_fine;
}

Result<std::vector<std::string>> submit(const FarmScripts& scripts) {
    GARLAND_TRY(array, answer_of("sbatch --parsable " + in_shell(scripts.files[0])));
    GARLAND_TRY(verify, answer_of(fmt::format("sbatch --parsable --dependency=afterany:{} {}", array,
                                              in_shell(scripts.files[1]))));
    return std::vector<std::string>{array, verify};
}

} // namespace

void farm_options(CLI::App& app, FarmWords& words) {
    handoff_options(app, words.what);
    words.what.what = "posed-copies";
    app.add_option("--chunks", words.chunks, "How many shares the frames are split into, 1 to 100000")
        ->check(CLI::Range(1, 100'000))
        ->capture_default_str();
    app.add_option("--engine", words.engine, "slurm; or template, for any other engine")
        ->check(CLI::IsMember({"slurm", "template"}))
        ->capture_default_str();
    app.add_option("--template", words.template_file,
                   "With the engine template: a file with {command} and, where wanted, {chunk}, {chunks}, {verify}");
    app.add_option("--memory", words.memory, "Megabytes for each task; 0: as the engine has it")
        ->check(CLI::Range(0, 100'000'000))
        ->capture_default_str();
    app.add_option("--minutes", words.minutes, "How long a task may take; 0: as the engine has it")
        ->check(CLI::Range(0, 10'000'000))
        ->capture_default_str();
    app.add_option("--cli", words.cli, "How the machines call garland-cli; this program's own path if not given");
    app.add_flag("--submit", words.submit, "With slurm: submit it as well");
    app.add_flag("--state", words.state, "PROJECT is a job file: say how many frames are complete");
}

int farm_command(const FarmWords& words, Output out) {
    if (words.state) return tell_state(words.what.project, out);
    auto order = handoff_order(words.what);
    if (!order) return usage(order.error(), out);
    auto output = output_called(*order);
    if (!(*output)->in_frames(order->ending))
        return usage(Error{ErrorCode::invalid,
                           fmt::format("{} as {} is one file and cannot be split", (*output)->label, order->ending)}
                         .keeping("nothing was written")
                         .advise("split posed copies as .ply, or write it on one machine"),
                     out);
    if (order->each_copy)
        return usage(Error{ErrorCode::invalid, "what is a file a copy cannot be split"}
                         .keeping("nothing was written")
                         .advise("leave --each-copy out, or write it on one machine"),
                     out);
    if (words.engine == "template" && words.template_file.empty())
        return usage(
            Error{ErrorCode::invalid, "name the template with --template"}.advise("give a file with {command} in it"),
            out);
    TerminalProgress progress(out);
    auto opened = open(words.what.project, progress); // whether it can be opened is said here, not on forty machines
    if (!opened) return report_error(opened.error(), out);
    if ((*output)->of_source) {
        auto id = source_called(opened->project.project, words.what.source);
        if (!id) return report_error(id.error(), out);
        order->source = *id;
    } else if (!opened->project.missing.empty()) {
        return report_error(opened->project.missing.front().error, out);
    }
    std::error_code none;
    std::filesystem::create_directories(order->folder, none);
    FarmOrder farm;
    farm.job = {words.what.project, *order, words.chunks};
    farm.engine = words.engine, farm.memory = words.memory, farm.minutes = words.minutes;
    farm.cli = words.cli.empty() ? std::filesystem::read_symlink("/proc/self/exe", none).string() : words.cli;
    if (!words.template_file.empty()) {
        std::uint64_t size = 0;
        auto text = read_head(words.template_file, 1 << 20, size);
        if (!text) return report_error(text.error(), out);
        farm.template_text = std::move(*text);
    }
    const Existing existing = words.what.replace ? Existing::replace : Existing::refuse;
    if (auto ok = write_job(farm.job, existing); !ok) return report_error(ok.error(), out);
    auto scripts = write_farm(farm, existing);
    if (!scripts) return report_error(scripts.error(), out);
    std::vector<std::string> jobs;
    if (words.submit) {
        if (words.engine != "slurm")
            return usage(Error{ErrorCode::invalid, "only slurm is submitted from here"}.advise(
                             "leave --submit out, and give the scripts to the engine yourself"),
                         out);
        auto submitted = submit(*scripts);
        if (!submitted) return report_error(submitted.error(), out);
        jobs = std::move(*submitted);
    }
    if (out.json) {
        print_json({{"job", farm.job.path()}, {"scripts", scripts->files}, {"submitted", jobs}});
        return exit_fine;
    }
    fmt::print("{}: {} in {}\n", farm.job.path(), counted(order->frames.count(), "frame", "frames"),
               counted(words.chunks, "share", "shares"));
    for (const std::string& f : scripts->files) fmt::print("{}\n", f);
    if (!jobs.empty()) fmt::print("submitted as {}, verified by {}\n", jobs[0], jobs[1]);
    return exit_fine;
}

} // namespace garland
