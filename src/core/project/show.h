// The project at work: its sources opened, its timings prepared, its copies placed; and from there the one way that
// Scene, Lanes, Check, trace and every writer walk: copy moments → needed poses → posed copies.
#pragma once

#include "core/copies/picks.h"
#include "core/copies/places.h"
#include "core/copies/twins.h"
#include "core/copies/wobble.h"
#include "core/project/project.h"
#include "core/source/sampler.h"

#include <cmath>
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

// The copies of one arrangement that show one source, ready to be asked about any frame.
struct ArrangementShow {
    ArrangementId id;
    SourceId source;
    TimingPlan plan;
    TimingForm form = TimingForm::positions;
    std::string timing_name;
    std::vector<OffBeat> off_beats;         // while the tempo grid is on: ends of phrases that miss it
    std::vector<OutputFrame> phrase_starts; // of a list of phrases, closed by its end
    SourceClock clock;
    bool usable = false; // its source is open; otherwise there are clocks but nothing to see
    Sampler sampler;     // where it is usable
    // The numbers of its copies, counted over the whole project from 0; where an arrangement shows one source only they
    // follow each other.
    std::int64_t first_copy = 0;
    SharedList<std::int64_t> numbers;
    std::int64_t number(std::size_t i) const {
        return numbers.empty() ? first_copy + static_cast<std::int64_t>(i) : numbers[i];
    }

    CopyPlaces standing;
    SharedList<Placement> places;       // as its rules say, without wobble and before anything moves
    CopyClocks clocks;                  // by order, as places
    std::vector<Wobble> wobbles;        // those that are on: the source's, the arrangement's
    Rate rate;                          // output frames a second
    Arrangement spec;                   // the rules of its copies; of a single-out, the other's with its own
    std::shared_ptr<const CopySet> set; // all copies of the arrangement, whatever they show
    SharedList<std::uint32_t> in_set;   // where each of its copies is in there; empty: all of them in order
    std::size_t in_set_at(std::size_t i) const { return in_set.empty() ? i : in_set[i]; }
    CarrierTime carrier;
    Sampler carrier_sampler;   // where copies are carried
    std::vector<Pulse> pulses; // those that are on
    PlaceCurve own_place;      // of a single-out: each copy about its own place
    std::vector<PlaceKey> own_keys;
    bool moves() const { return !wobbles.empty() || !pulses.empty() || standing.moves() || own_place.keyed(); }
};

// Whether its timing repeats endlessly a range whose last pose is its first: nothing tells one end from the other.
inline bool seamless(const ArrangementShow& a) {
    return a.plan.loop() > 0 && !a.plan.there_and_back() && std::abs(a.plan.period() - a.plan.length()) < 1e-9;
}

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

// Where the copies of an arrangement are at an output frame, wobbles included; how they move (per output frame), and
// which have nothing to carry them, where asked for. Errors: those of reading what carries them; cancelled.
struct Standing {
    std::vector<Placement> places;
    std::vector<CopyMotion> motion;
    std::vector<std::uint8_t> gone; // 1: nothing carries it; empty: all are there
};
Result<Standing> places_at(const ArrangementShow& arrangement, OutputFrame t, std::span<const CopyMoment> moments,
                           bool motion = false, Progress& progress = Progress::none());
// The same where its moments are not known yet.
Result<Standing> places_at(const ArrangementShow& arrangement, OutputFrame t, bool motion = false,
                           Progress& progress = Progress::none());
// The same without wobbles and pulses: where copies are sensed.
Result<std::vector<Placement>> sensed_places_at(const ArrangementShow& arrangement, OutputFrame t,
                                                Progress& progress = Progress::none());

// What a spread gives the copies of an arrangement, in order; null when there is no such spread.
const GivenValues* given_by(const Show& show, ArrangementId arrangement, SpreadId spread);

// The parts of a source that can be singled out: nodes by name, else pieces by number. And the numbers that a name
// stands for: those of the node or piece and of everything below it.
std::vector<std::string> part_names(const Source& source);
std::vector<std::int32_t> parts_called(const Source& source, const std::string& name);

// One arrangement at one output frame.
struct Posed {
    const ArrangementShow* arrangement = nullptr;
    OutputFrame frame;
    std::vector<CopyMoment> moments; // one a copy
    Picks picks;
    std::vector<SampledPose> poses; // one a picks.poses entry
    std::vector<Placement> moved;   // empty where everything stands still
    std::vector<CopyMotion> motion;

    const std::vector<Placement>& places() const { return moved.empty() ? arrangement->places.list() : moved; }
};

std::vector<CopyMoment> moments_at(const ArrangementShow& arrangement, OutputFrame t);
// One copy over many output frames; out.size() = frames.size().
void row_of(const ArrangementShow& arrangement, std::size_t copy, std::span<const double> frames,
            std::span<CopyMoment> out);

// One needed pose.
Result<SampledPose> pose_of(const Sampler& sampler, const PosePick& pick, Progress& progress = Progress::none());

// Poses of all usable arrangements at one output frame, each distinct pose made once, on the shared pool.
// Errors: those of reading, with the file's path and frame; cancelled.
Result<std::vector<Posed>> pose_all(const Show& show, OutputFrame t, Progress& progress = Progress::none());

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
