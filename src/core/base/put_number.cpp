#include "core/base/put_number.h"

#include <array>
#include <cmath>
#include <cstring>
#include <fmt/compile.h>
#include <fmt/format.h>

namespace garland {

namespace {

// "00", "01" … "99".
constexpr auto pairs = [] {
    std::array<char, 200> out{};
    for (std::size_t i = 0; i < 100; ++i)
        out[2 * i] = static_cast<char>('0' + i / 10), out[2 * i + 1] = static_cast<char>('0' + i % 10);
    return out;
}();

// All digits of `value`, ending before `end`.
template <class Whole>
void put_digits(char* end, Whole value) {
    while (value >= 100) {
        end -= 2;
        std::memcpy(end, &pairs[static_cast<std::size_t>(value % 100) * 2], 2);
        value /= 100;
    }
    if (value >= 10) {
        std::memcpy(end - 2, &pairs[static_cast<std::size_t>(value) * 2], 2);
    } else {
        end[-1] = static_cast<char>('0' + value);
    }
}

template <class Real>
char* put_real(char* to, Real value) {
    if (!std::isfinite(value)) return fmt::format_to(to, FMT_COMPILE("{}"), value);
    if (std::signbit(value)) *to++ = '-', value = -value;
    if (value == 0) return *to = '0', to + 1;
    const auto decimal = fmt::detail::dragonbox::to_decimal(value); // significand × 10^exponent
    const auto digits = decimal.significand;
    const int count = fmt::detail::count_digits(digits), before = count + decimal.exponent; // digits before the point
    if (before < -3 || before > 16) return fmt::format_to(to, FMT_COMPILE("{}"), value);
    if (before <= 0) { // 0.00ddd
        std::memcpy(to, "0.000", 5);
        to += 2 - before;
        put_digits(to + count, digits);
        return to + count;
    }
    if (decimal.exponent >= 0) { // ddd00
        put_digits(to + count, digits);
        std::memset(to + count, '0', static_cast<std::size_t>(decimal.exponent));
        return to + before;
    }
    put_digits(to + count + 1, digits); // dd.d: those before the point move to the left
    std::memmove(to, to + 1, static_cast<std::size_t>(before));
    to[before] = '.';
    return to + count + 1;
}

} // namespace

char* put_number(char* to, float value) {
    return put_real(to, value);
}

char* put_number(char* to, double value) {
    return put_real(to, value);
}

char* put_number(char* to, std::int64_t value) {
    return fmt::format_to(to, FMT_COMPILE("{}"), value);
}

void TextEnd::grow(std::size_t most) {
    held_ = std::max({size_ + most, 2 * held_, std::size_t(1) << 14});
    auto wider = std::make_unique_for_overwrite<char[]>(held_);
    if (size_ > 0) std::memcpy(wider.get(), text_.get(), size_);
    text_ = std::move(wider);
}

} // namespace garland
