// Previews: pictures of a range of output frames as files, one by one or as a movie.
#pragma once

#include "render/movie.h"
#include "render/overlay.h"
#include "render/render.h"

#include <functional>
#include <optional>
#include <string>
#include <vector>

namespace garland {

enum class PreviewAs { png, png16, exr, exr_float, mp4, webm, mov, mkv };
const char* to_text(PreviewAs as); // as it is written on the command line: "png", "png-16", "exr" …
std::optional<PreviewAs> preview_as(std::string_view word);
const char* ending(PreviewAs as); // ".png"
std::optional<MovieKind> movie_of(PreviewAs as);

enum class PreviewExisting {
    refuse, // any file that is there is an error, before the first frame
    keep,   // pictures that are there stay and are not made again: goes on where it was stopped
    replace,
};

struct PreviewOrder {
    std::string folder;           // made if it is not there
    std::string name = "preview"; // name.0001.png …, or name.mp4
    PreviewAs as = PreviewAs::png;
    FrameSteps frames;
    PreviewLook look;
    std::optional<Camera> camera{}; // none: the project's, with its keys
    bool sound = true;              // in movies of every frame
    PreviewOverlay overlay{};
    PreviewExisting existing = PreviewExisting::refuse;
};

struct PreviewEstimate {
    std::int64_t files = 0, existing = 0;
    double bytes = 0; // about
    double free = -1; // on that disk; −1 unknown
};

struct PreviewDone {
    std::vector<std::string> files; // made now
    std::int64_t frames = 0;        // made now
    std::int64_t kept = 0;          // pictures that were there, or had been made for a movie that was stopped
    double bytes = 0;
};

// Errors: invalid for the look, the name, an empty range or a movie format's needs; unsupported for a codec that this
// machine doesn't have, or that has no alpha: all before the first frame.
Result<PreviewEstimate> estimate(const PreviewOrder& order, Progress& progress = Progress::none());

// finished: called with every frame that is made, in order. A movie that is stopped keeps its pictures beside it
// (movie_frames.h), and goes on from them when the same one is begun again. Errors: those above; exists; those of
// reading; disk_full, cancelled, with how many pictures are complete.
Result<PreviewDone> preview(const Show& show, const Project& project, std::span<const HeardSound> sounds,
                            const PreviewOrder& order, Progress& progress = Progress::none(),
                            const std::function<void(std::int64_t, const Picture&)>& finished = {});

// The words that the order asks for, over a picture of that output frame.
void lay_over(Picture& picture, const Show& show, const Project& project, const PreviewOrder& order,
              std::int64_t frame);

std::string picture_path(const PreviewOrder& order, std::int64_t frame); // of a movie: the movie's

} // namespace garland
