#include "io/files/csv.h"

#include <algorithm>

namespace garland {

std::string_view trimmed(std::string_view text) {
    const auto from = text.find_first_not_of(" \t\r\"");
    if (from == text.npos) return {};
    return text.substr(from, text.find_last_not_of(" \t\r\"") - from + 1);
}

void split_cells(std::string_view row, char separator, std::vector<std::string_view>& cells) {
    cells.clear();
    for (;;) {
        const auto end = row.find(separator);
        cells.push_back(trimmed(row.substr(0, end)));
        if (end == row.npos) return;
        row.remove_prefix(end + 1);
    }
}

std::string_view take_line(std::string_view& text) {
    if (text.starts_with("\xEF\xBB\xBF")) text.remove_prefix(3);
    const auto end = std::min(text.find('\n'), text.size());
    const std::string_view line = trimmed(text.substr(0, end));
    text.remove_prefix(std::min(end + 1, text.size()));
    return line;
}

} // namespace garland
