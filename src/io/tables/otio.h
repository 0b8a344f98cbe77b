// A phrase list as an OpenTimelineIO document (JSON, the open interchange format of the Academy Software Foundation):
// one clip a pass, with LinearTimeWarp.1 for its speed and direction and FreezeFrame.1 for a hold; cross-fades as
// Transition.1, markers as Marker.2.
#pragma once

#include "core/time/beats.h"
#include "core/time/timing.h"
#include "io/files/file.h"

#include <string>
#include <vector>

namespace garland {

struct OtioInfo {
    Rate rate;          // of both clocks
    std::string source; // its name
    std::string url;    // where its files are
    SourceFrame first, last;
    std::vector<Marker> markers;
};

struct OtioText {
    std::string text;
    std::size_t clips = 0;
    std::string note; // what the format cannot hold: "the endless repeat is written once"
};

// A clip's source_range starts at the source frame it begins with and lasts as many output frames as it is shown; the
// warp's time_scalar is the source frames it moves in one output frame, below 0 backward. Errors: unsupported, for a
// timing that is not made of phrases or has a slider; too_large, above 100 000 clips.
Result<OtioText> otio_text(const Timing& timing, const OtioInfo& info);

} // namespace garland
