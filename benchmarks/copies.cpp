// Many copies: what their spreads give, their times while amounts change, twins, memory. Beside it the limit, measured
// in the same run.
#include "timing.h"

#include "core/base/memory.h"
#include "core/project/varying.h"

#include <fmt/format.h>
#include <fstream>
#include <random>
#include <string>

using namespace garland;

namespace {

void line(const std::string& what, double seconds, double limit, const std::string& of, const std::string& goal) {
    fmt::print("{:<58} {:>9.2f} ms   {:>7.1f} × {} ({:.2f} ms)   {}\n", what, seconds * 1e3, seconds / limit, of,
               limit * 1e3, goal);
}

double resident() { // bytes
    std::ifstream in("/proc/self/statm");
    long long all = 0, own = 0;
    in >> all >> own;
    return static_cast<double>(own) * 4096;
}

Spread make(Project& p, Target target, Driver driver, double from, double to) {
    Spread s;
    s.id = SpreadId(p.next_id++);
    s.target = target, s.by.kind = driver, s.from = from, s.to = to;
    return s;
}

Project field(int side) {
    Project p;
    add_source(p, "lantern", "lantern.ply", {0, 95, {24, 1}});
    Arrangement& a = p.arrangements[0];
    a.layout.kind = ArrangementKind::grid;
    a.layout.columns = a.layout.rows = side;
    TimeMap map;
    for (int k = 0; k < 30; ++k)
        map.keys.push_back(
            {OutputFrame(1 + 8.0 * k), SourceFrame(k * 37 % 90), k % 3 == 2 ? Toward::smooth : Toward::linear});
    p.timings[0].map = map;
    p.timings[0].before.mode = p.timings[0].after.mode = OutsideMode::repeat;
    return p;
}

} // namespace

int main() {
    garland::keep_freed_memory();
    PoseCache cache(1 << 20);
    Project p = field(316); // 99 856 copies
    const auto n = static_cast<double>(copies_in(p.arrangements[0]));
    std::vector<double> numbers(static_cast<std::size_t>(n), 1.5), out(numbers.size());
    const double touch = best_of_five([&](int i) {
        for (std::size_t k = 0; k < numbers.size(); ++k) out[k] = numbers[k] * (i + 2);
        asm volatile("" : : "g"(out.data()) : "memory");
    });
    Arrangement& a = p.arrangements[0];
    const struct {
        const char* name;
        Driver driver;
    } drivers[] = {
        {"chance", Driver::chance},         {"even, by order", Driver::even}, {"even, over space", Driver::even_space},
        {"noise, detail 3", Driver::noise}, {"gradient", Driver::gradient},   {"distance", Driver::distance}};
    for (const auto& d : drivers) {
        Spread s = make(p, Target::delay, d.driver, 0, 48);
        s.by.noise.detail = 3;
        const std::vector<Placement> places = placements(a);
        line(fmt::format("values of 100 000 copies by {}", d.name),
             best_of_five([&](int) { (void)spread_values(s, {places}); }), touch, "one multiplication a copy",
             "made once, kept until a rule changes");
    }
    a.spreads = {make(p, Target::delay, Driver::noise, 0, 48), make(p, Target::delay, Driver::chance, 0, 12),
                 make(p, Target::speed, Driver::chance, -5, 5), make(p, Target::size, Driver::gradient, -10, 10)};
    ShowPtr show = make_show(p, {}, cache);
    line("a show of 100 000 copies after one number changed", best_of_five([&](int i) {
             a.spreads[1].to = 12 + i;
             show = make_show(p, {}, cache, show.get());
         }),
         touch, "one multiplication a copy", "");
    line("times at one frame, four spreads, two cores",
         best_of_five([&](int i) { (void)moments_at(show->arrangements[0], OutputFrame(50 + i)); }), touch,
         "one multiplication a copy", "goal ≤ 1.2 ms on one core");
    a.spreads[0].strength.keys = *parse_keys("1:1 smooth 96:0 140:1", "");
    show = make_show(p, {}, cache, show.get());
    line("the same with a keyed amount",
         best_of_five([&](int i) { (void)moments_at(show->arrangements[0], OutputFrame(50 + i)); }), touch,
         "one multiplication a copy", "");
    a.spreads[0].strength.keys.clear();
    show = make_show(p, {}, cache, show.get());

    TwinRule rule;
    rule.most_samples = 48;
    const ArrangementShow& all = show->arrangements[0];
    std::size_t twins = 0;
    const double search = best_of_five([&](int) {
        const auto found = have_twins(all.plan, all.clock, all.clocks, {1, 240}, rule);
        twins = static_cast<std::size_t>(std::count(found->begin(), found->end(), std::uint8_t(1)));
    });
    line(fmt::format("which of 100 000 copies have a twin, 48 frames ({})", twins), search, touch,
         "one multiplication a copy", "goal < 500 ms");
    Project few = field(100);
    few.arrangements[0].spreads = a.spreads;
    const ShowPtr ten = make_show(few, {}, cache);
    line("the same among 10 000 copies", best_of_five([&](int) {
             (void)have_twins(ten->arrangements[0].plan, ten->arrangements[0].clock, ten->arrangements[0].clocks,
                              {1, 240}, rule);
         }),
         touch, "one multiplication a copy", "");

    show.reset();
    std::vector<ShowPtr> kept;
    const double before = resident();
    for (int i = 0; i < 5; ++i) kept.push_back(make_show(p, {}, cache));
    fmt::print("{:<58} {:>9.0f} bytes   goal < 400\n", "memory of a copy, four spreads", (resident() - before) / 5 / n);
    return 0;
}
