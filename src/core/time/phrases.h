// Phrases: ranges of source frames played one after another.
#pragma once

#include "core/base/words.h"
#include "core/time/time_map.h"

#include <cstdint>

namespace garland {

enum class Direction { forward, backward, there_and_back };
inline constexpr Word<Direction> direction_words[] = {
    {"forward", Direction::forward}, {"backward", Direction::backward}, {"there-and-back", Direction::there_and_back}};

// One phrase. Its length in output frames is the number of frames it shows, divided by its speed: forward and backward
// passes·(last − first + 1); there-and-back, turning frame shown once, passes·(last − first) + 1; shown twice, as
// forward. A range of one frame is a hold of passes/speed frames.
struct Phrase {
    SourceFrame first{}, last{}; // both included; last ≥ first
    Direction direction = Direction::forward;
    std::int64_t passes = 1; // there-and-back: 1 there, 2 there and back, 3 there, back, there …
    double speed = 1;        // above 0: source frames per output frame
    // Output frames for which this phrase goes on, unseen at first glance, under the next one while it fades away: 0 is
    // a cut. The fade starts at the boundary, so no boundary moves.
    double fade = 0;
    bool operator==(const Phrase&) const = default;

    bool holds() const { return first == last; }
};

struct PhraseList {
    OutputFrame start{1};
    std::vector<Phrase> list;
    bool operator==(const PhraseList&) const = default;
};

inline constexpr std::int64_t phrase_limit = 1'000'000; // passes in all phrases of a list together

// Errors: invalid or too_large, naming the phrase: an empty list, a range that ends before it starts, no pass, more
// than phrase_limit passes in all, a speed outside 0.0001 … 1000, a fade below 0, a length beyond frame_limit.
Result<void> validate(const PhraseList& phrases, bool turn_twice);

double frames_shown(const Phrase& phrase, bool turn_twice);  // at speed 1
double phrase_length(const Phrase& phrase, bool turn_twice); // output frames
double length_of(const PhraseList& phrases, bool turn_twice);

// The source frame a phrase begins with, the one it ends with, and how it moves at its end (−1, 0, 1).
SourceFrame first_shown(const Phrase& phrase);
SourceFrame last_shown(const Phrase& phrase);
int end_direction(const Phrase& phrase);

// Where each phrase starts, and after the last one where the list ends: one more than there are phrases.
std::vector<OutputFrame> boundaries(const PhraseList& phrases, bool turn_twice);

// The list as stretches, `start` counted from the list's own start. A phrase's last frame lasts 1/speed output frames
// like every other; the pose stays during it, unless the next phrase goes on with the very next frame.
std::vector<Stretch> stretches(const PhraseList& phrases, bool turn_twice);

// A cross-fade: from `start` (output frames from the list's start) for `length` the phrase before is mixed in, running
// on from source frame `from` at `slope`; its weight falls from 1 to 0 by 1 − x²(3 − 2x).
struct Fade {
    double start = 0, length = 0;
    double from = 0, slope = 0;
    bool wraps = false; // the last phrase into the first, in repeats only
};
std::vector<Fade> fades(const PhraseList& phrases, bool turn_twice);

const char* to_text(Direction direction); // "forward", "backward", "there-and-back"

} // namespace garland
