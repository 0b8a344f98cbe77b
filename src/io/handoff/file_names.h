// What the files of a hand-off are called. A name says with two # or more where a frame's number goes and how many
// digits it has at least: "lanterns_####" gives lanterns_0012.ply; without them it is "lanterns.####". A single # is a
// part of the name.
#pragma once

#include "core/base/result.h"
#include "core/time/frames.h"

#include <string>

namespace garland {

class FileNames {
  public:
    explicit FileNames(const std::string& name); // validated
    // The name without its number, as of what belongs to all frames: "lanterns".
    const std::string& stem() const { return stem_; }
    // ending: ".ply". A moment inside the shutter that is no whole frame is numbered in thousandths of one:
    // lanterns.0011.750.ply.
    std::string of(const FrameMoment& moment, const std::string& ending) const;
    // Of one copy, its name before the number: lanterns.c07.0012.ply.
    std::string of(const std::string& copy, const FrameMoment& moment, const std::string& ending) const;

  private:
    std::string before_, after_, separator_, stem_;
    int digits_ = 4;
};

// in_frames: whether there is a file for each frame. Errors: invalid, for a name that is none, one with several places
// for the number or more than 9 digits, or with any where there is one file only.
Result<void> validate_name(const std::string& name, bool in_frames);

} // namespace garland
