// Words laid over a preview: the frame, the time, the project. In the program's own typeface, set by FreeType.
#pragma once

#include "core/base/colour.h"
#include "core/base/result.h"
#include "render/picture.h"

#include <optional>
#include <string>

namespace garland {

struct PreviewOverlay {
    bool frame = false;   // "frame 96"
    bool time = false;    // when the frame starts, in seconds from frame 0, as in the window: "3.958 s"
    bool project = false; // its name
    bool colours = false; // what they stand for, where copies are coloured by a value

    bool any() const { return frame || time || project || colours; }
    bool operator==(const PreviewOverlay&) const = default;
};

// "frame, time": what is asked for. Errors: invalid, with the words that there are.
Result<PreviewOverlay> overlay_of(const std::string& words);

// What the colours of a picture stand for: a ramp between two values.
struct OverlayLegend {
    std::string title, low, high; // "delay", "0 f", "96 f"
    RampKind ramp = RampKind::sequential;
};

struct OverlayWords {
    std::string left, right;
    std::optional<OverlayLegend> legend{};
};

// All in a dark band along the lower edge, white as `exposure` shows it (see shown_8): `left` from the left, cut where
// it does not fit, `right` to the right, the legend left of that. UTF-8. The band is a twentieth of the height, at
// least 12 pixels; a picture lower than 48 pixels stays as it is. Only colour and alpha change, no pass does.
void lay_words(Picture& picture, const OverlayWords& words, double exposure);

} // namespace garland
