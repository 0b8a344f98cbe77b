// Attitudes of copies, keys of places, and their velocities: against Eigen's rotations and closed formulas.
#include "support/case.h"
#include "support/notation.h"

#include "core/copies/attitude.h"
#include "core/project/show.h"

#include <Eigen/Geometry>
#include <numbers>

using namespace garland;
using namespace garland::testing;

namespace {

using Eigen::AngleAxisd, Eigen::Matrix3d, Eigen::Vector3d;

constexpr double radians = std::numbers::pi / 180;

Matrix3d about(const Vector3d& axis, double degrees) {
    return AngleAxisd(degrees * radians, axis).toRotationMatrix();
}
// y, then x, then z of what is turned already.
Matrix3d turned(const V3d& t) {
    return about(Vector3d::UnitY(), t.y) * about(Vector3d::UnitX(), t.x) * about(Vector3d::UnitZ(), t.z);
}
V3d times(const Matrix3d& m, const V3d& v) {
    const Vector3d r = m * Vector3d(v.x, v.y, v.z);
    return {r.x(), r.y(), r.z()};
}
double off(const Axes& a, const Matrix3d& m) {
    double most = 0;
    for (const V3d& v : {V3d(1, 0, 0), V3d(0, 1, 0), V3d(0, 0, 1), V3d(0.3, -2, 1)})
        most = std::max(most, (a.scene(v) - times(m, v)).length());
    return most;
}

// One point that goes round a level circle: `radius` metres, one round in `frames` source frames, counter-clockwise
// seen from above, and a triangle whose normal leans by 30° toward +x.
class Round final : public Source {
  public:
    Round(double radius, double frames) : radius_(radius), frames_(frames) {
        facts_.last = 240, facts_.points = 1, facts_.faces = 0;
    }
    const SourceFacts& facts() const override { return facts_; }
    std::vector<std::string> files() const override { return {}; }
    Result<PosePtr> read(std::int64_t f, Progress&) const override {
        auto pose = std::make_shared<Pose>();
        const double angle = 2 * std::numbers::pi * static_cast<double>(f) / frames_;
        pose->points.emplace_back(static_cast<float>(radius_ * std::sin(angle)), 0.0f,
                                  static_cast<float>(radius_ * std::cos(angle)));
        pose->normals.emplace_back(0.5f, std::sqrt(0.75f), 0.0f);
        pose->faces = std::make_shared<Faces>();
        return PosePtr(pose);
    }

  private:
    SourceFacts facts_;
    double radius_, frames_;
};

} // namespace

class AttitudeTest : public QObject {
    Q_OBJECT
    PoseCache cache_{1 << 20};
    Project p_;
    OpenSources open_;
    Arrangement& first() { return p_.arrangements[0]; }
    ShowPtr show() {
        if (auto ok = validate(p_); !ok) qFatal("%s", ok.error().message.c_str());
        if (!find_groundwork(p_, open_, cache_)) qFatal("no groundwork");
        return make_show(p_, open_, cache_);
    }
    Standing standing(double t) { return *places_at(show()->arrangements[0], OutputFrame(t), true); }
  private slots:
    void init() {
        p_ = Project{};
        open_.clear();
        const SourceId leaf = add_source(p_, "leaf", "leaf.ply", {0, 240, {24, 1}});
        const SourceId boat = add_source(p_, "boat", "boat.ply", {0, 240, {24, 1}});
        open_[leaf] = {std::make_shared<Round>(1, 240), PoseCache::new_serial()};
        open_[boat] = {std::make_shared<Round>(10, 120), PoseCache::new_serial()};
        p_.arrangements[1].hidden = true;
        p_.settings.range = {1, 240};
        first().layout.count = 5, first().layout.spacing = 2, first().layout.origin = V3d(3, 1, -2);
    }
    void attitudes_are_those_of_eigen() {
        for (double turn : {0.0, 30.0, -117.0, 200.0}) {
            for (const V3d& t : {V3d(0, 20, 0), V3d(10, 0, 0), V3d(0, 0, -35), V3d(12, 150, 80), V3d(-100, 5, 170)}) {
                Placement p;
                p.turn = turn;
                lean(p, t.x, t.z);
                const Matrix3d leant =
                    about(Vector3d::UnitY(), turn) * about(Vector3d::UnitX(), t.x) * about(Vector3d::UnitZ(), t.z);
                QVERIFY(off(axes_of(p), leant) < 1e-12);
                turn_further(p, t);
                QVERIFY(off(axes_of(p), turned(t) * leant) < 1e-12);
                QVERIFY(off(turned_axes(t), turned(t)) < 1e-12);
                Placement next = p;
                turn_further(next, {1, -2, 0.5});
                const Eigen::AngleAxisd between(turned({1, -2, 0.5}));
                const V3d found = rotation_between(p, next);
                QVERIFY(close(found.length(), between.angle() / radians, 1e-9));
                QVERIFY(
                    (found.normalized() - V3d(between.axis().x(), between.axis().y(), between.axis().z())).length() <
                    1e-9);
            }
        }
        Placement upright;
        upright.turn = 40;
        turn_further(upright, {0, 20, 0});
        QVERIFY(!tilted(upright));
        QCOMPARE(upright.turn, 60.0);
    }
    void fronts_follow_a_direction_and_uprights_a_normal() {
        for (const V3d& d : {V3d(1, 1, 1), V3d(-2, 0.3, 0.1), V3d(0, 5, 0), V3d(0, -1, 0), V3d(0.2, -3, -1)}) {
            Placement p;
            p.turn = heading_of(d);
            pitch_along(p, d);
            QVERIFY((axes_of(p).z - d.normalized()).length() < 1e-12);
            if (d.x != 0) QVERIFY(std::abs(axes_of(p).x.y) < 1e-12); // its sides stay level
            stand_on(p, d);
            QVERIFY((axes_of(p).y - d.normalized()).length() < 1e-12);
        }
    }
    void keys_move_an_arrangement_as_a_whole() {
        first().place_keys = {{OutputFrame(10), V3d(0), V3d(0), 1, Toward::linear},
                              {OutputFrame(50), V3d(4, 2, -6), V3d(20, 80, -10), 3, Toward::smooth},
                              {OutputFrame(90), V3d(0, 0, 1), V3d(0, 360, 0), 1, Toward::linear}};
        const auto still = show()->arrangements[0].places.list();
        const CurvePlan size({{10, 1, Toward::linear}, {50, 3, Toward::smooth}, {90, 1, Toward::linear}}, 1);
        for (double t : {1.0, 10.0, 25.5, 50.0, 72.25, 90.0, 200.0}) {
            const Standing now = standing(t);
            const PlaceKey k = PlaceCurve(first().place_keys).at(t);
            QVERIFY(close(k.size, size.at(t), 1e-12));
            if (t == 25.5) QVERIFY((k.place - V3d(4, 2, -6) * (15.5 / 40)).length() < 1e-12);
            for (std::size_t i = 0; i < still.size(); ++i) {
                const V3d arm = (still[i].position - first().layout.origin) * k.size;
                QVERIFY(
                    (now.places[i].position - (first().layout.origin + k.place + times(turned(k.turn), arm))).length() <
                    1e-9);
                QVERIFY(off(axes_of(now.places[i]), turned(k.turn)) < 1e-12);
                QVERIFY(close(now.places[i].size, k.size, 1e-12));
            }
        }
    }
    void what_moves_has_the_velocity_of_its_points() {
        Arrangement& a = first();
        a.place_keys = {{OutputFrame(10), V3d(0), V3d(0), 1, Toward::smooth},
                        {OutputFrame(50), V3d(4, 2, -6), V3d(20, 80, -10), 1.5, Toward::smooth}};
        a.wobble.on = true;
        a.wobble.turn = V3d(15, 30, 20);
        a.wobble.position = V3d(0.2, 0.7, 0);
        a.wobble.rate = 0.6;
        const V3d own(0.4, 0.3, -0.8); // of the copy
        auto point = [&](double t, std::size_t i) {
            const Placement p = standing(t).places[i];
            return p.position + axes_of(p).scene(own * p.size);
        };
        for (double t : {13.3, 27.0, 41.9}) {
            const Standing now = standing(t);
            for (std::size_t i = 0; i < now.places.size(); ++i) {
                const CopyMotion& m = now.motion[i];
                const V3d arm = axes_of(now.places[i]).scene(own * now.places[i].size);
                const V3d said = m.move + (m.spin * radians).cross(arm) + arm * m.growth;
                const double h = 1e-3;
                const V3d is = (point(t + h, i) - point(t - h, i)) / (2 * h);
                QVERIFY2((said - is).length() < 2e-4 * std::max(1.0, is.length()),
                         qPrintable(QString("copy %1 at %2: %3").arg(i).arg(t).arg((said - is).length())));
            }
        }
        a.wobble = {};
        a.place_keys[0].toward = Toward::step; // a jump is no speed
        for (double t : {49.95, 50.0, 50.05}) QVERIFY(standing(t).motion[2].move.length() < 1e-9);
        QVERIFY((standing(50).places[0].position - standing(49.99).places[0].position).length() > 1);
    }
    void wobbles_have_a_strength_for_each_axis() {
        Wobble w;
        w.on = true;
        w.position = V3d(0, 0.5, 0);
        w.turn = V3d(10, 0, 0);
        double most = 0, lean_most = 0;
        for (double t = 0; t < 200; t += 0.7) {
            const WobbleSample s = wobble_at(w, CopyId(4), OutputFrame(t), {24, 1});
            QVERIFY(s.position.x == 0 && s.position.z == 0 && s.turn.y == 0 && s.turn.z == 0);
            most = std::max(most, std::abs(s.position.y));
            lean_most = std::max(lean_most, std::abs(s.turn.x));
        }
        QVERIFY(most > 0.4 && most <= 0.5);
        QVERIFY(lean_most > 8 && lean_most <= 10);
    }
    void a_wobble_ends_and_the_keys_go_on() {
        Arrangement& a = first();
        a.place_keys = {{OutputFrame(40), V3d(0), V3d(0), 1, Toward::linear},
                        {OutputFrame(80), V3d(8, 0, 0), V3d(0), 1, Toward::linear}};
        a.wobble.on = true;
        a.wobble.end_at = OutputFrame(30);
        const V3d home = show()->arrangements[0].places[1].position;
        const V3d last = [&] {
            a.wobble.end = WobbleEnd::never;
            return standing(30).places[1].position;
        }();
        a.wobble.end = WobbleEnd::let_go, a.wobble.ease = 6;
        QVERIFY((standing(60).places[1].position - (home + V3d(4, 0, 0))).length() < 1e-12);
        a.wobble.end = WobbleEnd::stay;
        QVERIFY((standing(60).places[1].position - (last + V3d(4, 0, 0))).length() < 1e-12);
        a.wobble.end = WobbleEnd::settle, a.wobble.settle_position = V3d(0, -1, 0);
        QVERIFY((standing(60).places[1].position - (home + V3d(4, -1, 0))).length() < 1e-12);
    }
    void a_single_out_moves_about_its_own_place() {
        const std::int64_t before = show()->copies();
        Arrangement hero;
        hero.id = ArrangementId(p_.next_id++);
        hero.name = "hero", hero.source = first().source, hero.timing = first().timing;
        hero.single_out = SingleOut{first().id, {first_ids()[2]}, ""};
        hero.place_keys = {{OutputFrame(1), V3d(0), V3d(0), 1, Toward::linear},
                           {OutputFrame(21), V3d(0, 5, 0), V3d(0, 0, 90), 2, Toward::linear}};
        const V3d home = show()->arrangements[0].places[2].position;
        first().place_keys = {{OutputFrame(1), V3d(1, 0, 0), V3d(0), 1, Toward::linear}};
        p_.arrangements.push_back(hero);
        const ShowPtr s = show();
        QCOMPARE(s->copies(), before);
        const ArrangementShow& own = s->arrangements.back();
        QCOMPARE(own.places.size(), std::size_t(1));
        const Standing now = *places_at(own, OutputFrame(11), true);
        QVERIFY((now.places[0].position - (home + V3d(1, 2.5, 0))).length() < 1e-12); // the other's key, and its own
        QVERIFY(off(axes_of(now.places[0]), about(Vector3d::UnitZ(), 45)) < 1e-12);
        QVERIFY(close(now.places[0].size, 1.5, 1e-12));
        QVERIFY((now.motion[0].move - V3d(0, 0.25, 0)).length() < 1e-9);
        QVERIFY((now.motion[0].spin - V3d(0, 0, 4.5)).length() < 1e-6);
    }
    void a_rider_banks_by_its_speed_and_its_turn() {
        Arrangement& a = first();
        a.layout.kind = ArrangementKind::points;
        a.layout.carried.source = p_.sources[1].id;
        a.attitude.facing = Facing::velocity;
        a.attitude.upright = false;
        a.attitude.bank = 1;
        const double speed = 2 * std::numbers::pi * 10 / (120.0 / 24); // metres a second
        const double lean_angle = std::atan(speed * speed / 10 / 9.80665) / radians;
        for (double t : {20.0, 61.0, 100.0}) {
            const Placement p = standing(t).places[0];
            const V3d inward = (a.layout.origin - p.position).normalized();
            const double leans = std::asin(axes_of(p).y.dot(inward)) / radians;
            QVERIFY2(std::abs(leans - lean_angle) < 0.1, qPrintable(QString("%1 for %2").arg(leans).arg(lean_angle)));
            QVERIFY(std::abs(axes_of(p).z.y) < 1e-3); // it goes level
        }
        a.attitude.bank = 0;
        QVERIFY((axes_of(standing(20).places[0]).y - V3d(0, 1, 0)).length() < 1e-6);
        a.attitude.upright = true;
        a.attitude.bank = 1;
        QVERIFY(!tilted(standing(20).places[0]));
    }
    void copies_stand_on_normals_unless_upright() {
        Arrangement& a = first();
        a.layout.kind = ArrangementKind::points;
        a.layout.carried.source = p_.sources[0].id;
        a.attitude.facing = Facing::carrier;
        a.attitude.upright = false;
        QVERIFY((axes_of(standing(30).places[0]).y - V3d(0.5, std::sqrt(0.75), 0)).length() < 1e-6);
        a.layout.heading = 90; // the arrangement's heading turns its normals along: +x becomes −z
        QVERIFY((axes_of(standing(30).places[0]).y - V3d(0, std::sqrt(0.75), -0.5)).length() < 1e-6);
        a.attitude.upright = true;
        QVERIFY(!tilted(standing(30).places[0]));
    }
    void a_steep_path_is_followed_up_and_down() {
        Arrangement& a = first();
        a.layout.kind = ArrangementKind::curve;
        a.layout.path.points = {V3d(0, 0, 0), V3d(4, 3, 0), V3d(8, 0, 0)};
        a.layout.path.smooth = false;
        a.attitude.facing = Facing::along;
        a.layout.count = 4; // two on either slope
        a.attitude.upright = false;
        const auto places = show()->arrangements[0].places.list();
        QVERIFY((axes_of(places[0]).z - V3d(0.8, 0.6, 0)).length() < 1e-9);
        QVERIFY((axes_of(places[3]).z - V3d(0.8, -0.6, 0)).length() < 1e-9);
        a.attitude.upright = true;
        QVERIFY(!tilted(show()->arrangements[0].places[0]));
    }
    void bad_keys_are_refused_with_words() {
        Arrangement& a = first();
        a.name = "quay";
        auto said = [&] { return validate(a) ? std::string() : validate(a).error().message; };
        a.place_keys = {{OutputFrame(5)}, {OutputFrame(5)}};
        QVERIFY(said().find("key 2 at output frame 5 does not come after") != std::string::npos);
        a.place_keys = {{OutputFrame(5), V3d(0), V3d(0), 0}};
        QVERIFY(said().find("\"quay\"") != std::string::npos && said().find("size of 0") != std::string::npos);
        a.place_keys = {{OutputFrame(5), V3d(0, std::nan(""), 0)}};
        QVERIFY(!said().empty());
        a.place_keys = {{OutputFrame(5), V3d(0), V3d(0), 1, Toward::free}};
        QVERIFY(!said().empty());
        a.place_keys.clear();
        QVERIFY(said().empty());
        a.attitude.bank = -1;
        QVERIFY(said().find("bank") != std::string::npos);
    }

  private:
    std::vector<CopyId> first_ids() {
        std::vector<CopyId> out;
        const ShowPtr s = show(); // its list lives as long as it does
        for (const Placement& p : s->arrangements[0].places.list()) out.push_back(p.id);
        return out;
    }
};
GARLAND_TEST_CASE(AttitudeTest)
#include "attitude_test.moc"
