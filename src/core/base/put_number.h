// Many numbers as text, fast: what every text format of the program writes.
#pragma once

#include "core/base/parallel.h"

#include <algorithm>
#include <cstdint>
#include <memory>
#include <string_view>
#include <vector>

namespace garland {

// The most characters a number takes.
constexpr std::size_t longest_number = 24;

// Writes the shortest text that reads back as exactly this number ("1", "0.5", "-3e-07") at `to` and returns its end;
// the digits are R. Giulietti's and J. Jeon's ("Schubfach", 2020; "Dragonbox", 2020), made by the format library, and
// so is the form: a power of ten only below 1e-4 and from 1e16 on.
char* put_number(char* to, float value);
char* put_number(char* to, double value);
char* put_number(char* to, std::int64_t value);
inline char* put_number(char* to, std::int32_t value) {
    return put_number(to, static_cast<std::int64_t>(value));
}
inline char* put_number(char* to, std::uint32_t value) {
    return put_number(to, static_cast<std::int64_t>(value));
}

// A text that grows at its end, without looking at its room for each number.
class TextEnd {
  public:
    // Where the next characters go; there is room for at least `most` of them.
    char* room(std::size_t most) {
        if (size_ + most > held_) grow(most);
        return text_.get() + size_;
    }
    void ends_at(const char* end) { size_ = static_cast<std::size_t>(end - text_.get()); }
    void clear() { size_ = 0; }
    std::string_view text() const { return {text_.get(), size_}; }

  private:
    void grow(std::size_t most);
    std::unique_ptr<char[]> text_;
    std::size_t size_ = 0, held_ = 0;
};

// The texts of items [0, count) one after the other: put(TextEnd&, i) writes one, on all processors; sink(string_view)
// takes them in their order. Holds about a hundred thousand items' text at a time.
template <class Put, class Sink>
void put_texts(std::size_t count, const Put& put, const Sink& sink) {
    constexpr std::size_t piece = 4096, together = 24;
    const std::size_t pieces = (count + piece - 1) / piece;
    std::vector<TextEnd> texts(std::min(pieces, together));
    for (std::size_t first = 0; first < pieces; first += texts.size()) {
        const std::size_t now = std::min(texts.size(), pieces - first);
        parallel_for(now, 1, [&](std::size_t from, std::size_t to) {
            for (std::size_t k = from; k < to; ++k) {
                texts[k].clear();
                const std::size_t begin = (first + k) * piece, end = std::min(count, begin + piece);
                for (std::size_t i = begin; i < end; ++i) put(texts[k], i);
            }
        });
        for (std::size_t k = 0; k < now; ++k) sink(texts[k].text());
    }
}

} // namespace garland
