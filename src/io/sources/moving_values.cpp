#include "io/sources/moving_values.h"

#include "core/geometry/blend.h"
#include "core/geometry/halves.h"

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <fmt/format.h>

namespace garland {

namespace {

std::string in_a_file_name(const std::string& name) {
    std::string out = name;
    for (char& c : out) {
        if (c == '/' || c == '\0') c = '_';
    }
    return out;
}

Attribute& attribute_of(Pose& pose, const std::string& name) {
    for (Attribute& a : pose.attributes) {
        if (a.name == name) return a;
    }
    pose.attributes.push_back({name, 1});
    return pose.attributes.back();
}

// Three floats a point in an array of their own are a direction, unless the name is that of a colour (common practice,
// no source): arrays do not say what their numbers mean.
bool is_direction(const std::string& name, std::size_t width) {
    if (width != 3) return false;
    std::string low = name;
    for (char& c : low) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    for (const char* word : {"colo", "rgb", "albedo", "tint", "emission"}) {
        if (low.find(word) != low.npos) return false;
    }
    return low != "cd" && low != "uvw";
}

template <class T>
void set_list(std::vector<T>& list, const std::vector<float>& values) {
    list.resize(values.size() * sizeof(float) / sizeof(T));
    std::copy(values.begin(), values.end(), reinterpret_cast<float*>(list.data()));
}

} // namespace

bool ValueList::same_as(const ValueList& other) const {
    if (width != other.width || count != other.count || !values != !other.values) return false;
    return values ? std::equal(values, values + count, other.values) : std::equal(whole, whole + count, other.whole);
}

std::vector<ValueList> value_lists(const Pose& pose) {
    std::vector<ValueList> out;
    auto add = [&](const char* name, std::size_t width, const auto& list) {
        if (!list.empty())
            out.push_back({name, width, reinterpret_cast<const float*>(list.data()), nullptr, list.size() * width});
    };
    add("normal", 3, pose.normals);
    add("colour", 3, pose.colours);
    add("uv", 2, pose.uvs);
    for (const Attribute& a : pose.attributes) {
        if (!a.values.empty())
            out.push_back({a.name, static_cast<std::size_t>(a.width), a.values.data(), nullptr, a.values.size()});
        if (!a.whole.empty())
            out.push_back({a.name, static_cast<std::size_t>(a.width), nullptr, a.whole.data(), a.whole.size()});
    }
    return out;
}

Result<MovingValues> MovingValues::find(const std::string& stem, std::uint64_t frames, std::uint64_t points,
                                        const std::vector<std::string>& taken,
                                        const std::optional<std::vector<std::string>>& only) {
    MovingValues out;
    const std::string start = file_name(stem) + "_";
    std::vector<std::string> names;
    std::error_code none;
    for (const auto& entry : std::filesystem::directory_iterator(folder_of(stem), none)) {
        const std::string name = entry.path().filename().string();
        if (only && std::find(only->begin(), only->end(), name) == only->end()) continue;
        if (name.starts_with(start) && name.ends_with(".npy") && name.size() > start.size() + 4)
            names.push_back(name.substr(start.size(), name.size() - start.size() - 4));
    }
    std::sort(names.begin(), names.end());
    for (const std::string& name : names) {
        if (std::find(taken.begin(), taken.end(), "_" + name) != taken.end() ||
            file_exists(stem + "_" + name + "_ids.npy") || name.ends_with("_ids") || name.ends_with("_velocity") ||
            file_exists(stem + "_" + name + ".ply") || file_exists(stem + "_" + name + ".obj")) {
            continue;
        }
        auto array = std::make_shared<Array>();
        array->path = stem + "_" + name + ".npy";
        auto file = NpyFile::open(array->path);
        if (!file) continue; // no array of numbers: not ours to judge
        const auto& shape = file->header().shape;
        if (shape.size() < 2 || shape[0] != frames || shape[1] != points ||
            (shape.size() == 3 && (shape[2] < 1 || shape[2] > 16)))
            continue;
        array->name = name;
        array->width = shape.size() == 3 ? static_cast<std::size_t>(shape[2]) : 1;
        if ((name == "normal" || name == "colour") && array->width != 3) continue;
        if (name == "uv" && array->width != 2) continue;
        array->file = std::move(*file);
        out.arrays_.push_back(std::move(array));
    }
    return out;
}

Result<void> MovingValues::put(Pose& pose, std::uint64_t a, std::uint64_t b, float w) const {
    for (const auto& array : arrays_) {
        if (array->file.header().whole()) {
            GARLAND_TRY(numbers, array->file.wholes(w < 0.5f ? a : b));
            Attribute& to = attribute_of(pose, array->name);
            to.values.clear();
            to.width = static_cast<int>(array->width);
            to.whole.clear();
            for (std::int64_t v : numbers)
                to.whole.push_back(static_cast<std::int32_t>(std::clamp<std::int64_t>(v, INT32_MIN, INT32_MAX)));
            continue;
        }
        GARLAND_TRY(values, array->file.floats(a));
        if (w > 0) {
            GARLAND_TRY(other, array->file.floats(b));
            mix(values.data(), other.data(), w, values.data(), values.size());
        }
        if (array->name == "normal") {
            set_list(pose.normals, values);
            if (w > 0) {
                for (V3f& n : pose.normals) n.normalize();
            }
        } else if (array->name == "colour") {
            set_list(pose.colours, values);
        } else if (array->name == "uv") {
            set_list(pose.uvs, values);
        } else {
            Attribute& to = attribute_of(pose, array->name);
            to.whole.clear();
            to.width = static_cast<int>(array->width);
            to.values = std::move(values);
            to.vector = array->width == 3 && (directions_ ? std::find(directions_->begin(), directions_->end(),
                                                                      array->name) != directions_->end()
                                                          : is_direction(array->name, array->width));
        }
    }
    return {};
}

void MovingValues::add_files(std::vector<std::string>& files) const {
    for (const auto& array : arrays_) files.push_back(array->path);
}

std::string MovingWriter::path_of(const std::string& name) const {
    return stem_ + "_" + in_a_file_name(name) + ".npy";
}

Result<MovingWriter::Open*> MovingWriter::open(const ValueList& list) {
    for (Open& one : open_) {
        if (one.name == list.name) return &one;
    }
    const std::string each = list.width == 1 ? fmt::format("{}", points_) : fmt::format("{}, {}", points_, list.width);
    const std::string path = path_of(list.name);
    GARLAND_TRY(writer, NpyWriter::create_numbers(path, frames_, each, list.whole ? NpyType::i32 : type_, existing_));
    open_.push_back({list.name, path, std::move(writer)});
    return &open_.back();
}

Result<void> MovingWriter::write(Open& open, const ValueList& list) {
    const std::size_t wanted = static_cast<std::size_t>(points_) * list.width;
    if (list.whole) {
        std::vector<std::int32_t> all(list.whole, list.whole + std::min(list.count, wanted));
        all.resize(wanted, 0);
        open.writer.add(all);
    } else {
        std::vector<float> all(list.values, list.values + std::min(list.count, wanted));
        all.resize(wanted, 0);
        if (type_ == NpyType::f16 &&
            std::any_of(all.begin(), all.end(), [](float v) { return std::abs(v) > largest_half; })) {
            return fail(
                Error{ErrorCode::unsupported, fmt::format("a value of \"{}\" is too large for half floats", list.name)}
                    .at_frame(static_cast<std::int64_t>(open.frames))
                    .advise("make the copy with full floats"));
        }
        open.writer.add(all.data(), all.size());
    }
    ++open.frames;
    return {};
}

Result<void> MovingWriter::add(const ValueList& list, std::uint64_t frame) {
    GARLAND_TRY(to, open(list));
    while (to->frames <= frame) GARLAND_CHECK(write(*to, list));
    return {};
}

Result<void> MovingWriter::add_if_moving(const ValueList& list, const ValueList& first, std::uint64_t frame) {
    const bool begun = std::any_of(open_.begin(), open_.end(), [&](const Open& o) { return o.name == list.name; });
    if (!begun && list.same_as(first)) return {};
    if (!begun && frame > 0) GARLAND_CHECK(add(first, frame - 1));
    return add(list, frame);
}

Result<std::vector<std::string>> MovingWriter::commit() {
    std::vector<std::string> files;
    for (Open& one : open_) {
        GARLAND_CHECK(one.writer.commit());
        files.push_back(one.path);
    }
    return files;
}

} // namespace garland
