// A contact sheet: copies down, output frames across, each copy alone.
#pragma once

#include "render/picture.h"
#include "render/render.h"

namespace garland {

struct ContactOrder {
    std::vector<std::int64_t> copies; // numbers from 0; rows in this order
    std::vector<std::int64_t> frames; // output frames; columns
    int tile = 120;                   // pixels of a picture's side, 16 … 1024
    int samples = 8;
    PreviewColour colour = PreviewColour::look; // not by twins nor spread, which tell copies from each other
};
// At most so many copies, evenly over all of them.
std::vector<std::int64_t> some_copies(const Show& show, std::size_t most);

// Every copy is seen from the camera's direction at each frame, framed by all its poses on the sheet, with its number
// on the left and the frames above; an absent copy leaves its place empty. Errors: invalid, for a copy that is not
// there or an empty sheet; too_large above 16384 pixels; those of reading; cancelled.
Result<Picture> contact_sheet(const Show& show, const Project& project, const ContactOrder& order,
                              Progress& progress = Progress::none());

} // namespace garland
