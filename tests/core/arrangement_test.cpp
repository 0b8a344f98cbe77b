#include "support/case.h"
#include "support/notation.h"

#include "core/copies/copy_set.h"
#include "core/copies/places.h"

#include <limits>
#include <set>

using namespace garland;
using namespace garland::testing;

class ArrangementTest : public QObject {
    Q_OBJECT
    static Arrangement make(ArrangementKind kind, int n) {
        Arrangement a;
        a.layout.kind = kind;
        a.layout.count = n;
        return a;
    }
  private slots:
    void line_is_centred_and_even() {
        Arrangement a = make(ArrangementKind::line, 5);
        a.layout.spacing = 2;
        a.layout.origin = {10, 1, 0};
        const auto p = placements(a);
        for (int i = 0; i < 5; ++i) QVERIFY(close(p[i].position.x, 10 + 2.0 * (i - 2), 1e-12));
        QCOMPARE(p[0].position.y, 1.0);
    }
    void ring_has_its_radius_and_faces_outward() {
        Arrangement a = make(ArrangementKind::ring, 7);
        a.layout.radius = 3;
        a.attitude.facing = Facing::outward;
        for (const Placement& p : placements(a)) {
            QVERIFY(close(std::hypot(p.position.x, p.position.z), 3, 1e-12));
            const double angle = p.turn * M_PI / 180; // a copy's own +z turned by its turn points away from the middle
            QVERIFY(close(std::sin(angle), p.position.x / 3, 1e-12));
            QVERIFY(close(std::cos(angle), p.position.z / 3, 1e-12));
        }
    }
    void heading_turns_the_whole() {
        Arrangement a = make(ArrangementKind::line, 2);
        a.layout.spacing = 4;
        a.layout.heading = 90;
        const auto p = placements(a);
        QVERIFY(close(p[0].position.x, 0, 1e-12) && close(p[0].position.z, 2, 1e-12));
        QCOMPARE(p[0].turn, 90.0);
    }
    void ids_do_not_depend_on_counts() {
        Arrangement a = make(ArrangementKind::grid, 0);
        a.layout.columns = 4, a.layout.rows = 3;
        const auto small = placements(a);
        a.layout.columns = 6, a.layout.rows = 5;
        const auto large = placements(a);
        for (int r = 0; r < 3; ++r) {
            for (int c = 0; c < 4; ++c) QCOMPARE(small[r * 4 + c].id.value, large[r * 6 + c].id.value);
        }
        std::set<std::uint64_t> ids;
        for (const auto& p : large) ids.insert(p.id.value);
        QCOMPARE(ids.size(), std::size_t(30));
    }
    void swags_hang_between_posts() {
        Arrangement a = make(ArrangementKind::line, 12);
        a.layout.swag.sag = 0.6;
        a.layout.swag.every = 4;
        const auto p = placements(a);
        QVERIFY(close(p[0].position.y, p[3].position.y, 1e-12)); // symmetric
        QVERIFY(close(p[0].position.y, p[4].position.y, 1e-12)); // repeats
        QVERIFY(p[1].position.y < p[0].position.y);
        QVERIFY(close(p[1].position.y, -0.6 * (1 - 0.0625), 1e-12)); // parabola at 3/8 of the span
        const auto cord = cords(a);
        QCOMPARE(cord.size(), std::size_t(1));
        QVERIFY(close(cord[0].front().y, 0, 1e-12) && close(cord[0].back().y, 0, 1e-12));
        double lowest = 0;
        for (const V3d& q : cord[0]) lowest = std::min(lowest, q.y);
        QVERIFY(close(lowest, -0.6, 1e-12));
        QCOMPARE(cords(make(ArrangementKind::line, 3)).size(), std::size_t(0));
    }
    // Keys of place, turn and size carry the cords along: every copy still hangs on one.
    void cords_go_with_their_copies() {
        Arrangement a = make(ArrangementKind::line, 12);
        a.layout.origin = {1, 2, -3};
        a.layout.swag.sag = 0.6, a.layout.swag.every = 4;
        a.place_keys = {{OutputFrame(1)}, {OutputFrame(25), V3d(4, 1, -2), V3d(10, 70, 20), 1.5}};
        const CopyPlaces places(make_copies(a, {}), Rate{24, 1});
        for (const double t : {1.0, 9.5, 25.0, 40.0}) {
            const auto lines = cords_at(a, t);
            for (const Placement& p : places.at(t, {})) {
                double nearest = 1e9;
                for (const V3d& q : lines[0]) nearest = std::min(nearest, (q - p.position).length());
                QVERIFY2(nearest < 1e-9, qPrintable(QString("%1 m at frame %2").arg(nearest).arg(t)));
            }
        }
        QVERIFY((cords_at(a, 25)[0][0] - cords(a)[0][0]).length() > 1);
    }
    void bad_values_are_refused() {
        QVERIFY(!validate(make(ArrangementKind::line, 0)));
        QCOMPARE(validate(make(ArrangementKind::line, 10'000'000)).error().code, ErrorCode::too_large);
        Arrangement a = make(ArrangementKind::line, 1);
        QVERIFY(validate(a).has_value());
        a.layout.spacing = std::numeric_limits<double>::infinity();
        QVERIFY(!validate(a));
        a.layout.spacing = 1, a.size = 0;
        QVERIFY(!validate(a));
    }
};
GARLAND_TEST_CASE(ArrangementTest)
#include "arrangement_test.moc"
