#include "cli/commands.h"

#include <csignal>
#include <cstdio>
#include <fmt/format.h>
#include <mutex>
#include <nlohmann/json.hpp>
#include <unistd.h>

namespace garland {

namespace {
volatile std::sig_atomic_t interrupted = 0;
std::mutex progress_mutex;
} // namespace

nlohmann::ordered_json error_json(const Error& error) {
    nlohmann::ordered_json j{{"code", name_of(error.code)}, {"message", error.message}};
    if (!error.path.empty()) j["path"] = error.path;
    if (error.frame) j["frame"] = *error.frame;
    if (error.line) j["line"] = *error.line;
    if (error.offset) j["byte"] = *error.offset;
    if (!error.kept.empty()) j["kept"] = error.kept;
    if (const std::string advice = advice_of(error); !advice.empty()) j["advice"] = advice;
    return j;
}

void print_json(const nlohmann::ordered_json& json) {
    nlohmann::ordered_json answer{{"garland_cli", answer_version}};
    answer.update(json);
    fmt::print("{}\n", answer.dump(2, ' ', false, nlohmann::ordered_json::error_handler_t::replace));
}

void say(std::string_view words) {
    // Where nobody can be told there is nobody to tell: what was done stays done.
    static_cast<void>(std::fwrite(words.data(), 1, words.size(), stderr));
}

void listen_to_signals() {
    for (const int number : {SIGINT, SIGTERM}) {
        struct sigaction action {};
        action.sa_handler = [](int signal) { interrupted = signal; };
        action.sa_flags = static_cast<int>(SA_RESETHAND); // a second one ends the program at once
        ::sigaction(number, &action, nullptr);
    }
    struct sigaction ignored {};
    ignored.sa_handler = SIG_IGN; // writing beyond the limit of a file's size is an error like a full disk
    ::sigaction(SIGXFSZ, &ignored, nullptr);
}

int signal_received() {
    return interrupted;
}

int report_error(const Error& error, Output out) {
    if (out.json) print_json({{"error", error_json(error)}});
    say(fmt::format("garland-cli: {}\n", describe(error)));
    return exit_error;
}

TerminalProgress::TerminalProgress(Output out) : shown_(!out.quiet && ::isatty(STDERR_FILENO)) {}

TerminalProgress::~TerminalProgress() {
    if (shown_ && last_ >= 0) say("\r\033[K");
}

void TerminalProgress::report(double share, std::string_view what) {
    if (!shown_) return;
    std::lock_guard lock(progress_mutex);
    const int now = static_cast<int>(share * 100);
    if (now == last_) return;
    last_ = now;
    say(fmt::format("\r{:3d} %  {}\033[K", now, what));
    std::fflush(stderr);
}

bool TerminalProgress::cancelled() const {
    return interrupted != 0;
}

} // namespace garland
