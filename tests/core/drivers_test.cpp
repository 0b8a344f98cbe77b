// What the drivers of spreads give, against published facts and independent libraries.
#include "support/case.h"
#include "support/notation.h"

#include "core/base/noise.h"
#include "core/copies/copy_set.h"
#include "core/drivers/even_driver.h"
#include "core/drivers/noise_driver.h"

#include <algorithm>
#include <boost/math/distributions/chi_squared.hpp>
#include <numbers>
#include <numeric>
#include <set>

using namespace garland;
using namespace garland::testing;

class DriversTest : public QObject {
    Q_OBJECT
    static Spread make(Driver driver, double from, double to, bool whole = false) {
        Spread s;
        s.id = SpreadId(5);
        s.by.kind = driver;
        s.from = from, s.to = to;
        s.whole_frames = whole;
        return s;
    }
    static std::vector<Placement> grid(int columns, int rows, double spacing = 1) {
        Arrangement a;
        a.layout.kind = ArrangementKind::grid;
        a.layout.columns = columns, a.layout.rows = rows, a.layout.spacing = a.layout.row_spacing = spacing;
        return placements(a);
    }
    // The chi-square statistic of counts that should all be alike, as a probability (Boost.Math's distribution).
    static double chance_of(const std::vector<int>& counts) {
        const double expected = std::accumulate(counts.begin(), counts.end(), 0.0) / static_cast<double>(counts.size());
        double sum = 0;
        for (int n : counts) sum += (n - expected) * (n - expected) / expected;
        return boost::math::cdf(
            boost::math::complement(boost::math::chi_squared(static_cast<double>(counts.size()) - 1), sum));
    }
    template <class E, std::size_t N>
    static void distinct(const Word<E> (&words)[N], std::size_t values) {
        std::set<std::string> texts;
        std::set<int> named;
        for (const auto& w : words) {
            QVERIFY2(texts.insert(w.text).second, w.text);
            QVERIFY2(std::string_view(w.text).find('_') == std::string_view::npos ||
                         named.count(static_cast<int>(w.value)),
                     w.text); // the word that is written comes first, and reads as one says it
            named.insert(static_cast<int>(w.value));
        }
        QCOMPARE(named.size(), values); // 0 … values − 1, each with a word
        QCOMPARE(*named.rbegin(), static_cast<int>(values) - 1);
    }
  private slots:
    void every_driver_is_listed_once() {
        for (const auto& w : driver_words) {
            QCOMPARE(kind_of(w.value).kind, w.value);
            QCOMPARE(std::string(to_text(w.value)), std::string(w.text));
        }
    }

    // Shares stay within 0 … 1, and every copy has one. What goes by a copy alone, or by its place, gives some of the
    // copies what it gave them among all.
    void every_driver_gives_shares() {
        const auto places = grid(23, 17);
        for (const auto& w : driver_words) {
            DriverRule rule;
            rule.kind = w.value;
            rule.seed = 9;
            rule.carrier.attribute = "glow";
            const DrivenCopies copies{places, [&](const std::string&) {
                                          std::vector<double> glow;
                                          for (const Placement& p : places)
                                              glow.push_back(p.position.x * 3 - p.position.z);
                                          return glow;
                                      }};
            const DriverKind& kind = kind_of(w.value);
            const DriverValues given = kind.values(rule, 5, copies);
            QCOMPARE(given.values.size(), places.size());
            QVERIFY(given.note.empty());
            if (w.value == Driver::chance || w.value == Driver::noise) {
                const DrivenCopies some{std::span(places).subspan(100, 7)};
                const auto alone = kind.values(rule, 5, some).values;
                QVERIFY2(std::equal(alone.begin(), alone.end(), given.values.begin() + 100), w.text);
            }
            const auto [low, high] = std::minmax_element(given.values.begin(), given.values.end());
            QVERIFY2(*low >= 0, w.text);
            if (w.value == Driver::order_step) {
                QCOMPARE(*high, 390.0);
            } else {
                QVERIFY2(*high <= 1, w.text);
            }
            if (!kind.pattern) continue; // at the copies a pattern is what they are given
            const DriverPatternPtr pattern = kind.pattern(rule, 5, places);
            for (std::size_t i = 0; i < places.size(); ++i) {
                QVERIFY2(std::abs(pattern->at(places[i].position, 0) - given.values[i]) < 1e-12, w.text);
            }
        }
    }

    void every_word_names_one_value() {
        distinct(driver_words, 12);
        distinct(target_words, 7);
        distinct(kind_words, 8);
        distinct(facing_words, 6);
        distinct(order_words, 7);
        distinct(start_words, 4);
        distinct(wobble_end_words, 4);
        distinct(zone_shape_words, 6);
        distinct(zone_ride_words, 4);
        distinct(level_words, 3);
        distinct(zone_join_words, 3);
        distinct(deal_words, 4);
        distinct(play_words, 5);
        distinct(leaving_words, 5);
        distinct(wave_words, 3);
        distinct(toward_words, 5);
        distinct(outside_words, 5);
        distinct(form_words, 3);
        distinct(direction_words, 3);
    }

    void chance_is_uniform() {
        const Spread s = make(Driver::chance, 0, 1);
        std::vector<int> counts(64);
        for (int i = 0; i < 64000; ++i)
            ++counts[static_cast<std::size_t>(value_of(s, CopyId(static_cast<std::uint64_t>(i)), i, 64000) * 64)];
        const double p = chance_of(counts);
        QVERIFY2(p > 0.001 && p < 0.999, qPrintable(QString::number(p)));
    }
    void a_bell_is_the_mean_of_four() { // Irwin–Hall: mean 1/2, variance 1/(12·4); within ±1/4 lies 1 − 2·(4·0.25)⁴/4!
                                        // = 11/12
        Spread s = make(Driver::chance, 0, 1);
        s.by.bell = true;
        double sum = 0, squares = 0;
        int middle = 0;
        const int n = 40000;
        for (int i = 0; i < n; ++i) {
            const double v = value_of(s, CopyId(static_cast<std::uint64_t>(i)), i, n);
            sum += v, squares += v * v, middle += std::abs(v - 0.5) < 0.25;
        }
        QVERIFY(close(sum / n, 0.5, 0.005));
        QVERIFY(close(squares / n - sum / n * sum / n, 1.0 / 48, 0.001));
        QVERIFY(close(static_cast<double>(middle) / n, 11.0 / 12, 0.01));
    }
    void even_is_the_golden_ratio_sequence() {
        // {n/φ}: 0.6180339887, 0.2360679775, 0.8541019662, 0.4721359550 … (OEIS A094214 and its multiples, from memory)
        const Spread s = make(Driver::even, 0, 1);
        const double first[] = {0.6180339887, 0.2360679775, 0.8541019662, 0.4721359550};
        for (int n = 1; n <= 4; ++n) {
            const double v = value_of(s, CopyId(static_cast<std::uint64_t>(n)), n, 100) - 0.5;
            QVERIFY(close(v < 0 ? v + 1 : v, first[n - 1], 1e-9));
        }
        // Star discrepancy of {nα}, α of bounded partial quotients: N·D* ≤ 3 + (1/log α* + 1/log(α*+1))·log N with
        // quotients at most 1 (Niederreiter 1992, theorem 3.4): here at most 3 + 3.53·log N.
        for (int count : {10, 100, 1000, 5000}) {
            std::vector<double> v;
            for (int n = 0; n < count; ++n) v.push_back(value_of(s, CopyId(static_cast<std::uint64_t>(n)), n, count));
            std::sort(v.begin(), v.end());
            double worst = 0;
            for (int i = 0; i < count; ++i)
                worst = std::max({worst, (i + 1.0) / count - v[static_cast<std::size_t>(i)],
                                  v[static_cast<std::size_t>(i)] - static_cast<double>(i) / count});
            QVERIFY(worst * count <= 3 + 3.53 * std::log(count));
        }
        // At any count the gaps have at most three lengths (the three-gap theorem, Sós 1958).
        std::vector<double> v, gaps;
        for (int n = 0; n < 30; ++n) v.push_back(value_of(s, CopyId(0), n, 30));
        std::sort(v.begin(), v.end());
        for (std::size_t i = 0; i < v.size(); ++i) gaps.push_back(i ? v[i] - v[i - 1] : v[0] + 1 - v.back());
        std::sort(gaps.begin(), gaps.end());
        int lengths = 1;
        for (std::size_t i = 1; i < gaps.size(); ++i) lengths += gaps[i] - gaps[i - 1] > 1e-9;
        QVERIFY(lengths <= 3);
    }
    void orders_in_total_by_step_and_round_a_loop() {
        QCOMPARE(value_of(make(Driver::order_loop, 0, 60), CopyId(0), 5, 6), 50.0); // the seventh would be at 60
        QCOMPARE(value_of(make(Driver::order_total, 0, 60), CopyId(0), 5, 6), 60.0);
        QCOMPARE(value_of(make(Driver::order_step, 1, 3), CopyId(0), 5, 6), 16.0);
    }
    void nearest_copies_are_the_nearest() {
        auto places = grid(9, 7);
        for (Placement& p : places)
            p.position += V3d(chance_of_id(p.id, 1), chance_of_id(p.id, 2), chance_of_id(p.id, 3));
        const std::size_t k = 6;
        const auto near = nearest_copies(places, k);
        for (std::size_t i = 0; i < places.size(); ++i) { // against looking at all
            std::vector<std::uint32_t> all(places.size());
            std::iota(all.begin(), all.end(), 0u);
            all.erase(all.begin() + static_cast<std::ptrdiff_t>(i));
            auto away = [&](std::uint32_t j) { return (places[j].position - places[i].position).length2(); };
            std::sort(all.begin(), all.end(), [&](auto a, auto b) { return away(a) < away(b); });
            for (std::size_t j = 0; j < k; ++j) QCOMPARE(away(near[i * k + j]), away(all[j]));
        }
        QCOMPARE(nearest_copies(std::vector<Placement>(1), 3), (std::vector<std::uint32_t>{0, 0, 0}));
    }
    void even_over_space_parts_neighbours() {
        const auto places = grid(40, 40);
        const auto best = best_candidates(1, 5, places);
        const auto near = nearest_copies(places, 4);
        double least_best = 0, least_chance = 0; // how near the nearest value of a neighbour is, on average
        for (std::size_t i = 0; i < places.size(); ++i) {
            double a = 1, b = 1;
            for (std::size_t j = 0; j < 4; ++j) {
                auto circular = [](double d) { return std::min(std::abs(d), 1 - std::abs(d)); };
                a = std::min(a, circular(best[i] - best[near[i * 4 + j]]));
                b = std::min(b, circular(chance_of_id(places[i].id, 9) - chance_of_id(places[near[i * 4 + j]].id, 9)));
            }
            least_best += a / static_cast<double>(places.size()),
                least_chance += b / static_cast<double>(places.size());
        }
        QVERIFY(least_chance < 0.12); // four uniform values: about 1/10
        QVERIFY2(least_best > 1.5 * least_chance, qPrintable(QString("%1 %2").arg(least_best).arg(least_chance)));
        std::vector<int> counts(16);
        for (double v : best) ++counts[static_cast<std::size_t>(v * 16)];
        QVERIFY(*std::max_element(counts.begin(), counts.end()) < 2 * 1600 / 16);
    }
    void noise_is_smooth_and_keeps_its_slope() {
        const NoiseRule rule{7, 3, 3};
        for (double x : {-3.7, 0.2, 11.0, 250.9}) {
            const NoiseSample n = noise_at(rule, x, 2 * x + 0.3, -x);
            QVERIFY(n.value >= 0 && n.value <= 1);
            const double h = 1e-6;
            const double by_x =
                (noise_at(rule, x + h, 2 * x + 0.3, -x).value - noise_at(rule, x - h, 2 * x + 0.3, -x).value) / (2 * h);
            const double by_y =
                (noise_at(rule, x, 2 * x + 0.3 + h, -x).value - noise_at(rule, x, 2 * x + 0.3 - h, -x).value) / (2 * h);
            const double by_z =
                (noise_at(rule, x, 2 * x + 0.3, -x + h).value - noise_at(rule, x, 2 * x + 0.3, -x - h).value) / (2 * h);
            QVERIFY(close(n.slope[0], by_x, 1e-5) && close(n.slope[1], by_y, 1e-5) && close(n.slope[2], by_z, 1e-5));
        }
        double sum = 0, low = 1, high = 0;
        for (int i = 0; i < 20000; ++i) {
            const double v = noise_at({1, 1, 1}, i * 0.37, i * 0.11, i * 0.053).value;
            sum += v, low = std::min(low, v), high = std::max(high, v);
        }
        QVERIFY(close(sum / 20000, 0.5, 0.03));
        QVERIFY(low < 0.1 && high > 0.9);
        QVERIFY(noise_at({1, 1, 1}, 0.5, 0.5, 0.5).value != noise_at({2, 1, 1}, 0.5, 0.5, 0.5).value);
        QVERIFY(std::isfinite(noise_at(rule, 1e300, -1e300, std::nan("")).value));
    }
    void drift_moves_the_pattern() {
        DriverRule by;
        by.kind = Driver::noise;
        by.noise.drift = V3d(0.5, 0, 0);
        const double at = noise_of(by, 5, V3d(1, 2, 3), 4).value;
        QCOMPARE(at, noise_of(by, 5, V3d(-1, 2, 3), 0).value); // two units on, four seconds later
        const double h = 1e-5, before = noise_of(by, 5, V3d(1, 2, 3), 4 - h).value,
                     after = noise_of(by, 5, V3d(1, 2, 3), 4 + h).value;
        QVERIFY(close(noise_of(by, 5, V3d(1, 2, 3), 4).rate, (after - before) / (2 * h), 1e-6));
    }
    void gradients_run_from_0_to_1_however_many() {
        for (int n : {2, 7, 500}) {
            Arrangement a;
            a.layout.count = n;
            a.layout.spacing = 0.3, a.layout.heading = 90, a.layout.origin = V3d(5, 0, 5);
            const auto places = placements(a);
            Spread s = make(Driver::gradient, 10, 20);
            s.by.gradient.axis = V3d(0, 0, -3);
            const auto v = spread_values(s, {places}).values;
            QVERIFY(close(*std::min_element(v.begin(), v.end()), 10, 1e-12) &&
                    close(*std::max_element(v.begin(), v.end()), 20, 1e-12));
            s.by.gradient.along_path = true;
            const auto along = spread_values(s, {places}).values;
            QCOMPARE(along.front(), 10.0);
            QCOMPARE(along.back(), 20.0);
        }
        const auto one = grid(1, 1);
        QCOMPARE(spread_values(make(Driver::gradient, 3, 9), {one}).values, std::vector<double>{3});
    }
    void distance_through_a_curve() {
        Spread s = make(Driver::distance, 0, 10);
        s.curve = *parse_keys("0:1 1:0", "a curve");
        s.by.distance.reach = 4;
        std::vector<Placement> places(3);
        places[1].position = V3d(0, 0, 1), places[2].position = V3d(100, 0, 0);
        QCOMPARE(spread_values(s, {places}).values, (std::vector<double>{10, 7.5, 0}));
    }
    void an_attribute_may_be_missing_somewhere() {
        Carriers carriers;
        carriers.points.resize(3);
        carriers.attributes.push_back({"mass", {2, NAN, 6}});
        const std::vector<std::uint32_t> which{0, 1, 2};
        const std::vector<Placement> places(3);
        Spread s = make(Driver::attribute, 100, 200);
        s.by.carrier.attribute = "mass";
        const SpreadValues v = spread_values(s, {places, &carriers, which});
        QCOMPARE(v.values, (std::vector<double>{100, 100, 200}));
        QCOMPARE(v.note, std::string("1 of 3 copies has no \"mass\" and takes the first value"));
        s.by.carrier.as_it_is = true;
        QCOMPARE(spread_values(s, {places, &carriers, which}).values, (std::vector<double>{2, 100, 6}));
        s.by.carrier.attribute = "weight";
        QVERIFY(spread_values(s, {places, &carriers, which}).note.find("no attribute \"weight\"") != std::string::npos);
    }
    void patterns_show_what_copies_get() {
        const auto places = grid(6, 6);
        for (Driver d : {Driver::noise, Driver::gradient, Driver::distance}) {
            Spread s = make(d, 0, 24);
            s.by.distance.centre = V3d(1, 0, 1);
            const auto v = spread_values(s, {places}).values;
            const SpacePattern pattern(s, places);
            QVERIFY(pattern.there());
            for (std::size_t i = 0; i < places.size(); ++i)
                QVERIFY(close(pattern.at(places[i].position, 0), v[i], 1e-9));
        }
        QVERIFY(!SpacePattern(make(Driver::chance, 0, 1), places).there());
    }
    void bad_spreads_are_refused_in_words() {
        auto refused = [](auto change, const char* words) {
            Spread s = make(Driver::noise, 0, 10);
            change(s);
            const auto out = validate(s);
            return !out && out.error().message.find(words) != std::string::npos;
        };
        QVERIFY(refused([](Spread& s) { s.target = Target::variant, s.by.noise.drift = V3d(1, 0, 0); },
                        "drifts cannot drive the variant"));
        QVERIFY(refused([](Spread& s) { s.by.noise.patch = 0; }, "wider than nothing"));
        QVERIFY(
            refused([](Spread& s) { s.by.kind = Driver::gradient, s.by.gradient.axis = V3d(0); }, "needs a direction"));
        QVERIFY(refused([](Spread& s) { s.by.kind = Driver::attribute; }, "attribute's name"));
        QVERIFY(refused([](Spread& s) { s.target = Target::visibility, s.to = 130; }, "0 to 100 %"));
        QVERIFY(refused([](Spread& s) { s.strength.share = 2; }, "0 to 100 %"));
        QVERIFY(
            refused([](Spread& s) { s.by.distance.centre.y = NAN; }, "distances are taken from in y is not a number"));
        QVERIFY(refused([](Spread& s) { s.strength.keys = {{0, 0}, {0, 1}}; }, "key 2 of an amount"));
        QVERIFY(refused(
            [](Spread& s) {
                s.target = Target::variant, s.strength.keys = {{0, 0}, {9, 1}};
            },
            "cannot change"));
    }

  private:
    static double chance_of_id(CopyId id, std::uint64_t rule) {
        Spread s = make(Driver::chance, 0, 1);
        s.by.seed = rule;
        return value_of(s, id, 0, 1);
    }
};
GARLAND_TEST_CASE(DriversTest)
#include "drivers_test.moc"
