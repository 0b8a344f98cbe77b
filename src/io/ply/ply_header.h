// The header of a PLY file, shared by the readers of its parts.
#pragma once

#include "core/base/result.h"

#include <cstdint>
#include <map>
#include <string>
#include <string_view>
#include <vector>

namespace garland::ply {

enum class Form { ascii, little, big };
enum class Type { i8, u8, i16, u16, i32, u32, f32, f64, i64, u64 };
inline std::size_t size_of(Type type) {
    constexpr std::size_t sizes[] = {1, 1, 2, 2, 4, 4, 4, 8, 8, 8};
    return sizes[static_cast<int>(type)];
}

struct Property {
    std::string name;
    Type type = Type::f32;
    bool list = false;
    Type count_type = Type::u8; // lists
};

struct Element {
    std::string name;
    std::uint64_t count = 0;
    std::vector<Property> properties;
    bool has_lists() const;
    std::size_t stride() const;               // bytes of one item, without lists
    std::size_t least_bytes(Form form) const; // of one item, lists empty
};

struct Header {
    Form form = Form::ascii;
    std::vector<Element> elements;
    std::size_t bytes = 0; // where the data starts
    std::int64_t lines = 0;
    std::vector<std::string> materials;          // as comments tell them: "comment material 0 paper"
    std::map<std::size_t, std::string> pictures; // of materials: "comment picture 0 paper.png"
    std::string picture; // of all faces: "comment TextureFile paper.png" (common practice, no source)
    struct Group { // properties that are one attribute, as comments tell them: "comment attribute wind 3 direction"
        std::string name;
        int width = 1;
        bool direction = false;
    };
    std::vector<Group> groups;
};

// Errors: malformed, with the line.
Result<Header> parse_header(std::string_view text, const std::string& path);

} // namespace garland::ply
