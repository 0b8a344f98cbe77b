// What one does to a time map. Each returns a new map or says why not; none leaves a map invalid.
#pragma once

#include "core/time/time_map.h"

namespace garland {

// A key at output frame t that changes nothing: the curve stays where it was to rounding. A smooth stretch that is cut
// becomes free with the slopes it had, and so do its neighbours. Nothing happens where a key stands already. Errors:
// invalid, for t outside the map.
Result<TimeMap> cut_at(const TimeMap& map, OutputFrame t);

// Holds the pose at t for n > 0 output frames and pushes the rest later: M'(x) = M(x) up to t, M(t) for t … t + n,
// M(x − n) after. A t outside the map holds the nearest end.
Result<TimeMap> hold_at(const TimeMap& map, OutputFrame t, double n);

// M'(x) = M(p + q − x) on whole frames p … q, unchanged elsewhere. Where the reversed part does not meet its
// neighbours there is a jump, made of a step between two whole frames. Both ends are brought inside the map.
// Errors: invalid, for p ≥ q or ends that are not whole frames; unsupported, where a hidden first frame would become
// the last one of the map.
Result<TimeMap> reverse(const TimeMap& map, OutputFrame p, OutputFrame q);

// Nothing is shown at output frames p … q, both included; the curve stays where it was. Errors: invalid, where p is
// below the map's first frame or q is not below its last one, which is always shown.
Result<TimeMap> hide_between(const TimeMap& map, OutputFrame p, OutputFrame q);

// The straight map that plays source a … b over output p … q; its speed is (b − a)/(q − p). Errors: p ≥ q.
Result<TimeMap> fit(SourceFrame a, SourceFrame b, OutputFrame p, OutputFrame q);

// The whole map moved so that its first key is on `start`.
Result<TimeMap> start_at(const TimeMap& map, OutputFrame start);

// The output frames around a constant stretch at least one frame long that contains t, or nothing.
struct HeldSpan {
    OutputFrame first, last;
};
bool held_around(const TimeMap& map, OutputFrame t, HeldSpan& span);

// Key edits. insert replaces a key on the same frame; move keeps the order of keys (errors: invalid, when the new place
// is on or beyond a neighbour); remove keeps at least one key.
Result<TimeMap> insert_key(const TimeMap& map, Key key);
Result<TimeMap> move_key(const TimeMap& map, std::size_t index, OutputFrame at, SourceFrame source);
Result<TimeMap> remove_key(const TimeMap& map, std::size_t index);

} // namespace garland
