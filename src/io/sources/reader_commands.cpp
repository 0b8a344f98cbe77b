#include "io/sources/reader_commands.h"

#include "io/files/file.h"
#include "io/files/json_part.h"
#include "io/files/run_program.h"
#include "io/sources/converted.h"
#include "io/sources/open_source.h"

#include <algorithm>
#include <cctype>
#include <filesystem>
#include <fmt/format.h>
#include <fmt/ranges.h>

namespace garland {

namespace fs = std::filesystem;

namespace {

bool series_format(const std::string& as) {
    return as == "ply" || as == "npy";
}

std::string with_path(std::string word, std::string_view what, const std::string& path) {
    for (std::size_t at = 0; (at = word.find(what, at)) != word.npos; at += path.size())
        word.replace(at, what.size(), path);
    return word;
}

// The file of what a command wrote that open_source is given; "" where there is none.
std::string written_in(const std::string& folder, const ReaderCommand& reader) {
    std::vector<std::string> found;
    std::error_code ignored;
    for (const auto& entry : fs::directory_iterator(folder, ignored)) {
        if (entry.path().extension() == "." + reader.as && entry.is_regular_file(ignored))
            found.push_back(entry.path().string());
    }
    std::sort(found.begin(), found.end());
    return found.empty() ? "" : found.front();
}

// What a program printed, as one line: its last words tell the most.
std::string last_words(const std::string& said) {
    std::string line;
    for (const char c : said) line += static_cast<unsigned char>(c) < ' ' ? ' ' : c;
    while (!line.empty() && line.back() == ' ') line.pop_back();
    constexpr std::size_t most = 600;
    if (line.size() > most) line = "…" + line.substr(line.size() - most);
    return line;
}

Result<void> run_reader(const ReaderCommand& reader, const std::string& path, const std::string& folder,
                        Progress& progress) {
    const std::string stem = fs::path(path).stem().string();
    const std::string out =
        folder + "/" + (stem.empty() ? "source" : stem) + (series_format(reader.as) ? "" : "." + reader.as);
    ProgramRun run;
    run.folder = folder;
    run.limit = reader.limit;
    std::vector<std::string> by_hand;
    for (const std::string& w : reader.command) {
        by_hand.push_back(with_path(w, "{in}", fs::absolute(path).string()));
        run.words.push_back(with_path(by_hand.back(), "{out}", out));
    }
    auto end = run_program(run, progress);
    if (!end) {
        Error error = std::move(end.error());
        if (error.code != ErrorCode::cancelled)
            error.message = fmt::format("the reader by command for {}: {}", reader.ending, error.message);
        error.path = path;
        return fail(std::move(error));
    }
    const std::string said = last_words(end->said);
    if (end->code != 0) {
        return fail(
            Error{ErrorCode::invalid, fmt::format("the reader by command for {} ended with code {}{}", reader.ending,
                                                  end->code, said.empty() ? " and said nothing" : "; it said: " + said)}
                .at(path)
                .advise(fmt::format("run it by hand with an {{out}} of yours: {}", command_line(by_hand))));
    }
    if (written_in(folder, reader).empty()) {
        return fail(
            Error{ErrorCode::not_found, fmt::format("the reader by command for {} wrote no .{} file{}", reader.ending,
                                                    reader.as, said.empty() ? "" : "; it said: " + said)}
                .at(path)
                .advise("let it write to {out}"));
    }
    return {};
}

Result<std::vector<ReaderCommand>> parse_readers(const Json& json, const std::string& path) {
    std::vector<ReaderCommand> out;
    try {
        const JsonPart file(json, "the file");
        if (file.whole("garland_readers", 0, 0, 1'000'000) != 1)
            return fail(Error{ErrorCode::malformed, "this is no list of readers that this version knows"}.at(path));
        file.each("readers", "reader", [&](const JsonPart& part) {
            ReaderCommand one;
            one.ending = part.text("ending", "");
            one.as = part.text("as", one.as);
            one.limit = part.real("limit", one.limit);
            const Json* words = part.get("command");
            const auto text = [](const Json& w) { return w.is_string(); };
            if (!words || !words->is_array() || !std::all_of(words->begin(), words->end(), text))
                part.complain("command", "a list of texts: the program and its words");
            for (const Json& w : *words) one.command.push_back(w.get<std::string>());
            if (auto fine = check_reader_command(one); !fine)
                throw BadJson{fmt::format("{}: {}", part.where, fine.error().message)};
            out.push_back(std::move(one));
        });
    } catch (const BadJson& bad) {
        return fail(Error{ErrorCode::malformed, bad.message}.at(path).advise(
            "fix the file, or remove it to have no readers by command"));
    }
    return out;
}

} // namespace

const std::vector<std::string>& reader_command_formats() {
    static const std::vector<std::string> all{"usdc", "usda", "usdz", "glb", "ply", "npy"};
    return all;
}

std::string reader_commands_file() {
    return user_folder("XDG_CONFIG_HOME", "/.config") + "/garland/readers.json";
}

Result<std::vector<ReaderCommand>> load_reader_commands() {
    const std::string path = reader_commands_file();
    std::vector<char> bytes;
    auto read = read_file(path, bytes, 1u << 20);
    if (!read && read.error().code == ErrorCode::not_found) return std::vector<ReaderCommand>{};
    if (!read) return fail(std::move(read.error()));
    GARLAND_TRY(json, read_json({bytes.data(), bytes.size()}, path));
    return parse_readers(json, path);
}

Result<void> check_reader_command(const ReaderCommand& one) {
    auto wrong = [](std::string what, std::string advice) {
        return fail(Error{ErrorCode::invalid, std::move(what)}.advise(std::move(advice)));
    };
    const auto plain = [](char c) {
        return std::islower(static_cast<unsigned char>(c)) || std::isdigit(static_cast<unsigned char>(c)) || c == '_';
    };
    if (one.ending.size() < 2 || one.ending[0] != '.' || !std::all_of(one.ending.begin() + 1, one.ending.end(), plain))
        return wrong(fmt::format("\"{}\" is no file ending", one.ending),
                     "write a point and small letters, as in .lamps");
    const auto own = source_endings();
    if (std::find(own.begin(), own.end(), one.ending) != own.end())
        return wrong(fmt::format("files ending in {} are read without a command", one.ending), "choose another ending");
    auto has = [&](std::string_view what) {
        return std::any_of(one.command.begin() + (one.command.empty() ? 0 : 1), one.command.end(),
                           [&](const std::string& w) { return w.find(what) != w.npos; });
    };
    if (one.command.empty() || one.command[0].empty())
        return wrong(fmt::format("the reader for {} has no program", one.ending), "name one, and {in} and {out}");
    if (!has("{in}") || !has("{out}"))
        return wrong(fmt::format("the command for {} does not say {}", one.ending, has("{in}") ? "{out}" : "{in}"),
                     "write {in} where the file to read goes, and {out} where the file to write goes");
    const auto& formats = reader_command_formats();
    if (std::find(formats.begin(), formats.end(), one.as) == formats.end())
        return wrong(fmt::format("the reader for {} cannot write \"{}\"", one.ending, one.as),
                     fmt::format("choose one of {}", fmt::join(formats, ", ")));
    if (!(one.limit > 0) || one.limit > 1e7)
        return wrong(fmt::format("the time limit for {} is {} s", one.ending, one.limit), "use more than 0 s");
    return {};
}

Result<void> save_reader_commands(std::vector<ReaderCommand> all) {
    std::sort(all.begin(), all.end(), [](const auto& a, const auto& b) { return a.ending < b.ending; });
    Json list = Json::array();
    for (std::size_t i = 0; i < all.size(); ++i) {
        GARLAND_CHECK(check_reader_command(all[i]));
        if (i > 0 && all[i].ending == all[i - 1].ending)
            return fail(Error{ErrorCode::exists, fmt::format("there are two readers for {}", all[i].ending)}.advise(
                "remove one of them"));
        list.push_back({{"ending", all[i].ending},
                        {"as", all[i].as},
                        {"command", all[i].command},
                        {"limit", number(all[i].limit)}});
    }
    const std::string path = reader_commands_file();
    GARLAND_CHECK(make_folder(folder_of(path)));
    return write_file(path, Json{{"garland_readers", 1}, {"readers", list}}.dump(2) + "\n", Existing::replace);
}

std::string command_line(const std::vector<std::string>& words) {
    std::string line;
    for (const std::string& w : words) {
        if (!line.empty()) line += ' ';
        const bool bare = !w.empty() && w.find_first_of(" \t\"\\") == w.npos;
        if (bare) {
            line += w;
            continue;
        }
        line += '"';
        for (const char c : w) {
            if (c == '"' || c == '\\') line += '\\';
            line += c;
        }
        line += '"';
    }
    return line;
}

Result<std::vector<std::string>> command_words(const std::string& line) {
    std::vector<std::string> words;
    std::string word;
    bool inside = false, quoted = false;
    for (std::size_t i = 0; i < line.size(); ++i) {
        const char c = line[i];
        if (c == '\\' && i + 1 < line.size()) {
            word += line[++i];
            inside = true;
        } else if (c == '"') {
            quoted = !quoted;
            inside = true;
        } else if (!quoted && (c == ' ' || c == '\t' || c == '\n')) {
            if (inside) words.push_back(std::move(word));
            word.clear();
            inside = false;
        } else {
            word += c;
            inside = true;
        }
    }
    if (quoted)
        return fail(Error{ErrorCode::invalid, "a quote in the command is not closed"}.advise("put \" at its end"));
    if (inside) words.push_back(std::move(word));
    return words;
}

Result<SourcePtr> open_by_command(const ReaderCommand& reader, const std::string& path, Progress& progress,
                                  const SourceChoices& choices) {
    PartOf converting(progress, 0, 0.8), opening(progress, 0.8, 1);
    Conversion way;
    way.path = path;
    way.way = fmt::format("{}\n{}", reader.as, fmt::join(reader.command, "\n"));
    way.make = [&](const std::string& folder, Progress& running) { return run_reader(reader, path, folder, running); };
    way.result = [&](const std::string& folder) { return written_in(folder, reader); };
    GARLAND_TRY(written, converted(way, converting));
    auto inner = open_source(written, opening, choices);
    if (!inner) {
        Error error = std::move(inner.error());
        if (error.code == ErrorCode::cancelled) return fail(std::move(error));
        forget_converted(written);
        return fail(Error{error.code, fmt::format("what the reader by command for {} wrote cannot be opened: {}",
                                                  reader.ending, describe(error))}
                        .at(path));
    }
    SourceFacts facts = (*inner)->facts();
    facts.format = fmt::format("{} by command, as {}", reader.ending, facts.format);
    return source_of(path, std::move(*inner), std::move(facts));
}

} // namespace garland
