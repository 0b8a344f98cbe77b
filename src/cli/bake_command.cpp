#include "cli/copy_options.h"
#include "cli/opened.h"

#include "core/base/numbers.h"
#include "core/project/alone.h"
#include "io/handoff/bake.h"
#include "io/handoff/file_names.h"
#include "io/usd/usd_cache.h"

#include <filesystem>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

namespace garland {

namespace {

// The show with one copy of a source only; sources that are not needed may be missing.
Result<void> show_alone(Opened& opened, const std::string& name) {
    GARLAND_TRY(id, source_called(opened.project.project, name));
    GARLAND_TRY(project, alone(opened.project.project, id));
    std::erase_if(opened.project.missing, [&](const MissingSource& m) { return m.id != id; });
    opened.show = make_show(project, opened.project.sources, *opened.cache);
    return {};
}

int bake_usda(const Opened& opened, const BakeWords& words, FrameSteps range, Progress& progress, Output out) {
    std::error_code made;
    if (!words.dry_run) std::filesystem::create_directories(words.folder, made);
    if (made)
        return report_error(
            Error{ErrorCode::unreadable, fmt::format("the folder cannot be made ({})", made.message())}.at(
                words.folder),
            out);
    const UsdCacheOrder order{words.folder + "/" + words.name + "." + words.as, words.name, range.range,
                              words.replace ? Existing::replace : Existing::refuse, range.step};
    if (words.dry_run) {
        auto size = usd_cache_bytes(*opened.show, order, progress);
        if (!size) return report_error(size.error(), out);
        const double free = free_space(words.folder);
        if (out.json) {
            print_json(
                {{"file_count", 1}, {"bytes", *size}, {"free", free}, {"existing", file_exists(order.path) ? 1 : 0}});
        } else {
            fmt::print("1 file of about {}; {} free{}\n", byte_count(*size), byte_count(free),
                       file_exists(order.path) ? "; it already exists" : "");
        }
        return exit_fine;
    }
    auto done = write_usd_cache(*opened.show, order, progress);
    if (!done) return report_error(done.error(), out);
    if (out.json) {
        print_json(
            {{"files", {order.path}}, {"bytes", done->bytes}, {"frames", done->frames}, {"samples", done->samples}});
    } else {
        fmt::print("{}: {} in {}, {}; counts verified\n", order.path, counted(done->frames, "frame", "frames"),
                   counted(done->samples, "sample", "samples"), byte_count(done->bytes));
    }
    return exit_fine;
}

} // namespace

int bake_command(const BakeWords& words, Output out) {
    auto range = whole_steps(words.frames);
    if (!range) return usage(range.error(), out);
    if (auto fine = validate_name(words.name, words.as == "ply"); !fine) return usage(fine.error(), out);
    TerminalProgress progress(out);
    auto opened = open(words.project, progress);
    if (!opened) return report_error(opened.error(), out);
    if (!words.source.empty()) {
        if (auto ok = show_alone(*opened, words.source); !ok) return report_error(ok.error(), out);
    } else if (words.as != "ply") {
        return usage(Error{ErrorCode::invalid, "USD is of one retimed source: name it with --source"}.advise(
                         "name the source with --source, or write --as ply"),
                     out);
    }
    if (!opened->project.missing.empty()) return report_error(opened->project.missing.front().error, out);
    if (words.as != "ply") return bake_usda(*opened, words, *range, progress, out);
    BakeOrder order{words.folder, words.name, range->range, words.replace ? Existing::replace : Existing::refuse,
                    range->step};
    auto size = estimate(*opened->show, order, progress);
    if (!size) return report_error(size.error(), out);
    if (words.dry_run) {
        if (out.json) {
            print_json({{"file_count", size->files},
                        {"volume_file_count", size->volume_files},
                        {"bytes", size->bytes},
                        {"free", size->free},
                        {"existing", size->existing}});
        } else {
            fmt::print("{} of about {} in all; {} free{}\n",
                       counted(size->files, "file", "files") +
                           (size->volume_files
                                ? fmt::format(" and {}", counted(size->volume_files, "volume", "volumes"))
                                : std::string()),
                       byte_count(size->bytes), byte_count(size->free),
                       size->existing ? fmt::format("; {} already there", size->existing) : std::string());
        }
        return exit_fine;
    }
    auto done = bake(*opened->show, order, progress);
    if (!done) return report_error(done.error(), out);
    if (out.json) {
        print_json({{"files", done->files},
                    {"bytes", done->bytes},
                    {"poses_made", done->poses},
                    {"copy_count", done->copies}});
    } else {
        fmt::print("{} written to {}, {} in all: {} copies from {} poses; counts and sizes read back and right\n",
                   counted(done->files.size(), "file", "files"), words.folder, byte_count(done->bytes), done->copies,
                   done->poses);
    }
    return exit_fine;
}

} // namespace garland
