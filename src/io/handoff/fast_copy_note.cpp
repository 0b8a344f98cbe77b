#include "io/handoff/fast_copy_note.h"

#include "io/files/file.h"
#include "io/files/json_part.h"
#include "io/files/temporary.h"

#include <algorithm>
#include <cctype>
#include <charconv>
#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <unistd.h>
#include <xxhash.h>

namespace garland {

std::vector<std::string> FastCopyNote::names() const {
    std::vector<std::string> out;
    for (const File& f : files) out.push_back(f.name);
    return out;
}

std::string note_path(const std::string& stem) {
    return stem + ".fast-copy.json";
}

std::uint64_t sample_of(const std::string& path) {
    constexpr std::uint64_t piece = 4096, pieces = 66;
    std::uint64_t size = 0;
    auto file = open_regular(path, size);
    if (!file) return 0;
    std::vector<char> all;
    for (std::uint64_t k = 0; k < pieces; ++k) {
        const std::uint64_t from = size <= piece * pieces ? k * piece : k * ((size - piece) / (pieces - 1));
        if (from >= size) break;
        const std::uint64_t at = k + 1 == pieces && size > piece ? size - piece : from;
        const std::size_t before = all.size();
        all.resize(before + piece);
        const auto got = ::pread(file->number(), all.data() + before, piece, static_cast<off_t>(at));
        if (got < 0) return 0;
        all.resize(before + static_cast<std::size_t>(got));
    }
    return static_cast<std::uint64_t>(XXH3_64bits(all.data(), all.size()));
}

std::string note_text(const FastCopyNote& n) {
    Json files = Json::array();
    for (const auto& f : n.files)
        files.push_back({{"name", f.name}, {"bytes", f.bytes}, {"sample", fmt::format("{:016x}", f.sample)}});
    Json j{{"garland_fast_copy", 1}, {"complete", true}, {"first", n.first}};
    if (n.rate) j["rate"] = to_text(*n.rate);
    j["up"] = to_text(n.up);
    j["scale"] = n.scale;
    if (!n.missing.empty()) j["missing"] = n.missing;
    if (!n.directions.empty()) j["directions"] = n.directions;
    j["files"] = files;
    return j.dump(2) + "\n";
}

std::string unfinished_note_text() {
    return Json{{"garland_fast_copy", 1}, {"complete", false}}.dump(2) + "\n";
}

namespace {

Result<FastCopyNote> parse_note(const std::vector<char>& bytes, const std::string& path) {
    GARLAND_TRY(json, read_json({bytes.data(), bytes.size()}, path));
    auto bad = [&](const char* what) {
        return fail(Error{ErrorCode::malformed, what}.at(path).advise("make the fast copy again"));
    };
    if (!json.is_object() || json.value("garland_fast_copy", 0) != 1)
        return bad("this is not the note of a fast copy that this version knows");
    if (!json.value("complete", false)) {
        return fail(Error{ErrorCode::changed,
                          "the fast copy is being written, or was interrupted while its files were put in place"}
                        .at(path)
                        .advise("wait, or make the fast copy again"));
    }
    FastCopyNote n;
    n.first = json.value("first", std::int64_t(0));
    n.scale = json.value("scale", 1.0);
    n.up = json.value("up", std::string("y")) == "z" ? UpAxis::z : UpAxis::y;
    n.missing = json.value("missing", std::vector<std::int64_t>{});
    n.directions = json.value("directions", std::vector<std::string>{});
    if (!(n.scale > 0) || std::abs(n.first) > 1'000'000'000) return bad("a number in it is out of its range");
    if (const auto rate = json.find("rate"); rate != json.end()) {
        GARLAND_TRY(r, parse_rate(rate->get<std::string>()));
        n.rate = r;
    }
    for (const auto& f : json.value("files", Json::array())) {
        FastCopyNote::File file{f.value("name", std::string()), f.value("bytes", std::uint64_t(0)), 0};
        const std::string sample = f.value("sample", std::string());
        const auto read = std::from_chars(sample.data(), sample.data() + sample.size(), file.sample, 16);
        if (read.ec != std::errc() || file.name.empty() || file.name.find('/') != file.name.npos)
            return bad("a file in its list has no name or no sample");
        n.files.push_back(std::move(file));
    }
    if (!std::is_sorted(n.missing.begin(), n.missing.end())) return bad("its missing frames do not rise");
    return n;
}

} // namespace

namespace {

// The note as it stands; a set that was stopped half-way by the end of its writer is put in place first.
Result<std::optional<FastCopyNote>> finished_note(const std::string& stem) {
    const std::string path = note_path(stem);
    std::vector<char> bytes;
    auto read = read_file(path, bytes, 1u << 26);
    if (!read && read.error().code == ErrorCode::not_found) return std::optional<FastCopyNote>();
    if (!read) return tl::unexpected(std::move(read.error()));
    auto parse = [&]() -> Result<FastCopyNote> {
        try {
            return parse_note(bytes, path);
        } catch (const nlohmann::json::exception& error) { // a value of another kind than it should be
            return fail(Error{ErrorCode::malformed, fmt::format("a value is of the wrong kind ({})", error.what())}
                            .at(path)
                            .advise("make the fast copy again"));
        }
    };
    auto note = parse();
    if (!note && note.error().code == ErrorCode::changed) { // whoever wrote it may have ended
        clear_leftovers(folder_of(path));
        GARLAND_CHECK(read_file(path, bytes, 1u << 26));
        note = parse();
    }
    if (!note) return tl::unexpected(std::move(note.error()));
    return std::optional<FastCopyNote>(std::move(*note));
}

} // namespace

Result<void> finish_copy_of(const std::string& path) {
    std::string stem = path.substr(0, path.size() - extension(path).size());
    for (std::string_view tail : {"_velocity", "_ids"}) {
        if (stem.ends_with(tail)) stem.resize(stem.size() - tail.size());
    }
    if (path.ends_with(".vdb")) { // NAME.0001.vdb
        while (!stem.empty() && (std::isdigit(static_cast<unsigned char>(stem.back())) || stem.back() == '-'))
            stem.pop_back();
        if (stem.ends_with('.')) stem.pop_back();
    }
    auto note = finished_note(stem);
    if (!note && note.error().code == ErrorCode::changed) return tl::unexpected(std::move(note.error()));
    return {};
}

Result<std::optional<FastCopyNote>> read_note(const std::string& stem) {
    GARLAND_TRY(note, finished_note(stem));
    if (!note) return note;
    for (const FastCopyNote::File& f : note->files) {
        const std::string file = folder_of(stem) + "/" + f.name;
        std::uint64_t size = 0;
        auto there = open_regular(file, size);
        if (there && size == f.bytes && sample_of(file) == f.sample) continue;
        const std::string what =
            !there ? describe(there.error()) : "it is not the one that was written with the others";
        return fail(Error{ErrorCode::changed, fmt::format("the fast copy's files do not belong together: {}", what)}
                        .at(file)
                        .advise(fmt::format("make the fast copy again, or remove {} to take the arrays as they are",
                                            file_name(note_path(stem)))));
    }
    return note;
}

void apply_note(const FastCopyNote& n, SourceFacts& f) {
    f.first += n.first;
    f.last += n.first;
    f.missing.clear();
    for (std::int64_t frame : n.missing) {
        if (frame > f.first && frame <= f.last) f.missing.push_back(frame);
    }
    f.says.rate = n.rate;
    f.says.up = n.up;
    f.says.scale = n.scale;
}

} // namespace garland
