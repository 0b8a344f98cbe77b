// A timing: the rule from output frame to source frame, with what it does outside its own span.
#pragma once

#include "core/base/ids.h"
#include "core/base/words.h"
#include "core/time/phrases.h"
#include "core/time/speed_map.h"
#include "core/time/time_map.h"

#include <optional>
#include <string>

namespace garland {

enum class OutsideMode {
    hold,           // the nearest end's pose
    repeat,         // the span again and again; period last − first + 1 output frames
    there_and_back, // forward, backward, forward …; period 2·(last − first)
    run_on,         // on with the slope of the nearest end: of a last key with toward free, the one it leaves with
    absent,         // nothing is shown
};
inline constexpr Word<OutsideMode> outside_words[] = {
    {"hold", OutsideMode::hold},       {"repeat", OutsideMode::repeat}, {"there-and-back", OutsideMode::there_and_back},
    {"continue", OutsideMode::run_on}, {"hidden", OutsideMode::absent}, {"run on", OutsideMode::run_on},
    {"absent", OutsideMode::absent}}; // the last two as earlier files have them

// What a timing does before or after its span.
struct Outside {
    OutsideMode mode = OutsideMode::hold;
    // repeat and there_and_back: further passes beyond the span itself; after them the last pose is held. 0: endless.
    int count = 0;
    bool operator==(const Outside&) const = default;
};

// In which of its three forms a timing is kept. Position and speed keys are two views of one curve (see conversions.h).
enum class TimingForm { positions, speeds, phrases };
inline constexpr Word<TimingForm> form_words[] = {
    {"positions", TimingForm::positions}, {"speeds", TimingForm::speeds}, {"phrases", TimingForm::phrases}};

struct Timing {
    TimingId id{};
    std::string name{};
    TimingForm form = TimingForm::positions;
    TimeMap map{};        // positions
    SpeedMap speeds{};    // speeds
    PhraseList phrases{}; // phrases
    // The slider: keys from output frames to per cent of the whole (0 … 100, in the keys' source). Where it is
    // set, output frames move the slider, and the slider plays the span above; before and after are the slider's own.
    std::optional<TimeMap> slider{};
    Outside before{};
    Outside after{};
    // The span's last pose is its first again, so a repeat's period is last − first, not one more.
    bool last_is_first = false;
    // there_and_back shows each turning frame twice: period 2·(last − first + 1).
    bool turn_twice = false;
    std::string extra{}; // fields of the project file that this version does not know, as JSON text; kept as they are
    bool operator==(const Timing&) const = default;
};

// Errors: those of the form in use and of the slider, a key of it outside 0 … 100 %, and invalid for a negative
// count or one above 10⁹.
Result<void> validate(const Timing& timing);

// The curve of the form in use as polynomials, `start` counted from span_first.
std::vector<Stretch> stretches(const Timing& timing);

// The span of the form in use, as if there were no slider: its first output frame, and how many output frames it
// is long. A map's length reaches from its first to its last key; a phrase list's to the end of its last frame.
OutputFrame form_first(const Timing& timing);
double form_length(const Timing& timing);

// The same with the slider in charge, where there is one.
OutputFrame span_first(const Timing& timing);
double span_length(const Timing& timing);

// The number of output frames after which a repeat starts over, as the mode and the two switches say.
double pass_length(const Timing& timing, OutsideMode mode);

// The lowest and the highest source frame that the form in use shows in its span.
struct SourceSpan {
    SourceFrame low, high;
};
SourceSpan source_span(const Timing& timing);

// A timing that plays source frames first…last at speed 1 from output frame `start`.
TimeMap plain_map(OutputFrame start, SourceFrame first, SourceFrame last);

const char* to_text(TimingForm form);  // "positions", "speeds", "phrases"
const char* to_text(OutsideMode mode); // "hold", "repeat", "there-and-back", "continue", "hidden"

} // namespace garland
