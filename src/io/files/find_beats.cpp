#include "io/files/find_beats.h"

#include "core/base/numbers.h"

#include <algorithm>
#include <aubio/aubio.h>
#include <cmath>
#include <fmt/format.h>
#include <memory>

namespace garland {

namespace {

struct FreesTracker {
    void operator()(aubio_tempo_t* t) const { del_aubio_tempo(t); }
    void operator()(fvec_t* v) const { del_fvec(v); }
};

} // namespace

Result<FoundBeats> find_beats(const SoundSamples& samples, OutputFrame start, Rate rate, Progress& progress) {
    constexpr uint_t hop = 256, window = 1024;
    const auto sampling = static_cast<uint_t>(samples.rate);
    const std::unique_ptr<aubio_tempo_t, FreesTracker> tracker(new_aubio_tempo("default", window, hop, sampling));
    const std::unique_ptr<fvec_t, FreesTracker> in(new_fvec(hop)), out(new_fvec(1));
    if (!tracker || !in || !out)
        return fail(Error{ErrorCode::unsupported,
                          fmt::format("beats cannot be looked for at {} Hz", short_number(samples.rate))}
                        .advise("write the sound at 44.1 or 48 kHz"));
    FoundBeats found;
    const double frame = rate.start_of(1).value; // seconds
    for (std::size_t at = 0; at < samples.values.size(); at += hop) {
        if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
        if (at % (hop * 1024) == 0)
            progress.report(static_cast<double>(at) / static_cast<double>(samples.values.size()),
                            "listening for beats");
        for (uint_t k = 0; k < hop; ++k) in->data[k] = at + k < samples.values.size() ? samples.values[at + k] : 0;
        aubio_tempo_do(tracker.get(), in.get(), out.get());
        if (out->data[0] != 0)
            found.heard.emplace_back(start +
                                     static_cast<double>(aubio_tempo_get_last(tracker.get())) / samples.rate / frame);
    }
    if (found.heard.size() < 4) {
        return fail(Error{ErrorCode::invalid,
                          fmt::format("{} heard in the sound", counted(found.heard.size(), "beat is", "beats are"))}
                        .advise("set the tempo by hand, or choose a sound with a clear beat"));
    }
    // The usual distance, then the number of each beat by it, then the line through all of them.
    std::vector<double> apart;
    for (std::size_t i = 1; i < found.heard.size(); ++i) apart.push_back(found.heard[i] - found.heard[i - 1]);
    std::nth_element(apart.begin(), apart.begin() + static_cast<std::ptrdiff_t>(apart.size() / 2), apart.end());
    double step = apart[apart.size() / 2], from = found.heard.front().value;
    for (int round = 0; round < 4; ++round) {
        double n = 0, sk = 0, st = 0, skk = 0, skt = 0;
        for (OutputFrame t : found.heard) {
            const double k = std::round((t.value - from) / step);
            n += 1, sk += k, st += t.value, skk += k * k, skt += k * t.value;
        }
        const double bottom = n * skk - sk * sk;
        if (bottom <= 0) break;
        step = (n * skt - sk * st) / bottom;
        from = (st - step * sk) / n;
    }
    for (OutputFrame t : found.heard) {
        const double k = std::round((t.value - from) / step);
        found.sure += std::abs(t.value - from - k * step) <= 0.5;
    }
    found.sure /= static_cast<double>(found.heard.size());
    found.tempo.on = true;
    found.tempo.beats_per_minute = std::round(60 / (step * frame) * 100) / 100;
    found.tempo.offset = OutputFrame(std::round(from * 100) / 100);
    return found;
}

} // namespace garland
