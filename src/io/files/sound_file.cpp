#include "io/files/sound_file.h"

#include "core/base/numbers.h"
#include "io/files/file.h"

#include <array>
#include <cmath>
#include <fmt/format.h>
#include <memory>
#include <sndfile.h>

namespace garland {

namespace {

constexpr double samples_limit = 3600.0 * 192'000;

struct ClosesSound {
    void operator()(SNDFILE* f) const { sf_close(f); }
};

struct OpenSoundFile {
    OpenFile file;
    std::unique_ptr<SNDFILE, ClosesSound> sound;
    SF_INFO info{};
};

std::string format_of(const SF_INFO& info) {
    SF_FORMAT_INFO words{};
    words.format = info.format & SF_FORMAT_TYPEMASK;
    std::string out = sf_command(nullptr, SFC_GET_FORMAT_INFO, &words, sizeof words) == 0 ? words.name : "sound";
    words = {};
    words.format = info.format & SF_FORMAT_SUBMASK;
    if (sf_command(nullptr, SFC_GET_FORMAT_INFO, &words, sizeof words) == 0) out += fmt::format(", {}", words.name);
    return out;
}

Result<OpenSoundFile> open(const std::string& path) {
    OpenSoundFile out;
    std::uint64_t size = 0;
    GARLAND_TRY(file, open_regular(path, size));
    out.file = std::move(file);
    out.sound.reset(sf_open_fd(out.file.number(), SFM_READ, &out.info, SF_FALSE));
    if (!out.sound) {
        std::string why = sf_strerror(nullptr);
        while (!why.empty() && why.back() == '.') why.pop_back();
        return fail(
            Error{ErrorCode::malformed, fmt::format("this is no sound that can be read: {}", why)}.at(path).advise(
                "use WAV, FLAC, Ogg, MP3 or AIFF"));
    }
    // What the header promised is noted where the file holds less.
    std::array<char, 4096> log{};
    sf_command(out.sound.get(), SFC_GET_LOG_INFO, log.data(), static_cast<int>(log.size()) - 1);
    if (std::string_view(log.data()).find("should be") != std::string_view::npos &&
        (out.info.format & SF_FORMAT_TYPEMASK) != SF_FORMAT_MPEG) {
        return fail(
            Error{ErrorCode::malformed, "the sound is cut: its header promises more samples than the file holds"}
                .at(path)
                .advise("copy the file again, or write it anew from where it came"));
    }
    if (out.info.frames <= 0)
        return fail(Error{ErrorCode::invalid, "the sound has no samples"}.at(path).advise("choose another file"));
    if (static_cast<double>(out.info.frames) > samples_limit)
        return fail(
            Error{ErrorCode::too_large, fmt::format("the sound has {} samples", out.info.frames)}.at(path).advise(
                "use at most an hour"));
    if (out.info.samplerate < 1000 || out.info.channels < 1 || out.info.channels > 1024)
        return fail(Error{ErrorCode::malformed,
                          fmt::format("the sound has {} channels at {} Hz", out.info.channels, out.info.samplerate)}
                        .at(path));
    return out;
}

} // namespace

Result<SoundFacts> sound_facts(const std::string& path) {
    GARLAND_TRY(file, open(path));
    return SoundFacts{static_cast<double>(file.info.samplerate), static_cast<std::int64_t>(file.info.frames),
                      file.info.channels, format_of(file.info)};
}

Result<SoundSamplesPtr> read_sound_file(const std::string& path, int channel, Progress& progress) {
    GARLAND_TRY(file, open(path));
    const int channels = file.info.channels;
    if (channel < 0 || channel > channels) {
        return fail(Error{ErrorCode::invalid, fmt::format("there is no channel {}", channel)}.at(path).advise(
            fmt::format("the sound has {}; 0 averages them", counted(channels, "channel", "channels"))));
    }
    auto out = std::make_shared<SoundSamples>();
    out->rate = file.info.samplerate;
    out->values.reserve(static_cast<std::size_t>(file.info.frames));
    constexpr std::size_t block = 1 << 14;
    std::vector<float> buffer(block * static_cast<std::size_t>(channels));
    for (;;) {
        if (progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
        const sf_count_t got = sf_readf_float(file.sound.get(), buffer.data(), block);
        if (got <= 0) break;
        for (sf_count_t i = 0; i < got; ++i) {
            const float* one = buffer.data() + i * channels;
            double sum = 0;
            for (int c = 0; c < channels; ++c) {
                if (!std::isfinite(one[c])) {
                    const double at = static_cast<double>(out->values.size()) / out->rate;
                    return fail(
                        Error{ErrorCode::invalid,
                              fmt::format("the sound has a sample that is not a number, at {} s", short_number(at, 3))}
                            .at(path)
                            .advise("write the file again without it"));
                }
                if (channel == 0 || channel == c + 1) sum += static_cast<double>(one[c]);
            }
            out->values.push_back(static_cast<float>(channel == 0 ? sum / channels : sum));
        }
        progress.report(static_cast<double>(out->values.size()) / static_cast<double>(file.info.frames),
                        "reading the sound");
    }
    if (sf_error(file.sound.get()) != SF_ERR_NO_ERROR ||
        static_cast<sf_count_t>(out->values.size()) < file.info.frames) {
        return fail(Error{ErrorCode::malformed,
                          fmt::format("the sound is cut after {} of {} samples", out->values.size(), file.info.frames)}
                        .at(path)
                        .advise("copy the file again, or write it anew from where it came"));
    }
    return SoundSamplesPtr(out);
}

Result<void> write_wav(const std::string& path, const SoundSamples& samples) {
    std::string bytes;
    auto number = [&](std::uint32_t v, int width) {
        for (int k = 0; k < width; ++k) bytes.push_back(static_cast<char>(v >> (8 * k)));
    };
    const auto data = static_cast<std::uint32_t>(samples.values.size() * 2),
               rate = static_cast<std::uint32_t>(samples.rate);
    bytes += "RIFF";
    number(36 + data, 4);
    bytes += "WAVEfmt ";
    number(16, 4), number(1, 2), number(1, 2), number(rate, 4), number(rate * 2, 4), number(2, 2), number(16, 2);
    bytes += "data";
    number(data, 4);
    for (float v : samples.values) {
        const double clipped = std::clamp(static_cast<double>(v), -1.0, 1.0);
        number(static_cast<std::uint32_t>(static_cast<std::int32_t>(std::lround(clipped * 32767))) & 0xffff, 2);
    }
    return write_file(path, bytes, Existing::replace);
}

} // namespace garland
