// Short text for time maps, and lists of frames as text, so that expectations can be read at a glance.
#pragma once

#include "core/copies/copy_times.h"
#include "core/project/project.h"
#include "core/time/timing_plan.h"

#include <QString>
#include <QTemporaryDir>
#include <string>

namespace garland::testing {

// "1:0 53:52 77:52~ 125:95": output frame:source frame; a key's ending says how it goes on: "" linear, "~" smooth,
// "|" step.
TimeMap parse_map(const std::string& text);
std::string map_text(const TimeMap& map);

Timing timing_of(const std::string& map, OutsideMode before = OutsideMode::hold, OutsideMode after = OutsideMode::hold,
                 int count = 0);

// A timing of speed keys, "20:1 21:0.2|": output frame:speed; "|" keeps the speed to the next key, otherwise it runs
// evenly to the next one's.
Timing speeds_of(const std::string& keys, double from = 0, OutsideMode before = OutsideMode::hold,
                 OutsideMode after = OutsideMode::hold);

// A timing of phrases from output frame `start` on, "1-15 15-1 1<>15*2 15-15*10 0-40@0.5 0-40+8": first-last (a first
// above last is backward), <> is there-and-back, *passes, @speed, +fade.
Timing phrases_of(const std::string& phrases, double start = 1, OutsideMode before = OutsideMode::hold,
                  OutsideMode after = OutsideMode::hold);

// Source frames shown at whole output frames a … b, with up to three digits: "0 1 2.5 -"; "-" is absent.
std::string shown(const Timing& timing, int a, int b);

double source_at(const Timing& timing, double t);
double slope_at(const Timing& timing, double t);

// A source clock of frames first … last at the project's own rate.
SourceClock clock_of_frames(std::int64_t first, std::int64_t last);

// A small mesh: a tetrahedron lifted by `height`.
Pose tetrahedron(double height = 0);

// True when |a − b| ≤ tolerance; prints both when not.
bool close(double a, double b, double tolerance);

} // namespace garland::testing
