#include "cli/copy_options.h"

#include "cli/edit_words.h"
#include "cli/option_fields.h"
#include "core/base/numbers.h"
#include "io/project/arrangement_json.h"
#include "io/tables/path_file.h"

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <sstream>

namespace garland {

Result<double> real(const std::string& text) {
    const auto v = parse_number(text);
    if (!v) return wrong(fmt::format("\"{}\" is not a number", text), "write one, as in 12 or -0.5");
    return *v;
}
Result<std::int64_t> whole(const std::string& text) {
    GARLAND_TRY(v, real(text));
    if (v != std::floor(v) || std::abs(v) > 9e15)
        return wrong(fmt::format("\"{}\" is not a whole number", text), "write one of at most 15 digits");
    return static_cast<std::int64_t>(v);
}
Result<SourceId> source_called(const Project& p, const std::string& text) {
    GARLAND_TRY(i, find_named(p.sources, text, "source"));
    return p.sources[i].id;
}

namespace {

Result<std::vector<TargetKey>> targets_of(const std::string& text) {
    std::vector<TargetKey> out;
    std::istringstream words(text);
    for (std::string one; words >> one;) {
        const auto colon = one.find(':');
        TargetKey key;
        if (colon != one.npos) {
            GARLAND_TRY(at, real(one.substr(0, colon)));
            key.at = OutputFrame(at);
        }
        GARLAND_TRY(v, place(one.substr(colon == one.npos ? 0 : colon + 1)));
        key.place = v;
        out.push_back(key);
    }
    return out;
}

} // namespace

namespace {

using A = Arrangement;

// Which source and timing, and where: rows, rings and their measures.
std::vector<Option<A>> placed_options() {
    return {
        field("name", "What it is called", &A::name, [](const std::string& t) { return Result<std::string>(t); }),
        {"source", "What the copies show",
         [](A& a, const Project& p, const std::string& t) -> Result<void> {
             GARLAND_TRY(id, source_called(p, t));
             a.source = id;
             return {};
         }},
        {"timing", "The timing the copies follow",
         [](A& a, const Project& p, const std::string& t) -> Result<void> {
             GARLAND_TRY(i, find_named(p.timings, t, "timing"));
             a.timing = p.timings[i].id;
             return {};
         }},
        field("kind", "line, grid, box, ring, rings, curve, scatter or points", &A::layout, &Layout::kind,
              [](const std::string& t) { return of(kind_words, t, "a kind of arrangement"); }),
        field("count", "How many copies (rings: on the innermost)", &A::layout, &Layout::count, count_of),
        field("columns", "Grid and box: copies in a row", &A::layout, &Layout::columns, count_of),
        field("rows", "Grid and box: rows; rings: how many", &A::layout, &Layout::rows, count_of),
        field("layers", "Box: layers, upward", &A::layout, &Layout::layers, count_of),
        field("spacing", "From one copy to the next", &A::layout, &Layout::spacing, real),
        field("row-spacing", "From one row, or ring, to the next", &A::layout, &Layout::row_spacing, real),
        field("layer-spacing", "From one layer to the next", &A::layout, &Layout::layer_spacing, real),
        field("radius", "Of the ring, or the innermost one", &A::layout, &Layout::radius, real),
        field("centre", "Where the middle is: x,y,z", &A::layout, &Layout::origin, place),
        field("heading", "Degrees about the vertical axis", &A::layout, &Layout::heading, real),
        field("sag", "How far the middle of each swag hangs down", &A::layout, &Layout::swag, &Swag::sag, real),
        field("between-posts", "Copies from one post to the next; 0: no posts", &A::layout, &Layout::swag, &Swag::every,
              count_of),
    };
}

// Paths, and what carries the copies.
std::vector<Option<A>> carried_options() {
    return {
        {"path", "Curve: a file with its line (OBJ, glTF, USD, CSV)",
         [](A& a, const Project&, const std::string& t) -> Result<void> {
             GARLAND_TRY(path, read_path(t));
             a.layout.kind = ArrangementKind::curve;
             a.layout.path.points = path.points;
             a.layout.path.closed = path.closed;
             a.layout.path.smooth = path.smooth;
             return {};
         }},
        {"path-points", "Curve: its points, \"x,y,z x,y,z …\"",
         [](A& a, const Project&, const std::string& t) -> Result<void> {
             GARLAND_TRY(keys, targets_of(t));
             a.layout.kind = ArrangementKind::curve;
             a.layout.path.points.clear();
             for (const TargetKey& k : keys) a.layout.path.points.push_back(k.place);
             return {};
         }},
        field("path-closed", "Curve: on or off", &A::layout, &Layout::path, &LayoutPath::closed, on_off),
        field("path-smooth", "Curve: smooth through its points, on or off", &A::layout, &Layout::path,
              &LayoutPath::smooth, on_off),
        field("path-offset", "Curve: how far to the right of it, in m; below 0: to the left", &A::layout, &Layout::path,
              &LayoutPath::side, real),
        {"carrier", "Scatter and points: the source the copies are on",
         [](A& a, const Project& p, const std::string& t) -> Result<void> {
             GARLAND_TRY(id, source_called(p, t));
             a.layout.carried.source = id;
             return {};
         }},
        {"carrier-timing", "Points: the timing of what carries them, or none",
         [](A& a, const Project& p, const std::string& t) -> Result<void> {
             a.layout.carried.timing = {};
             if (t == "none") return {};
             GARLAND_TRY(i, find_named(p.timings, t, "timing"));
             a.layout.carried.timing = p.timings[i].id;
             return {};
         }},
        field("minimum-distance", "Scatter: no two copies are closer than this, in m", &A::layout, &Layout::carried,
              &Carrying::least_apart, real),
        field("seed", "Scatter: each seed gives other places", &A::layout, &Layout::carried, &Carrying::seed, seed_of),
    };
}

// Facing, size, differences and order.
std::vector<Option<A>> facing_options() {
    return {
        field("facing", "fixed, along, outward, velocity, target or carrier", &A::attitude, &Attitude::facing,
              [](const std::string& t) { return of(facing_words, t, "a facing"); }),
        {"target", "What copies face: x,y,z, or keys \"1:x,y,z 48:x,y,z\"",
         [](A& a, const Project&, const std::string& t) -> Result<void> {
             GARLAND_TRY(keys, targets_of(t));
             a.attitude.targets = keys;
             a.attitude.facing = Facing::target;
             return {};
         }},
        field("upright", "on: copies stand upright; off: they follow slopes, or stand on their carrier's normal",
              &A::attitude, &Attitude::upright, on_off),
        field("bank", "Facing velocity, not upright: this share of the lean that is in balance", &A::attitude,
              &Attitude::bank, real),
        field("turn", "Of every copy, degrees", &A::attitude, &Attitude::turn, real),
        field("size", "Of every copy", &A::size, real),
        field("width", "Along the order, \"0:1 1:2\", or none", &A::stretch, &StretchAlong::width, curve_of),
        field("height", "Along the order, the same", &A::stretch, &StretchAlong::height, curve_of),
        field("jitter", "Places differ by up to x,y,z either way", &A::jitter, &Jitter::position, place),
        field("jitter-turn", "Turns differ by up to so many degrees", &A::jitter, &Jitter::turn, real),
        field("jitter-size", "Sizes differ by up to this share", &A::jitter, &Jitter::size, real),
        field("jitter-seed", "Each seed gives other differences", &A::jitter, &Jitter::seed, seed_of),
        field("order", "along, x, y, z, distance, random or attribute", &A::order, &CopyOrder::by,
              [](const std::string& t) { return of(order_words, t, "an order"); }),
        field("reversed", "Reverse the order, on or off", &A::order, &CopyOrder::reversed, on_off),
        field("order-from", "Order by distance: from x,y,z", &A::order, &CopyOrder::from, place),
        field("order-seed", "Order at random: each seed gives another order", &A::order, &CopyOrder::seed, seed_of),
        {"order-attribute", "Order by attribute: its name",
         [](A& a, const Project&, const std::string& t) -> Result<void> {
             a.order.attribute = t;
             a.order.by = OrderBy::attribute;
             return {};
         }},
    };
}

// Sources by weight, starts, passes, what is hidden.
std::vector<Option<A>> starting_options() {
    return {
        field("own-weight", "Of its own source among the variants", &A::choice, &Choice::own_weight, real),
        field("in-turn", "Sources one after the other, on, or by weight, off", &A::choice, &Choice::in_turn, on_off),
        field("variant-seed", "Each seed gives other choices of sources", &A::choice, &Choice::seed, seed_of),
        field("start", "with the shot, at birth, at a frame, together", &A::begins, &Beginning::kind,
              [](const std::string& t) { return of(start_words, t, "a start"); }),
        {"start-frame", "The output frame of such a start",
         [](A& a, const Project&, const std::string& t) -> Result<void> {
             GARLAND_TRY(v, real(t));
             a.begins.frame = OutputFrame(v);
             return {};
         }},
        field("total-passes", "Total number of passes per copy; 0: use the timing's setting", &A::begins,
              &Beginning::passes, count_of),
        field("hidden-until-start", "Copies appear when their motion starts, on or off", &A::begins,
              &Beginning::hidden_before, on_off),
        field("hidden", "The whole arrangement, on or off", &A::hidden, on_off),
    };
}

} // namespace

const std::vector<Option<Arrangement>>& arrangement_options() {
    static const std::vector<Option<A>> all = [] {
        std::vector<Option<A>> list;
        for (const auto& part : {placed_options(), carried_options(), facing_options(), starting_options()})
            list.insert(list.end(), part.begin(), part.end());
        return list;
    }();
    return all;
}

const std::vector<Option<Spread>>& spread_options() {
    using S = Spread;
    static const std::vector<Option<S>> all{
        field("target", "delay, speed, visibility, size, turn, variant or wobble strength", &S::target,
              [](const std::string& t) { return of(target_words, t, "what a spread can vary"); }),
        field("driver",
              "chance, \"order, per step\", \"order, in total\", \"order, on a loop\", \"even, by order\", \"even, "
              "over space\", noise, gradient, distance, attribute, zone or sound",
              &S::by, &DriverRule::kind, [](const std::string& t) { return of(driver_words, t, "a driver"); }),
        field("from", "The value at the driver's 0", &S::from, real),
        field("to", "The value at the driver's 1; by step: so much more for each copy", &S::to, real),
        field("whole-frames", "Delays: on or off", &S::whole_frames, on_off),
        field("seed", "Each seed gives other values", &S::by, &DriverRule::seed, seed_of),
        field("on", "Whether it counts, on or off", &S::on, on_off),
        {"strength", "Its weight: 0 to 1, or keys over output frames \"1:1 96:0\"",
         [](S& s, const Project&, const std::string& t) -> Result<void> {
             if (const auto v = parse_number(t)) {
                 s.strength.share = *v;
                 s.strength.keys.clear();
                 return {};
             }
             GARLAND_TRY(keys, curve_of(t));
             s.strength.keys = keys;
             return {};
         }},
        {"meets", "Speed: the output frame at which copies agree, or none",
         [](S& s, const Project&, const std::string& t) -> Result<void> {
             s.meets.reset();
             if (t == "none") return {};
             GARLAND_TRY(v, real(t));
             s.meets = OutputFrame(v);
             return {};
         }},
        field("response", "From the driver's 0 … 1 to the value's, \"0:0 smooth 1:1\"", &S::curve, curve_of),
        field("after-start", "Nothing before the timing's first frame, on or off", &S::after_start, on_off),
        field("bell", "Chance: most values in the middle, on or off", &S::by, &DriverRule::bell, on_off),
        field("patch", "Noise: how wide a patch is", &S::by, &DriverRule::noise, &NoisePattern::patch, real),
        field("octaves", "Noise: 1 to 8", &S::by, &DriverRule::noise, &NoisePattern::detail, count_of),
        field("drift", "Noise: how the pattern moves per second, x,y,z", &S::by, &DriverRule::noise,
              &NoisePattern::drift, place),
        field("axis", "Gradient: its direction, x,y,z", &S::by, &DriverRule::gradient, &GradientLine::axis, place),
        field("along-path", "Gradient: along the arrangement's path, on or off", &S::by, &DriverRule::gradient,
              &GradientLine::along_path, on_off),
        field("centre", "Distance: from x,y,z", &S::by, &DriverRule::distance, &DistanceFrom::centre, place),
        field("reach", "Distance: where it is 1; 0: at the farthest copy", &S::by, &DriverRule::distance,
              &DistanceFrom::reach, real),
        field("attribute", "Attribute: its name", &S::by, &DriverRule::carrier, &CarrierNumber::attribute,
              [](const std::string& t) { return Result<std::string>(t); }),
        field("as-it-is", "Attribute: its number is the value, on or off", &S::by, &DriverRule::carrier,
              &CarrierNumber::as_it_is, on_off),
        {"zones", "Zone: which ones, by name or id, as in Breeze,Glow; all: every zone that is on",
         [](S& s, const Project& p, const std::string& t) -> Result<void> {
             s.by.level.zones.clear();
             if (t == "all") return {};
             std::istringstream words(t);
             for (std::string one; std::getline(words, one, ',');) {
                 GARLAND_TRY(i, find_named(p.zones, one, "zone"));
                 s.by.level.zones.push_back(p.zones[i].id);
             }
             return {};
         }},
        {"sound", "Sound: which one, by name or id; copies hear its bands by their order",
         [](S& s, const Project& p, const std::string& t) -> Result<void> {
             GARLAND_TRY(i, find_named(p.sounds, t, "sound"));
             s.by.level.hearing.sound = p.sounds[i].id;
             return {};
         }},
        field("changes", "Visibility: how often per second it may change", &S::changes, real),
    };
    return all;
}

} // namespace garland
