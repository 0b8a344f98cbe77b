#include "core/time/key_edits.h"

#include "core/base/numbers.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>

namespace garland {

namespace {

std::vector<bool> flags_of(const TimeMap& map, const PickedKeys& picked) {
    std::vector<bool> flags(map.keys.size());
    for (std::size_t i : picked) {
        if (i < flags.size()) flags[i] = true;
    }
    return flags;
}

Result<void> check_picked(const TimeMap& map, const PickedKeys& picked) {
    if (picked.empty())
        return fail(Error{ErrorCode::invalid, "no key is selected"}.advise("select one on the time map"));
    if (picked.back() >= map.keys.size())
        return fail(Error{ErrorCode::invalid, fmt::format("there is no key {}", picked.back() + 1)}.advise(
            "choose one that is there"));
    return {};
}

} // namespace

double room_to_move(const TimeMap& map, const PickedKeys& picked, double frames, double gap) {
    const auto flags = flags_of(map, picked);
    for (std::size_t i = 0; i < map.keys.size(); ++i) {
        if (!flags[i]) continue;
        if (frames < 0 && i > 0 && !flags[i - 1]) {
            const double room = map.keys[i].at - map.keys[i - 1].at;
            frames = std::max(frames, -std::max(room - std::min(gap, room), 0.0));
        }
        if (frames > 0 && i + 1 < map.keys.size() && !flags[i + 1]) {
            const double room = map.keys[i + 1].at - map.keys[i].at;
            frames = std::min(frames, std::max(room - std::min(gap, room), 0.0));
        }
    }
    return frames;
}

Result<TimeMap> move_keys(const TimeMap& map, const PickedKeys& picked, double frames, double value) {
    GARLAND_CHECK(check_picked(map, picked));
    TimeMap out = map;
    for (std::size_t i : picked) {
        out.keys[i].at = out.keys[i].at + frames;
        out.keys[i].source = out.keys[i].source + value;
    }
    for (std::size_t i = 1; i < out.keys.size(); ++i) {
        if (!(out.keys[i - 1].at < out.keys[i].at)) {
            return fail(
                Error{ErrorCode::invalid, fmt::format("the key at output frame {} would land on or beyond another one",
                                                      short_number(map.keys[i].at.value))}
                    .advise("move it less, or move the other one first"));
        }
    }
    GARLAND_CHECK(validate(out));
    return out;
}

Result<TimeMap> remove_keys(const TimeMap& map, const PickedKeys& picked) {
    GARLAND_CHECK(check_picked(map, picked));
    const auto flags = flags_of(map, picked);
    TimeMap out;
    for (std::size_t i = 0; i < map.keys.size(); ++i) {
        if (!flags[i]) out.keys.push_back(map.keys[i]);
    }
    if (out.keys.empty())
        return fail(Error{ErrorCode::invalid, "the last key of a timing cannot be removed"}.advise("move it instead"));
    return out;
}

std::vector<Key> copied_keys(const TimeMap& map, const PickedKeys& picked) {
    std::vector<Key> keys;
    for (std::size_t i : picked) {
        if (i < map.keys.size()) keys.push_back(map.keys[i]);
    }
    const double first = keys.empty() ? 0 : keys.front().at.value;
    for (Key& k : keys) k.at = k.at - first;
    return keys;
}

Result<TimeMap> paste_keys(const TimeMap& map, const std::vector<Key>& keys, OutputFrame at, PickedKeys& pasted) {
    if (keys.empty()) return fail(Error{ErrorCode::invalid, "no keys have been copied"}.advise("copy keys first"));
    const OutputFrame end = at + keys.back().at.value;
    TimeMap out;
    pasted.clear();
    for (const Key& k : map.keys) {
        if (k.at < at) out.keys.push_back(k);
    }
    for (const Key& k : keys) {
        pasted.push_back(out.keys.size());
        out.keys.push_back(k);
        out.keys.back().at = at + k.at.value;
    }
    for (const Key& k : map.keys) {
        if (k.at > end) out.keys.push_back(k);
    }
    GARLAND_CHECK(validate(out));
    return out;
}

Result<TimeMap> scale_keys(const TimeMap& map, const PickedKeys& picked, OutputFrame about, double time_factor,
                           SourceFrame about_value, double value_factor) {
    GARLAND_CHECK(check_picked(map, picked));
    if (!std::isfinite(time_factor) || !std::isfinite(value_factor) || time_factor == 0) {
        return fail(Error{ErrorCode::invalid, "keys cannot be scaled by that"}.advise("use a factor above 0"));
    }
    TimeMap out = map;
    for (std::size_t i : picked) {
        Key& k = out.keys[i];
        k.at = about + (k.at - about) * time_factor;
        k.source = about_value + (k.source - about_value) * value_factor;
        k.leave *= value_factor / time_factor;
        k.arrive *= value_factor / time_factor;
    }
    if (time_factor < 0) { // turned round: what a key led towards, the one before it leads towards now
        std::vector<Key> turned;
        for (std::size_t i : picked) turned.push_back(out.keys[i]);
        std::vector<Key> as(turned.rbegin(), turned.rend());
        for (std::size_t n = 0; n < as.size(); ++n) {
            const Key& own = turned[turned.size() - 1 - n];
            as[n].leave = own.arrive;
            as[n].arrive = own.leave;
            as[n].toward = n + 1 < as.size() ? turned[turned.size() - 2 - n].toward : turned.back().toward;
        }
        for (std::size_t n = 0; n < picked.size(); ++n) out.keys[picked[n]] = as[n];
    }
    for (std::size_t i = 1; i < out.keys.size(); ++i) {
        if (!(out.keys[i - 1].at < out.keys[i].at)) {
            return fail(Error{ErrorCode::invalid, "the keys would land on or beyond others"}.advise(
                "scale by less, or select the others as well"));
        }
    }
    GARLAND_CHECK(validate(out));
    return out;
}

} // namespace garland
