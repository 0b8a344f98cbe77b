// The words of an enum's values: one table beside each type, read by the window, the command line and the project file.
#pragma once

#include <cstddef>

namespace garland {

template <class E>
struct Word {
    const char* text;
    E value;
};

// The word of a value; the table's first for one that is not in it.
template <class E, std::size_t N>
constexpr const char* word_of(const Word<E> (&words)[N], E value) {
    for (const auto& w : words) {
        if (w.value == value) return w.text;
    }
    return words[0].text;
}

} // namespace garland
