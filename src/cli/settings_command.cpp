// What concerns no project: the formats, and the user's own readers.
#include "cli/commands.h"

#include "core/base/numbers.h"
#include "io/formats.h"
#include "io/sources/converted.h"
#include "io/sources/reader_commands.h"

#include <CLI/CLI.hpp>
#include <algorithm>
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <nlohmann/json.hpp>

namespace garland {

using Json = nlohmann::ordered_json;

int formats_command(bool markdown, Output out) {
    if (out.json) {
        Json all = Json::array();
        for (const Format& f : formats()) {
            all.push_back({{"name", f.name},
                           {"endings", f.endings},
                           {"source", f.gathered},
                           {"read", f.read},
                           {"left_out", f.left_out},
                           {"written", f.written}});
        }
        print_json({{"formats", all}});
    } else if (markdown) {
        fmt::print("{}", formats_table());
    } else {
        for (const Format& f : formats()) {
            fmt::print("{}  {}\n", f.name, fmt::join(f.endings, " "));
            if (!f.read.empty()) fmt::print("    read      {}\n", f.read);
            if (!f.left_out.empty()) fmt::print("    left out  {}\n", f.left_out);
            if (!f.written.empty()) fmt::print("    written   {}\n", f.written);
        }
    }
    return exit_fine;
}

namespace {

Result<void> change_readers(const ReaderWords& words, std::vector<ReaderCommand>& all) {
    const auto find = [&](const std::string& ending) {
        return std::find_if(all.begin(), all.end(), [&](const ReaderCommand& r) { return r.ending == ending; });
    };
    if (!words.remove.empty()) {
        const auto at = find(words.remove);
        if (at == all.end())
            return fail(Error{ErrorCode::not_found, fmt::format("there is no reader for {}", words.remove)}.advise(
                "garland-cli readers lists them"));
        all.erase(at);
    }
    if (!words.ending.empty()) {
        ReaderCommand one;
        one.ending = words.ending;
        one.as = words.as;
        one.limit = words.limit;
        GARLAND_TRY(command, command_words(words.command));
        one.command = std::move(command);
        GARLAND_CHECK(check_reader_command(one));
        const auto at = find(one.ending);
        if (at != all.end()) {
            *at = one;
        } else {
            all.push_back(one);
        }
    }
    return save_reader_commands(all);
}

} // namespace

int readers_command(const ReaderWords& words, Output out) {
    auto all = load_reader_commands();
    if (!all) return report_error(all.error(), out);
    if (words.ending.empty() != words.command.empty()) {
        return report_error(Error{ErrorCode::invalid, "--set and --command belong together"}.advise(
                                "--set .lamps --command \"lamps2usd {in} {out}\""),
                            out);
    }
    if (!words.remove.empty() || !words.ending.empty()) {
        if (auto done = change_readers(words, *all); !done) {
            done.error().kept = "the readers are as they were";
            return report_error(done.error(), out);
        }
        all = load_reader_commands();
        if (!all) return report_error(all.error(), out);
    }
    if (words.clear) clear_converted();
    const ConvertedUse use = converted_use();
    if (out.json) {
        Json list = Json::array();
        for (const ReaderCommand& r : *all)
            list.push_back({{"ending", r.ending}, {"as", r.as}, {"command", r.command}, {"limit", r.limit}});
        print_json({{"file", reader_commands_file()},
                    {"readers", list},
                    {"kept", {{"folder", converted_folder()}, {"sources", use.files}, {"bytes", use.bytes}}}});
        return exit_fine;
    }
    for (const ReaderCommand& r : *all)
        fmt::print("{:8} as {:5} {}  (at most {} s)\n", r.ending, r.as, command_line(r.command), r.limit);
    if (all->empty()) fmt::print("no readers by command\n");
    fmt::print("in {}; kept: {}, {}\n", reader_commands_file(),
               counted(static_cast<std::int64_t>(use.files), "source", "sources"), byte_count(use.bytes));
    return exit_fine;
}

void settings_commands(CLI::App& app, SettingsWords& words, Output& out, int& code) {
    auto common = [&](CLI::App* sub) {
        sub->add_flag("--json", out.json, "Answer as one JSON object");
        sub->add_flag("--quiet", out.quiet, "Show no progress");
        return sub;
    };
    CLI::App* list = common(app.add_subcommand("formats", "List every format: what is read, left out and written"));
    list->add_flag("--markdown", words.markdown, "As a table in Markdown");
    list->callback([&words, &out, &code] { code = formats_command(words.markdown, out); });
    CLI::App* own = common(app.add_subcommand(
        "readers", "List and set programs of yours that turn further file endings into formats that are read"));
    own->add_option("--set", words.readers.ending, "The ending, as in .lamps");
    own->add_option(
        "--command", words.readers.command,
        "The program and its words; {in} and {out} stand for the file to read and the file to write (a path "
        "without ending for ply and npy)");
    own->add_option("--as", words.readers.as, "What it writes")
        ->check(CLI::IsMember(reader_command_formats()))
        ->capture_default_str();
    own->add_option("--limit", words.readers.limit, "Seconds until it is stopped")->capture_default_str();
    own->add_option("--remove", words.readers.remove, "Remove the reader of this ending");
    own->add_flag("--clear", words.readers.clear,
                  "Remove what readers have written so far; it is made again when asked");
    own->callback([&words, &out, &code] { code = readers_command(words.readers, out); });
    CLI::App* shell =
        common(app.add_subcommand("completions", "Print a script that completes garland-cli's words in a shell"));
    shell->add_option("SHELL", words.shell, "bash, zsh or fish")
        ->check(CLI::IsMember({"bash", "zsh", "fish"}))
        ->required();
    shell->callback([&words, &app, &code] {
        fmt::print("{}", completion_script(app, words.shell));
        code = exit_fine;
    });
}

} // namespace garland
