#include "core/project/edits.h"

#include <algorithm>

namespace garland {

namespace {

template <class T>
std::vector<Change<T>> list_difference(const std::vector<T>& before, const std::vector<T>& after) {
    std::vector<Change<T>> changes;
    auto find = [](const std::vector<T>& list, auto id) {
        return std::find_if(list.begin(), list.end(), [&](const T& item) { return item.id == id; });
    };
    for (std::size_t i = 0; i < before.size(); ++i) {
        if (find(after, before[i].id) == after.end()) changes.push_back({i, before[i], std::nullopt});
    }
    for (std::size_t i = 0; i < after.size(); ++i) {
        auto old = find(before, after[i].id);
        if (old == before.end()) {
            changes.push_back({i, std::nullopt, after[i]});
        } else if (!(*old == after[i])) {
            changes.push_back({i, *old, after[i]});
        }
    }
    return changes;
}

template <class T>
void run(std::vector<T>& list, const std::vector<Change<T>>& changes, bool forward) {
    auto was = [&](const Change<T>& c) -> const std::optional<T>& { return forward ? c.before : c.after; };
    auto is = [&](const Change<T>& c) -> const std::optional<T>& { return forward ? c.after : c.before; };
    for (const auto& c : changes) {
        if (!is(c)) std::erase_if(list, [&](const T& item) { return item.id == was(c)->id; });
    }
    for (const auto& c : changes) { // rising places, so each insertion finds its list as it will be
        if (!was(c) && is(c)) {
            list.insert(list.begin() + static_cast<std::ptrdiff_t>(std::min(c.place, list.size())), *is(c));
        }
    }
    for (const auto& c : changes) {
        if (!was(c) || !is(c)) continue;
        for (T& item : list) {
            if (item.id == is(c)->id) item = *is(c);
        }
    }
}

} // namespace

bool Edit::empty() const {
    return !settings && sources.empty() && timings.empty() && arrangements.empty() && zones.empty() && sounds.empty();
}

Edit difference(const Project& before, const Project& after, std::string words) {
    Edit edit;
    edit.words = std::move(words);
    if (!(before.settings == after.settings)) edit.settings = {before.settings, after.settings};
    edit.next_id_before = before.next_id;
    edit.next_id_after = after.next_id;
    edit.sources = list_difference(before.sources, after.sources);
    edit.timings = list_difference(before.timings, after.timings);
    edit.arrangements = list_difference(before.arrangements, after.arrangements);
    edit.zones = list_difference(before.zones, after.zones);
    edit.sounds = list_difference(before.sounds, after.sounds);
    return edit;
}

void apply(Project& project, const Edit& edit) {
    if (edit.settings) project.settings = edit.settings->second;
    project.next_id = edit.next_id_after;
    run(project.sources, edit.sources, true);
    run(project.timings, edit.timings, true);
    run(project.arrangements, edit.arrangements, true);
    run(project.zones, edit.zones, true);
    run(project.sounds, edit.sounds, true);
}

void revert(Project& project, const Edit& edit) {
    if (edit.settings) project.settings = edit.settings->first;
    project.next_id = edit.next_id_before;
    run(project.sources, edit.sources, false);
    run(project.timings, edit.timings, false);
    run(project.arrangements, edit.arrangements, false);
    run(project.zones, edit.zones, false);
    run(project.sounds, edit.sounds, false);
}

Edit joined(const Edit& first, const Edit& second, const Project& before_first) {
    Project after = before_first;
    apply(after, first);
    apply(after, second);
    return difference(before_first, after, second.words);
}

} // namespace garland
