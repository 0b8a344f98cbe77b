#include "render/movie_frames.h"

#include "io/files/folder.h"
#include "render/picture_file.h"

#include <cstring>
#include <filesystem>
#include <fmt/format.h>
#include <png.h>

namespace garland {

namespace fs = std::filesystem;

namespace {

constexpr const char* note_name = "movie.txt"; // says whose pictures these are

std::vector<fs::path> pictures_in(const std::string& folder) {
    std::error_code none;
    std::vector<fs::path> ours;
    for (const auto& entry : fs::directory_iterator(folder, none)) {
        const std::string name = entry.path().filename().string();
        if (name.starts_with("frame.") && name.ends_with(".png")) ours.push_back(entry.path());
    }
    return ours;
}

void remove_pictures(const std::string& folder) {
    std::error_code none;
    for (const fs::path& path : pictures_in(folder)) fs::remove(path, none);
    fs::remove(folder + "/" + note_name, none);
}

} // namespace

Result<MovieFrames> MovieFrames::beside(const std::string& movie, const std::string& key, int width, int height) {
    MovieFrames out;
    out.width_ = width, out.height_ = height;
    const std::string folder = movie + ".frames", note = folder + "/" + note_name;
    std::vector<char> there;
    std::error_code wrong;
    if (fs::exists(folder, wrong)) {
        if (!file_exists(note)) return out; // somebody else's
        if (read_file(note, there) && std::string_view(there.data(), there.size()) == key) {
            out.folder_ = folder;
            return out;
        }
        remove_pictures(folder);
    }
    GARLAND_CHECK(make_folder(folder));
    GARLAND_CHECK(write_file(note, key, Existing::replace));
    out.folder_ = folder;
    return out;
}

std::string MovieFrames::path_of(std::int64_t frame) const {
    return fmt::format("{}/frame.{:06}.png", folder_, frame);
}

std::optional<std::vector<std::uint8_t>> MovieFrames::find(std::int64_t frame) const {
    std::vector<char> bytes;
    if (folder_.empty() || !file_exists(path_of(frame)) || !read_file(path_of(frame), bytes)) return {};
    png_image image;
    std::memset(&image, 0, sizeof image);
    image.version = PNG_IMAGE_VERSION;
    if (!png_image_begin_read_from_memory(&image, bytes.data(), bytes.size())) return {};
    const bool fits = image.width == static_cast<png_uint_32>(width_) &&
                      image.height == static_cast<png_uint_32>(height_) && image.format == PNG_FORMAT_RGBA;
    std::vector<std::uint8_t> out(static_cast<std::size_t>(width_) * static_cast<std::size_t>(height_) * 4);
    if (!fits || !png_image_finish_read(&image, nullptr, out.data(), width_ * 4, nullptr)) {
        png_image_free(&image);
        return {};
    }
    return out;
}

Result<void> MovieFrames::keep(std::int64_t frame, const std::vector<std::uint8_t>& shown) {
    if (folder_.empty()) return {};
    return write_png(path_of(frame), shown, width_, height_, Existing::replace);
}

std::size_t MovieFrames::count() const {
    return folder_.empty() ? 0 : pictures_in(folder_).size();
}

void MovieFrames::remove() {
    if (folder_.empty()) return;
    remove_pictures(folder_);
    std::error_code none;
    fs::remove(folder_, none); // only where it is empty
}

} // namespace garland
