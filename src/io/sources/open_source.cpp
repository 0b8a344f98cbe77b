#include "io/sources/open_source.h"

#include "io/files/csv.h"
#include "io/files/packed_file.h"
#include "io/files/series.h"
#include "io/formats.h"
#include "io/handoff/fast_copy_note.h"
#include "io/sources/reader_commands.h"
#include "io/sources/sources.h"

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

namespace {

// Each file of a series packed by itself.
Result<SourcePtr> open_packed(const std::string& path, Progress& progress) {
    const std::string ending = content_ending(path);
    if (ending == ".csv" || (ending == ".ply" && is_particle_file(path))) return open_particle_series(path, progress);
    if (ending == ".ply" || ending == ".obj") return open_series(path, progress);
    return fail(Error{ErrorCode::unsupported,
                      fmt::format("{} files are not read when packed", ending.empty() ? "such" : ending)}
                    .at(path)
                    .advise("unpack it first; PLY, OBJ and CSV series are read when each of their files is packed"));
}

} // namespace

Result<SourcePtr> open_source(const std::string& path, Progress& progress, const SourceChoices& choices) {
    // Of a series the file itself need not be there; what is there must be a file that can be read.
    if (auto can = readable(path); !can && can.error().code != ErrorCode::not_found)
        return tl::unexpected(std::move(can.error()));
    GARLAND_CHECK(finish_copy_of(path));
    if (is_packed(path)) return open_packed(path, progress);
    const std::string ending = extension(path);
    const std::string stem = path.substr(0, path.size() - ending.size());
    if (ending == ".npy" && (file_exists(stem + "_ids.npy") || stem.ends_with("_ids"))) {
        return open_particle_arrays(stem.ends_with("_ids") ? stem.substr(0, stem.size() - 4) : stem, progress);
    }
    if (ending == ".npy") {
        for (std::string_view tail : {"_velocity", ".velocity"}) {
            if (stem.ends_with(tail) && file_exists(stem.substr(0, stem.size() - tail.size()) + ".npy")) {
                return open_array(stem.substr(0, stem.size() - tail.size()), path);
            }
        }
        if (!file_exists(path))
            return fail(Error{ErrorCode::not_found, "does not exist"}
                            .advise("check the name, or find the file again")
                            .at(path));
        return open_array(stem, path);
    }
    if (ending == ".npz") return open_array_archive(path, progress);
    constexpr std::string_view pieces = "_pieces";
    if (ending == ".csv" && stem.ends_with(pieces)) {
        if (!file_exists(path))
            return fail(Error{ErrorCode::not_found, "does not exist"}
                            .advise("check the name, or find the file again")
                            .at(path));
        return open_pieces(stem.substr(0, stem.size() - pieces.size()), path);
    }
    if ((ending == ".ply" || ending == ".obj") && file_exists(stem + "_pieces.csv"))
        return open_pieces(stem, stem + "_pieces.csv");
    if (ending == ".csv") return open_particle_series(path, progress);
    if (ending == ".ply" || ending == ".obj") {
        if (file_exists(stem + ".npy")) return open_array(stem, path);
        if (ending == ".ply" && is_particle_file(path)) return open_particle_series(path, progress);
        return open_series(path, progress);
    }
    if (ending == ".vdb") return open_volumes(path, progress);
    if (ending == ".gltf" || ending == ".glb") return open_gltf(path, progress, choices);
    if (ending == ".usda" || ending == ".usdc" || ending == ".usd" || ending == ".usdz")
        return open_usd(path, progress, choices);
    if (!file_exists(path))
        return fail(
            Error{ErrorCode::not_found, "does not exist"}.advise("check the name, or find the file again").at(path));
    GARLAND_TRY(by_command, load_reader_commands());
    for (const ReaderCommand& reader : by_command) {
        if (reader.ending == ending) return open_by_command(reader, path, progress, choices);
    }
    return fail(
        Error{ErrorCode::unsupported, fmt::format("files ending in \"{}\" are not read", ending)}.at(path).advise(
            fmt::format("give any file of an OBJ or PLY series, a USD, glTF or OpenVDB file, or a mesh beside a NumPy "
                        "array (.npy) or a table of pieces (_pieces.csv); or name a program that converts {} files, in "
                        "Preferences or by garland-cli readers",
                        ending)));
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
