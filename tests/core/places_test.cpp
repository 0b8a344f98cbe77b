// Where copies stand: every kind of arrangement, its order, and what stays when something else changes.
#include "support/case.h"
#include "support/notation.h"

#include "core/copies/copy_set.h"
#include "core/geometry/path.h"

#include <boost/math/distributions/chi_squared.hpp>
#include <gsl/gsl_integration.h>
#include <map>
#include <set>

using namespace garland;
using namespace garland::testing;

class PlacesTest : public QObject {
    Q_OBJECT
    static Arrangement of(ArrangementKind kind, int count = 1) {
        Arrangement a;
        a.layout.kind = kind;
        a.layout.count = count;
        return a;
    }
    static std::shared_ptr<Pose> two_squares() { // one of area 1 at x 0 … 1, one of area 4 at x 10 … 12, on the ground
        auto pose = std::make_shared<Pose>();
        pose->points = {V3f(0, 0, 0),  V3f(1, 0, 0),  V3f(1, 0, 1),  V3f(0, 0, 1),
                        V3f(10, 0, 0), V3f(12, 0, 0), V3f(12, 0, 2), V3f(10, 0, 2)};
        auto faces = std::make_shared<Faces>();
        faces->starts = {0, 4, 8};
        faces->corners = {0, 3, 2, 1, 4, 7, 6, 5};
        pose->faces = faces;
        return pose;
    }
  private slots:
    void a_box_counts_in_layers() {
        Arrangement a = of(ArrangementKind::box);
        a.layout.columns = 3, a.layout.rows = 2, a.layout.layers = 4;
        a.layout.layer_spacing = 0.5;
        const auto p = placements(a);
        QCOMPARE(p.size(), std::size_t(24));
        QCOMPARE(p[6].position.y, 0.5);
        QCOMPARE(p[23].position, V3d(1, 1.5, 0.5));
        a.layout.columns = 5; // those that were there keep their ids
        std::set<std::uint64_t> ids;
        for (const Placement& q : placements(a)) ids.insert(q.id.value);
        for (const Placement& q : p) QVERIFY(ids.count(q.id.value));
        QCOMPARE(ids.size(), std::size_t(40));
    }
    void rings_have_as_many_a_metre() {
        Arrangement a = of(ArrangementKind::rings, 6);
        a.layout.rows = 3, a.layout.radius = 1, a.layout.row_spacing = 1;
        const auto p = placements(a);
        QCOMPARE(copies_in(a), std::int64_t(6 + 12 + 18));
        QCOMPARE(p.size(), std::size_t(36));
        QVERIFY(close(p[6].position.length(), 2, 1e-12));
        QVERIFY(close((p[7].position - p[6].position).length(), (p[1].position - p[0].position).length(), 0.05));
    }
    void a_straight_curve_is_a_line() {
        Arrangement a = of(ArrangementKind::curve, 5);
        a.layout.path.points = {V3d(0, 1, 0), V3d(4, 1, 0)};
        a.attitude.facing = Facing::along;
        a.layout.path.side = 2;
        const auto p = placements(a);
        for (int i = 0; i < 5; ++i)
            QVERIFY((p[static_cast<std::size_t>(i)].position - V3d(i, 1, 2)).length() <
                    1e-12); // going along +x, +z is to the right
        QVERIFY(close(p[0].turn, 90, 1e-12));
        a.layout.path.closed = true;
        a.layout.path.points = {V3d(0), V3d(1, 0, 0), V3d(1, 0, 1), V3d(0, 0, 1)};
        a.layout.path.smooth = false, a.layout.path.side = 0, a.layout.count = 8;
        const auto round = placements(a);
        QVERIFY((round[7].position - V3d(0, 0, 0.5)).length() <
                1e-12); // the last one is as far from the first as the others
    }
    // Lengths between copies on a smooth curve, by GSL's quadrature over the same spline written out again.
    void copies_on_a_curve_are_even_by_length() {
        const std::vector<V3d> points{V3d(0, 0, 0), V3d(1, 0.5, 2), V3d(4, 0, 2.5), V3d(5, 0, -1), V3d(9, 2, 0)};
        const Path path(points, false, true);
        struct Stretch {
            V3d c1, c2, c3;
        };
        double whole = 0;
        gsl_integration_workspace* w = gsl_integration_workspace_alloc(200);
        for (std::size_t i = 0; i + 1 < points.size(); ++i) {
            const V3d p0 = points[i == 0 ? 0 : i - 1], p1 = points[i], p2 = points[i + 1],
                      p3 = points[std::min(i + 2, points.size() - 1)];
            Stretch s{(p2 - p0) / 2, p0 - 2.5 * p1 + 2.0 * p2 - 0.5 * p3, (p3 - p0) / 2 + 1.5 * (p1 - p2)};
            gsl_function f{[](double x, void* stretch) {
                               const auto& k = *static_cast<const Stretch*>(stretch);
                               return (k.c1 + 2.0 * x * k.c2 + 3 * x * x * k.c3).length();
                           },
                           &s};
            double length = 0, error = 0;
            gsl_integration_qag(&f, 0, 1, 1e-12, 1e-12, 200, GSL_INTEG_GAUSS61, w, &length, &error);
            whole += length;
        }
        gsl_integration_workspace_free(w);
        QVERIFY2(close(path.length(), whole, 1e-6), qPrintable(QString("%1 %2").arg(path.length()).arg(whole)));
        const int n = 400; // neighbouring copies are as far apart along the curve; a chord is a little shorter
        double least = 1e9, most = 0;
        for (int i = 0; i < n; ++i) {
            const double d = (path.at((i + 1.0) / n).place - path.at(static_cast<double>(i) / n).place).length();
            least = std::min(least, d), most = std::max(most, d);
        }
        QVERIFY(most <= whole / n * (1 + 1e-9) && least > whole / n * 0.999);
        QVERIFY((path.at(1).place - points.back()).length() < 1e-9 &&
                (path.at(0).place - points.front()).length() < 1e-12);
    }
    void darts_fall_by_area() {
        Arrangement a = of(ArrangementKind::scatter, 20000);
        const auto out = on_surface(a, *two_squares());
        QVERIFY(out);
        int small = 0;
        std::vector<int> cells(16);
        for (const Placement& p : out->places) {
            small += p.position.x < 2;
            if (p.position.x < 2)
                ++cells[static_cast<std::size_t>(p.position.x * 4) * 4 + static_cast<std::size_t>(p.position.z * 4)];
        }
        QVERIFY(close(small / 20000.0, 0.2,
                      4 * std::sqrt(0.2 * 0.8 / 20000))); // a fifth of the area, within four deviations
        double sum = 0;
        for (int n : cells) sum += (n - small / 16.0) * (n - small / 16.0) / (small / 16.0);
        const double p = boost::math::cdf(boost::math::complement(boost::math::chi_squared(15), sum));
        QVERIFY(p > 0.001);
    }
    void darts_keep_their_distance_and_their_places() {
        Arrangement a = of(ArrangementKind::scatter, 60);
        a.layout.carried.least_apart = 0.2;
        const auto out = on_surface(a, *two_squares());
        for (std::size_t i = 0; i < out->places.size(); ++i) {
            for (std::size_t j = 0; j < i; ++j)
                QVERIFY((out->places[i].position - out->places[j].position).length() >= 0.2);
        }
        a.layout.count = 90; // more copies: the others stay, each with its id
        const auto more = on_surface(a, *two_squares());
        for (std::size_t i = 0; i < out->places.size(); ++i) {
            QCOMPARE(more->places[i].id, out->places[i].id);
            QCOMPARE(more->places[i].position, out->places[i].position);
        }
        a.layout.count = 5000;
        const auto full = on_surface(a, *two_squares());
        QVERIFY(full->places.size() < 300);
        const CopySet set = make_copies(a, {nullptr, two_squares()});
        QVERIFY(set.note.find("of 5000 copies fit so far apart") != std::string::npos);
    }
    void surfaces_without_area_are_refused() {
        Pose flat = *two_squares();
        for (V3f& p : flat.points) p.x = 0;
        const auto out = on_surface(of(ArrangementKind::scatter, 3), flat);
        QVERIFY(!out && out.error().message.find("no area") != std::string::npos);
        flat.faces = std::make_shared<Faces>();
        QVERIFY(on_surface(of(ArrangementKind::scatter, 3), flat).error().message.find("no faces") !=
                std::string::npos);
    }
    void order_turns_numbers_not_ids() {
        Arrangement a = of(ArrangementKind::line, 5);
        a.layout.heading = 30;
        a.order.by = OrderBy::x;
        a.order.reversed = true;
        const CopySet set = make_copies(a, {});
        for (std::size_t i = 1; i < 5; ++i) QVERIFY(set.places[i].position.x < set.places[i - 1].position.x);
        QCOMPARE(set.places[0].id, CopyId(4));
        a.order = {OrderBy::random, false, {}, 3, {}};
        const CopySet mixed = make_copies(a, {});
        a.layout.count = 6; // at random by id: one more copy does not shuffle the others among themselves
        const CopySet more = make_copies(a, {});
        std::vector<std::uint64_t> before, after;
        for (const Placement& p : mixed.places) before.push_back(p.id.value);
        for (const Placement& p : more.places) {
            if (p.id.value != 5) after.push_back(p.id.value);
        }
        QCOMPARE(before, after);
        a.order.by = OrderBy::distance;
        a.order.from = V3d(100, 0, 0);
        const CopySet far = make_copies(a, {});
        for (std::size_t i = 1; i < far.places.size(); ++i)
            QVERIFY((far.places[i].position - V3d(100, 0, 0)).length() >=
                    (far.places[i - 1].position - V3d(100, 0, 0)).length());
    }
    void jitter_and_stretch() {
        Arrangement a = of(ArrangementKind::line, 50);
        a.jitter = {V3d(0.2, 0, 0.1), 30, 0.25, 9};
        a.stretch.width = *parse_keys("0:1 1:3", "the width");
        const CopySet set = make_copies(a, {});
        const auto plain = placements(a);
        double most = 0;
        for (std::size_t i = 0; i < 50; ++i) {
            const V3d d = set.places[i].position - plain[i].position;
            QVERIFY(std::abs(d.x) <= 0.2 && d.y == 0 && std::abs(d.z) <= 0.1 && std::abs(set.places[i].turn) <= 30);
            QVERIFY(set.places[i].size >= 0.75 && set.places[i].size <= 1.25);
            most = std::max(most, std::abs(d.x));
            QVERIFY(close(static_cast<double>(set.places[i].stretch.x), 1 + 2.0 * static_cast<double>(i) / 49, 1e-6));
            QCOMPARE(set.places[i].stretch.y, 1.0f);
            QCOMPARE(set.places[i].stretch.z, 1.0f); // the length is kept
        }
        QVERIFY(most > 0.15);
        a.layout.count = 20;
        const CopySet fewer = make_copies(a, {});
        for (std::size_t i = 0; i < 20; ++i)
            QCOMPARE(jitter_of(a.jitter, fewer.places[i].id), jitter_of(a.jitter, set.places[i].id));
        QVERIFY(close(static_cast<double>(fewer.places[19].stretch.x), 3, 1e-6)); // 0 … 1 however many copies
    }
    void variants_by_weight_and_in_turn() {
        Arrangement a = of(ArrangementKind::line, 3000);
        a.source = SourceId(1);
        a.choice.own_weight = 1;
        a.choice.variants = {{SourceId(2), 2}, {SourceId(3), 0}};
        const auto by_weight = variants_of(make_copies(a, {}));
        std::map<std::uint32_t, int> seen;
        for (std::uint32_t v : by_weight) ++seen[v];
        QVERIFY(std::abs(seen[0] - 1000) < 110 && !seen.count(2));
        a.layout.count = 100; // what a copy shows goes by its id
        const auto fewer = variants_of(make_copies(a, {}));
        for (std::size_t i = 0; i < 100; ++i) QCOMPARE(fewer[i], by_weight[i]);
        a.choice.in_turn = true;
        QCOMPARE(variants_of(make_copies(a, {}))[4], 1u);
        a.choice.in_turn = false;
        Spread s;
        s.id = SpreadId(1), s.target = Target::variant, s.by.kind = Driver::order_total, s.from = 0, s.to = 100;
        a.spreads = {s};
        const auto by_order = variants_of(make_copies(a, {}));
        QCOMPARE(by_order.front(), 0u);
        QCOMPARE(by_order.back(), 1u); // the last source that has weight
        QVERIFY(std::is_sorted(by_order.begin(), by_order.end()));
    }
    void too_many_copies_say_the_limit_and_the_memory() {
        Arrangement a = of(ArrangementKind::line, 10'000'000);
        const auto out = validate(a);
        QVERIFY(!out);
        QVERIFY(out.error().message.find(
                    "10\u00a0000\u00a0000 copies are more than one arrangement may have (100\u00a0000)") !=
                std::string::npos);
        QVERIFY(out.error().message.find("4 GB") != std::string::npos);
        a.layout.count = 0;
        QVERIFY(!validate(a));
        a = of(ArrangementKind::curve, 3);
        QVERIFY(validate(a).error().message.find("no length") != std::string::npos);
        a.layout.path.points = {V3d(1, 0, 0), V3d(1, 0, 0)};
        QVERIFY(validate(a).error().message.find("no length") != std::string::npos);
        a.layout.path.points = {V3d(1, 0, 0), V3d(NAN, 0, 0)};
        QVERIFY(validate(a).error().message.find("point 2 of the curve") != std::string::npos);
        a = of(ArrangementKind::scatter, 3);
        QVERIFY(!validate(a));
    }
    void only_what_changed_is_made_again() {
        Arrangement a = of(ArrangementKind::line, 1000);
        Spread s;
        s.id = SpreadId(1);
        a.spreads = {s, s};
        a.spreads[1].id = SpreadId(2);
        const CopySet first = make_copies(a, {});
        a.spreads[1].to = 99;
        a.name = "other";
        const CopySet second = make_copies(a, {}, &first);
        QVERIFY(second.places.same_as(first.places));
        QVERIFY(second.given[0].values.same_as(first.given[0].values));
        QVERIFY(!second.given[1].values.same_as(first.given[1].values));
        a.layout.spacing = 2;
        QVERIFY(!make_copies(a, {}, &second).places.same_as(second.places));
    }
};
GARLAND_TEST_CASE(PlacesTest)
#include "places_test.moc"
