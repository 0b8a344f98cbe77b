#include "io/ply/ply_header.h"

#include <charconv>
#include <fmt/format.h>
#include <map>
#include <optional>

namespace garland::ply {

namespace {
const std::map<std::string_view, Type> types{
    {"char", Type::i8},   {"int8", Type::i8},      {"uchar", Type::u8},     {"uint8", Type::u8},
    {"short", Type::i16}, {"int16", Type::i16},    {"ushort", Type::u16},   {"uint16", Type::u16},
    {"int", Type::i32},   {"int32", Type::i32},    {"uint", Type::u32},     {"uint32", Type::u32},
    {"float", Type::f32}, {"float32", Type::f32},  {"double", Type::f64},   {"float64", Type::f64},
    {"int64", Type::i64}, {"long", Type::i64},     {"longlong", Type::i64}, {"uint64", Type::u64},
    {"ulong", Type::u64}, {"ulonglong", Type::u64}};

std::vector<std::string_view> words_of(std::string_view line) {
    std::vector<std::string_view> words;
    for (std::size_t i = 0; i < line.size();) {
        const std::size_t begin = line.find_first_not_of(" \t\r", i);
        if (begin == line.npos) break;
        i = std::min(line.find_first_of(" \t\r", begin), line.size());
        words.push_back(line.substr(begin, i - begin));
    }
    return words;
}
} // namespace

bool Element::has_lists() const {
    for (const Property& p : properties) {
        if (p.list) return true;
    }
    return false;
}

std::size_t Element::stride() const {
    std::size_t bytes = 0;
    for (const Property& p : properties) bytes += size_of(p.type);
    return bytes;
}

std::size_t Element::least_bytes(Form form) const {
    if (form == Form::ascii) return 2 * properties.size(); // a digit and a space each
    std::size_t bytes = 0;
    for (const Property& p : properties) bytes += size_of(p.list ? p.count_type : p.type);
    return bytes;
}

namespace {

using Words = std::vector<std::string_view>;

std::string rest_from(const Words& words, std::size_t word) { // names may hold spaces
    const char* end = words.back().data() + words.back().size();
    return {words[word].data(), static_cast<std::size_t>(end - words[word].data())};
}

// A whole number that is all of a word.
template <class T>
std::optional<T> whole(std::string_view word) {
    T value{};
    const auto [stop, error] = std::from_chars(word.data(), word.data() + word.size(), value);
    if (error != std::errc() || stop != word.data() + word.size()) return {};
    return value;
}

// What comments say of materials, pictures and values that belong together; all others are passed over.
void take_comment(const Words& words, Header& header) {
    if (words.size() >= 4 && words[1] == "material" && words[2] == std::to_string(header.materials.size()))
        header.materials.push_back(rest_from(words, 3));
    if (words.size() >= 4 && words[1] == "picture") {
        if (const auto material = whole<std::size_t>(words[2])) header.pictures[*material] = rest_from(words, 3);
    }
    if (words.size() >= 3 && words[1] == "TextureFile") header.picture = rest_from(words, 2);
    if (words.size() >= 4 && words[1] == "attribute") {
        int width = 0;
        const auto [stop, error] = std::from_chars(words[3].data(), words[3].data() + words[3].size(), width);
        if (error == std::errc() && width > 1 && width <= 16)
            header.groups.push_back({std::string(words[2]), width, words.size() > 4 && words[4] == "direction"});
    }
}

using Taken = tl::expected<void, std::string>; // what is wrong
tl::unexpected<std::string> bad(std::string what) {
    return tl::unexpected<std::string>(std::move(what));
}

Taken take_format(const Words& words, Header& header) {
    if (words.size() < 2) return bad("the format is not named");
    if (words[1] == "ascii")
        header.form = Form::ascii;
    else if (words[1] == "binary_little_endian")
        header.form = Form::little;
    else if (words[1] == "binary_big_endian")
        header.form = Form::big;
    else
        return bad(fmt::format("\"{}\" is not a PLY format", words[1]));
    return {};
}

Taken take_element(const Words& words, Header& header) {
    if (words.size() != 3) return bad("an element needs a name and a count");
    const auto count = whole<std::uint64_t>(words[2]);
    if (!count) return bad(fmt::format("\"{}\" is not a count", words[2]));
    header.elements.push_back({std::string(words[1]), *count, {}});
    return {};
}

Taken take_property(const Words& words, Header& header) {
    if (header.elements.empty()) return bad("a property comes before any element");
    Property property;
    property.list = words.size() > 1 && words[1] == "list";
    if (words.size() != (property.list ? 5u : 3u)) return bad("a property needs a type and a name");
    const auto type = types.find(words[property.list ? 3 : 1]);
    const auto count = property.list ? types.find(words[2]) : types.end();
    if (type == types.end() || (property.list && count == types.end())) return bad("this type is not known");
    property.type = type->second;
    if (property.list) {
        property.count_type = count->second;
        if (property.count_type == Type::f32 || property.count_type == Type::f64)
            return bad("a list's length cannot be a fraction");
    }
    property.name = std::string(words.back());
    header.elements.back().properties.push_back(std::move(property));
    return {};
}

} // namespace

Result<Header> parse_header(std::string_view text, const std::string& path) {
    Header header;
    bool form_known = false;
    std::size_t at = 0;
    auto wrong = [&](std::string what) {
        return fail(
            Error{ErrorCode::malformed, std::move(what)}.at(path).at_line(std::max<std::int64_t>(header.lines, 1)));
    };
    while (at < text.size()) {
        const std::size_t end = text.find('\n', at);
        if (end == text.npos) break;
        const auto words = words_of(text.substr(at, end - at));
        at = end + 1;
        ++header.lines;
        if (header.lines == 1) {
            if (words.size() != 1 || words[0] != "ply") return wrong("this is not a PLY file");
            continue;
        }
        if (words.empty() || words[0] == "obj_info") continue;
        Taken taken;
        if (words[0] == "comment") {
            take_comment(words, header);
        } else if (words[0] == "format") {
            taken = take_format(words, header);
            form_known = true;
        } else if (words[0] == "element") {
            taken = take_element(words, header);
        } else if (words[0] == "property") {
            taken = take_property(words, header);
        } else if (words[0] == "end_header") {
            if (!form_known) return wrong("the format line is missing");
            header.bytes = at;
            return header;
        } // other words are passed over, as other readers do
        if (!taken) return wrong(std::move(taken.error()));
    }
    return wrong(header.lines == 0 ? "this is not a PLY file" : "the header has no end");
}

} // namespace garland::ply
