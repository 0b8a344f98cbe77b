#include "core/base/numbers.h"

#include <algorithm>
#include <cmath>
#include <fast_float/fast_float.h>
#include <fmt/format.h>

namespace garland {

std::string short_number(double value, int decimals) {
    if (!std::isfinite(value)) return std::isnan(value) ? "nan" : (value > 0 ? "inf" : "-inf");
    std::string text = fmt::format("{:.{}f}", value, decimals);
    if (text.find('.') != std::string::npos) {
        while (text.back() == '0') text.pop_back();
        if (text.back() == '.') text.pop_back();
    }
    return text == "-0" ? "0" : text;
}

std::string true_minus(std::string_view text) {
    std::string out;
    for (std::size_t i = 0; i < text.size(); ++i) {
        const bool begins = i == 0 || text[i - 1] == ' ' || text[i - 1] == '(';
        const bool number = i + 1 < text.size() && text[i + 1] >= '0' && text[i + 1] <= '9';
        if (text[i] == '-' && begins && number) {
            out += "\u2212";
        } else {
            out += text[i];
        }
    }
    return out;
}

std::string exact_number(double value) {
    std::string text = fmt::format("{}", value);
    if (text.size() > 2 && text.ends_with(".0")) text.resize(text.size() - 2);
    return text == "-0" ? "0" : text;
}

std::optional<double> parse_number(std::string_view text) {
    double value = 0;
    const char* end = text.data() + text.size();
    const char* from = text.data();
    if (from != end && *from == '+') ++from;
    auto [stop, error] = fast_float::from_chars(from, end, value);
    if (error != std::errc() || stop != end || !std::isfinite(value)) return std::nullopt;
    return value;
}

std::string byte_count(double bytes) {
    const char* units[] = {"bytes", "KB", "MB", "GB", "TB"};
    int unit = 0;
    while (bytes >= 999.5 && unit < 4) bytes /= 1000, ++unit;
    if (unit == 0) return fmt::format("{:.0f} bytes", bytes);
    return fmt::format("{} {}", short_number(bytes, bytes < 9.95 ? 1 : 0), units[unit]);
}

std::string grouped(long long number) {
    std::string digits = fmt::format("{}", number < 0 ? -static_cast<unsigned long long>(number)
                                                      : static_cast<unsigned long long>(number));
    if (digits.size() >= 5) {
        for (std::size_t at = digits.size() - 3; at > 0 && at < digits.size(); at -= std::min<std::size_t>(at, 3))
            digits.insert(at, "\u00a0");
    }
    return (number < 0 ? "-" : "") + digits;
}

std::string counted(long long count, std::string_view one, std::string_view many) {
    return fmt::format("{} {}", grouped(count), count == 1 ? one : many);
}

std::string counted_number(double count, std::string_view one, std::string_view many) {
    const std::string number = short_number(count);
    return fmt::format("{} {}", number, number == "1" ? one : many);
}

} // namespace garland
