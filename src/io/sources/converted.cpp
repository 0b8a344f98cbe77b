#include "io/sources/converted.h"

#include "io/files/file.h"
#include "io/files/folder.h"
#include "io/files/temporary.h"

#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <fmt/format.h>
#include <unistd.h>
#include <xxhash.h>

namespace garland {

namespace fs = std::filesystem;

namespace {

// XXH3 of a whole file and of the way it is read.
Result<std::string> key_of(const std::string& path, const std::string& way, Progress& progress) {
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
    const std::string words = fmt::format("{}\n{}", size, way);
    XXH3_128bits_update(state, words.data(), words.size());
    const XXH128_hash_t hash = XXH3_128bits_digest(state);
    XXH3_freeState(state);
    if (bad && progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
    if (bad) return fail(Error{ErrorCode::changed, "the file was cut short while it was read"}.at(path));
    return fmt::format("{:016x}{:016x}", hash.high64, hash.low64);
}

// A source that was read by way of another file: the same, but it names the file it came from, and what it takes from
// outside the cache folder.
class SourceOf final : public Source {
  public:
    SourceOf(SourcePtr inner, std::string path, SourceFacts facts)
        : inner_(std::move(inner)), files_{std::move(path)}, facts_(std::move(facts)) {
        for (const std::string& file : inner_->files()) {
            if (!file.starts_with(converted_folder() + "/")) files_.push_back(file);
        }
    }
    const SourceFacts& facts() const override { return facts_; }
    Result<PosePtr> read(std::int64_t frame, Progress& progress) const override {
        return inner_->read(frame, progress);
    }
    std::vector<std::string> files() const override { return files_; }
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
    std::vector<std::string> files_;
    SourceFacts facts_;
};

} // namespace

std::string user_folder(const char* variable, const char* below_home) {
    const char* set = std::getenv(variable);
    if (set && *set == '/') return set; // as the base directory specification: relative paths are no paths
    const char* home = std::getenv("HOME");
    return std::string(home ? home : "") + below_home;
}

std::string converted_folder() {
    return user_folder("XDG_CACHE_HOME", "/.cache") + "/garland/converted";
}

ConvertedUse converted_use() {
    ConvertedUse use;
    std::error_code ignored;
    for (const auto& kept : fs::directory_iterator(converted_folder(), ignored)) {
        if (is_temporary(kept.path().filename().string())) continue;
        ++use.files;
        for (const auto& file : fs::recursive_directory_iterator(kept.path(), ignored)) {
            if (file.is_regular_file(ignored)) use.bytes += static_cast<double>(file.file_size(ignored));
        }
    }
    return use;
}

void clear_converted() {
    std::error_code ignored;
    fs::remove_all(converted_folder(), ignored);
}

Result<std::string> converted(const Conversion& conversion, Progress& progress) {
    PartOf hashing(progress, 0, 0.125), making(progress, 0.125, 1);
    GARLAND_TRY(key, key_of(conversion.path, conversion.way, hashing));
    const std::string all = converted_folder(), kept = all + "/" + key;
    if (std::string known = conversion.result(kept); !known.empty()) return known;
    GARLAND_CHECK(make_folder(all));
    clear_leftovers(all);
    const auto made = make_temporary_folder(all);
    if (!made)
        return fail(
            Error{ErrorCode::unreadable, fmt::format("no folder can be made there ({})", std::strerror(made.error()))}
                .at(all));
    std::error_code ignored;
    if (auto done = conversion.make(*made, making); !done) {
        fs::remove_all(*made, ignored);
        return fail(std::move(done.error()));
    }
    fs::remove_all(kept, ignored); // one that somebody has emptied
    std::error_code wrong;
    fs::rename(*made, kept, wrong);
    if (wrong) fs::remove_all(*made, ignored); // another program was faster: its answer is the same
    return conversion.result(kept);
}

void forget_converted(const std::string& result) {
    std::error_code ignored;
    fs::remove_all(folder_of(result), ignored);
}

SourcePtr source_of(const std::string& path, SourcePtr inner, SourceFacts facts) {
    return std::make_shared<SourceOf>(std::move(inner), path, std::move(facts));
}

} // namespace garland
