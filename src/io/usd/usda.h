// USD as text (.usda, the published Universal Scene Description crate-free form): prims, attributes, time samples.
// Values stay text until they are asked for, so that opening a large file costs no memory.
#pragma once

#include "core/base/result.h"
#include "core/geometry/pose.h"

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace garland {

struct UsdaSample {
    double time = 0; // time code
    std::string_view value;
};

struct UsdaAttribute {
    std::string_view type; // "point3f[]"
    std::string_view name; // "primvars:st", without ".timeSamples"
    std::string_view value;
    std::vector<UsdaSample> samples; // by rising time
    std::string_view interpolation;  // of a primvar: "vertex", "faceVarying" …; empty: not said

    // What holds at a time: the samples on both sides and the weight of the second (0: only the first).
    struct At {
        std::string_view a, b;
        double weight = 0;
    };
    At at(double time) const;
};

struct UsdaPrim {
    std::string_view type, name;
    int parent = -1; // always an earlier prim
    std::vector<UsdaAttribute> attributes;
    const UsdaAttribute* find(std::string_view name) const;
};

struct UsdaLayer {
    double codes_a_second = 24, metres = 0.01; // the format's own defaults
    std::optional<double> start, end;          // time codes
    bool z_up = false;
    std::vector<UsdaPrim> prims;    // `def`s only, parents first
    std::vector<std::string> notes; // what was passed over
};

// `text` must outlive the layer. Errors: malformed, with the line; too_large, for more than usda_depth prims inside
// each other or times that do not rise.
Result<UsdaLayer> parse_usda(std::string_view text, const std::string& path);
inline constexpr int usda_depth = 200;

std::int64_t line_of(std::string_view text, const char* at); // from 1

// Values. Errors: malformed.
Result<std::vector<float>> usda_floats(std::string_view value, std::size_t width); // "[(1, 2, 3), …]": width 3
Result<std::vector<std::int64_t>> usda_wholes(std::string_view value);             // "[1, 2]"
Result<std::vector<double>> usda_numbers(std::string_view value); // every number in it, whatever the brackets
std::vector<std::string> usda_words(std::string_view value);      // every text in quotes

} // namespace garland
