// The menu of a card in a list: what is done with one entry as a whole. By the right button, or by the menu key from
// anything in the card that has no menu of its own.
#pragma once

#include <QWidget>
#include <algorithm>
#include <functional>
#include <optional>
#include <vector>

namespace garland {

struct CardMenu {
    bool on = true;                   // whether the entry counts
    std::size_t place = 0, count = 1; // in its list
    std::function<void(bool)> set_on; // the card may be gone when these return
    std::function<void()> duplicate;  // after itself
    std::function<void(int)> move;    // −1: up, 1: down
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

} // namespace garland
