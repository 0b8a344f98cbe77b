// The pictures of a movie that is not finished: kept beside it, so that the same movie begun again goes on from them.
#pragma once

#include "io/files/file.h"
#include "render/picture.h"

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

namespace garland {

class MovieFrames {
  public:
    // In a folder of their own beside the movie, "quay.mp4.frames". key: everything that the pictures depend on, as
    // text; pictures of another key are removed. A folder of that name that this program did not make stays as it is,
    // and nothing is kept. Errors: unreadable, where the folder cannot be made.
    static Result<MovieFrames> beside(const std::string& movie, const std::string& key, int width, int height);

    // The picture of an output frame as it is shown: four values of 8 bits a pixel, not premultiplied.
    std::optional<std::vector<std::uint8_t>> find(std::int64_t frame) const;
    Result<void> keep(std::int64_t frame, const std::vector<std::uint8_t>& shown); // errors: those of AtomicFile
    std::size_t count() const;                                                     // of the pictures that are kept
    // All of them and their folder: the movie is complete.
    void remove();

  private:
    std::string path_of(std::int64_t frame) const;
    std::string folder_; // "": nothing is kept
    int width_ = 0, height_ = 0;
};

} // namespace garland
