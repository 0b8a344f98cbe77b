#include "core/drivers/wave.h"

#include "core/base/numbers.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace garland {

Result<void> validate(const Wave& w, std::string_view what) {
    auto wrong = [&](std::string field, std::string advice) {
        return fail(Error{ErrorCode::invalid, fmt::format("{}: {}", what, field)}.advise(std::move(advice)));
    };
    if (!std::isfinite(w.start.value) || std::abs(w.start.value) > frame_limit)
        return wrong("its first output frame is not a number", "use an output frame");
    if (!std::isfinite(w.frames) || w.frames <= 0 || w.frames > frame_limit)
        return wrong(fmt::format("it rises in {} frames", short_number(w.frames)), "use more than 0 frames");
    if (w.passes < 0) return wrong(fmt::format("it has {} passes", w.passes), "use 0 (endless) or more passes");
    return validate(w.response, fmt::format("the response of {}", what), {0, 1, 0, 1});
}

WavePlan::WavePlan(const Wave& wave) : wave_(wave), response_(wave.response, 0) {}

WavePlan::Level WavePlan::at(double t) const {
    const double x = (t - wave_.start.value) / wave_.frames;
    double u = std::clamp(x, 0.0, 1.0), rate = x >= 0 && x < 1 ? 1 / wave_.frames : 0;
    if (wave_.after != WaveAfter::hold && x >= 1) {
        const double pass = std::floor(x);
        const bool odd = pass / 2 != std::floor(pass / 2), turns = wave_.after == WaveAfter::there_and_back;
        const bool over = wave_.passes > 0 && pass >= wave_.passes;
        u = x - pass, rate = 1 / wave_.frames;
        if (over) {
            u = turns && wave_.passes % 2 == 0 ? 0 : 1;
            rate = 0;
        } else if (turns && odd) {
            u = 1 - u, rate = -rate;
        }
    }
    if (!response_.keyed()) return {u, rate};
    return {response_.at(u), rate * response_.slope(u)};
}

std::vector<double> shares_at(const KeyedCurve& curve, double level) {
    std::vector<double> out;
    const CurvePlan plan(curve, 0);
    double from = 0;
    std::vector<double> bends;
    for (const CurveKey& k : curve) bends.push_back(k.at);
    bends.push_back(1);
    for (double to : bends) { // between two keys it only rises or only falls
        double a = from, b = std::nextafter(to, from);
        from = to;
        if (!(b > a)) continue;
        const bool above = plan.at(a) > level;
        if ((plan.at(b) > level) == above) continue;
        for (int k = 0; k < 100 && b - a > 1e-15; ++k) {
            const double middle = (a + b) / 2;
            ((plan.at(middle) > level) == above ? a : b) = middle;
        }
        out.push_back((a + b) / 2);
    }
    return out;
}

void WavePlan::cuts(double from, double to, std::span<const double> levels, std::vector<double>& out) const {
    std::vector<double> shares{0};
    for (const CurveKey& k : wave_.response) shares.push_back(k.at);
    for (double level : levels) {
        if (wave_.response.empty()) {
            shares.push_back(std::clamp(level, 0.0, 1.0));
        } else {
            for (double s : shares_at(wave_.response, level)) shares.push_back(s);
        }
    }
    const double start = wave_.start.value, first = std::max(std::floor((from - start) / wave_.frames), 0.0);
    double last = std::ceil((to - start) / wave_.frames);
    if (wave_.after == WaveAfter::hold) last = 1;
    if (wave_.after != WaveAfter::hold && wave_.passes > 0) last = std::min(last, static_cast<double>(wave_.passes));
    for (double pass = first; pass <= last; ++pass) {
        const bool back = wave_.after == WaveAfter::there_and_back && pass / 2 != std::floor(pass / 2);
        for (double s : shares) {
            if (pass == last && s > 0) continue;
            const double t = start + (pass + (back && s > 0 ? 1 - s : s)) * wave_.frames;
            if (t >= from && t <= to) out.push_back(t);
        }
    }
}

const char* to_text(WaveAfter after) {
    return word_of(wave_words, after);
}

} // namespace garland
