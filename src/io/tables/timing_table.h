// The timing table: which source frame every copy shows at every output frame, as CSV that anyone can read.
// Columns: output_frame, copy, name, arrangement, source, source_frame, speed, visible, delay, level, entered, left,
// run_time.
// copy counts from 1; source_frame in source frames with the fewest digits that read back exactly; speed in source
// frames per output frame; visible 1 or 0; delay in output frames later. The last four are empty where nothing plays
// the copy besides its own clock: level 0 to 1; entered and left, output frames: the last entry at or before the frame
// (where there is none yet, the first one to come) and the end of that visit; run_time, how many output frames its
// clock has run.
#pragma once

#include "core/base/progress.h"
#include "core/project/played.h"
#include "io/files/file.h"

#include <functional>
#include <optional>
#include <string>
#include <vector>

namespace garland {

struct TableRow {
    std::int64_t frame = 0, copy = 0; // copy from 1
    double source_frame = 0, speed = 0, delay = 0;
    bool visible = true;
    std::optional<double> level{}, entered{}, left{}, run_time{};
};

// A copy's speed is kept as a float: the shortest number that is the same float, so that 0.2 is written 0.2.
double shown_speed(float speed);

// Show and project must outlive it. When copies are entered and left is solved once.
class TimingTable {
  public:
    TimingTable(const Show& show, const Project& project);
    static std::string header();
    struct Row {
        std::int64_t frame = 0;
        std::int64_t number = 0; // of the copy, from 0
        const std::string &arrangement, &source;
        CopyMoment moment;
        std::optional<Played> played;
    };
    void each_row(std::int64_t frame, const std::function<void(const Row&)>& take);
    void append(std::int64_t frame, std::string& text);

  private:
    const Show& show_;
    const Project& project_;
    std::vector<std::vector<Visits>> visits_; // by arrangement as shown, by copy
};

Result<void> write_timing_table(const std::string& path, const Show& show, const Project& project, FrameSteps frames,
                                Existing existing, Progress& progress = Progress::none());

// Reads a table back. Errors: malformed, with the line.
Result<std::vector<TableRow>> read_timing_table(const std::string& path);

} // namespace garland
