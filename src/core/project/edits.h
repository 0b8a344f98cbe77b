// An edit as a value: what was, what is, by place. Applying and reverting give back byte-identical projects.
#pragma once

#include "core/project/project.h"

#include <optional>
#include <string>
#include <vector>

namespace garland {

// One part of a list (source, timing, arrangement) that came, went or changed.
template <class T>
struct Change {
    std::size_t place = 0; // its index in the list in which it exists (after if it came or changed, before if it went)
    std::optional<T> before; // unset: it came
    std::optional<T> after;  // unset: it went
    bool operator==(const Change&) const = default;
};

struct Edit {
    std::string words; // for the undo list: "Hold 10 frames at 15"
    std::optional<std::pair<Settings, Settings>> settings;
    std::uint64_t next_id_before = 0, next_id_after = 0;
    std::vector<Change<SourceSpec>> sources;
    std::vector<Change<Timing>> timings;
    std::vector<Change<Arrangement>> arrangements;
    std::vector<Change<Zone>> zones;
    std::vector<Change<SoundSpec>> sounds;

    bool empty() const;
};

// What leads from one project to another. Parts are told apart by id; parts present in both keep their order.
Edit difference(const Project& before, const Project& after, std::string words);

void apply(Project& project, const Edit& edit);
void revert(Project& project, const Edit& edit);

// One edit that does both, for drags whose steps become one. `second` must start where `first` ends.
Edit joined(const Edit& first, const Edit& second, const Project& before_first);

} // namespace garland
