// What one does to several picked keys at once. A key's source stands for whatever is keyed: source frames, speeds or a
// slider's per cent.
#pragma once

#include "core/time/time_map.h"

#include <span>

namespace garland {

using PickedKeys = std::vector<std::size_t>; // indices, rising

// How far the picked keys can move by about `frames` without coming nearer than `gap` output frames to a key that is
// not picked (or than they are now, where that is nearer).
double room_to_move(const TimeMap& map, const PickedKeys& picked, double frames, double gap = 1);

// Moves by output frames and value. Errors: invalid, where a picked key would land on or beyond another; indices that
// are not there.
Result<TimeMap> move_keys(const TimeMap& map, const PickedKeys& picked, double frames, double value);

// Errors: invalid, where no key would be left.
Result<TimeMap> remove_keys(const TimeMap& map, const PickedKeys& picked);

// The picked keys with their first one moved to output frame 0; values as they are.
std::vector<Key> copied_keys(const TimeMap& map, const PickedKeys& picked);

// The copied keys set with the first one at `at`. Keys that stood among them go. `pasted` gets their indices.
Result<TimeMap> paste_keys(const TimeMap& map, const std::vector<Key>& keys, OutputFrame at, PickedKeys& pasted);

// Distances in time from `about` and in value from `about_value`, times the factors; slopes follow. A factor below 0
// turns the keys round. Errors: invalid, where keys would land on or beyond others; a time factor of 0.
Result<TimeMap> scale_keys(const TimeMap& map, const PickedKeys& picked, OutputFrame about, double time_factor,
                           SourceFrame about_value, double value_factor);

} // namespace garland
