// A source that reads a file a frame, whatever is in the files.
#pragma once

#include "core/source/source.h"
#include "io/files/series.h"

#include <functional>

namespace garland {

class FileSeries final : public Source {
  public:
    using Read = std::function<Result<PosePtr>(const std::string& path)>;
    FileSeries(Series series, SourceFacts facts, Read read)
        : series_(std::move(series)), facts_(std::move(facts)), read_(std::move(read)) {}
    const SourceFacts& facts() const override { return facts_; }
    std::vector<std::string> files() const override {
        std::vector<std::string> all;
        for (const auto& [frame, path] : series_.files) all.push_back(path);
        return all;
    }
    Result<PosePtr> read(std::int64_t frame, Progress&) const override {
        frame = present(frame);
        auto pose = read_(series_.files.at(frame));
        if (!pose) return fail(std::move(pose.error()).at_frame(frame));
        return pose;
    }

  private:
    Series series_;
    SourceFacts facts_;
    Read read_;
};

// Says among the problems which frames are missing, where some are.
void tell_missing(SourceFacts& facts);

} // namespace garland
