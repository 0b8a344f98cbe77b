// Carrying out what the list of outputs holds: checks of an order, shares, the journal and the manifest around it.
#include "io/handoff/bake.h"
#include "io/handoff/file_names.h"
#include "io/handoff/manifest.h"
#include "io/handoff/outputs.h"

#include <cmath>
#include <filesystem>
#include <fmt/format.h>

namespace garland {

std::string HandoffOrder::stem() const {
    return FileNames(name).stem();
}

Result<void> validate(const HandoffOrder& order) {
    const auto output = std::find_if(outputs().begin(), outputs().end(),
                                     [&](const HandoffOutput& o) { return o.word == order.output; });
    const bool known = output != outputs().end();
    GARLAND_CHECK(validate_name(order.name, known && output->in_frames(order.ending)));
    GARLAND_CHECK(validate(order.frames));
    if (!(order.as.unit >= 1e-6 && order.as.unit <= 1e6)) {
        return fail(
            Error{ErrorCode::invalid, "the unit of what is written must be from a millionth of a metre to 1000 km"}
                .advise("use m, cm or another one that is offered")
                .keeping("nothing was written"));
    }
    if (!order.as.usual_space() && !HandoffOutput::in_any_space(order.ending)) {
        return fail(Error{ErrorCode::unsupported, fmt::format("{} files are in metres with y up",
                                                              order.ending.empty() ? "these" : order.ending.substr(1))}
                        .keeping("nothing was written")
                        .advise("leave out the unit and the up axis, or write another kind of file"));
    }
    if (known && order.frames.shutter.count != 1 && !output->in_shutter(order.ending)) {
        return fail(
            Error{ErrorCode::unsupported, fmt::format("{} as {} has no samples inside the shutter", output->label,
                                                      order.ending.empty() ? "it is" : order.ending.substr(1))}
                .keeping("nothing was written")
                .advise("leave them out; clocks and arrays of whole frames have no moments between"));
    }
    if (order.each_copy && known && !output->by_copy(order.ending)) {
        return fail(Error{ErrorCode::unsupported, fmt::format("{} as {} cannot be a file a copy", output->label,
                                                              order.ending.empty() ? "it is" : order.ending.substr(1))}
                        .keeping("nothing was written")
                        .advise("write posed copies as ply or obj"));
    }
    return {};
}

namespace {

// Whole clocks have no frames that could be left out.
Result<void> steps_fit(const HandoffOutput& output, const HandoffOrder& order) {
    if (!output.tabulates || order.frames.step == 1) return {};
    return fail(Error{ErrorCode::invalid, fmt::format("{} holds whole clocks, not every so many frames", output.label)}
                    .keeping("nothing was written")
                    .advise("give the first and the last frame without a step"));
}

} // namespace

Result<HandoffPlan> plan_handoff(const HandoffInput& input, const HandoffOrder& order, Progress& progress) {
    GARLAND_CHECK(validate(order));
    GARLAND_TRY(output, output_called(order));
    GARLAND_CHECK(steps_fit(*output, order));
    return output->plan(input, order, progress);
}

namespace {

// Only the frames of its share.
Result<HandoffOrder> shared_out(const HandoffInput& input, const HandoffOutput& output, const HandoffOrder& order,
                                Progress& progress) {
    if (order.share.whole()) return order;
    if (!output.in_frames(order.ending)) {
        return fail(Error{ErrorCode::invalid,
                          fmt::format("{} as {} is one file and cannot be split", output.label, order.ending)}
                        .keeping("nothing was written")
                        .advise("split posed copies as .ply, or write it on one machine"));
    }
    if (order.each_copy)
        return fail(Error{ErrorCode::invalid, "what is a file a copy cannot be split"}
                        .keeping("nothing was written")
                        .advise("split posed copies with a file a frame, or write it on one machine"));
    GARLAND_TRY(costs, frame_costs(*input.show, order.frames, progress));
    const auto starts = split_by_cost(costs, order.share.of);
    const auto at = static_cast<std::size_t>(order.share.number);
    HandoffOrder out = order;
    const std::int64_t from = order.frames.range.first;
    out.frames.range = {from + static_cast<std::int64_t>(starts[at - 1]) * order.frames.step,
                        from + (static_cast<std::int64_t>(starts[at]) - 1) * order.frames.step};
    return out; // empty where the last comes before the first
}

// The manifest, where every file of the hand-off is in a journal.
Result<void> round_off(const HandoffOutput& output, const HandoffOrder& order, const HandoffKey& key,
                       HandoffDone& done) {
    GARLAND_TRY(files, journalled(order, key));
    if (output.in_frames(order.ending) && !order.each_copy) { // which is never split
        std::int64_t frames = 0;
        for (const auto& [name, file] : files) frames += extension(name) == order.ending;
        if (frames < order.frames.moments()) {
            if (file_exists(manifest_path(order))) done.manifest = manifest_path(order); // another share was quicker
            return {};
        }
    }
    HandoffManifest m{order, key, {}};
    for (auto& [name, file] : files) m.files.push_back(std::move(file));
    GARLAND_CHECK(write_manifest(m));
    remove_journals(order);
    done.manifest = manifest_path(order);
    return {};
}

// What is one file, or a few that appear together: all of it is complete, or it is written again.
Result<HandoffDone> write_whole(const HandoffInput& input, const HandoffOutput& output, const HandoffOrder& order,
                                HandoffJournal& journal, Progress& progress) {
    if (!journal.files().empty()) {
        HandoffDone done;
        bool all = true;
        const auto files = journal.files();
        for (const auto& [name, file] : files) {
            all = all && journal.complete(name);
            done.files.push_back(order.folder + "/" + name);
            done.bytes += static_cast<double>(file.bytes);
        }
        done.kept = static_cast<std::int64_t>(files.size());
        if (all) return done;
    }
    HandoffOrder now = order;
    if (journal.went_on()) now.existing = WhatIsThere::replace;
    const bool in_the_way = now.existing != WhatIsThere::replace && file_exists(order.path()); // the output says so
    if (!in_the_way) GARLAND_CHECK(journal.begin());
    GARLAND_TRY(done, output.write(input, now, journal, progress));
    for (const std::string& file : done.files) {
        const std::string name = file_name(file);
        const auto known = std::find_if(done.written.begin(), done.written.end(),
                                        [&](const WrittenFile& w) { return w.name == name && !w.hash.empty(); });
        if (known != done.written.end()) {
            GARLAND_CHECK(journal.add({name, known->bytes, known->hash, {}}));
            continue;
        }
        GARLAND_TRY(one, described(order.folder, name));
        GARLAND_CHECK(journal.add(one));
    }
    return done;
}

} // namespace

Result<HandoffDone> hand_off(const HandoffInput& input, const HandoffOrder& order, Progress& progress) {
    GARLAND_CHECK(validate(order));
    GARLAND_TRY(output, output_called(order));
    GARLAND_CHECK(steps_fit(*output, order));
    std::error_code made;
    const bool new_folder = std::filesystem::create_directories(order.folder, made);
    if (made) {
        return fail(Error{ErrorCode::unreadable, fmt::format("the folder cannot be made ({})", made.message())}
                        .at(order.folder)
                        .keeping("nothing was written"));
    }
    auto work = [&]() -> Result<HandoffDone> {
        const HandoffKey key = key_of(input, order);
        GARLAND_TRY(journal, HandoffJournal::open(order, key, order.existing == WhatIsThere::resume));
        GARLAND_TRY(part, shared_out(input, *output, order, progress));
        HandoffDone done;
        if (part.frames.range.valid()) {
            auto written = output->in_frames(order.ending) ? output->write(input, part, journal, progress)
                                                           : write_whole(input, *output, part, journal, progress);
            if (!written) {
                journal.abandon();
                return fail(std::move(written.error()));
            }
            done = std::move(*written);
        }
        if (auto rounded = round_off(*output, order, key, done); !rounded)
            return fail(std::move(rounded.error())
                            .keeping("what was written, which is complete; only its manifest is not")
                            .advise("make room, and hand it off again, keeping complete files"));
        return done;
    };
    auto done = work();
    std::error_code none;
    if (!done && new_folder) std::filesystem::remove(order.folder, none); // only where it is empty
    return done;
}

} // namespace garland
