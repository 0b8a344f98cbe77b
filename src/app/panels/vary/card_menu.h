// The menu of a card in a list: what is done with one entry as a whole. By the right button, or by the menu key from
// anything in the card that has no menu of its own.
#pragma once

#include "core/project/project.h"

#include <QWidget>
#include <algorithm>
#include <functional>
#include <optional>
#include <vector>

namespace garland {

struct CardMenu {
    bool on = true;                   // whether the entry counts
    std::size_t place = 0, count = 1; // in its list
    std::function<void(bool)> set_on; // the card may be gone when these return; none: the entry is not offered
    std::function<void()> duplicate;  // after itself
    struct Other {
        QString text, tip;
        std::function<void()> action;
    };
    std::vector<Other> others;     // before removing
    std::function<void(int)> move; // −1: up, 1: down
    std::function<void()> remove;
};

// what: asked for when the menu opens; nothing where the entry has gone.
void add_card_menu(QWidget* card, std::function<std::optional<CardMenu>()> what);

// One place up or down.
template <class T>
void move_entry(std::vector<T>& list, std::size_t place, int by) {
    const auto to = static_cast<std::ptrdiff_t>(place) + by;
    if (to >= 0 && to < static_cast<std::ptrdiff_t>(list.size()))
        std::swap(list[place], list[static_cast<std::size_t>(to)]);
}

// Where an entry of that id stands; the list's size: nowhere.
template <class T, class Id>
std::size_t place_of(const std::vector<T>& list, Id id) {
    const auto at = std::find_if(list.begin(), list.end(), [&](const T& one) { return one.id == id; });
    return static_cast<std::size_t>(at - list.begin());
}

template <class T>
using ChangeEntry = std::function<void(Project&, std::vector<T>&, std::size_t place)>;

// Changes an entry where it still stands in its list. `id` is a copy: the card that holds it may go meanwhile.
template <class T>
Result<void> change_entry(Project& p, std::vector<T>& list, decltype(T::id) id, const ChangeEntry<T>& change) {
    const std::size_t place = place_of(list, id);
    if (place < list.size()) change(p, list, place);
    return {};
}

// Duplicate and move for an entry of a list of the project. edit: does as one step of undo what it is given with the
// list and the entry's place in it, where it still is.
template <class T>
using EditEntry = std::function<void(const QString& words, const ChangeEntry<T>&)>;
template <class T>
CardMenu entry_menu(const std::vector<T>& list, decltype(T::id) id, EditEntry<T> edit, const QString& duplicate,
                    const QString& move) {
    CardMenu out;
    out.place = place_of(list, id), out.count = list.size();
    out.duplicate = [edit, duplicate] {
        edit(duplicate, [](Project& p, std::vector<T>& all, std::size_t place) {
            T other = all[place];
            other.id = decltype(T::id)(p.next_id++);
            if constexpr (requires { other.name += " 2"; }) other.name += " 2";
            all.insert(all.begin() + static_cast<std::ptrdiff_t>(place) + 1, std::move(other));
        });
    };
    out.move = [edit, move](int by) {
        edit(move, [by](Project&, std::vector<T>& all, std::size_t place) { move_entry(all, place, by); });
    };
    return out;
}

} // namespace garland
