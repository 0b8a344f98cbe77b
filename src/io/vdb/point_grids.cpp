#include "io/vdb/point_grids.h"

#include "core/base/numbers.h"
#include "core/geometry/openvdb_trees.h"
#include "io/files/csv.h"
#include "io/files/run_program.h"
#include "io/files/series.h"
#include "io/ply/ply.h"
#include "io/sources/converted.h"
#include "io/sources/sources.h"
#include "io/vdb/volume_file.h"

#include <algorithm>
#include <charconv>
#include <cstdlib>
#include <filesystem>
#include <fmt/format.h>
#include <openvdb/points/PointCount.h>
#include <openvdb/points/PointDataGrid.h>
#include <optional>
#include <set>
#include <unordered_set>
#include <utility>

#ifdef GARLAND_KEPT_TREES // as in openvdb_trees.h
extern template class openvdb::tree::Tree<openvdb::points::PointDataTree::RootNodeType>;
extern template class openvdb::Grid<openvdb::points::PointDataTree>;
#endif

namespace garland {

namespace {

namespace fs = std::filesystem;
namespace points = openvdb::points;

constexpr const char* point_kind = "ptdataidx32";
constexpr const char* left_out_ending = ".left_out"; // beside the frames, where one of them cannot be read
constexpr const char* at_ending = ".at";             // the number of the frame in hand
constexpr double most_seconds = 3600;

bool is_velocity(std::string_view name) {
    return name == "v" || name == "vel" || name == "velocity";
}

// The attributes of one leaf that go into a pose, by their place in it.
struct Columns {
    std::vector<std::string> floats, wholes, vectors; // names
    bool ids = false;
    std::string velocity; // "": none
};

Columns columns_of(const points::AttributeSet::Descriptor& all) {
    Columns out;
    for (const auto& [name, position] : all.map()) {
        const std::string type = all.valueType(position);
        if (name == "P") continue;
        if (name == "id" && (type == "int32" || type == "int64")) {
            out.ids = true;
        } else if (type == "vec3s" && is_velocity(name) && out.velocity.empty()) {
            out.velocity = name;
        } else if (type == "float") {
            out.floats.push_back(name);
        } else if (type == "int32") {
            out.wholes.push_back(name);
        } else if (type == "vec3s") {
            out.vectors.push_back(name);
        }
    }
    return out;
}

class Collector {
  public:
    explicit Collector(Pose& pose) : pose_(pose) {}

    void add(const points::PointDataGrid& grid) {
        auto leaf = grid.tree().cbeginLeaf();
        if (!leaf) return;
        const Columns columns = columns_of(leaf->attributeSet().descriptor());
        std::vector<Attribute*> floats, wholes, vectors;
        for (const auto& name : columns.floats) floats.push_back(&attribute(name, 1, false));
        for (const auto& name : columns.wholes) wholes.push_back(&attribute(name, 1, true));
        for (const auto& name : columns.vectors) vectors.push_back(&attribute(name, 3, false));
        for (; leaf; ++leaf) {
            const std::size_t before = pose_.points.size();
            add_places(*leaf, grid.transform());
            if (columns.ids) add_ids(*leaf);
            if (!columns.velocity.empty()) add_velocities(*leaf, columns.velocity, before);
            for (std::size_t k = 0; k < floats.size(); ++k) add_numbers<float>(*leaf, *floats[k]);
            for (std::size_t k = 0; k < wholes.size(); ++k) add_wholes(*leaf, *wholes[k]);
            for (std::size_t k = 0; k < vectors.size(); ++k) add_vectors(*leaf, *vectors[k]);
        }
        level();
    }

    void finish() {
        std::unordered_set<std::int64_t> seen(pose_.ids.begin(), pose_.ids.end());
        if (pose_.ids.size() == pose_.points.size() && seen.size() == pose_.ids.size()) return;
        pose_.ids.resize(pose_.points.size());
        for (std::size_t i = 0; i < pose_.ids.size(); ++i) pose_.ids[i] = static_cast<std::int64_t>(i);
    }

  private:
    using Leaf = points::PointDataTree::LeafNodeType;

    // References into the list stay: room is made beforehand.
    Attribute& attribute(const std::string& name, int width, bool whole) {
        for (Attribute& a : pose_.attributes) {
            if (a.name == name && a.width == width) return a;
        }
        pose_.attributes.reserve(256);
        Attribute& a = pose_.attributes.emplace_back(Attribute{name, width});
        a.vector = width == 3;
        (whole ? wholes_ : floats_).push_back(pose_.attributes.size() - 1);
        return a;
    }
    void add_places(const Leaf& leaf, const openvdb::math::Transform& frame) {
        const auto places = points::AttributeHandle<openvdb::Vec3f>::create(leaf.constAttributeArray("P"));
        for (auto at = leaf.beginIndexOn(); at; ++at) {
            const openvdb::Vec3d place = frame.indexToWorld(openvdb::Vec3d(places->get(*at)) + at.getCoord().asVec3d());
            pose_.points.emplace_back(static_cast<float>(place[0]), static_cast<float>(place[1]),
                                      static_cast<float>(place[2]));
        }
    }
    void add_ids(const Leaf& leaf) {
        const points::AttributeArray& all = leaf.constAttributeArray("id");
        if (all.type().first == "int64") {
            const auto ids = points::AttributeHandle<std::int64_t>::create(all);
            for (auto at = leaf.beginIndexOn(); at; ++at) pose_.ids.push_back(ids->get(*at));
        } else {
            const auto ids = points::AttributeHandle<std::int32_t>::create(all);
            for (auto at = leaf.beginIndexOn(); at; ++at) pose_.ids.push_back(ids->get(*at));
        }
    }
    void add_velocities(const Leaf& leaf, const std::string& name, std::size_t before) {
        pose_.velocities.resize(before, V3f(0));
        const auto values = points::AttributeHandle<openvdb::Vec3f>::create(leaf.constAttributeArray(name));
        for (auto at = leaf.beginIndexOn(); at; ++at) {
            const openvdb::Vec3f v = values->get(*at);
            pose_.velocities.emplace_back(v[0], v[1], v[2]);
        }
    }
    template <class T>
    void add_numbers(const Leaf& leaf, Attribute& to) {
        const auto values = points::AttributeHandle<T>::create(leaf.constAttributeArray(to.name));
        for (auto at = leaf.beginIndexOn(); at; ++at) to.values.push_back(values->get(*at));
    }
    void add_wholes(const Leaf& leaf, Attribute& to) {
        const auto values = points::AttributeHandle<std::int32_t>::create(leaf.constAttributeArray(to.name));
        for (auto at = leaf.beginIndexOn(); at; ++at) to.whole.push_back(values->get(*at));
    }
    void add_vectors(const Leaf& leaf, Attribute& to) {
        const auto values = points::AttributeHandle<openvdb::Vec3f>::create(leaf.constAttributeArray(to.name));
        for (auto at = leaf.beginIndexOn(); at; ++at) {
            const openvdb::Vec3f v = values->get(*at);
            to.values.insert(to.values.end(), {v[0], v[1], v[2]});
        }
    }
    // Points of a grid without an attribute that another has get 0.
    void level() {
        const std::size_t count = pose_.points.size();
        for (const std::size_t k : floats_)
            pose_.attributes[k].values.resize(count * static_cast<std::size_t>(pose_.attributes[k].width), 0);
        for (const std::size_t k : wholes_) pose_.attributes[k].whole.resize(count, 0);
        if (!pose_.velocities.empty()) pose_.velocities.resize(count, V3f(0));
    }

    Pose& pose_;
    std::vector<std::size_t> floats_, wholes_;
};

// garland-cli: named by the environment, beside this program, or looked up on the path.
std::string own_command() {
    if (const char* named = std::getenv("GARLAND_CLI"); named && *named) return named;
    std::error_code error;
    const fs::path beside = fs::read_symlink("/proc/self/exe", error).parent_path() / "garland-cli";
    return !error && fs::exists(beside, error) ? beside.string() : "garland-cli";
}

// What was left out so far: a frame and the reason in each line.
std::string left_out_of(const std::string& out) {
    std::vector<char> bytes;
    const std::string path = out + left_out_ending;
    if (!file_exists(path) || !read_file(path, bytes)) return {};
    return std::string(bytes.data(), bytes.size());
}

std::vector<std::pair<std::int64_t, std::string>> frames_left_out(const std::string& out) {
    std::vector<std::pair<std::int64_t, std::string>> all;
    const std::string whole = left_out_of(out);
    std::string_view text = whole;
    while (!text.empty()) {
        const std::string_view line = take_line(text);
        std::int64_t frame = 0;
        const char* const end = line.data() + line.size();
        const auto [stop, wrong] = std::from_chars(line.data(), end, frame);
        if (wrong == std::errc() && stop != end) all.emplace_back(frame, std::string(stop + 1, end));
    }
    return all;
}

Result<void> leave_out(const std::string& out, std::int64_t frame, const std::string& why) {
    return write_file(out + left_out_ending, left_out_of(out) + fmt::format("{} {}\n", frame, why), Existing::replace);
}

// The frame that the other process had in hand.
std::optional<std::int64_t> frame_in_hand(const std::string& out) {
    std::vector<char> bytes;
    std::int64_t frame = 0;
    if (!file_exists(out + at_ending) || !read_file(out + at_ending, bytes)) return {};
    const auto [stop, wrong] = std::from_chars(bytes.data(), bytes.data() + bytes.size(), frame);
    return wrong == std::errc() ? std::optional(frame) : std::nullopt;
}

// A frame that ends the process twice is left out, and a new one goes on after it.
Result<void> run_own(const std::string& path, const std::string& folder, std::int64_t first, Progress& progress) {
    ProgramRun run;
    const std::string out = folder + "/points";
    run.words = {own_command(), "vdb-points", fs::absolute(path).string(), out};
    run.folder = folder;
    run.limit = most_seconds;
    std::optional<std::int64_t> tried, left;
    for (;;) {
        GARLAND_TRY(end, run_program(run, progress));
        if (end.code == 0) return {};
        std::string said = end.said;
        while (!said.empty() && (said.back() == '\n' || said.back() == ' ')) said.pop_back();
        const auto line = said.rfind('\n');
        said = said.empty() ? fmt::format("the reader ended with code {}", end.code)
                            : said.substr(line == said.npos ? 0 : line + 1);
        const auto frame = frame_in_hand(out);
        if (end.code == points_refused || !frame || *frame == first || frame == left)
            return fail(Error{ErrorCode::malformed, fmt::format("its points cannot be read: {}", said)}.at(path).advise(
                "the file may be damaged or cut short; write it again"));
        if (std::exchange(tried, frame) != frame) continue; // something else may have ended it
        GARLAND_CHECK(leave_out(out, *frame, fmt::format("its reader was ended by it ({})", said)));
        left = frame;
    }
}

// The other files of a series, which the answer depends on as well.
std::string told_of(const Series& series) {
    std::string out = "points";
    for (const auto& [frame, file] : series.files) {
        std::error_code error;
        const auto changed = fs::last_write_time(file, error).time_since_epoch().count();
        out += fmt::format("\n{} {} {} {}", frame, file, fs::file_size(file, error), changed);
    }
    return out;
}

// The frames that the other process could not read; they are missing among what it wrote.
void tell_unread(const std::string& beside, SourceFacts& facts) {
    for (const auto& [frame, why] : frames_left_out(folder_of(beside) + "/points"))
        facts.problems.push_back(
            {fmt::format("frame {} cannot be read: {}", frame, why), "it counts as missing; write it again", frame});
}

} // namespace

bool holds_points_only(const std::string& path) {
    const auto series = find_series(path);
    if (!series || series->files.empty()) return false;
    const auto grids = read_volume_facts(series->files.begin()->second);
    if (!grids || grids->empty()) return false;
    bool points_there = false;
    for (const GridFacts& g : *grids) {
        if (g.read) return false;
        points_there |= g.type == point_kind;
    }
    return points_there;
}

Result<PosePtr> read_point_grids(const std::string& path) {
    openvdb::initialize();
    auto pose = std::make_shared<Pose>();
    try {
        openvdb::io::File file(path);
        file.open(false); // nothing is put off until it is asked for
        Collector collector(*pose);
        bool there = false;
        for (auto name = file.beginName(); name != file.endName(); ++name) {
            const auto head = file.readGridMetadata(name.gridName());
            if (!head->isType<points::PointDataGrid>()) continue;
            there = true;
            const auto grid = openvdb::gridPtrCast<points::PointDataGrid>(file.readGrid(name.gridName()));
            collector.add(*grid);
        }
        file.close();
        if (!there)
            return fail(Error{ErrorCode::unsupported, "has no grids of points"}.at(path).advise(
                "give a file with points, or open it as a volume"));
        collector.finish();
    } catch (const std::bad_alloc&) {
        return fail(Error{ErrorCode::too_large, "asks for more memory than there is"}.at(path).advise(
            "the file may be damaged; write it again"));
    } catch (const std::exception& error) {
        return fail(Error{ErrorCode::malformed, fmt::format("cannot be read as OpenVDB points ({})", error.what())}
                        .at(path)
                        .advise("the file may be damaged or cut short; write it again"));
    }
    return PosePtr(pose);
}

Result<void> write_points_of(const std::string& path, const std::string& out, Progress& progress) {
    GARLAND_TRY(series, find_series(path));
    std::set<std::int64_t> left_out;
    for (const auto& [frame, why] : frames_left_out(out)) left_out.insert(frame);
    std::size_t done = 0;
    for (const auto& [frame, file] : series.files) {
        if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
        progress.report(static_cast<double>(done++) / static_cast<double>(series.files.size()), file_name(file));
        const std::string to = numbered(out + ".", frame, 4, ".ply");
        if (left_out.count(frame) || file_exists(to)) continue;
        GARLAND_CHECK(write_file(out + at_ending, std::to_string(frame), Existing::replace));
        const auto pose = read_point_grids(file);
        if (!pose && frame == series.first()) return fail(Error{pose.error()}.at_frame(frame));
        GARLAND_CHECK(pose ? write_ply(to, **pose, PlyForm::little_endian, Existing::replace)
                           : leave_out(out, frame, pose.error().message));
    }
    return {};
}

Result<SourcePtr> open_point_grids(const std::string& path, Progress& progress) {
    PartOf converting(progress, 0, 0.8), opening(progress, 0.8, 1);
    GARLAND_TRY(series, find_series(path));
    Conversion way;
    way.path = series.files.begin()->second;
    way.way = told_of(series);
    way.make = [&](const std::string& folder, Progress& running) {
        return run_own(path, folder, series.first(), running);
    };
    way.result = [&](const std::string& folder) {
        const std::string first = numbered(folder + "/points.", series.first(), 4, ".ply");
        return file_exists(first) ? first : std::string();
    };
    GARLAND_TRY(written, converted(way, converting));
    auto inner = open_particle_series(written, opening);
    if (!inner) {
        if (inner.error().code != ErrorCode::cancelled) forget_converted(written);
        return fail(std::move(inner.error()).at(path));
    }
    SourceFacts facts = (*inner)->facts();
    facts.format = fmt::format("OpenVDB points, {}", series.files.size() > 1 ? "series" : "file");
    tell_unread(written, facts);
    const auto grids = read_volume_facts(series.files.begin()->second);
    for (const GridFacts& g : grids ? *grids : std::vector<GridFacts>{}) {
        if (g.type != point_kind)
            facts.problems.push_back({fmt::format("the grid \"{}\" is of a kind that is not read ({})", g.name, g.type),
                                      "it is left out", std::nullopt});
    }
    return source_of(path, std::move(*inner), std::move(facts));
}

} // namespace garland
