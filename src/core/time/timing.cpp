#include "core/time/timing.h"

#include <fmt/format.h>

namespace garland {

Result<void> validate(const Timing& timing) {
    switch (timing.form) {
    case TimingForm::positions: GARLAND_CHECK(validate(timing.map)); break;
    case TimingForm::speeds: GARLAND_CHECK(validate(timing.speeds)); break;
    case TimingForm::phrases: GARLAND_CHECK(validate(timing.phrases, timing.turn_twice)); break;
    }
    if (timing.slider) {
        if (auto ok = validate(*timing.slider); !ok) {
            Error error = ok.error();
            error.message = "the slider: " + error.message;
            return fail(std::move(error));
        }
        for (std::size_t i = 0; i < timing.slider->keys.size(); ++i) {
            const double share = timing.slider->keys[i].source.value;
            if (share < 0 || share > 100) {
                return fail(Error{ErrorCode::invalid,
                                  fmt::format("key {} of the slider must be 0 to 100 %, not {:g}", i + 1, share)}
                                .advise("use 0 to 100 %"));
            }
        }
    }
    for (const auto& [outside, word] : {std::pair{timing.before, "before"}, std::pair{timing.after, "after"}}) {
        if (outside.count < 0 || outside.count > 1'000'000'000) {
            return fail(
                Error{ErrorCode::invalid,
                      fmt::format("the count {} of \"{}\" must be 0 (endless) to 1000000000", outside.count, word)}
                    .advise("use 0 for no end"));
        }
    }
    return {};
}

std::vector<Stretch> stretches(const Timing& timing) {
    switch (timing.form) {
    case TimingForm::positions: return stretches(timing.map);
    case TimingForm::speeds: return stretches(timing.speeds);
    case TimingForm::phrases: return stretches(timing.phrases, timing.turn_twice);
    }
    return {};
}

OutputFrame form_first(const Timing& timing) {
    switch (timing.form) {
    case TimingForm::positions: return timing.map.first();
    case TimingForm::speeds: return timing.speeds.first();
    case TimingForm::phrases: return timing.phrases.start;
    }
    return {};
}

double form_length(const Timing& timing) {
    switch (timing.form) {
    case TimingForm::positions: return timing.map.last() - timing.map.first();
    case TimingForm::speeds: return timing.speeds.last() - timing.speeds.first();
    case TimingForm::phrases: return length_of(timing.phrases, timing.turn_twice);
    }
    return 0;
}

OutputFrame span_first(const Timing& timing) {
    return timing.slider ? timing.slider->first() : form_first(timing);
}

double span_length(const Timing& timing) {
    return timing.slider ? timing.slider->last() - timing.slider->first() : form_length(timing);
}

double pass_length(const Timing& timing, OutsideMode mode) {
    double length = span_length(timing);
    // A phrase list's length reaches to the end of its last frame, a map's only to its beginning.
    if (timing.form == TimingForm::phrases && !timing.slider) length -= 1;
    const bool shared_end = mode == OutsideMode::repeat ? timing.last_is_first : !timing.turn_twice;
    const double period = shared_end ? length : length + 1;
    return period > 0 ? period : 1;
}

SourceSpan source_span(const Timing& timing) {
    double low = 0, high = 0;
    bool first = true;
    auto add = [&](double value) {
        low = first ? value : std::min(low, value);
        high = first ? value : std::max(high, value);
        first = false;
    };
    if (timing.form == TimingForm::positions) {
        for (const Key& k : timing.map.keys) add(k.source.value);
    } else if (timing.form == TimingForm::phrases) {
        for (const Phrase& p : timing.phrases.list) add(p.first.value), add(p.last.value);
    } else {
        add(timing.speeds.from.value);
    }
    for (const Stretch& s : stretches(timing)) {
        if (timing.form == TimingForm::phrases) break; // they never leave their ranges
        add(s.at(0));
        add(s.at(s.length));
        if (s.c[2] == 0 && s.c[3] == 0) continue; // straight
        // Where the slope c1 + 2·c2·u + 3·c3·u² is 0.
        const double a = 3 * s.c[3], b = s.c[2], d = b * b - a * s.c[1];
        if (d < 0) continue;
        const double q = -(b + std::copysign(std::sqrt(d), b));
        for (double u : {q / a, s.c[1] / q}) {
            if (u > 0 && u < s.length) add(s.at(u));
        }
    }
    return {SourceFrame(low), SourceFrame(high)};
}

TimeMap plain_map(OutputFrame start, SourceFrame first, SourceFrame last) {
    TimeMap map;
    map.keys.push_back({start, first, Toward::linear});
    if (last > first) map.keys.push_back({start + (last - first), last, Toward::linear});
    return map;
}

const char* to_text(TimingForm form) {
    return word_of(form_words, form);
}

const char* to_text(OutsideMode mode) {
    return word_of(outside_words, mode);
}

} // namespace garland
