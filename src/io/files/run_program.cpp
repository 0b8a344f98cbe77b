#include "io/files/run_program.h"

#include <array>
#include <cerrno>
#include <chrono>
#include <csignal>
#include <cstdlib>
#include <cstring>
#include <fcntl.h>
#include <fmt/format.h>
#include <poll.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

extern char** environ;

namespace garland {

namespace {

constexpr std::size_t most_said = 4000;
constexpr int look_every = 50; // milliseconds
constexpr std::chrono::seconds polite{2};

using Deadline = std::chrono::steady_clock::time_point;

struct Spawned {
    pid_t process = -1;
    int output = -1; // read end
};

Result<Spawned> start(const ProgramRun& run) {
    std::array<int, 2> ends{};
    if (pipe2(ends.data(), O_CLOEXEC) != 0)
        return fail(
            Error{ErrorCode::unreadable, fmt::format("no pipe could be made ({})", std::strerror(errno))}.advise(
                "close other programs, and try again"));
    posix_spawn_file_actions_t actions;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_addopen(&actions, STDIN_FILENO, "/dev/null", O_RDONLY, 0);
    posix_spawn_file_actions_adddup2(&actions, ends[1], STDOUT_FILENO);
    posix_spawn_file_actions_adddup2(&actions, ends[1], STDERR_FILENO);
    posix_spawn_file_actions_addclosefrom_np(&actions, STDERR_FILENO + 1);
    posix_spawn_file_actions_addchdir_np(&actions, run.folder.c_str());
    posix_spawnattr_t attributes;
    posix_spawnattr_init(&attributes);
    sigset_t none, all;
    sigemptyset(&none);
    sigfillset(&all);
    posix_spawnattr_setsigmask(&attributes, &none);
    posix_spawnattr_setsigdefault(&attributes, &all);
    posix_spawnattr_setpgroup(&attributes, 0); // a group of its own, so that all of it can be stopped
    posix_spawnattr_setflags(&attributes, POSIX_SPAWN_SETPGROUP | POSIX_SPAWN_SETSIGMASK | POSIX_SPAWN_SETSIGDEF);
    std::vector<char*> words;
    for (const std::string& w : run.words) words.push_back(const_cast<char*>(w.c_str()));
    words.push_back(nullptr);
    Spawned out;
    const int failed = posix_spawnp(&out.process, words[0], &actions, &attributes, words.data(), environ);
    posix_spawnattr_destroy(&attributes);
    posix_spawn_file_actions_destroy(&actions);
    close(ends[1]);
    out.output = ends[0];
    if (failed == 0) return out;
    close(ends[0]);
    if (failed == ENOENT) {
        return fail(Error{ErrorCode::not_found, fmt::format("there is no program \"{}\"", run.words[0])}.advise(
            "install it, or give its whole path"));
    }
    return fail(
        Error{ErrorCode::unreadable, fmt::format("\"{}\" cannot be run ({})", run.words[0], std::strerror(failed))}
            .advise("check the command in the preferences"));
}

// The number before the last per cent sign; below 0: none.
double share_in(std::string_view text) {
    const std::size_t sign = text.rfind('%');
    if (sign == text.npos) return -1;
    std::size_t end = sign;
    while (end > 0 && text[end - 1] == ' ') --end;
    std::size_t begin = end;
    while (begin > 0 && (std::isdigit(static_cast<unsigned char>(text[begin - 1])) || text[begin - 1] == '.')) --begin;
    if (begin == end) return -1;
    const double value = std::strtod(std::string(text.substr(begin, end - begin)).c_str(), nullptr) / 100;
    return value >= 0 && value <= 1 ? value : -1;
}

class Watch {
  public:
    Watch(Spawned program, const ProgramRun& run, Progress& progress)
        : program_(program), run_(run), progress_(progress),
          until_(std::chrono::steady_clock::now() +
                 std::chrono::milliseconds(static_cast<std::int64_t>(std::min(run.limit, 1e9) * 1000))) {}
    ~Watch() { close(program_.output); }

    Result<ProgramEnd> wait() {
        int status = 0;
        progress_.report(0, run_.words[0]);
        for (;;) {
            const bool open = listen(look_every);
            const pid_t done = waitpid(program_.process, &status, WNOHANG);
            if (done == program_.process) break;
            if (done < 0 && errno != EINTR)
                return fail(Error{ErrorCode::unreadable, fmt::format("\"{}\" was lost sight of", run_.words[0])}.advise(
                    "try again"));
            const bool late = std::chrono::steady_clock::now() >= until_;
            if (late || progress_.cancelled()) return stop(late);
            if (!open) usleep(look_every * 1000);
        }
        while (listen(0)) {
        }                                  // what is still in the pipe
        killpg(program_.process, SIGKILL); // what it left running
        ProgramEnd out;
        out.code = WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
        out.said = std::move(said_);
        return out;
    }

  private:
    // Whether something came, or could still come.
    bool listen(int milliseconds) {
        pollfd what{program_.output, POLLIN, 0};
        if (poll(&what, 1, milliseconds) <= 0) return milliseconds > 0;
        std::array<char, 4096> bytes{};
        const ssize_t count = read(program_.output, bytes.data(), bytes.size());
        if (count <= 0) return false;
        said_.append(bytes.data(), static_cast<std::size_t>(count));
        if (said_.size() > most_said) said_.erase(0, said_.size() - most_said);
        if (const double share = share_in(said_); share >= 0) progress_.report(share, run_.words[0]);
        return true;
    }
    tl::unexpected<Error> stop(bool late) {
        killpg(program_.process, SIGTERM);
        int status = 0;
        const Deadline give_up = std::chrono::steady_clock::now() + polite;
        while (waitpid(program_.process, &status, WNOHANG) == 0) {
            if (std::chrono::steady_clock::now() > give_up) {
                killpg(program_.process, SIGKILL);
                waitpid(program_.process, &status, 0);
                break;
            }
            usleep(look_every * 1000);
        }
        killpg(program_.process, SIGKILL);
        if (!late) return fail(ErrorCode::cancelled, "stopped");
        return fail(Error{ErrorCode::invalid,
                          fmt::format("\"{}\" was stopped, since it took longer than {} s", run_.words[0], run_.limit)}
                        .advise("give it a higher limit"));
    }

    Spawned program_;
    const ProgramRun& run_;
    Progress& progress_;
    Deadline until_;
    std::string said_;
};

} // namespace

Result<ProgramEnd> run_program(const ProgramRun& run, Progress& progress) {
    GARLAND_TRY(started, start(run));
    return Watch(started, run, progress).wait();
}

} // namespace garland
