// What the user prefers on this machine, in one file: Garland.conf in the settings folder. See docs/preferences.md.
#pragma once

#include "app/theme/tokens.h"
#include "core/time/rate.h"

#include <QString>

namespace garland {

enum class Theme { dark, light, as_desktop };

struct Preferences {
    Theme theme = Theme::as_desktop;
    double text_points = 9;    // 7 … 18
    double cache_gb = 0;       // of poses; 0: as the machine has memory
    int autosave_seconds = 30; // from an edit to the copy that is kept, 5 … 600
    int undo_steps = 0;        // that can be undone; 0: all
    Rate rate;                 // of new projects
    QString sound_device;      // by its description; empty: the system's
    bool start_page = true;    // an empty window offers samples and what was opened before
    bool operator==(const Preferences&) const = default;

    static Preferences load(); // values out of their range count as usual ones
    void save() const;
    Look look() const;     // of the theme, now
    static QString file(); // where it is kept
};

} // namespace garland
