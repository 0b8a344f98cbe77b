// Movies through the FFmpeg libraries: exact rates, alpha where the codec has it, sound.
#pragma once

#include "core/time/rate.h"
#include "io/files/file.h"
#include "render/picture.h"

#include <memory>
#include <span>

namespace garland {

enum class MovieKind {
    mp4,  // H.264, 4:2:0; sound as AAC
    webm, // VP9, 4:2:0, with alpha where asked for; sound as Opus
    mov,  // ProRes 4444, ten bits, with alpha where asked for; sound as PCM
    mkv,  // FFV1, lossless, with alpha where asked for; sound as FLAC
};
bool has_alpha(MovieKind kind);
const char* to_text(MovieKind kind);    // "MP4 (H.264)"
const char* codec_word(MovieKind kind); // as ffprobe says it: "h264"

// Whether this machine can make it so large and so clear. Errors: unsupported, with the package that would help, or
// without transparency; invalid, for odd sizes where the codec needs even ones.
Result<void> can_make(MovieKind kind, int width, int height, bool alpha);

// Pictures one by one, in order. The file appears complete with finish(), or not at all. Errors: invalid, for odd sizes
// where the codec needs even ones; exists; unsupported; disk_full.
class MovieWriter {
  public:
    struct Order {
        std::string path;
        MovieKind kind = MovieKind::mp4;
        int width = 0, height = 0;
        Rate rate;
        bool alpha = false;
        std::vector<float> sound{}; // one channel, 48 kHz, from the first picture on; empty: none
        Existing existing = Existing::refuse;
    };
    static Result<std::unique_ptr<MovieWriter>> start(Order order);
    ~MovieWriter();
    // A picture as shown_8() gives it. Errors: invalid, of another size.
    Result<void> add(const std::vector<std::uint8_t>& shown);
    Result<void> finish();

  private:
    MovieWriter();
    struct Inside;
    std::unique_ptr<Inside> in_;
};

} // namespace garland
