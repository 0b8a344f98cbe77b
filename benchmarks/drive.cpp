// Zones and sound: how long they take to be solved, and what a frame costs then. Beside it the limit, measured in the
// same run.
#include "timing.h"

#include "core/base/memory.h"
#include "core/project/show.h"

#include <cmath>
#include <fmt/format.h>

using namespace garland;

namespace {

void line(const std::string& what, double seconds, double limit, const std::string& of, const std::string& goal) {
    fmt::print("{:<58} {:>9.2f} ms   {:>7.1f} × {} ({:.2f} ms)   {}\n", what, seconds * 1e3, seconds / limit, of,
               limit * 1e3, goal);
}

// A field of copies over which a ball flies for 240 frames.
Project field(int side, PlayBy by) {
    Project p;
    add_source(p, "lantern", "lantern.ply", {0, 95, {24, 1}});
    Arrangement& a = p.arrangements[0];
    a.layout.kind = ArrangementKind::grid;
    a.layout.columns = a.layout.rows = side;
    Zone z;
    z.id = ZoneId(p.next_id++);
    z.name = "glow";
    const double half = side / 2.0;
    z.size = V3d(half);
    z.outer = half / 4;
    z.keys = {{OutputFrame(1), V3d(-half, 0, -half * 0.3), V3d(0), 1, Toward::linear},
              {OutputFrame(120), V3d(0, 0, half * 0.4), V3d(0), 1, Toward::smooth},
              {OutputFrame(240), V3d(half, 0, 0), V3d(0), 1, Toward::linear}};
    p.zones = {z};
    a.play.by = by;
    a.play.speed = 0.2;
    return p;
}

} // namespace

int main() {
    keep_freed_memory();
    PoseCache cache(1 << 20);
    for (const int side : {100, 316}) {
        const double n = static_cast<double>(side) * side;
        Project plain = field(side, PlayBy::clock);
        // The least there is to do: the distance of every copy at every frame.
        const ZonePlan zone(plain.zones[0]);
        const ShowPtr without = make_show(plain, {}, cache);
        const auto& places = without->arrangements[0].places;
        double sum = 0;
        const double limit = best_of_five([&](int i) {
                                 for (std::size_t k = 0; k < places.size(); k += 8) {
                                     for (int f = 1; f <= 240; ++f)
                                         sum += zone.distance(f + i, {places[k].position, V3d(0)}).value;
                                 }
                             }) *
                             8;
        if (sum == 1) fmt::print("!");
        const std::string copies = fmt::format("{} copies", side == 100 ? "10 000" : "100 000");
        for (const PlayBy by : {PlayBy::level, PlayBy::starts, PlayBy::speed, PlayBy::furthest}) {
            const Project p = field(side, by);
            ShowPtr show;
            line(fmt::format("solving {}, a moving ball, {}", copies, to_text(by)),
                 best_of_five([&](int) { show = make_show(p, {}, cache); }), limit, "distances at 240 frames, one core",
                 side == 100 ? "goal ≤ 500 ms" : "goal ≤ 5000 ms");
            const double moments =
                best_of_five([&](int i) { (void)moments_at(show->arrangements[0], OutputFrame(60 + i)); });
            const double alone =
                best_of_five([&](int i) { (void)moments_at(without->arrangements[0], OutputFrame(60 + i)); });
            line("their moments at one frame", moments, alone, "without zones", "goal ≤ 2 ×");
            fmt::print("{:<58} {:>9.0f} bytes   goal ≤ 200\n", "memory of a copy for it",
                       static_cast<double>(show->arrangements[0].clocks.playing()->bytes()) / n);
        }
    }
    SoundSamples tune;
    for (int k = 0; k < 48000 * 300; ++k)
        tune.values.push_back(static_cast<float>(0.4 * std::sin(k * 0.05) + 0.2 * std::sin(k * 0.61)));
    double touched = 0;
    const double reading = best_of_five([&](int) {
        for (float v : tune.values) touched += static_cast<double>(v);
        asm volatile("" : : "g"(&touched) : "memory");
    });
    line("a tune of five minutes, 8 bands, analysed", best_of_five([&](int) {
             (void)SoundLevels::make(tune, SoundSpec{}, Rate{24, 1});
         }),
         reading, "its samples added up", "goal ≤ 2000 ms");
    return 0;
}
