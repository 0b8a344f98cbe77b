#include "core/scene/written_as.h"

#include "core/base/numbers.h"

namespace garland {

const std::vector<std::pair<const char*, double>>& units_of_length() {
    // The inch and the foot since the agreement of 1959: 25.4 mm and 0.3048 m exactly (from memory).
    static const std::vector<std::pair<const char*, double>> all{{"m", 1},      {"dm", 0.1},    {"cm", 0.01},
                                                                 {"mm", 0.001}, {"ft", 0.3048}, {"in", 0.0254}};
    return all;
}

std::optional<double> unit_called(const std::string& text) {
    for (const auto& [name, metres] : units_of_length())
        if (text == name) return metres;
    const auto number = parse_number(text);
    if (!number || !(*number > 0)) return {};
    return *number;
}

} // namespace garland
