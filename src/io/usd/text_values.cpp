#include "io/usd/layer.h"

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>
#include <fast_float/fast_float.h>
#include <fmt/format.h>

namespace garland {

namespace {

constexpr auto between_numbers = [] {
    std::array<bool, 256> table{};
    for (char c : {' ', ',', '(', ')', '[', ']', '\n', '\r', '\t'}) table[static_cast<unsigned char>(c)] = true;
    return table;
}();

// Passes everything between numbers; stops at the next one or the end.
const char* to_number(const char* at, const char* end) {
    while (at < end && between_numbers[static_cast<unsigned char>(*at)]) ++at;
    return at;
}

template <class T, class Read>
Result<std::vector<T>> numbers(std::string_view value, Read&& read) {
    const char *at = value.data(), *end = at + value.size();
    std::vector<T> out;
    out.reserve(static_cast<std::size_t>(std::count(at, end, ',')) + 1); // one comma between two numbers
    for (;;) {
        at = to_number(at, end);
        if (at == end) return out;
        if (*at == '#') {
            while (at < end && *at != '\n') ++at;
            continue;
        }
        T number{};
        const std::string_view rest(at, static_cast<std::size_t>(end - at));
        const bool yes = rest.starts_with("true"), no = rest.starts_with("false");
        const char* stop = yes || no ? at + (yes ? 4 : 5) : read(at, end, number);
        if (yes) number = T(1);
        if (!stop)
            return fail(
                Error{ErrorCode::malformed,
                      fmt::format("\"{}\" is not a number",
                                  std::string_view(at, std::min<std::size_t>(static_cast<std::size_t>(end - at), 12)))}
                    .advise("write the file again"));
        out.push_back(number);
        at = stop;
    }
}

const char* read_float(const char* at, const char* end, float& out) {
    const auto [stop, error] = fast_float::from_chars(at, end, out);
    return error == std::errc() || error == std::errc::result_out_of_range ? stop : nullptr;
}

} // namespace

Result<std::vector<float>> usd_text_floats(std::string_view value, std::size_t width) {
    GARLAND_TRY(out, (numbers<float>(value, read_float)));
    if (out.size() % width != 0)
        return fail(
            Error{ErrorCode::malformed, fmt::format("{} numbers do not make groups of {}", out.size(), width)}.advise(
                "write the file again"));
    return out;
}

Result<std::vector<std::int64_t>> usd_text_wholes(std::string_view value) {
    return numbers<std::int64_t>(value, [](const char* at, const char* end, std::int64_t& out) -> const char* {
        const auto [stop, error] = std::from_chars(at, end, out);
        return error == std::errc() && (stop == end || (*stop != '.' && *stop != 'e')) ? stop : nullptr;
    });
}

Result<std::vector<double>> usd_text_numbers(std::string_view value) {
    return numbers<double>(value, [](const char* at, const char* end, double& out) -> const char* {
        const auto [stop, error] = fast_float::from_chars(at, end, out);
        return error == std::errc() && std::isfinite(out) ? stop : nullptr;
    });
}

std::vector<std::string> usd_text_words(std::string_view value) {
    std::vector<std::string> out;
    for (std::size_t at = 0; at < value.size(); ++at) {
        const char c = value[at];
        if (c != '"' && c != '\'' && c != '@') continue;
        const bool triple = value.substr(at, 3) == std::string(3, c);
        const std::size_t width = triple ? 3 : 1, from = at + width;
        std::string word;
        std::size_t end = from;
        while (end < value.size() && value.substr(end, width) != std::string(width, c)) {
            if (c == '@' || value[end] != '\\' || end + 1 >= value.size()) {
                word += value[end++];
                continue;
            }
            const char escaped = value[end + 1];
            word += escaped == 'n' ? '\n' : escaped == 't' ? '\t' : escaped;
            end += 2;
        }
        out.push_back(std::move(word));
        at = end + width - 1;
    }
    return out;
}

std::int64_t usd_line_of(std::string_view text, const char* at) {
    if (at < text.data()) return 1; // an empty value points nowhere
    return 1 + std::count(text.data(), std::min(at, text.data() + text.size()), '\n');
}

} // namespace garland
