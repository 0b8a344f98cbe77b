// garland-cli: the same core as the window, without one. Exit codes: 0 fine, 1 error, 2 wrong usage, 3 findings.
#pragma once

#include "core/base/progress.h"
#include "core/base/result.h"
#include "core/time/frames.h"
#include "render/look.h"

#include <nlohmann/json_fwd.hpp>
#include <string>
#include <vector>

namespace CLI {
class App;
class Option;
} // namespace CLI

namespace garland {

inline constexpr int exit_fine = 0, exit_error = 1, exit_usage = 2, exit_findings = 3; // 128 + the signal that ended it

int run_command_line(int argc, char** argv);

// What most commands ask for: --frames.
CLI::Option* frames_option(CLI::App* command, std::string& to);

// Where a command's answer goes: as text lines, or as one JSON object at the end.
struct Output {
    bool json = false;
    bool quiet = false; // no progress
};

// Words beside the answer, on standard error. Nothing happens where that is closed or full.
void say(std::string_view words);

// "A:B" or "A:B:STEP", or one frame.
struct FrameList {
    double first = 1, last = 1, step = 1;
};
Result<FrameList> parse_frames(const std::string& text);

int info_command(const std::string& path, const std::vector<std::string>& choices, Output out);
int trace_command(const std::string& project, long long copy, const std::string& frames, Output out);
struct CheckWords {
    std::string project, fail_on, report;
    std::string folder, what = "posed-copies", as; // folder: where a hand-off would go; empty: none is looked at
    bool crowding = false, replace = false;
};
int check_command(const CheckWords& words, Output out);
struct BakeWords {
    std::string project, folder, frames, name;
    bool replace = false, dry_run = false;
    std::string source, as = "ply"; // source: this one alone, retimed; as: "usda" then too
};
int bake_command(const BakeWords& words, Output out);
struct HandoffWords {
    std::string project, what, folder, name = "copies", frames, as, source;
    int poses_per_frame = 8;
    double tolerance = 0.001;
    std::string up = "y", unit = "m";
    std::int64_t handles = 0;
    bool no_velocities = false, no_attributes = false, each_copy = false;
    ShutterSamples shutter{};
    std::string share, job;
    bool replace = false, resume = false, dry_run = false;
};
int verify_command(const std::string& manifest, Output out); // reads back what a hand-off wrote
void handoff_options(CLI::App& app, HandoffWords& words);
int handoff_command(const HandoffWords& words, Output out);
struct FarmWords {
    HandoffWords what;
    int chunks = 10, memory = 0, minutes = 0;
    std::string engine = "slurm", template_file, cli;
    bool submit = false, state = false;
};
void farm_options(CLI::App& app, FarmWords& words);
int farm_command(const FarmWords& words, Output out); // a hand-off for many machines
struct PreviewWords {
    std::string project, folder, name = "preview", frames, as = "png", size, ground = "shown", colour = "materials",
                                 overlay;
    int spread = 1;
    PreviewLook look;
    bool quick = false, keep = false, replace = false, silent = false, dry_run = false;
};
void preview_options(CLI::App& app, PreviewWords& words);
int preview_command(const PreviewWords& words, Output out);
struct ContactWords {
    std::string project, file, frames, copies, colour = "materials";
    int tile = 120, samples = 8;
    bool replace = false;
};
void contact_options(CLI::App& app, ContactWords& words);
int contact_command(const ContactWords& words, Output out);
int table_command(const std::string& project, const std::string& frames, const std::string& file, bool replace,
                  Output out);
struct LoopWords {
    std::string project, source;
    std::int64_t shortest = 12, longest = 0, settle = 0, around = 2;
    int most = 12;
    bool rigid = false;
};
int loop_command(const LoopWords& words, Output out); // prints where a source nearly repeats
struct FastCopyWords {
    std::vector<std::string> choices;
    std::string stem;
    bool half = false, no_velocities = false, replace = false, dry_run = false;
    std::vector<std::string> keep;
    bool bare = false;
};
int points_command(const std::string& path, const std::string& out); // OpenVDB points as PLY files
int fast_copy_command(const std::string& path, const FastCopyWords& words, Output out);
struct NewWords {
    std::string path, name, rate, range;
    bool replace = false;
};
int new_command(const NewWords& words, Output out); // an empty project
struct CameraWords {
    std::string project, frames, file;
    double aspect = 16.0 / 9.0;
    bool replace = false;
};
int camera_command(const CameraWords& words, Output out);
// only: "festival", "quay", or "" for both; prints the paths of the projects.
int demo_command(const std::string& folder, const std::string& only, Output out);

struct ReaderWords {
    std::string ending, command, as = "usdc", remove;
    double limit = 600;
    bool clear = false;
};
struct SettingsWords {
    ReaderWords readers;
    std::string shell = "bash";
    bool markdown = false;
};
int formats_command(bool markdown, Output out);
int readers_command(const ReaderWords& words, Output out);
std::string completion_script(const CLI::App& app, const std::string& shell);        // bash, zsh or fish
void settings_commands(CLI::App& app, SettingsWords& words, Output& out, int& code); // all of these

// Prints an error to standard error (or as JSON to standard output) and gives its exit code.
int report_error(const Error& error, Output out);
nlohmann::ordered_json error_json(const Error& error);
inline constexpr int answer_version = 1;             // of what --json prints, said in every answer
void print_json(const nlohmann::ordered_json& json); // an object

// SIGINT and SIGTERM ask for an end: work stops at its next step, and nothing half-written stays.
void listen_to_signals();
int signal_received(); // which one; 0: none

// Progress on standard error where that is a terminal.
class TerminalProgress final : public Progress {
  public:
    explicit TerminalProgress(Output out);
    ~TerminalProgress() override;
    void report(double share, std::string_view what) override;
    bool cancelled() const override; // after a signal

  private:
    bool shown_;
    int last_ = -1;
};

} // namespace garland
