#include "io/handoff/outputs.h"

#include "core/base/numbers.h"
#include "io/files/staged_files.h"
#include "io/handoff/geometry_outputs.h"
#include "io/handoff/manifest.h"
#include "io/tables/camera_file.h"
#include "io/tables/curve_file.h"
#include "io/tables/export_timing.h"
#include "io/tables/timing_table.h"
#include "io/usd/shared_poses.h"
#include "io/usd/timed_references.h"

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <fmt/format.h>
#include <set>

namespace garland {

namespace {

std::string length_words(double metres) {
    if (metres == 0) return "not at all";
    if (metres < 0.1) return fmt::format("{:.2g} mm", metres * 1000);
    return fmt::format("{:.3g} m", metres);
}

// ---- shared poses

SharedPosesOrder shared_order(const HandoffOrder& o) {
    return {o.path(), o.name, o.frames, o.poses_per_frame, o.files(), o.as};
}

void tell(const SharedPosesPlan& p, std::vector<std::string>& words,
          std::vector<std::pair<std::string, double>>& numbers) {
    std::string moved = p.unmeasured && p.worst == 0
                            ? "how far rounding moves points cannot be measured, since they change in number"
                            : fmt::format("rounding moves points by {} at most", length_words(p.worst));
    if (p.worst > 0 && p.usual_step > 0)
        moved += fmt::format(" ({:.2g} of a usual step of {})", p.worst / p.usual_step, p.worst_source);
    words.push_back(fmt::format("{} shown, {} kept; {}.", counted(p.picks, "pose", "poses"), p.poses, moved));
    if (p.baked_bytes > 0)
        words.push_back(fmt::format("As posed copies in PLY it would be {}.", byte_count(p.baked_bytes)));
    numbers = {{"picks", static_cast<double>(p.picks)},
               {"poses", static_cast<double>(p.poses)},
               {"largest_error", p.worst},
               {"usual_step", p.usual_step},
               {"posed_bytes", p.baked_bytes}};
}

Result<HandoffPlan> plan_shared(const HandoffInput& in, const HandoffOrder& order, Progress& progress) {
    GARLAND_TRY(p, plan_shared_poses(*in.show, shared_order(order), progress));
    HandoffPlan plan;
    plan.files = p.files, plan.existing = p.there, plan.bytes = p.bytes, plan.free = p.free;
    tell(p, plan.words, plan.numbers);
    return plan;
}

Result<HandoffDone> write_shared(const HandoffInput& in, const HandoffOrder& order, HandoffJournal&,
                                 Progress& progress) {
    GARLAND_TRY(s, write_shared_poses(*in.show, shared_order(order), progress));
    HandoffDone done;
    done.files = s.files, done.bytes = s.bytes;
    tell(s.plan, done.words, done.numbers);
    done.numbers.emplace_back("copies", static_cast<double>(s.copies));
    return done;
}

// ---- references with timing

TimedReferencesOrder references_order(const HandoffOrder& o) {
    return {o.path(), o.name, o.frames.range, o.tolerance, 4, o.files(), o.as};
}

Result<HandoffPlan> plan_references(const HandoffInput& in, const HandoffOrder& order, Progress& progress) {
    GARLAND_TRY(p, plan_timed_references(*in.show, references_order(order), progress));
    HandoffPlan plan;
    plan.files = p.files, plan.existing = p.there, plan.bytes = p.bytes, plan.free = p.free;
    plan.left_out = p.left_out;
    plan.words.push_back(fmt::format("{} refer to their sources; straight clocks are exact, curved ones within {} "
                                     "source frames.",
                                     counted(p.copies, "copy", "copies"), order.tolerance));
    plan.numbers = {{"copies", static_cast<double>(p.copies)}};
    return plan;
}

Result<HandoffDone> write_references(const HandoffInput& in, const HandoffOrder& order, HandoffJournal&,
                                     Progress& progress) {
    GARLAND_TRY(r, write_timed_references(*in.show, references_order(order), progress));
    HandoffDone done;
    done.files = r.files, done.bytes = r.bytes, done.left_out = r.plan.left_out;
    done.words.push_back(
        fmt::format("{} with {} of time. Largest difference of a clock: {:.2g} source frames; of a point between "
                    "samples: {}.",
                    counted(r.plan.copies, "copy", "copies"), counted(r.keys, "key", "keys"), r.worst_clock,
                    r.worst_point == 0 ? "none" : length_words(r.worst_point)));
    done.numbers = {{"copies", static_cast<double>(r.plan.copies)},
                    {"keys", static_cast<double>(r.keys)},
                    {"largest_clock_error", r.worst_clock},
                    {"largest_point_error", r.worst_point}};
    return done;
}

// ---- timing table

Result<HandoffPlan> plan_timing(const HandoffInput& in, const HandoffOrder& order, Progress&) {
    HandoffPlan plan;
    sizes(plan, order);
    const double rows = static_cast<double>(order.frames.count()) * static_cast<double>(in.show->copies());
    plan.bytes = rows * (order.ending == ".csv" ? 70 : 250);
    plan.words.push_back(fmt::format("{:.0f} rows.", rows));
    plan.numbers = {{"rows", rows}};
    return plan;
}

Result<HandoffDone> write_timing(const HandoffInput& in, const HandoffOrder& order, HandoffJournal&,
                                 Progress& progress) {
    GARLAND_CHECK(write_timing_table(order.path(), *in.show, in.project, order.frames, order.files(), progress));
    GARLAND_TRY(rows, read_timing_table(order.path()));
    HandoffDone done;
    std::uint64_t size = 0;
    GARLAND_CHECK(read_head(order.path(), 1, size));
    done.files = {order.path()}, done.bytes = static_cast<double>(size);
    done.words.push_back(fmt::format("Read back: {} rows.", rows.size()));
    done.numbers = {{"rows", static_cast<double>(rows.size())}};
    return done;
}

// ---- timings as curves and clips

struct CurveFile {
    const Timing* timing = nullptr;
    std::string name; // of its file
};

// Of all timings that copies follow; a single one has the hand-off's own name.
std::vector<CurveFile> curve_files(const Project& project, const HandoffOrder& order) {
    std::vector<CurveFile> out;
    for (const Timing& t : project.timings) {
        const bool followed = std::any_of(project.arrangements.begin(), project.arrangements.end(),
                                          [&](const Arrangement& a) { return a.timing == t.id; });
        if (followed) out.push_back({&t, order.name + order.ending});
    }
    if (out.size() < 2) return out;
    std::set<std::string> used;
    for (CurveFile& file : out) {
        std::string usual = file.timing->name;
        for (char& c : usual)
            if (c == '/' || c == '\\' || static_cast<unsigned char>(c) < ' ') c = '_';
        file.name = fmt::format("{}.{}{}", order.name, usual, order.ending);
        for (int k = 2; !used.insert(file.name).second; ++k)
            file.name = fmt::format("{}.{} {}{}", order.name, usual, k, order.ending);
    }
    return out;
}

Error no_curves(bool some_left_out) {
    return Error{ErrorCode::unsupported,
                 some_left_out ? "no timing is made of phrases without a slider, which are what clips hold"
                               : "there is no timing that copies follow"}
        .keeping("nothing was written")
        .advise(some_left_out ? "write csv or json" : "add copies first");
}

Result<HandoffPlan> plan_curves(const HandoffInput& in, const HandoffOrder& order, Progress&) {
    HandoffPlan plan;
    plan.free = free_space(order.folder);
    for (const CurveFile& file : curve_files(in.project, order)) {
        if (order.ending == ".otio" && (file.timing->form != TimingForm::phrases || file.timing->slider)) {
            plan.left_out.push_back(file.timing->name + " (clips hold phrases, without a slider)");
            continue;
        }
        plan.bytes += 2000 + (order.ending == ".csv" ? 30 * static_cast<double>(order.frames.count()) : 0);
        ++plan.files;
        plan.existing += file_exists(order.folder + "/" + file.name);
    }
    if (plan.files == 0) return fail(no_curves(!plan.left_out.empty()));
    plan.words.emplace_back("Each timing over its whole span, whatever frames are asked for.");
    plan.numbers = {{"timings", static_cast<double>(plan.files)}};
    return plan;
}

Result<HandoffDone> write_curves(const HandoffInput& in, const HandoffOrder& order, HandoffJournal&,
                                 Progress& progress) {
    HandoffDone done;
    GARLAND_TRY(staged, StagedFiles::create(order.folder));
    std::vector<StagedFiles::Place> places;
    for (const CurveFile& file : curve_files(in.project, order)) {
        progress.report(0, file.timing->name);
        if (progress.cancelled()) return fail(Error{ErrorCode::cancelled, "stopped"}.keeping("nothing was written"));
        const std::string path = staged.folder() + "/" + file.name;
        const auto said = export_timing(in.project, file.timing->id, path, Existing::refuse);
        if (!said && said.error().code != ErrorCode::unsupported) return fail(said.error());
        if (!said) {
            done.left_out.push_back(fmt::format("{} ({})", file.timing->name, said.error().message));
            continue;
        }
        if (!said->empty()) done.words.push_back(fmt::format("{}: {}.", file.timing->name, *said));
        if (order.ending != ".otio") { // the same timing as it will be read
            GARLAND_TRY(back, read_curve(path));
            done.words.push_back(fmt::format("{}: read back, {}.", file.timing->name, back.words));
        }
        std::uint64_t size = 0;
        GARLAND_CHECK(read_head(path, 1, size));
        done.bytes += static_cast<double>(size);
        places.push_back({file.name, file.name});
        done.files.push_back(order.folder + "/" + file.name);
    }
    if (places.empty()) return fail(no_curves(!done.left_out.empty()));
    GARLAND_CHECK(staged.publish(places, order.files()));
    done.numbers = {{"timings", static_cast<double>(places.size())}};
    return done;
}

// ---- camera

Result<HandoffPlan> plan_camera(const HandoffInput&, const HandoffOrder& order, Progress&) {
    HandoffPlan plan;
    sizes(plan, order);
    plan.bytes = static_cast<double>(order.frames.count()) * 250;
    return plan;
}

Result<HandoffDone> write_camera_of(const HandoffInput& in, const HandoffOrder& order, HandoffJournal&, Progress&) {
    GARLAND_CHECK(write_camera(in.project, {order.path(), order.frames, 16.0 / 9.0, order.files(), order.as}));
    HandoffDone done;
    std::uint64_t size = 0;
    GARLAND_CHECK(read_head(order.path(), 1, size));
    done.files = {order.path()}, done.bytes = static_cast<double>(size);
    return done;
}

std::vector<HandoffOutput> geometry_rows() {
    return {
        {"posed-copies",
         "posed copies",
         "Every copy's geometry where it stands: PLY, one file for each output frame with all copies as one mesh; or "
         "USD, one file with a prim for each copy; or OBJ, or one array",
         {".ply", ".usdc", ".usda", ".obj", ".npy"},
         false,
         false,
         false,
         plan_posed,
         write_posed},
        {"one-source",
         "one retimed source",
         "A source alone, at the origin, in its timing: USD with a sample for each output frame, glTF with morph "
         "targets, one array, or a file for each frame: PLY, OBJ, OpenVDB of volumes, CSV of particles",
         {".usda", ".usdc", ".ply", ".obj", ".npy", ".glb", ".vdb", ".csv"},
         true,
         false,
         false,
         plan_source,
         write_source},
        {"shared-poses",
         "shared poses",
         "USD: each distinct pose once, and for every copy and frame only which pose it shows and where it stands",
         {".usdc", ".usda"},
         false,
         true,
         false,
         plan_shared,
         write_shared},
        {"references",
         "references with timing",
         "USD: the geometry of each source once, and copies that refer to it with a clock of their own",
         {".usdc", ".usda"},
         false,
         false,
         true,
         plan_references,
         write_references},
        {"viewer",
         "one file for any viewer",
         "glTF: poses as morph targets and an animation for every copy, in one .glb",
         {".glb"},
         false,
         false,
         true,
         plan_glb,
         write_glb_of},
    };
}

std::vector<HandoffOutput> table_rows() {
    return {
        {"timing",
         "timing table",
         "Which source frame every copy shows at every output frame, as a table",
         {".csv"},
         false,
         false,
         false,
         plan_timing,
         write_timing},
        {"curves",
         "timing curves and clips",
         "Every timing that copies follow, in a file of its own: frames as CSV, everything about it as JSON, or its "
         "phrases as clips of OpenTimelineIO",
         {".json", ".csv", ".otio"},
         false,
         false,
         false,
         plan_curves,
         write_curves},
        {"camera",
         "camera",
         "The project's camera with its keys, for every output frame",
         {".usda", ".gltf", ".csv"},
         false,
         false,
         false,
         plan_camera,
         write_camera_of},
    };
}

} // namespace

const std::vector<HandoffOutput>& outputs() {
    static const std::vector<HandoffOutput> all = [] {
        std::vector<HandoffOutput> rows = geometry_rows();
        for (HandoffOutput& row : table_rows()) rows.push_back(std::move(row));
        return rows;
    }();
    return all;
}

Result<const HandoffOutput*> output_called(const HandoffOrder& order) {
    std::string words;
    for (const HandoffOutput& o : outputs()) {
        words += (words.empty() ? "" : ", ") + std::string(o.word);
        if (o.word != order.output) continue;
        std::string endings;
        for (const char* e : o.endings) {
            if (order.ending == e) return &o;
            endings += (endings.empty() ? "" : ", ") + std::string(e + 1);
        }
        return fail(Error{ErrorCode::invalid, fmt::format("{} cannot be written as \"{}\"", o.label, order.ending)}
                        .keeping("nothing was written")
                        .advise("use " + endings));
    }
    return fail(Error{ErrorCode::invalid, fmt::format("there is no output \"{}\"", order.output)}
                    .keeping("nothing was written")
                    .advise("use one of " + words));
}

} // namespace garland
