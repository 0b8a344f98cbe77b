#include "io/sources/open_source.h"

#include "io/files/file.h"
#include "io/files/series.h"
#include "io/formats.h"
#include "io/handoff/fast_copy_note.h"
#include "io/sources/reader_commands.h"
#include "io/sources/readers.h"

#include <algorithm>
#include <fmt/format.h>
#include <fmt/ranges.h>

namespace garland {

std::vector<std::string> source_endings() {
    std::vector<std::string> out;
    for (const Format& format : formats()) {
        if (!format.gathered) continue;
        for (const std::string& ending : format.endings) {
            if (std::find(out.begin(), out.end(), ending) == out.end()) out.push_back(ending);
        }
    }
    return out;
}

Result<SourcePtr> open_source(const std::string& path, Progress& progress, const SourceChoices& choices) {
    // Of a series the file itself need not be there; what is there must be a file that can be read.
    if (auto can = readable(path); !can && can.error().code != ErrorCode::not_found)
        return tl::unexpected(std::move(can.error()));
    GARLAND_CHECK(finish_copy_of(path));
    const AskedPath asked = asked_path(path);
    for (const Reader& reader : readers()) {
        if (reader.takes(asked)) return reader.open(asked, progress, choices);
    }
    if (asked.packed)
        return fail(
            Error{ErrorCode::unsupported,
                  fmt::format("{} files are not read when packed", asked.ending.empty() ? "such" : asked.ending)}
                .at(path)
                .advise("unpack it first; PLY, OBJ and CSV series are read when each of their files is packed"));
    if (!file_exists(path))
        return fail(
            Error{ErrorCode::not_found, "does not exist"}.advise("check the name, or find the file again").at(path));
    GARLAND_TRY(by_command, load_reader_commands());
    for (const ReaderCommand& reader : by_command) {
        if (reader.ending == asked.ending) return open_by_command(reader, path, progress, choices);
    }
    return fail(
        Error{ErrorCode::unsupported, fmt::format("files ending in \"{}\" are not read", asked.ending)}.at(path).advise(
            fmt::format("give any file of an OBJ or PLY series, a USD, glTF or OpenVDB file, or a mesh beside a NumPy "
                        "array (.npy) or a table of pieces (_pieces.csv); or name a program that converts {} files, in "
                        "Preferences or by garland-cli readers",
                        asked.ending)));
}

Result<std::pair<std::string, std::string>> choice_in(const SourceFacts& facts, const std::string& words) {
    std::string there;
    for (const SourceChoice& c : facts.choices)
        there += fmt::format("{}{}={}", there.empty() ? "" : "; ", c.name, fmt::join(c.options, "|"));
    auto wrong = [&](std::string what) {
        return fail(Error{ErrorCode::invalid, std::move(what)}.advise(there.empty() ? "leave it out"
                                                                                    : "choose among " + there));
    };
    if (facts.choices.empty()) return wrong("there is nothing to choose in this source");
    const std::size_t is = words.rfind('=');
    if (is == words.npos) return wrong(fmt::format("\"{}\" is no choice: write NAME=OPTION", words));
    const std::string name = words.substr(0, is), option = words.substr(is + 1);
    const SourceChoice* found = nullptr;
    for (const SourceChoice& c : facts.choices) {
        const bool same = c.name == name, set = c.name.ends_with("{" + name + "}") || c.title == name;
        if (!same && !set) continue;
        if (found && !same) return wrong(fmt::format("\"{}\" could be {} or {}", name, found->name, c.name));
        found = &c;
        if (same) break;
    }
    if (!found) return wrong(fmt::format("there is no \"{}\" to choose", name));
    if (!option.empty() && std::find(found->options.begin(), found->options.end(), option) == found->options.end())
        return wrong(fmt::format("{} cannot be \"{}\"", found->title, option));
    return std::pair(found->name, option);
}

Result<SourcePtr> open_chosen(const std::string& path, const std::vector<std::string>& words, SourceChoices& chosen,
                              Progress& progress) {
    GARLAND_TRY(source, open_source(path, progress, chosen));
    for (const std::string& one : words) { // a choice may bring others with it
        auto said = choice_in(source->facts(), one);
        if (!said) return fail(std::move(said.error()).at(path));
        if (said->second.empty()) {
            chosen.erase(said->first);
        } else {
            chosen[said->first] = said->second;
        }
        GARLAND_TRY(next, open_source(path, progress, chosen));
        source = std::move(next);
    }
    return source;
}

} // namespace garland
