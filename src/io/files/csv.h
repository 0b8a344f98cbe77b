// Rows of comma-separated text (RFC 4180), cut without copying.
#pragma once

#include <string_view>
#include <vector>

namespace garland {

// Without spaces, tabs, carriage returns and quotes at both ends.
std::string_view trimmed(std::string_view text);

// The trimmed cells of one row, into a list that can be used again for the next.
void split_cells(std::string_view row, char separator, std::vector<std::string_view>& cells);

// Takes the first line off `text`, trimmed; a byte order mark at its start is passed over.
std::string_view take_line(std::string_view& text);

} // namespace garland
