// The timing table: which source frame every copy shows at every output frame, as CSV that anyone can read.
// Columns: output_frame, copy, name, arrangement, source, source_frame, speed, visible, delay.
// copy counts from 1; source_frame in source frames with the fewest digits that read back exactly; speed in source
// frames per output frame; visible 1 or 0; delay in output frames later.
#pragma once

#include "core/base/progress.h"
#include "core/project/show.h"
#include "io/files/file.h"

#include <string>
#include <vector>

namespace garland {

struct TableRow {
    std::int64_t frame = 0, copy = 0; // copy from 1
    double source_frame = 0, speed = 0, delay = 0;
    bool visible = true;
};

// A copy's speed is kept as a float: the shortest number that is the same float, so that 0.2 is written 0.2.
double shown_speed(float speed);

std::string table_header();
void append_table_rows(const Show& show, const Project& project, std::int64_t frame, std::string& text);

Result<void> write_timing_table(const std::string& path, const Show& show, const Project& project, FrameSteps frames,
                                Existing existing, Progress& progress = Progress::none());

// Reads a table back. Errors: malformed, with the line.
Result<std::vector<TableRow>> read_timing_table(const std::string& path);

} // namespace garland
