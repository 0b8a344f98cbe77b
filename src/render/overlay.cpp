#include "render/overlay.h"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <fmt/format.h>
#include <ft2build.h>
#include <memory>
#include <sstream>
#include FT_FREETYPE_H

// Made from the typeface's file when the program is built.
extern const unsigned char garland_typeface[];
extern const std::size_t garland_typeface_bytes;

namespace garland {

namespace {

// The code points of UTF-8; what is none is left out.
std::vector<char32_t> code_points(const std::string& text) {
    std::vector<char32_t> out;
    for (std::size_t i = 0; i < text.size();) {
        const auto lead = static_cast<unsigned char>(text[i++]);
        const int more = lead < 0x80 ? 0 : lead >> 5 == 6 ? 1 : lead >> 4 == 14 ? 2 : lead >> 3 == 30 ? 3 : -1;
        char32_t c = more <= 0 ? lead : lead & (0x3fu >> more);
        bool fine = more >= 0;
        for (int k = 0; k < more && fine; ++k) {
            fine = i < text.size() && (static_cast<unsigned char>(text[i]) & 0xc0) == 0x80;
            if (fine) c = c << 6 | (static_cast<unsigned char>(text[i++]) & 0x3f);
        }
        if (fine && c >= 32) out.push_back(c);
    }
    return out;
}

class Lettering {
  public:
    explicit Lettering(int pixels) {
        if (FT_Init_FreeType(&library_) != 0) return;
        if (FT_New_Memory_Face(library_, garland_typeface, static_cast<FT_Long>(garland_typeface_bytes), 0, &face_) !=
            0)
            return;
        ready_ = FT_Set_Pixel_Sizes(face_, 0, static_cast<FT_UInt>(pixels)) == 0;
    }
    ~Lettering() {
        if (face_) FT_Done_Face(face_);
        if (library_) FT_Done_FreeType(library_);
    }
    Lettering(const Lettering&) = delete;

    int width(const std::string& text) const {
        int x = 0;
        for (const char32_t c : code_points(text)) x += advance(c);
        return x;
    }
    // As much of it as fits between both edges; cut at a letter, never in one.
    void write(Picture& p, int left, int right, int baseline, const std::string& text, float white) const {
        for (const char32_t c : code_points(text)) {
            const int step = advance(c);
            if (left + step > right) return;
            draw(p, left, baseline, c, white);
            left += step;
        }
    }

  private:
    int advance(char32_t c) const {
        if (!ready_ || FT_Load_Char(face_, c, FT_LOAD_DEFAULT) != 0) return 0;
        return static_cast<int>(face_->glyph->advance.x >> 6);
    }
    void draw(Picture& p, int x, int baseline, char32_t c, float white) const {
        if (!ready_ || FT_Load_Char(face_, c, FT_LOAD_RENDER) != 0) return;
        const FT_GlyphSlot g = face_->glyph;
        for (unsigned row = 0; row < g->bitmap.rows; ++row) {
            const int y = baseline - g->bitmap_top + static_cast<int>(row);
            if (y < 0 || y >= p.height) continue;
            for (unsigned column = 0; column < g->bitmap.width; ++column) {
                const int at = x + g->bitmap_left + static_cast<int>(column);
                if (at < 0 || at >= p.width) continue;
                const auto covered =
                    static_cast<float>(
                        g->bitmap.buffer[static_cast<int>(row) * g->bitmap.pitch + static_cast<int>(column)]) /
                    255;
                float* to = &p.rgba[(static_cast<std::size_t>(y) * static_cast<std::size_t>(p.width) +
                                     static_cast<std::size_t>(at)) *
                                    4];
                for (int k = 0; k < 4; ++k) to[k] += ((k < 3 ? white : 1) - to[k]) * covered;
            }
        }
    }
    FT_Library library_ = nullptr;
    FT_Face face_ = nullptr;
    bool ready_ = false;
};

} // namespace

Result<PreviewOverlay> overlay_of(const std::string& words) {
    PreviewOverlay out;
    std::istringstream list(words);
    for (std::string word; std::getline(list, word, ',');) {
        word.erase(0, word.find_first_not_of(' '));
        word.erase(word.find_last_not_of(' ') + 1);
        if (word == "frame") {
            out.frame = true;
        } else if (word == "time") {
            out.time = true;
        } else if (word == "project") {
            out.project = true;
        } else if (word == "colours") {
            out.colours = true;
        } else {
            return fail(
                Error{ErrorCode::invalid, fmt::format("\"{}\" is nothing that can be laid over a picture", word)}
                    .keeping("nothing was written")
                    .advise("use frame, time, project and colours, with commas between them"));
        }
    }
    return out;
}

namespace {

// The light that shown_8 makes this value of, 0 … 1 encoded: found by halving, since its curve rises.
float light_of(double encoded, double exposure) {
    const double shown = srgb_linear(encoded);
    double low = 0, high = 4;
    for (int i = 0; i < 40; ++i) {
        const double l = (low + high) / 2;
        (l * (1 + l / 16) / (1 + l) < shown ? low : high) = l;
    }
    return static_cast<float>((low + high) / 2 * std::exp2(-exposure));
}

float* pixel(Picture& p, int x, int y) {
    return &p.rgba[(static_cast<std::size_t>(y) * static_cast<std::size_t>(p.width) + static_cast<std::size_t>(x)) * 4];
}

// The curve of shown_8 goes by a colour's luminance, so light is found for that and shared out.
void lay_ramp(Picture& p, int from, int to, int top, int bottom, RampKind kind, double exposure) {
    for (int x = std::max(from, 0); x < std::min(to, p.width); ++x) {
        const Rgb c = ramp_colour(kind, (x + 0.5 - from) / (to - from));
        const double r = srgb_linear(c.r), g = srgb_linear(c.g), b = srgb_linear(c.b);
        const double luminance = 0.2126 * r + 0.7152 * g + 0.0722 * b;
        const double by = luminance > 0 ? light_of(srgb_encoded(luminance), exposure) / luminance : 0;
        const float light[] = {static_cast<float>(r * by), static_cast<float>(g * by), static_cast<float>(b * by), 1};
        for (int y = std::max(top, 0); y < std::min(bottom, p.height); ++y) std::copy_n(light, 4, pixel(p, x, y));
    }
}

} // namespace

void lay_words(Picture& p, const OverlayWords& words, double exposure) {
    const bool none = words.left.empty() && words.right.empty() && !words.legend;
    if (p.height < 48 || p.rgba.empty() || none) return;
    const int band = std::max(12, p.height / 20), margin = band / 2, top = p.height - band;
    const float white = light_of(1, exposure);
    for (int y = top; y < p.height; ++y) {
        for (int x = 0; x < p.width; ++x) {
            float* to = pixel(p, x, y);
            for (int k = 0; k < 3; ++k) to[k] *= 0.15f;
            to[3] = 1 - (1 - to[3]) * 0.15f;
        }
    }
    const Lettering letters(band * 6 / 10);
    const int baseline = p.height - band * 3 / 10;
    int free = p.width - margin; // what lies left of it is free still
    auto from_right = [&](const std::string& text, int gap) {
        const int end = free;
        free = std::max(margin, free - letters.width(text));
        letters.write(p, free, end + margin / 2, baseline, text, white);
        free -= gap;
    };
    if (!words.right.empty()) from_right(words.right, 2 * margin);
    if (words.legend) {
        from_right(words.legend->high, margin / 2);
        const int strip = band * 4;
        lay_ramp(p, free - strip, free, top + band / 4, p.height - band / 4, words.legend->ramp, exposure);
        free -= strip + margin / 2;
        from_right(words.legend->low, margin);
        from_right(words.legend->title, 2 * margin);
    }
    letters.write(p, margin, free, baseline, words.left, white);
}

} // namespace garland
