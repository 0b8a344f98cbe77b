// The project at work: its sources opened, its timings prepared, its copies placed; and from there the one way that
// Stage, Loom, Check, trace and every writer walk: copy moments → needed poses → posed copies.
#pragma once

#include "core/copies/picks.h"
#include "core/copies/twins.h"
#include "core/copies/wobble.h"
#include "core/project/project.h"
#include "core/source/sampler.h"

#include <map>
#include <memory>
#include <string>
#include <vector>

namespace garland {

// A source as opened; `serial` names its poses in the cache.
struct OpenSource {
    SourcePtr source;
    std::uint64_t serial = 0;
};
using OpenSources = std::map<SourceId, OpenSource>;

// A list that shows share: taken over, not copied, where nothing about it has changed.
template <class T>
class SharedList {
  public:
    SharedList() = default;
    SharedList(std::vector<T> list) : list_(std::make_shared<const std::vector<T>>(std::move(list))) {}
    operator const std::vector<T>&() const { return *list_; }
    const std::vector<T>& list() const { return *list_; }
    std::size_t size() const { return list_->size(); }
    bool empty() const { return list_->empty(); }
    const T* data() const { return list_->data(); }
    const T* begin() const { return list_->data(); }
    const T* end() const { return list_->data() + list_->size(); }
    const T& operator[](std::size_t i) const { return (*list_)[i]; }

  private:
    std::shared_ptr<const std::vector<T>> list_ = std::make_shared<const std::vector<T>>();
};

// One arrangement, ready to be asked about any frame.
struct ArrangementShow {
    ArrangementId id;
    SourceId source;
    TimingPlan plan;
    TimingForm form = TimingForm::positions;
    std::vector<OutputFrame> phrase_starts; // of a list of phrases, closed by its end
    SourceClock clock;
    bool usable = false;         // its source is open; otherwise there are clocks but nothing to see
    std::int64_t first_copy = 0; // the number of its first copy, counted over the whole project from 0
    SharedList<Placement> places;  // without wobble
    SharedList<CopyClock> clocks;  // by order, as places
    std::vector<Wobble> wobbles;   // those that are on: the source's, the arrangement's
    Rate rate;                     // output frames a second
    Arrangement spec;              // what it was made from
};

// Immutable once made; safe to share between threads.
struct Show {
    std::vector<ArrangementShow> arrangements;
    std::map<SourceId, Sampler> samplers;
    Settings settings;
    CameraPlan camera;

    std::int64_t copies() const;
    // The arrangement that holds copy `number` (from 0) and the copy's place in it; null when there is none.
    const ArrangementShow* find(std::int64_t number, std::size_t& index) const;
};
using ShowPtr = std::shared_ptr<const Show>;

// The project must be valid. Arrangements whose source is not open are kept with usable = false: their files' frames
// are unknown, so their clock spans what the timing asks for.
// before: an earlier show; arrangements that are still the same are taken over from it instead of placed again.
ShowPtr make_show(const Project& project, const OpenSources& sources, PoseCache& cache, const Show* before = nullptr);

// Where the copies of an arrangement are at an output frame, wobbles included; and how they move, where asked for.
std::vector<Placement> places_at(const ArrangementShow& arrangement, OutputFrame t,
                                 std::vector<WobbleSample>* motion = nullptr);

// One arrangement at one output frame.
struct Posed {
    const ArrangementShow* arrangement = nullptr;
    std::vector<CopyMoment> moments; // one a copy
    Picks picks;
    std::vector<SampledPose> poses; // one a picks.poses entry
    std::vector<Placement> wobbled; // empty where nothing wobbles
    std::vector<WobbleSample> motion;

    const std::vector<Placement>& places() const { return wobbled.empty() ? arrangement->places.list() : wobbled; }
};

std::vector<CopyMoment> moments_at(const ArrangementShow& arrangement, OutputFrame t);

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

// How a copy is called: "c07", padded to the width of the highest number.
std::string copy_name(std::int64_t number, std::int64_t count);

} // namespace garland
