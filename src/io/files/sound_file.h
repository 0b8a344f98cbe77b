// Reads sound files: WAV, FLAC, Ogg, MP3 and AIFF.
#pragma once

#include "core/base/progress.h"
#include "core/drivers/sound.h"

#include <string>

namespace garland {

// channel: 0: all averaged; 1 … n: that one. Errors: not_found, unreadable; malformed for a file that is cut or no
// sound; invalid for a channel that is not there, a sound of no samples, or samples that are not numbers, with where
// the first is; too_large above an hour at 192 kHz; cancelled.
Result<SoundSamplesPtr> read_sound_file(const std::string& path, int channel, Progress& progress = Progress::none());

// What a file says of itself.
struct SoundFacts {
    double rate = 0; // samples per second
    std::int64_t samples = 0;
    int channels = 0;
    std::string format; // "WAV, 24-bit"
    double seconds() const { return rate > 0 ? static_cast<double>(samples) / rate : 0; }
};
Result<SoundFacts> sound_facts(const std::string& path);

// 16-bit WAV, one channel. Errors: those of writing.
Result<void> write_wav(const std::string& path, const SoundSamples& samples);

} // namespace garland
