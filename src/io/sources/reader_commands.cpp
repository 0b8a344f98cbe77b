#include "io/sources/reader_commands.h"

#include "io/files/file.h"
#include "io/files/json_part.h"
#include "io/files/run_program.h"
#include "io/files/temporary.h"
#include "io/sources/open_source.h"

#include <algorithm>
#include <cctype>
#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <unistd.h>
#include <xxhash.h>

namespace garland {

namespace fs = std::filesystem;

namespace {

std::string user_folder(const char* variable, const char* below_home) {
    const char* set = std::getenv(variable);
    if (set && *set == '/') return set; // as the base directory specification: relative paths are no paths
    const char* home = std::getenv("HOME");
    return std::string(home ? home : "") + below_home;
}

Result<void> make_folder(const std::string& folder) {
    std::error_code wrong;
    fs::create_directories(folder, wrong);
    if (wrong)
        return fail(
            Error{ErrorCode::unreadable, fmt::format("the folder cannot be made ({})", wrong.message())}.at(folder));
    return {};
}

bool series_format(const std::string& as) {
    return as == "ply" || as == "npy";
}

std::string with_path(std::string word, std::string_view what, const std::string& path) {
    for (std::size_t at = 0; (at = word.find(what, at)) != word.npos; at += path.size())
        word.replace(at, what.size(), path);
    return word;
}

// XXH3 of a whole file and of the command that reads it.
Result<std::string> key_of(const ReaderCommand& reader, const std::string& path, Progress& progress) {
    std::uint64_t size = 0;
    GARLAND_TRY(file, open_regular(path, size));
    XXH3_state_t* state = XXH3_createState();
    XXH3_128bits_reset(state);
    std::vector<char> bytes(std::size_t(1) << 22);
    std::uint64_t at = 0;
    Error wrong;
    bool bad = false;
    while (at < size && !bad) {
        const ssize_t count = pread(file.number(), bytes.data(), bytes.size(), static_cast<off_t>(at));
        bad = count <= 0 || progress.cancelled();
        if (bad) break;
        XXH3_128bits_update(state, bytes.data(), static_cast<std::size_t>(count));
        at += static_cast<std::uint64_t>(count);
        progress.report(static_cast<double>(at) / static_cast<double>(size), "looking at the file's bytes");
    }
    const std::string words = fmt::format("{}\n{}\n{}", size, reader.as, fmt::join(reader.command, "\n"));
    XXH3_128bits_update(state, words.data(), words.size());
    const XXH128_hash_t hash = XXH3_128bits_digest(state);
    XXH3_freeState(state);
    if (bad && progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
    if (bad) return fail(Error{ErrorCode::changed, "the file was cut short while it was read"}.at(path));
    return fmt::format("{:016x}{:016x}", hash.high64, hash.low64);
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

// A source that was read by way of another file: the same, but it names the file it came from.
class ReadByCommand final : public Source {
  public:
    ReadByCommand(SourcePtr inner, std::string path, const std::string& ending)
        : inner_(std::move(inner)), path_(std::move(path)), facts_(inner_->facts()) {
        facts_.format = fmt::format("{} by command, as {}", ending, facts_.format);
    }
    const SourceFacts& facts() const override { return facts_; }
    Result<PosePtr> read(std::int64_t frame, Progress& progress) const override {
        return inner_->read(frame, progress);
    }
    std::vector<std::string> files() const override { return {path_}; }
    std::vector<PartName> parts() const override { return inner_->parts(); }
    bool makes_between(SubFrame how) const override { return inner_->makes_between(how); }
    Result<PosePtr> between(const Between& way, Progress& progress) const override {
        return inner_->between(way, progress);
    }
    bool any_time() const override { return inner_->any_time(); }
    Result<PosePtr> exact_at(double file_frame, SubFrame how, Progress& progress) const override {
        return inner_->exact_at(file_frame, how, progress);
    }
    std::optional<LayersAt> layers_at(double file_frame) const override { return inner_->layers_at(file_frame); }
    V3d root_at(double file_frame) const override { return inner_->root_at(file_frame); }

  private:
    SourcePtr inner_;
    std::string path_;
    SourceFacts facts_;
};

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
            "mend the file, or remove it to have no readers by command"));
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

std::string reader_cache_folder() {
    return user_folder("XDG_CACHE_HOME", "/.cache") + "/garland/read-by-command";
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

ReaderCacheUse reader_cache_use() {
    ReaderCacheUse use;
    std::error_code ignored;
    for (const auto& kept : fs::directory_iterator(reader_cache_folder(), ignored)) {
        if (is_temporary(kept.path().filename().string())) continue;
        ++use.files;
        for (const auto& file : fs::recursive_directory_iterator(kept.path(), ignored)) {
            if (file.is_regular_file(ignored)) use.bytes += static_cast<double>(file.file_size(ignored));
        }
    }
    return use;
}

void clear_reader_cache() {
    std::error_code ignored;
    fs::remove_all(reader_cache_folder(), ignored);
}

Result<SourcePtr> open_by_command(const ReaderCommand& reader, const std::string& path, Progress& progress,
                                  const SourceChoices& choices) {
    PartOf hashing(progress, 0, 0.1), running(progress, 0.1, 0.8), opening(progress, 0.8, 1);
    GARLAND_TRY(key, key_of(reader, path, hashing));
    const std::string all = reader_cache_folder(), kept = all + "/" + key;
    if (written_in(kept, reader).empty()) {
        GARLAND_CHECK(make_folder(all));
        clear_leftovers(all);
        const auto made = make_temporary_folder(all);
        if (!made)
            return fail(Error{ErrorCode::unreadable,
                              fmt::format("no folder can be made there ({})", std::strerror(made.error()))}
                            .at(all));
        std::error_code ignored;
        if (auto ran = run_reader(reader, path, *made, running); !ran) {
            fs::remove_all(*made, ignored);
            return fail(std::move(ran.error()));
        }
        fs::remove_all(kept, ignored); // one that somebody has emptied
        std::error_code wrong;
        fs::rename(*made, kept, wrong);
        if (wrong) fs::remove_all(*made, ignored); // another program was faster: its answer is the same
    }
    auto inner = open_source(written_in(kept, reader), opening, choices);
    if (!inner) {
        Error error = std::move(inner.error());
        if (error.code == ErrorCode::cancelled) return fail(std::move(error));
        std::error_code ignored;
        fs::remove_all(kept, ignored);
        return fail(Error{error.code, fmt::format("what the reader by command for {} wrote cannot be opened: {}",
                                                  reader.ending, describe(error))}
                        .at(path));
    }
    return SourcePtr(std::make_shared<ReadByCommand>(std::move(*inner), path, reader.ending));
}

} // namespace garland
