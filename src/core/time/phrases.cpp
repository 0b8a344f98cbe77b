#include "core/time/phrases.h"

#include "core/base/measure.h"
#include "core/base/numbers.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace garland {

namespace {
std::string name(std::size_t index) {
    return fmt::format("phrase {}", index + 1);
}
// A boundary that misses a whole frame by rounding only is on it: otherwise the phrase after it would begin a frame
// late.
double pinned(double frame) {
    const double whole = std::round(frame);
    return std::abs(frame - whole) <= 1e-9 * std::max(1.0, std::abs(whole)) ? whole : frame;
}
bool usable(double frame) {
    return std::isfinite(frame) && std::abs(frame) <= frame_limit;
}
} // namespace

Result<void> validate(const PhraseList& phrases, bool turn_twice) {
    if (phrases.list.empty())
        return fail(Error{ErrorCode::invalid, "a phrase list needs at least one phrase"}.advise("add one"));
    GARLAND_CHECK(
        within({{"the output frame that the phrases start at", phrases.start.value, -frame_limit, frame_limit, "f"}}));
    std::int64_t passes = 0;
    for (std::size_t i = 0; i < phrases.list.size(); ++i) {
        const Phrase& p = phrases.list[i];
        if (!usable(p.first.value) || !usable(p.last.value)) // named only where one is wrong
            GARLAND_CHECK(
                within({{"the first source frame of " + name(i), p.first.value, -frame_limit, frame_limit, "f"},
                        {"the last source frame of " + name(i), p.last.value, -frame_limit, frame_limit, "f"}}));
        if (p.last < p.first) {
            return fail(Error{ErrorCode::invalid, fmt::format("{} ends (at {}) before it starts (at {})", name(i),
                                                              short_number(p.last.value), short_number(p.first.value))}
                            .advise("swap the two, and play it backward if that is meant"));
        }
        if (p.passes < 1) {
            return fail(Error{ErrorCode::invalid, name(i) + " has no pass, so it lasts no frames"}.advise(
                "play it at least once, or remove it"));
        }
        if (p.passes > phrase_limit || (passes += p.passes) > phrase_limit) {
            return fail(Error{ErrorCode::too_large, fmt::format("a phrase list may have {} passes in all; {} goes "
                                                                "beyond that",
                                                                phrase_limit, name(i))}
                            .advise("let the list repeat instead: after, repeat"));
        }
        if (!std::isfinite(p.speed) || p.speed < 0.0001 || p.speed > 1000) {
            return fail(
                Error{ErrorCode::invalid, fmt::format("the speed of {} must be 0.0001 to 1000", name(i))}.advise(
                    "to stand still, use a range of one frame; to run backward, the direction"));
        }
        if (!std::isfinite(p.fade) || p.fade < 0 || p.fade > frame_limit) {
            return fail(
                Error{ErrorCode::invalid, fmt::format("the fade of {} must be 0 frames or more", name(i))}.advise(
                    "use 0 for none"));
        }
    }
    if (!(length_of(phrases, turn_twice) <= frame_limit)) {
        return fail(
            Error{ErrorCode::too_large, fmt::format("the phrases last more than {:.0f} output frames", frame_limit)}
                .advise("use fewer passes, or play them faster"));
    }
    return {};
}

double frames_shown(const Phrase& p, bool turn_twice) {
    const double span = p.last - p.first, passes = static_cast<double>(p.passes);
    if (p.direction == Direction::there_and_back && !turn_twice && !p.holds()) return passes * span + 1;
    return passes * (span + 1);
}

double phrase_length(const Phrase& p, bool turn_twice) {
    return frames_shown(p, turn_twice) / p.speed;
}

double length_of(const PhraseList& phrases, bool turn_twice) {
    double length = 0;
    for (const Phrase& p : phrases.list) length = pinned(length + phrase_length(p, turn_twice));
    return length;
}

SourceFrame first_shown(const Phrase& p) {
    return p.direction == Direction::backward ? p.last : p.first;
}

SourceFrame last_shown(const Phrase& p) {
    return end_direction(p) < 0 ? p.first : p.last;
}

int end_direction(const Phrase& p) {
    if (p.holds()) return 0;
    if (p.direction == Direction::there_and_back) return p.passes % 2 == 0 ? -1 : 1;
    return p.direction == Direction::backward ? -1 : 1;
}

std::vector<OutputFrame> boundaries(const PhraseList& phrases, bool turn_twice) {
    std::vector<OutputFrame> result{phrases.start};
    double at = 0;
    for (const Phrase& p : phrases.list)
        result.push_back(phrases.start + (at = pinned(at + phrase_length(p, turn_twice))));
    return result;
}

std::vector<Stretch> stretches(const PhraseList& phrases, bool turn_twice) {
    std::vector<Stretch> result;
    double phrase_start = 0;
    auto add = [&](double start, double length, double from, double slope, double to) {
        Stretch s;
        s.start = start;
        s.length = length;
        s.c[0] = from;
        s.c[1] = slope;
        s.low = std::min(from, to);
        s.high = std::max(from, to);
        result.push_back(s);
    };
    for (std::size_t k = 0; k < phrases.list.size(); ++k) {
        const Phrase& p = phrases.list[k];
        const double span = p.last - p.first, end = pinned(phrase_start + phrase_length(p, turn_twice)),
                     length = end - phrase_start;
        const bool back_and_forth = p.direction == Direction::there_and_back;
        const bool turns_once = back_and_forth && !turn_twice;
        if (p.holds()) {
            add(phrase_start, length, p.first.value, 0, p.first.value);
        } else {
            const double each = (turns_once ? span : span + 1) / p.speed; // from one pass to the next
            for (std::int64_t pass = 0; pass < p.passes; ++pass) {
                const bool backward = p.direction == Direction::backward || (back_and_forth && pass % 2 == 1);
                const double from = backward ? p.last.value : p.first.value;
                const double to = backward ? p.first.value : p.last.value;
                const double start = pinned(phrase_start + static_cast<double>(pass) * each),
                             reached = pinned(start + span / p.speed);
                add(start, reached - start, from, backward ? -p.speed : p.speed, to);
                if (pass + 1 == p.passes || !turns_once) { // the last frame lasts as long as the others
                    const double over =
                        pass + 1 == p.passes ? end : pinned(phrase_start + static_cast<double>(pass + 1) * each);
                    add(reached, over - reached, to, 0, to);
                }
            }
            // Where the next phrase goes on with the very next frame, so does the time between the two.
            if (k + 1 < phrases.list.size()) {
                const double next = first_shown(phrases.list[k + 1]).value, here = result.back().c[0];
                const int way = end_direction(p);
                if (std::abs(next - (here + way)) < 1e-9) {
                    Stretch& gap = result.back();
                    gap.c[1] = way * p.speed;
                    gap.low = std::min(here, next);
                    gap.high = std::max(here, next);
                }
            }
        }
        phrase_start = end;
    }
    return result;
}

std::vector<Fade> fades(const PhraseList& phrases, bool turn_twice) {
    std::vector<Fade> result;
    double start = 0;
    for (std::size_t k = 0; k < phrases.list.size(); ++k) {
        const Phrase& p = phrases.list[k];
        start = pinned(start + phrase_length(p, turn_twice));
        if (p.fade <= 0) continue;
        const bool wraps = k + 1 == phrases.list.size();
        const Phrase& next = phrases.list[wraps ? 0 : k + 1];
        Fade f;
        f.start = wraps ? 0 : start;
        f.length = std::min(p.fade, phrase_length(next, turn_twice));
        f.slope = end_direction(p) * p.speed;
        f.from = last_shown(p).value + end_direction(p);
        f.wraps = wraps;
        result.push_back(f);
    }
    std::stable_sort(result.begin(), result.end(), [](const Fade& a, const Fade& b) { return a.start < b.start; });
    return result;
}

const char* to_text(Direction direction) {
    return word_of(direction_words, direction);
}

} // namespace garland
