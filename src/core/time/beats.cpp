#include "core/time/beats.h"

#include "core/base/measure.h"
#include "core/base/numbers.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace garland {

Result<void> validate(const Tempo& t) {
    if (!std::isfinite(t.beats_per_minute) || t.beats_per_minute < 1 || t.beats_per_minute > 1000) {
        return fail(Error{ErrorCode::invalid, fmt::format("a tempo of {} beats per minute is out of range",
                                                          short_number(t.beats_per_minute))}
                        .advise("use 1 to 1000"));
    }
    GARLAND_CHECK(within({{"the output frame of the first beat", t.offset.value, -frame_limit, frame_limit, "f"}}));
    if (t.beats_per_bar < 1 || t.beats_per_bar > 64) {
        return fail(Error{ErrorCode::invalid, fmt::format("a bar has 1 to 64 beats, not {}", t.beats_per_bar)}.advise(
            "use 4 as usual"));
    }
    return {};
}

double frames_per_beat(const Tempo& tempo, Rate rate) {
    return 60.0 * static_cast<double>(rate.num) / (static_cast<double>(rate.den) * tempo.beats_per_minute);
}

double beat_at(const Tempo& tempo, Rate rate, OutputFrame t) {
    return (t - tempo.offset) / frames_per_beat(tempo, rate);
}

OutputFrame frame_of_beat(const Tempo& tempo, Rate rate, double beat) {
    return tempo.offset + beat * frames_per_beat(tempo, rate);
}

OutputFrame nearest_beat(const Tempo& tempo, Rate rate, OutputFrame t) {
    return frame_of_beat(tempo, rate, std::round(beat_at(tempo, rate, t)));
}

std::string bar_words(const Tempo& tempo, Rate rate, OutputFrame t) {
    const double beat = beat_at(tempo, rate, t);
    double whole = std::floor(beat + 1e-9), part = beat - whole;
    const double bar = std::floor(whole / tempo.beats_per_bar);
    const std::string words = fmt::format("bar {:.0f} beat {:.0f}", bar + 1, whole - bar * tempo.beats_per_bar + 1);
    return part < 0.005 ? words : fmt::format("{} + {}", words, short_number(part, 2));
}

std::vector<OffBeat> off_beats(const PhraseList& phrases, bool turn_twice, const Tempo& tempo, Rate rate,
                               double tolerance) {
    std::vector<OffBeat> result;
    const auto ends = boundaries(phrases, turn_twice);
    for (std::size_t i = 0; i + 1 < ends.size(); ++i) {
        const OffBeat off{i, ends[i + 1], nearest_beat(tempo, rate, ends[i + 1])};
        if (std::abs(off.late()) > tolerance) result.push_back(off);
    }
    return result;
}

Result<PhraseList> stretched_to_beat(const PhraseList& phrases, std::size_t index, bool turn_twice, const Tempo& tempo,
                                     Rate rate) {
    GARLAND_CHECK(validate(tempo));
    if (index >= phrases.list.size())
        return fail(Error{ErrorCode::not_found, fmt::format("there is no phrase {}", index + 1)}.advise(
            "choose one of the list"));
    const auto ends = boundaries(phrases, turn_twice);
    OutputFrame beat = nearest_beat(tempo, rate, ends[index + 1]);
    while (!(beat > ends[index])) beat = beat + frames_per_beat(tempo, rate);
    PhraseList result = phrases;
    Phrase& p = result.list[index];
    p.speed = frames_shown(p, turn_twice) / (beat - ends[index]);
    GARLAND_CHECK(validate(result, turn_twice));
    return result;
}

std::int64_t mark_beats(std::vector<Marker>& markers, std::span<const OutputFrame> heard, FrameRange range) {
    std::int64_t set = 0;
    const std::size_t before = markers.size();
    for (std::size_t i = 0; i < heard.size(); ++i) {
        const OutputFrame at(std::round(heard[i].value * 100) / 100);
        if (!range.contains(at.value)) continue;
        const bool taken = std::any_of(markers.begin(), markers.begin() + static_cast<std::ptrdiff_t>(before),
                                       [&](const Marker& m) { return std::abs(m.at - at) <= 0.5; });
        if (taken) continue;
        markers.push_back({at, "beat " + std::to_string(i + 1)});
        ++set;
    }
    std::stable_sort(markers.begin(), markers.end(), [](const Marker& a, const Marker& b) { return a.at < b.at; });
    return set;
}

OutputFrame snapped(OutputFrame t, double reach, std::span<const Marker> markers, const Tempo& tempo, Rate rate) {
    OutputFrame best = t;
    double nearest = reach;
    auto offer = [&](OutputFrame to) {
        if (std::abs(to - t) > nearest) return;
        nearest = std::abs(to - t);
        best = to;
    };
    for (const Marker& m : markers) offer(m.at);
    if (tempo.on) offer(nearest_beat(tempo, rate, t));
    if (best != t || nearest < reach) return best;
    return OutputFrame(std::round(t.value));
}

} // namespace garland
