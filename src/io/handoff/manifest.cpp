#include "io/handoff/manifest.h"

#include "core/base/numbers.h"
#include "io/files/mapped_file.h"
#include "io/handoff/fast_copy_note.h"
#include "io/handoff/order_json.h"
#include "io/project/project_file.h"

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <fcntl.h>
#include <filesystem>
#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <unistd.h>
#include <xxhash.h>

namespace garland {

namespace {

using Json = nlohmann::ordered_json;

Json json_of(const HandoffFile& f) {
    Json j{{"name", f.name}, {"bytes", f.bytes}, {"xxh3_128", f.hash}};
    if (f.frame) j["frame"] = *f.frame;
    return j;
}

HandoffFile file_of(const Json& j) { // throws what the library throws
    HandoffFile f{
        j.at("name").get<std::string>(), j.at("bytes").get<std::uint64_t>(), j.at("xxh3_128").get<std::string>(), {}};
    if (j.contains("frame")) f.frame = j.at("frame").get<std::int64_t>();
    return f;
}

Json json_of(const HandoffKey& k) {
    return {{"project", k.project}, {"sources", k.sources}, {"settings", k.settings}};
}

HandoffKey key_in(const Json& j) {
    return {j.at("project").get<std::string>(), j.at("sources").get<std::string>(),
            j.at("settings").get<std::string>()};
}

struct Journal {
    HandoffKey key;
    std::map<std::string, HandoffFile> files;
};

Result<std::optional<Journal>> read_journal(const std::string& path) {
    if (!file_exists(path)) return std::optional<Journal>{};
    std::vector<char> bytes;
    GARLAND_CHECK(read_file(path, bytes));
    Journal out;
    bool first = true;
    const std::string_view text(bytes.data(), bytes.size());
    for (std::size_t at = 0; at < text.size();) {
        const std::size_t end = text.find('\n', at);
        if (end == text.npos) break; // cut short
        const Json j = Json::parse(text.substr(at, end - at), nullptr, false);
        at = end + 1;
        if (j.is_discarded()) continue;
        try {
            if (first) {
                out.key = key_in(j.at("garland_handoff"));
                first = false;
                continue;
            }
            HandoffFile f = file_of(j);
            out.files[f.name] = std::move(f);
        } catch (const Json::exception&) {
            return fail(Error{ErrorCode::malformed, "is no journal of a hand-off"}.at(path).advise(
                "remove it, or choose another name"));
        }
    }
    if (first) return std::optional<Journal>{};
    return std::optional<Journal>(std::move(out));
}

Error changed_since(const std::string& what, const std::string& path) {
    return Error{ErrorCode::changed, fmt::format("{} since this was begun", what)}
        .at(path)
        .keeping("all files; nothing was written")
        .advise("begin again with replace, or choose another name");
}

} // namespace

Result<HandoffFile> described(const std::string& folder, const std::string& name, std::optional<std::int64_t> frame) {
    std::uint64_t size = 0;
    GARLAND_TRY(file, open_regular(folder + "/" + name, size));
    XXH3_state_t* state = XXH3_createState();
    XXH3_128bits_reset(state);
    std::vector<char> buffer(std::size_t(1) << 20);
    std::uint64_t total = 0;
    ssize_t got = 0;
    while ((got = ::read(file.number(), buffer.data(), buffer.size())) > 0) {
        XXH3_128bits_update(state, buffer.data(), static_cast<std::size_t>(got));
        total += static_cast<std::uint64_t>(got);
    }
    const XXH128_hash_t h = XXH3_128bits_digest(state);
    HandoffFile out{name, total, hash_digits(h.high64, h.low64), frame};
    XXH3_freeState(state);
    if (got < 0)
        return fail(Error{ErrorCode::unreadable, fmt::format("cannot be read ({})", std::strerror(errno))}.at(
            folder + "/" + name));
    return out;
}

std::string HandoffKey::difference(const HandoffKey& before) const {
    if (settings != before.settings) return "the settings of the hand-off have changed";
    if (project != before.project) return "the project has changed";
    if (sources != before.sources) return "a source's files have changed";
    return {};
}

HandoffKey key_of(const HandoffInput& input, const HandoffOrder& order) {
    HandoffKey key;
    Project plain = input.project;
    plain.settings.camera = {}; // where one looks from in the window changes nothing that is written
    std::string files;
    for (SourceSpec& s : plain.sources) {
        const auto open = input.sources.find(s.id);
        s.path = file_name(s.path); // the folder may be another on another machine
        for (std::string& shape : s.shapes) shape = file_name(shape);
        if (open == input.sources.end() || !open->second.source) continue;
        for (const std::string& f : open->second.source->files()) {
            std::error_code none;
            const auto size = std::filesystem::file_size(f, none);
            files += fmt::format("{} {} {:x}\n", file_name(f), none ? 0 : size, sample_of(f));
        }
    }
    key.project = text_hash(project_text(plain));
    key.sources = text_hash(files);
    std::string form; // only where it is not the usual one: what older versions began can be gone on with
    if (!order.as.usual())
        form = fmt::format(" {} {} {} {}", order.as.z_up, order.as.unit, order.as.velocities, order.as.attributes);
    if (order.each_copy) form += " each copy";
    if (order.frames.shutter.count != 1)
        form += fmt::format(" shutter {} {}", order.frames.shutter.count, order.frames.shutter.angle);
    key.settings = text_hash(fmt::format("{} {} {} {} {} {} {} {} {}", order.output, order.ending, order.name,
                                         order.frames.range.first, order.frames.range.last, order.frames.step,
                                         order.source.value, order.poses_per_frame, order.tolerance) +
                             form);
    return key;
}

std::string manifest_path(const HandoffOrder& order) {
    return order.folder + "/" + order.stem() + order.ending + ".handoff.json";
}

std::string journal_path(const HandoffOrder& order, const std::string& share) {
    return order.folder + "/" + order.stem() + order.ending + ".handoff" + (share.empty() ? "" : "." + share) +
           ".journal";
}

Result<HandoffJournal> HandoffJournal::open(const HandoffOrder& order, const HandoffKey& key, bool resume) {
    HandoffJournal out;
    out.path_ = journal_path(order, order.share.word());
    out.folder_ = order.folder;
    out.manifest_ = manifest_path(order);
    out.key_ = key;
    if (!resume) return out;
    GARLAND_TRY(before, read_journal(out.path_));
    if (before) {
        const std::string what = key.difference(before->key);
        if (!what.empty()) return fail(changed_since(what, out.path_));
        out.files_ = std::move(before->files);
        out.went_on_ = out.begun_ = true;
    } else if (order.share.whole()) { // what shares have done
        GARLAND_TRY(files, journalled(order, key));
        out.went_on_ = !files.empty();
        out.files_ = std::move(files);
    }
    if (!out.went_on_ && file_exists(out.manifest_)) {
        GARLAND_TRY(whole, read_manifest(out.manifest_));
        const std::string what = key.difference(whole.key);
        if (!what.empty()) return fail(changed_since(what, out.manifest_));
        for (HandoffFile& f : whole.files) out.files_[f.name] = std::move(f);
        out.went_on_ = true;
    }
    return out;
}

bool HandoffJournal::complete(const std::string& name) {
    const auto at = files_.find(name);
    if (at == files_.end()) return false;
    const auto now = described(folder_, name, at->second.frame);
    if (now && *now == at->second) return begin().has_value();
    files_.erase(at);
    return false;
}

Result<void> HandoffJournal::begin() {
    if (begun_) return {};
    std::error_code none;
    std::filesystem::remove(manifest_, none); // what it says may not be true any more
    std::string text = Json{{"garland_handoff", json_of(key_)}}.dump() + "\n";
    for (const auto& [name, file] : files_) text += json_of(file).dump() + "\n";
    GARLAND_CHECK(write_file(path_, text, Existing::replace));
    begun_ = true;
    return {};
}

void HandoffJournal::abandon() {
    if (!begun_ || went_on_ || !files_.empty()) return;
    std::error_code none;
    std::filesystem::remove(path_, none);
    begun_ = false;
}

Result<void> HandoffJournal::add(const HandoffFile& file) {
    GARLAND_CHECK(begin());
    const std::string line = json_of(file).dump() + "\n";
    const int number = ::open(path_.c_str(), O_WRONLY | O_APPEND | O_CLOEXEC);
    const bool fine = number >= 0 && ::write(number, line.data(), line.size()) == static_cast<ssize_t>(line.size()) &&
                      ::fdatasync(number) == 0;
    const int trouble = errno;
    if (number >= 0) ::close(number);
    if (!fine) {
        const ErrorCode code = trouble == ENOSPC || trouble == EDQUOT ? ErrorCode::disk_full : ErrorCode::unreadable;
        return fail(Error{code, fmt::format("the journal cannot be written ({})", std::strerror(trouble))}.at(path_));
    }
    files_[file.name] = file;
    return {};
}

Result<std::map<std::string, HandoffFile>> journalled(const HandoffOrder& order, const HandoffKey& key) {
    std::map<std::string, HandoffFile> out;
    std::error_code none;
    const std::string start = order.stem() + order.ending + ".handoff.";
    for (const auto& entry : std::filesystem::directory_iterator(order.folder, none)) {
        const std::string name = entry.path().filename().string();
        if (name.rfind(start, 0) != 0 || extension(name) != ".journal") continue;
        GARLAND_TRY(one, read_journal(entry.path().string()));
        if (!one) continue;
        const std::string what = key == HandoffKey{} ? std::string() : key.difference(one->key);
        if (!what.empty()) return fail(changed_since(what, entry.path().string()));
        out.insert(one->files.begin(), one->files.end());
    }
    return out;
}

void remove_journals(const HandoffOrder& order) {
    std::error_code none;
    const std::string start = order.stem() + order.ending + ".handoff.";
    std::vector<std::filesystem::path> old;
    for (const auto& entry : std::filesystem::directory_iterator(order.folder, none)) {
        const std::string name = entry.path().filename().string();
        if (extension(name) == ".journal" && name.rfind(start, 0) == 0) old.push_back(entry.path());
    }
    for (const auto& path : old) std::filesystem::remove(path, none);
}

Result<void> write_manifest(const HandoffManifest& m) {
    const HandoffOrder& o = m.order;
    Json files = Json::array();
    for (const HandoffFile& f : m.files) files.push_back(json_of(f));
    Json j{{"garland_handoff", 1}};
    put_order(j, o);
    j["made_from"] = json_of(m.key);
    j["files"] = files;
    return write_file(manifest_path(o), j.dump(1) + "\n", Existing::replace);
}

Result<HandoffManifest> read_manifest(const std::string& path) {
    std::vector<char> bytes;
    GARLAND_CHECK(read_file(path, bytes, std::uint64_t(1) << 30));
    const Json j = Json::parse(bytes.begin(), bytes.end(), nullptr, false);
    auto wrong = [&](const std::string& what) {
        return fail(Error{ErrorCode::malformed, what}.at(path).advise("write the hand-off again"));
    };
    if (j.is_discarded() || !j.is_object()) return wrong("is no manifest of a hand-off");
    try {
        if (j.at("garland_handoff").get<int>() != 1) return wrong("is a manifest of a newer version");
        HandoffManifest m;
        m.order = order_in(j, folder_of(path));
        m.key = key_in(j.at("made_from"));
        if (auto fine = validate(m.order); !fine) return wrong("is no manifest of a hand-off: " + fine.error().message);
        for (const Json& f : j.at("files")) {
            m.files.push_back(file_of(f));
            const std::string& name = m.files.back().name;
            if (name.empty() || name.find('/') != name.npos || name == "." || name == "..")
                return wrong(fmt::format("\"{}\" is not a name of a file beside it", name));
        }
        return m;
    } catch (const Json::exception& e) {
        return wrong(fmt::format("is no manifest of a hand-off ({})", e.what()));
    }
}

Result<Verified> verify_handoff(const std::string& manifest, Progress& progress) {
    GARLAND_TRY(m, read_manifest(manifest));
    Verified out;
    for (const HandoffFile& f : m.files) {
        progress.report(static_cast<double>(out.files) / static_cast<double>(m.files.size()), f.name);
        if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped while verifying");
        GARLAND_TRY(now, described(m.order.folder, f.name, f.frame));
        if (now != f) {
            Error error{ErrorCode::changed, now.bytes != f.bytes
                                                ? fmt::format("has {} bytes, and {} were written", now.bytes, f.bytes)
                                                : std::string("holds other bytes than were written")};
            error.frame = f.frame;
            return fail(
                std::move(error).at(m.order.folder + "/" + f.name).advise("write the hand-off again with resume"));
        }
        ++out.files;
        out.bytes += static_cast<double>(now.bytes);
    }
    return out;
}

} // namespace garland
