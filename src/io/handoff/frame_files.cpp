#include "io/handoff/frame_files.h"

#include "core/base/numbers.h"
#include "core/base/put_number.h"
#include "core/copies/attitude.h"
#include "core/scene/placed_copy.h"
#include "io/handoff/file_names.h"
#include "io/handoff/merged_copies.h"
#include "io/obj/obj.h"
#include "io/vdb/volume_file.h"

#include <algorithm>
#include <fmt/format.h>

namespace garland {

namespace {

std::string name_of(const BakeOrder& order, const char* ending, const FrameMoment& moment) {
    return FileNames(order.name).of(moment, ending);
}

Result<void> none_in_the_way(const BakeOrder& order, const char* ending) {
    if (order.existing == Existing::replace) return {};
    for (std::int64_t k = 0; k < order.steps().moments(); ++k) {
        const std::string path = order.folder + "/" + name_of(order, ending, order.steps().moment(k));
        if (!file_exists(path)) continue;
        return fail(Error{ErrorCode::exists, "already exists"}
                        .at(path)
                        .keeping("all existing files; nothing was written")
                        .advise("choose another folder or name, or say that they may be replaced"));
    }
    return {};
}

Error not_as_written() {
    return Error{ErrorCode::unreadable, "what was read back is not what was written"}.advise(
        "check the disk and write this frame again");
}

// What the only copy shows; null where that is nothing.
const SampledPose* only_pose(const std::vector<Posed>& all) {
    for (const Posed& posed : all) {
        for (const std::uint32_t pick : posed.picks.copies)
            if (pick != no_pose) return &posed.poses[pick];
    }
    return nullptr;
}

// What would end a cell or a line in the first row is no part of a name.
std::string column_name(std::string name) {
    for (char& c : name)
        if (c == ',' || c == ';' || c == '\t' || c == '\n' || c == '\r' || c == '"') c = '_';
    return name;
}

// The same grids without voxels.
VolumePtr without_voxels(const std::vector<GridFacts>& grids) {
    std::vector<DenseGrid> empty;
    for (const GridFacts& g : grids) {
        DenseGrid grid{g.name, 1, 1, 1, g.voxel > 0 ? g.voxel : 1};
        grid.half = g.half;
        g.type == "vector" ? grid.vectors.assign(1, V3f(0)) : grid.values.assign(1, 0.0f);
        if (g.type == "float" || g.type == "vector") empty.push_back(std::move(grid));
    }
    return volume_from(empty);
}

} // namespace

Result<BakeDone> write_frame_files(const Show& show, const BakeOrder& order, const char* ending, WriteFrame write,
                                   Progress& progress) {
    GARLAND_CHECK(validate(order.steps()));
    GARLAND_CHECK(none_in_the_way(order, ending));
    if (order.starts) GARLAND_CHECK(order.starts());
    BakeDone done;
    auto kept = [&](Error error) {
        const auto count = static_cast<long long>(done.files.size());
        error.kept = done.files.empty() ? "nothing was written"
                                        : fmt::format("the {} written so far", counted(count, "file", "files"));
        return fail(std::move(error));
    };
    const FrameSteps steps = order.steps();
    for (std::int64_t k = 0; k < steps.moments(); ++k) {
        const FrameMoment moment = steps.moment(k);
        const double f = moment.at.value;
        progress.report(static_cast<double>(k) / static_cast<double>(steps.moments()), fmt::format("frame {}", f));
        if (progress.cancelled()) return kept(Error{ErrorCode::cancelled, fmt::format("stopped before frame {}", f)});
        const std::string name = name_of(order, ending, moment), path = order.folder + "/" + name;
        if (order.complete && order.complete(name)) {
            done.files.push_back(path);
            ++done.kept;
            continue;
        }
        auto posed = pose_all(show, moment.at, progress);
        if (!posed) return kept(std::move(posed.error()));
        if (auto written = write(*posed, order, path); !written)
            return kept(std::move(written.error()).at(path).at_frame(moment.frame));
        done.files.push_back(path);
        std::uint64_t size = 0;
        GARLAND_CHECK(read_head(path, 1, size));
        done.bytes += static_cast<double>(size);
        if (order.wrote) {
            if (auto noted = order.wrote({name, 0, {}}, moment.frame); !noted) return kept(std::move(noted.error()));
        }
        for (const Posed& p : *posed) {
            done.poses += static_cast<std::int64_t>(p.poses.size());
            for (std::uint32_t pick : p.picks.copies) done.copies += pick != no_pose;
        }
    }
    progress.report(1, "written");
    return done;
}

Result<void> write_obj_frame(const std::vector<Posed>& all, const BakeOrder& order, const std::string& path) {
    const Pose pose = merged_pose(all, order.as);
    GARLAND_CHECK(write_obj(path, pose, order.existing));
    GARLAND_TRY(back, read_obj_counts(path));
    if (back.points != pose.points.size() || back.faces != pose.faces->count()) return fail(not_as_written());
    return {};
}

Result<void> write_volume_frame(const std::vector<Posed>& all, const BakeOrder& order, const std::string& path) {
    const SampledPose* shown = only_pose(all);
    VolumePtr volume;
    if (shown && shown->pose->volume) {
        volume = placed(*shown->pose->volume, volume_place(all.front().places()[0], order.as),
                        velocity_factor(all.front(), 0));
    } else {
        const SourcePtr source = all.front().arrangement->sampler.source();
        GARLAND_TRY(any, source->read(source->facts().first, Progress::none()));
        if (!any->volume)
            return fail(
                Error{ErrorCode::unsupported, "this source holds no volumes"}.advise("write it as usdc or ply"));
        volume = without_voxels(any->volume->facts());
    }
    GARLAND_CHECK(write_volume(path, *volume, order.existing));
    GARLAND_TRY(back, read_volume_facts(path));
    const auto& facts = volume->facts();
    if (back.size() != facts.size()) return fail(not_as_written());
    for (std::size_t i = 0; i < facts.size(); ++i)
        if (back[i].active != facts[i].active) return fail(not_as_written());
    return {};
}

Result<void> write_particle_frame(const std::vector<Posed>& all, const BakeOrder& order, const std::string& path) {
    const SampledPose* shown = only_pose(all);
    const Pose nothing;
    const Pose& pose = shown ? *shown->pose : nothing;
    PlacedCopy placed{order.as};
    if (shown) place_copy(all.front(), 0, placed);
    const bool moves = !placed.velocities.empty(), coloured = !pose.colours.empty();
    const std::vector<Attribute>& attributes = placed.attributes(pose);
    std::string text = "id,x,y,z";
    if (moves) text += ",vx,vy,vz";
    if (coloured) text += ",r,g,b";
    for (const Attribute& a : attributes) {
        const std::string name = column_name(a.name);
        for (int k = 0; k < a.width; ++k) text += "," + (a.width == 1 ? name : fmt::format("{}_{}", name, k));
    }
    text += "\n";
    std::size_t numbers = 1 + 3 + (moves ? 3 : 0) + (coloured ? 3 : 0);
    for (const Attribute& a : attributes) numbers += static_cast<std::size_t>(a.width);
    auto row = [&](TextEnd& out, std::size_t i) {
        char* to = out.room(numbers * (longest_number + 1) + 1);
        auto next = [&to](auto number) { *to++ = ',', to = put_number(to, number); };
        auto three = [&](const V3f& v) { next(v.x), next(v.y), next(v.z); };
        to = put_number(to, i < pose.ids.size() ? pose.ids[i] : static_cast<std::int64_t>(i));
        three(placed.points[i]);
        if (moves) three(placed.velocities[i]);
        if (coloured) three(pose.colours[i]);
        for (const Attribute& a : attributes) {
            const auto width = static_cast<std::size_t>(a.width);
            for (std::size_t k = i * width; k < (i + 1) * width; ++k)
                a.whole.empty() ? next(a.values[k]) : next(a.whole[k]);
        }
        *to++ = '\n';
        out.ends_at(to);
    };
    put_texts(placed.points.size(), row, [&](std::string_view rows) { text += rows; });
    GARLAND_CHECK(write_file(path, text, order.existing));
    std::vector<char> back;
    GARLAND_CHECK(read_file(path, back));
    if (!std::equal(back.begin(), back.end(), text.begin(), text.end())) return fail(not_as_written());
    return {};
}

} // namespace garland
