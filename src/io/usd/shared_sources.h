// What shared poses are written of: for each source its copies, and the distinct poses that they show once source
// frames are rounded.
#pragma once

#include "io/usd/shared_poses.h"

#include <map>
#include <set>
#include <unordered_set>

namespace garland {

// All copies of one source, of whatever arrangement.
struct SharedSource {
    SourceId source;
    const Sampler* sampler = nullptr;
    std::vector<const ArrangementShow*> shows;
    std::vector<std::int64_t> ids; // copies' numbers from 1, show after show
    std::map<PosePick, std::int32_t> poses;
    std::unordered_set<double> asked; // source frames
    std::set<PosePick> asked_fades;
    std::size_t picks() const { return asked.size() + asked_fades.size(); }
    struct Moved {
        PosePick from, to;
        double by = -1; // file frames
    };
    std::map<std::int64_t, Moved> furthest; // by the file frame before it; fades: below 0, by their weight
    double largest = 0;                     // copy
    std::string name{};                     // of its prim, and in the names of its files

    SourceKind kind() const { return sampler->source()->facts().kind; }
    bool volumes() const { return kind() == SourceKind::volume; }

    // The pose that a copy's pick is written as.
    PosePick written(const PosePick& pick, int per_frame) const;
    void learn(const PosePick& pick, int per_frame);
};

// Every source that copies show, in the order in which arrangements do.
std::vector<SharedSource> shared_sources(const Show& show);

// A volume's pose lies in a file of its own beside the layer: "copies.smoke.0001.vdb".
std::string volume_file(const SharedPosesOrder& order, const SharedSource& g, std::size_t pose);

// Names of every file, the layer last.
std::vector<std::string> shared_files(const SharedPosesOrder& order, const std::vector<SharedSource>& sources);

// Errors: invalid.
Result<void> validate(const SharedPosesOrder& order);

// Learns every source's poses, and how large what is written becomes. Errors: those of reading; cancelled.
Result<SharedPosesPlan> plan_sources(std::vector<SharedSource>& sources, const Show& show,
                                     const SharedPosesOrder& order, Progress& progress);

} // namespace garland
