// The project at work: its sources opened, its timings prepared, its copies placed; and from there the one way that
// Scene, Lanes, Check, trace and every writer walk: copy moments → needed poses → posed copies.
#pragma once

#include "core/copies/twins.h"
#include "core/project/project.h"
#include "core/scene/posed.h"

#include <map>
#include <memory>
#include <string>
#include <vector>

namespace garland {

// A source as opened; `serial` names its poses in the cache.
struct OpenSource {
    SourcePtr source;
    std::uint64_t serial = 0;
    // What copies on it stand on, learned when an arrangement asks for it (see find_groundwork), and how it was taken
    // then.
    CopyGroundwork ground{};
    ImportSettings ground_settings{};
    std::optional<Closing> ground_closing{};
    std::optional<Error> ground_problem{};
};

// A sound as read, and its levels, learned when they are asked for.
struct OpenSound {
    std::string path; // of the file it was read from
    int channel = 0;
    SoundSamplesPtr samples; // null where it could not be read
    SoundLevelsPtr levels;
    std::optional<SoundSpec> levels_of; // what they were made for
    Rate levels_rate{};
    std::optional<Error> problem{};
};
// What a zone needs to know of sources: the distances from a mesh, and where what it rides on goes.
struct ZoneGround {
    std::optional<Zone> zone; // it was learned for
    std::uint64_t serial = 0; // of the source it was learned from
    FrameRange range{};
    DistanceGridPtr grid;
    ZoneCarriage carriage;
    std::optional<Error> problem{};
};
// Where the copies of an arrangement that moves are, at whole output frames.
struct MovingGround {
    std::optional<Arrangement> arrangement; // it was learned for, as resolved, without what plays it
    std::vector<PlaceKey> own_keys;         // of a single-out
    FrameRange range{};
    std::shared_ptr<const std::vector<PlaceTrack>> tracks;
    std::optional<Error> problem{};
};
struct OpenSources : std::map<SourceId, OpenSource> {
    OpenSources() = default;
    OpenSources(std::initializer_list<value_type> opened) : map(opened) {}
    std::map<SoundId, OpenSound> sounds;
    std::map<ZoneId, ZoneGround> zones;
    std::map<ArrangementId, MovingGround> moving;
};

// The project's sounds that are open, as they are heard.
std::vector<HeardSound> heard_sounds(const Project& project, const OpenSources& sources);

// Immutable once made; safe to share between threads.
struct Show {
    std::vector<ArrangementShow> arrangements;
    std::map<SourceId, Sampler> samplers;
    Settings settings;
    LevelGround levels; // zones and sounds at work
    CameraPlan camera;
    std::int64_t copy_count = 0;
    bool unsolved =
        false; // some copies are not played yet, or as before: there were more than `Solving` allows at once

    std::int64_t copies() const { return copy_count; }
    // The arrangement that holds copy `number` (from 0) and the copy's place in it; null when there is none.
    const ArrangementShow* find(std::int64_t number, std::size_t& index) const;
};
using ShowPtr = std::shared_ptr<const Show>;

// The source as its rules take it: its closing too, where that fits its frames (see validate(Closing)); otherwise as if
// it had none.
Sampler sampler_for(const SourceSpec& spec, const OpenSource& open, Rate rate, PoseCache& cache);

// The project must be valid. Arrangements whose source is not open are kept with usable = false: their files' frames
// are unknown, so their clock spans what the timing asks for.
// before: an earlier show; arrangements that are still the same are taken over from it instead of placed again.
// solving: how many copies of an arrangement what plays them may be solved for at once; above it they go on as in
// `before`, and the show says so. Cancelled through progress they are left so too.
struct Solving {
    std::size_t at_once = SIZE_MAX;
    Progress* progress = &Progress::none();
};
ShowPtr make_show(const Project& project, const OpenSources& sources, PoseCache& cache, const Show* before = nullptr,
                  const Solving& solving = {});

// An arrangement's rules as they are at work: a single-out has the other arrangement's, and its own on top. Only its
// keys of places are its own alone (see ArrangementShow::own_place).
Arrangement resolved(const Project& project, const Arrangement& arrangement);

// Reads what arrangements stand on and what `sources` does not know yet: points over all frames, first poses. Errors of
// one source are kept with it and told by its arrangements. True when anything was learned; errors: cancelled.
Result<bool> find_groundwork(const Project& project, OpenSources& sources, PoseCache& cache,
                             Progress& progress = Progress::none());
bool needs_groundwork(const Project& project, const OpenSources& sources);

// What a spread gives the copies of an arrangement, in order; null when there is no such spread.
const GivenValues* given_by(const Show& show, ArrangementId arrangement, SpreadId spread);

// The parts of a source that can be singled out: nodes by name, else pieces by number. And the numbers that a name
// stands for: those of the node or piece and of everything below it.
std::vector<std::string> part_names(const Source& source);
std::vector<std::int32_t> parts_called(const Source& source, const std::string& name);

// Poses of all usable arrangements at one output frame (see posed.h).
inline Result<std::vector<Posed>> pose_all(const Show& show, OutputFrame t, Progress& progress = Progress::none()) {
    return pose_all(show.arrangements, t, progress);
}

// One stage of a trace: what it is called, what happened in words, and its numbers.
struct TraceStage {
    std::string name;
    std::string words;
    std::vector<std::pair<std::string, double>> numbers;
};

struct Trace {
    std::int64_t copy = 0; // from 0, over the project
    OutputFrame frame;
    CopyTrace values;
    PoseRecipe recipe;
    std::vector<TraceStage> stages; // in the order of docs/time.md
    std::string line;               // all in one line, for a status bar
};

// Errors: not_found for a copy that does not exist.
Result<Trace> trace(const Show& show, std::int64_t copy, OutputFrame t);

// "12 frames later", "1 frame ahead", "on time".
std::string delay_words(double frames);
// What a spread gives a copy, with its unit: "12 % faster", "90°", "2.5 frames later".
std::string given_words(Target target, double value);

// How a copy is called: "c07", padded to the width of the highest number.
std::string copy_name(std::int64_t number, std::int64_t count);

} // namespace garland
