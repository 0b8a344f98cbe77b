// How numbers are written and read in text: always with a point, never by the user's locale.
#pragma once

#include <concepts>
#include <optional>
#include <string>
#include <string_view>

namespace garland {

// At most `decimals` digits after the point, trailing zeros cut: "12", "0.5", "-3.25". Never "-0".
std::string short_number(double value, int decimals = 3);

// The same text with a minus (U+2212) for each hyphen that begins a number: at the start, or after a space or an
// opening bracket. For sentences and fields that people read; programs get hyphens.
std::string true_minus(std::string_view text);

// The shortest text that reads back as exactly this double.
std::string exact_number(double value);

// Reads one whole text as a finite number; nothing if it is anything else ("12,5", "nan", "1e999", "").
std::optional<double> parse_number(std::string_view text);

// "3.1 GB", "640 KB", "12 bytes": decimal units.
std::string byte_count(double bytes);

// From five digits on in groups of three (ISO 80000-1, section 7.3.1), with spaces that do not break lines (U+00A0):
// "4500", "10 074". For sentences; files and programs get plain numbers.
std::string grouped(long long number);

// "1 copy", "12 copies", "10 074 copies".
std::string counted(long long count, std::string_view one, std::string_view many);
template <std::unsigned_integral Count>
std::string counted(Count count, std::string_view one, std::string_view many) {
    return counted(static_cast<long long>(count), one, many);
}

// The same for a number that need not be whole: "1 frame", "2.5 frames".
std::string counted_number(double count, std::string_view one, std::string_view many);

} // namespace garland
