#include "core/time/warp.h"

#include <algorithm>
#include <cmath>

namespace garland {

namespace {

// Where a curve passes, and how fast.
struct Place {
    double t = 0;     // output frames from the start of the result
    double value = 0; // source frame
    double slope = 0; // source frames per output frame
};

struct WarpedPiece { // of the result, between two keys
    Place a, b;
    Toward toward = Toward::linear;
};

// One part of the warp, set where it begins: the own frame x it shows u output frames later, and back.
struct Placed {
    WarpPart part;
    double t = 0, x = 0;
    double rate(double u) const { return part.from + (part.to - part.from) * u / part.length; }
    double at(double u) const { return x + u * (part.from + u * (part.to - part.from) / (2 * part.length)); }
    double when(double own) const {
        const double a = (part.to - part.from) / (2 * part.length), d = std::max(own - x, 0.0);
        const double root = std::sqrt(std::max(part.from * part.from + 4 * a * d, 0.0));
        return std::min(2 * d / std::max(part.from + root, 1e-300), part.length);
    }
};

Place place_on(const Stretch& s, const Placed& w, double u) {
    const double v = std::min(std::max(w.at(u) - s.start, 0.0), s.length);
    return {w.t + u, s.at(v), s.slope(v) * w.rate(u)};
}

// Hermite stretches between u0 and u1, halved until each is right in its middle.
void follow(const Stretch& s, const Placed& w, double u0, double u1, int depth, std::vector<WarpedPiece>& out) {
    const Place a = place_on(s, w, u0), b = place_on(s, w, u1), middle = place_on(s, w, 0.5 * (u0 + u1));
    const double hermite = 0.5 * (a.value + b.value) + (b.t - a.t) * (a.slope - b.slope) / 8;
    if (depth == 0 || std::abs(hermite - middle.value) < 1e-7) {
        out.push_back({a, b, Toward::free});
        return;
    }
    follow(s, w, u0, 0.5 * (u0 + u1), depth - 1, out);
    follow(s, w, 0.5 * (u0 + u1), u1, depth - 1, out);
}

void add_piece(const Stretch& s, Toward toward, const Placed& w, double u0, double u1, std::vector<WarpedPiece>& out) {
    if (!(u1 - u0 > 1e-9)) return;
    const bool even = w.part.from == w.part.to, straight = s.c[2] == 0 && s.c[3] == 0;
    const Place a = place_on(s, w, u0), b = place_on(s, w, u1);
    if (stays(toward)) {
        out.push_back({a, b, toward});
    } else if (straight && (even || s.c[1] == 0)) {
        out.push_back({a, b, Toward::linear});
    } else if (straight || even) { // a quadratic or a cubic: one Hermite stretch is exact
        out.push_back({a, b, Toward::free});
    } else {
        follow(s, w, u0, u1, 10, out);
    }
}

} // namespace

Result<TimeMap> warped(const TimeMap& map, const std::vector<WarpPart>& parts) {
    const std::vector<Stretch> own = stretches(map);
    const double length = map.last() - map.first();
    std::vector<WarpedPiece> pieces;
    Placed w;
    for (const WarpPart& part : parts) {
        if (!(part.length > 0)) continue;
        w.part = part;
        if (own.empty() || part.moved() == 0 || w.x >= length) { // a hold
            if (part.moved() > 0 && !own.empty()) break;         // beyond the map's end there is nothing more to play
            double value = map.keys.back().source.value;
            Toward toward = Toward::linear;
            for (const Stretch& s : own) {
                if (!(s.start <= w.x && w.x < s.start + s.length)) continue;
                value = place_on(s, w, 0).value;
                if (s.hidden) toward = Toward::hidden;
            }
            pieces.push_back({{w.t, value, 0}, {w.t + part.length, value, 0}, toward});
            w.t += part.length;
            continue;
        }
        const double x1 = std::min(w.x + part.moved(), length);
        for (std::size_t i = 0; i < own.size(); ++i) {
            const double from = std::max(own[i].start, w.x), to = std::min(own[i].start + own[i].length, x1);
            if (!(to > from)) continue;
            const bool whole = to >= w.x + part.moved(); // the part's own end, without the root's rounding
            add_piece(own[i], map.keys[i].toward, w, w.when(from), whole ? part.length : w.when(to), pieces);
        }
        w.t += x1 >= length && w.x + part.moved() > length ? w.when(length) : part.length;
        w.x = x1;
    }
    if (pieces.empty())
        return fail(Error{ErrorCode::invalid, "there is nothing of the timing in that range"}.advise(
            "choose a range inside the timing"));
    TimeMap result;
    for (const WarpedPiece& p : pieces) {
        Key key{map.first() + p.a.t, SourceFrame(p.a.value), p.toward};
        if (p.toward == Toward::free) key.leave = p.a.slope;
        if (!result.keys.empty() && result.keys.back().toward == Toward::free) {
            key.arrive = pieces[result.keys.size() - 1].b.slope;
        }
        result.keys.push_back(key);
    }
    const WarpedPiece& last = pieces.back();
    Key end{map.first() + last.b.t, SourceFrame(last.b.value), map.keys.back().toward};
    if (last.toward == Toward::free) end.arrive = last.b.slope;
    // The jump at the very end, where the warp came that far.
    if (stays(last.toward) && w.x >= length * (1 - 1e-12)) end.source = map.keys.back().source;
    if (end.toward == Toward::free) end.toward = Toward::linear;
    result.keys.push_back(end);
    GARLAND_CHECK(validate(result));
    return result;
}

} // namespace garland
