// Arrange and Vary as a person uses them: kinds and paths, spreads with their patterns, twins, meeting, single-outs;
// the model and what is seen of it.
#include "driving.h"

#include "app/lanes/lanes_view.h"
#include "app/panels/arrange/arrange_panel.h"
#include "app/panels/arrange/plan_view.h"
#include "app/panels/vary/histogram.h"
#include "app/panels/vary/spread_card.h"
#include "app/panels/vary/vary_panel.h"
#include "app/shell/rail.h"
#include "app/widgets/curve_edit.h"

#include <QComboBox>

#include <numeric>
#include <set>

using namespace garland;
using namespace garland::testing;

namespace {

struct AtWork : Opened {
    ArrangePanel& arranging;
    VaryPanel& varying;
    explicit AtWork(int step, int copies = 12)
        : Opened(copies), arranging(*window.findChild<ArrangePanel*>()), varying(*window.findChild<VaryPanel*>()) {
        window.set_step(step);
    }
    const Arrangement& first() { return project().arrangements[0]; }
    const ArrangementShow& shown() { return window.document().show()->arrangements[0]; }
    const Spread& spread(std::size_t i = 0) { return first().spreads.at(i); }
    void wait_for_twins() { QTRY_VERIFY_WITH_TIMEOUT(window.viewing().twins().current(), patience * 10000); }
};

} // namespace

class VaryTest : public QObject {
    Q_OBJECT
  private slots:
    void cards_have_menus_of_their_own() {
        AtWork o(4);
        o.window.document().edit("set up", [](Project& p) -> Result<void> {
            for (const double to : {10.0, 20.0}) {
                Spread s;
                s.id = SpreadId(p.next_id++), s.to = to;
                p.arrangements[0].spreads.push_back(s);
            }
            return {};
        });
        QTRY_COMPARE(o.varying.findChildren<SpreadCard*>().size(), 2);
        auto tos = [&] {
            std::vector<double> out;
            for (const Spread& s : o.first().spreads) out.push_back(s.to);
            return out;
        };
        // By the menu key, and what is asked for by its words; a card's own corner belongs to the card.
        auto choose = [&](int card, const QString& words) {
            SpreadCard* shown = nullptr;
            for (auto* one : o.varying.findChildren<SpreadCard*>()) {
                if (one->id() == o.first().spreads[static_cast<std::size_t>(card)].id) shown = one;
            }
            QVERIFY(shown);
            choose_in_menu(*shown, words);
        };
        choose(0, "Duplicate");
        QCOMPARE(tos(), (std::vector<double>{10, 10, 20}));
        QVERIFY(o.first().spreads[0].id != o.first().spreads[1].id);
        QTRY_COMPARE(o.varying.findChildren<SpreadCard*>().size(), 3);
        choose(2, "Move up");
        QCOMPARE(tos(), (std::vector<double>{10, 20, 10}));
        choose(1, "Switch off");
        QVERIFY(!o.spread(1).on);
        choose(0, "Remove");
        QCOMPARE(tos(), (std::vector<double>{20, 10}));
        QTRY_COMPARE(o.varying.findChildren<SpreadCard*>().size(), 2);
        for (int k = 0; k < 4; ++k) o.window.document().undo().undo(); // one step each
        QCOMPARE(tos(), (std::vector<double>{10, 20}));
        QVERIFY(o.spread(0).on && o.spread(1).on);
    }
    void every_kind_can_be_pressed() {
        AtWork o(3);
        for (const char* kind : {"grid", "box", "ring", "rings", "curve"}) {
            click_tab(o.arranging, kind);
            QCOMPARE(QString(to_text(o.first().layout.kind)), QString(kind));
            QVERIFY(o.window.document().show()->copies() >= 6);
            o.wait_for_scene();
            QCOMPARE(static_cast<std::int64_t>(o.window.scene_view().scene()->copies.size()),
                     o.window.document().show()->copies());
        }
        click_tab(o.arranging, "scatter"); // nothing else to stand on: refused, told, nothing lost
        QCOMPARE(o.first().layout.kind, ArrangementKind::curve);
        QTRY_VERIFY(all_text(o.window.notices()).contains("need that source"));
        for (int i = 0; i < 5; ++i) o.window.document().undo().undo();
        QCOMPARE(o.first().layout.kind, ArrangementKind::line);
        type(o.arranging, "Copies", "10000000");
        QCOMPARE(o.first().layout.count, 12);
        QTRY_VERIFY(all_text(o.window.notices()).contains("more than one arrangement may have"));
    }
    void several_spreads_are_changed_together() {
        AtWork o(4);
        click(o.varying, "Add delay");
        QVERIFY(o.varying.findChildren<SpreadCard*>().size() == 1);
        auto joined = [&](int card) {
            return named<QToolButton>(*o.varying.findChildren<SpreadCard*>()[card], "Change together");
        };
        QVERIFY(!o.varying.findChildren<SpreadCard*>()[0]->findChild<QToolButton*>("segment")->isVisible());
        click(o.varying, "Add delay");
        click(o.varying, "Add speed");
        QTRY_COMPARE(o.varying.findChildren<SpreadCard*>().size(), 3);
        o.window.document().edit("set up", [](Project& p) -> Result<void> {
            auto& spreads = p.arrangements[0].spreads;
            spreads[0].to = 10, spreads[1].to = 30, spreads[2].to = 50;
            spreads[0].by.seed = 1, spreads[1].by.seed = 2, spreads[2].by.seed = 3;
            return {};
        });
        auto card = [&](int k) -> SpreadCard& { return *o.varying.findChildren<SpreadCard*>()[k]; };
        type(card(0), "To", "12"); // by itself
        QCOMPARE(o.spread(0).to, 12.0);
        QCOMPARE(o.spread(1).to, 30.0);
        for (int k : {0, 1, 2}) QTest::mouseClick(joined(k), Qt::LeftButton);
        // Typed: all of one unit get it. Arrow keys: each changes by as much.
        type(card(0), "To", "20");
        QCOMPARE(o.spread(0).to, 20.0);
        QCOMPARE(o.spread(1).to, 20.0);
        QCOMPARE(o.spread(2).to, 50.0); // a speed is no number of frames
        o.window.document().undo().undo();
        QCOMPARE(o.spread(1).to, 30.0);
        auto* to = named<NumberField>(card(1), "To");
        to->setFocus();
        QTest::keyClick(to, Qt::Key_Up);
        const double by = o.spread(1).to - 30;
        QVERIFY(by > 0);
        QCOMPARE(o.spread(0).to, 12 + by);
        type(card(2), "Seed", "7");
        for (std::size_t k = 0; k < 3; ++k) QCOMPARE(o.spread(k).by.seed, std::uint64_t(7));
        QTest::mouseClick(joined(1), Qt::LeftButton); // no longer
        type(card(0), "Seed", "8");
        QCOMPARE(o.spread(1).by.seed, std::uint64_t(7));
        QCOMPARE(o.spread(2).by.seed, std::uint64_t(8));
    }
    void a_path_is_drawn_in_the_stage() {
        AtWork o(3);
        if (!o.window.scene_view().has_graphics()) QSKIP("no OpenGL here: the Scene cannot be clicked");
        click_tab(o.arranging, "curve");
        const Arrangement before = o.first();
        click(o.arranging, "Draw in the Scene");
        QWidget* canvas = o.window.scene_view().findChild<SceneCanvas*>();
        o.window.scene_view().orbit().camera = {V3d(0, 0, 0), 12, 0, 60, 40};
        const QPoint middle = canvas->rect().center();
        for (const QPoint& p : {QPoint(-150, 40), QPoint(0, -40), QPoint(150, 40)})
            QTest::mouseClick(canvas, Qt::LeftButton, Qt::NoModifier, middle + p);
        QCOMPARE(o.window.viewing().drawn().size(), std::size_t(3));
        QVERIFY(all_text(o.window.scene_view()).contains("3 points"));
        QTest::keyClick(canvas, Qt::Key_Backspace);
        QCOMPARE(o.window.viewing().drawn().size(), std::size_t(2));
        QTest::mouseClick(canvas, Qt::LeftButton, Qt::NoModifier, middle + QPoint(150, 40));
        QCOMPARE(o.first(), before); // nothing yet
        QTest::keyClick(canvas, Qt::Key_Return);
        QCOMPARE(o.first().layout.path.points.size(), std::size_t(3));
        QVERIFY(o.first().layout.path.points[0].x < -1 && o.first().layout.path.points[2].x > 1 &&
                std::abs(o.first().layout.path.points[1].y) < 1e-9);
        o.wait_for_scene();
        QVERIFY((o.shown().places[0].position - to_scene(o.first(), o.first().layout.path.points[0])).length() < 1e-6);
        o.window.document().undo().undo();
        QCOMPARE(o.first().layout.path.points, before.layout.path.points);
        click(o.arranging, "Draw in the Scene");
        QTest::keyClick(canvas, Qt::Key_Escape);
        QVERIFY(!o.window.viewing().drawing());
        QCOMPARE(o.first().layout.path.points, before.layout.path.points);
    }
    void points_of_a_path_are_dragged_in_the_plan() {
        AtWork o(3);
        click_tab(o.arranging, "curve");
        auto* plan = o.window.findChild<PlanView*>();
        QTRY_VERIFY(plan->isVisible());
        plan->grab();
        const QPointF at = plan->pixel(to_scene(o.first(), o.first().layout.path.points[1]));
        const V3d was = o.first().layout.path.points[1];
        const int steps = o.window.document().undo().count();
        drag(*plan, at, at + QPointF(20, 15));
        QVERIFY(o.first().layout.path.points[1].x > was.x && o.first().layout.path.points[1].z > was.z);
        QCOMPARE(o.window.document().undo().count(), steps + 1);
        plan->grab();
        const std::size_t points = o.first().layout.path.points.size();
        QTest::mouseDClick(plan, Qt::LeftButton, Qt::NoModifier,
                           plan->pixel(to_scene(o.first(), o.first().layout.path.points[1])).toPoint());
        QCOMPARE(o.first().layout.path.points.size(), points - 1);
        // and a copy is picked by a click on it, everywhere at once
        plan->grab();
        QTest::mouseClick(plan, Qt::LeftButton, Qt::NoModifier, plan->pixel(o.shown().places[5].position).toPoint());
        QVERIFY(o.window.viewing().selection().size() == 1);
    }
    void a_spread_reads_as_a_sentence() {
        AtWork o(4);
        click(o.varying, "Add delay");
        QVERIFY(all_text(o.varying).contains("by <b>chance</b>"));
        choose(o.varying, "Driver", "noise");
        QCOMPARE(o.spread().by.kind, Driver::noise);
        type(o.varying, "Patch", "4.5");
        QTRY_VERIFY(all_text(o.varying).contains("patches <b>4.5 m</b> wide"));
        type(o.varying, "To", "2s"); // typed units
        QCOMPARE(o.spread().to, 48.0);
        QTRY_VERIFY(all_text(o.varying).contains("up to <b>48 frames later</b>"));
        auto* bars = o.window.findChild<Histogram*>();
        QCOMPARE(std::accumulate(bars->bins().begin(), bars->bins().end(), 0), 12);
        choose(o.varying, "Driver", "gradient");
        choose(o.varying, "Target", "turn");
        QCOMPARE(o.spread().to, 30.0);
        QTRY_VERIFY(all_text(o.varying).contains("<b>Turn</b> by <b>gradient</b> along x"));
        QVERIFY(close(o.shown().places[11].turn, 30, 1e-9));
        type(o.varying, "From", "-40000"); // more turns than make sense: refused in words, the old number comes back
        QCOMPARE(o.spread().from, -30.0);
        QTRY_VERIFY(all_text(o.window.notices()).contains("36 000 degrees"));
        QCOMPARE(named<NumberField>(o.varying, "From")->value(), -30.0);
    }
    void a_curve_is_drawn_by_hand() {
        AtWork o(4);
        click(o.varying, "Add delay");
        choose(o.varying, "Driver", "order, in total");
        auto* curve = named<CurveEdit>(o.varying, "Curve of the spread");
        QTest::mouseClick(curve, Qt::LeftButton, Qt::NoModifier, curve->pixel(0.5, 1).toPoint());
        QCOMPARE(o.spread().curve.size(), std::size_t(3));
        QVERIFY(close(o.spread().curve[1].at, 0.5, 0.02) && close(o.spread().curve[1].value, 1, 0.05));
        QVERIFY(o.shown().clocks[6].delay > 20); // half way along the order it is as late as the last
        drag(*curve, curve->pixel(o.spread().curve[1].at, o.spread().curve[1].value), curve->pixel(0.5, 0));
        QVERIFY(o.shown().clocks[6].delay < 4);
        QTest::mouseClick(curve, Qt::RightButton, Qt::NoModifier,
                          curve->pixel(o.spread().curve[1].at, o.spread().curve[1].value).toPoint());
        QCOMPARE(o.spread().curve[1].toward, Toward::smooth);
        QTest::mouseDClick(curve, Qt::LeftButton, Qt::NoModifier,
                           curve->pixel(o.spread().curve[1].at, o.spread().curve[1].value).toPoint());
        QCOMPARE(o.spread().curve.size(), std::size_t(2));
    }
    void a_pattern_is_seen_before_it_counts() {
        AtWork o(4, 9);
        click(o.varying, "Add delay");
        choose(o.varying, "Driver", "noise");
        QTest::mouseClick(named<QCheckBox>(o.varying, "On"), Qt::LeftButton);
        QVERIFY(!o.spread().on);
        o.wait_for_scene();
        for (std::size_t i = 0; i < 9; ++i) QCOMPARE(o.shown().clocks[i].delay, 0.0); // it does not count
        auto* canvas = o.window.scene_view().findChild<SceneCanvas*>();
        const QImage plain = canvas ? canvas->grab_picture() : QImage();
        click_tab(o.varying, "Show pattern");
        QCOMPARE(o.window.viewing().colour(), ColourMode::spread);
        const SceneMarks marks = o.window.scene_view().marks();
        QVERIFY(marks.pattern && marks.pattern->side > 0);
        // The ground has the colour that the spread gives there: looked up beside its own value at a copy.
        const SpacePattern pattern(o.spread(), o.shown().shown.set->places.list());
        const GivenValues* given = given_by(*o.window.document().show(), o.first().id, o.spread().id);
        QVERIFY(given && close(pattern.at(o.shown().places[4].position, 0), given->values[4], 0.51)); // whole frames
        if (canvas) { // and it can be seen
            o.window.scene_view().orbit().camera = {V3d(0, 0, 0), 14, 0, 55, 40};
            wait_painted(*canvas);
            const QImage seen = canvas->grab_picture();
            int differ = 0;
            std::set<QRgb> colours;
            for (int y = seen.height() / 2; y < seen.height(); y += 7) {
                for (int x = 0; x < seen.width(); x += 7) {
                    differ += !plain.isNull() && plain.pixel(x, y) != seen.pixel(x, y);
                    colours.insert(seen.pixel(x, y) & 0xfff0f0f0);
                }
            }
            QVERIFY(differ > 200);
            QVERIFY2(colours.size() > 20, qPrintable(QString::number(colours.size())));
        }
        click_tab(o.varying, "Show pattern");
        QCOMPARE(o.window.viewing().colour(), ColourMode::look);
        QVERIFY(!o.window.scene_view().marks().pattern);
    }
    void twins_are_counted_and_parted() {
        AtWork o(4, 20);
        o.window.document().edit("standing counts", [](Project& p) -> Result<void> {
            p.settings.twins_only_moving = false;
            return {};
        });
        o.wait_for_twins();
        QTRY_VERIFY(all_text(o.varying).contains("20 of 20 copies have a twin"));
        click(o.varying, "Pull apart"); // it plays once and then stands: refused in words, nothing moved
        QTRY_VERIFY(all_text(o.window.notices()).contains("stand still together"));
        QVERIFY(o.first().by_hand.nudges.empty());
        o.window.document().edit("loop", [](Project& p) -> Result<void> {
            p.timings[0].before.mode = p.timings[0].after.mode = OutsideMode::repeat;
            return {};
        });
        o.wait_for_twins();
        const RailButton* check = o.window.findChild<Rail*>()->button(5);
        QTRY_COMPARE(check->badge(), 20);
        click(o.varying, "Add delay");
        type(o.varying, "To", "8");
        o.wait_for_twins();
        QTRY_VERIFY(all_text(o.varying).contains("have a twin"));
        QVERIFY(o.window.viewing().twins().now().twins() > 5);
        QTest::mouseClick(named<QCheckBox>(o.varying, "Keep delays between limits"),
                          Qt::LeftButton); // between limits that are too near: told, nothing moved
        type(o.varying, "Latest delay", "9");
        click(o.varying, "Pull apart");
        QTRY_VERIFY(all_text(o.window.notices()).contains("there is room for 10 copies"));
        QVERIFY(o.first().by_hand.nudges.empty());
        type(o.varying, "Latest delay", "30");
        click(o.varying, "Pull apart");
        QTRY_VERIFY(!o.first().by_hand.nudges.empty());
        for (const CopyClock& c : o.shown().clocks) QVERIFY(c.delay >= 0 && c.delay <= 30);
        o.wait_for_twins();
        QTRY_VERIFY(all_text(o.varying).contains("No twins among 20 copies"));
        QVERIFY(all_text(o.varying).contains("nudged by hand"));
        QTRY_COMPARE(check->badge(), 0);
        QVERIFY(o.window.document().undo().undoText().startsWith("Part twins"));
        o.window.document().undo().undo();
        QVERIFY(o.first().by_hand.nudges.empty());
    }
    void copies_meet_and_a_longer_ease_is_offered() {
        AtWork o(4, 6);
        click(o.varying, "Add delay");
        type(o.varying, "To", "40");
        click_tab(o.varying, "meet");
        type(o.varying, "at frame", "30");
        type(o.varying, "easing over", "10");
        click(o.varying, "Meet");
        QVERIFY(!o.spread().strength.keys.empty());
        for (std::int64_t c = 1; c < 6; ++c) {
            QCOMPARE(trace(*o.window.document().show(), c, OutputFrame(30))->values.moment.source,
                     trace(*o.window.document().show(), 0, OutputFrame(30))->values.moment.source);
        }
        QVERIFY(all_text(o.varying).contains("agree at output frame 30"));
        o.wait_for_twins();
        QTRY_VERIFY(all_text(o.varying).contains("backward between frames"));
        const double ease = o.window.viewing().twins().of(o.first().id)->backward->longer_ease(10);
        click(o.varying, QString("Ease over %1 frames").arg(ease));
        o.wait_for_twins();
        QTRY_VERIFY(!all_text(o.varying).contains("backward between frames"));
        click(o.varying, "Remove meeting");
        QVERIFY(o.spread().strength.keys.empty());
    }
    void copies_are_singled_out_and_hidden() {
        AtWork o(3);
        o.window.document().edit("spread", [&](Project& p) -> Result<void> {
            Spread s;
            s.id = SpreadId(p.next_id++);
            p.arrangements[0].spreads.push_back(s);
            return {};
        });
        std::vector<double> before;
        for (const CopyClock& c : o.shown().clocks) before.push_back(c.delay);
        o.window.viewing().select({2, 7});
        click(o.arranging, "Single out selected copies");
        QCOMPARE(o.project().arrangements.size(), std::size_t(2));
        const Show& show = *o.window.document().show();
        QCOMPARE(show.arrangements[1].places.size(), std::size_t(2));
        QCOMPARE(show.arrangements[1].clocks[0].delay, before[2]);
        QCOMPARE(show.arrangements[1].clocks[1].delay, before[7]);
        QCOMPARE(o.window.viewing().arrangement(), o.project().arrangements[1].id);
        QTRY_VERIFY(all_text(o.arranging).contains("Places and spreads are that arrangement's"));
        o.window.set_step(4);
        QTRY_VERIFY(all_text(o.varying).contains("with the same values"));
        o.window.set_step(3);
        o.window.viewing().select({0, 1});
        click(o.arranging, "Hide selected copies");
        QCOMPARE(o.first().hidden_copies.size(), std::size_t(2));
        o.wait_for_scene();
        QCOMPARE(o.window.scene_view().scene()->copies.size(), std::size_t(10));
        click(o.arranging, "Show all hidden copies");
        o.wait_for_scene();
        QCOMPARE(o.window.scene_view().scene()->copies.size(), std::size_t(12));
    }
    void copies_ride_on_points() {
        AtWork o(3);
        folder_of_dots(o);
        click_tab(o.arranging, "points");
        QTRY_COMPARE_WITH_TIMEOUT(o.window.document().show()->arrangements[0].places.size(), std::size_t(5),
                                  patience * 10000);
        o.wait_for_scene();
        o.window.viewing().set_frame(20);
        o.wait_for_scene();
        const auto standing = places_at(o.shown(), OutputFrame(20));
        for (const SceneCopy& c : o.window.scene_view().scene()->copies) {
            if (c.arrangement->id == o.first().id)
                QVERIFY((V3d(c.position) - standing->places[c.index].position).length() < 1e-5);
        }
        click(o.arranging, "Hide the carrier");
        QVERIFY(o.project().arrangements[1].hidden);
        o.wait_for_scene();
        QCOMPARE(o.window.scene_view().scene()->copies.size(), std::size_t(5));
        choose(o.arranging, "Facing", "direction of travel");
        o.wait_for_scene();
        QVERIFY(close(places_at(o.shown(), OutputFrame(20))->places[0].turn, 90, 1e-3));
    }
    void the_loom_is_sorted_by_everything() {
        AtWork o(4, 8);
        o.window.document().edit("vary", [&](Project& p) -> Result<void> {
            for (Target t : {Target::delay, Target::speed, Target::size, Target::turn}) {
                Spread s;
                s.id = SpreadId(p.next_id++);
                s.target = t;
                s.from = t == Target::speed ? -20 : 0, s.to = 20;
                p.arrangements[0].spreads.push_back(s);
            }
            return {};
        });
        auto* lanes = o.window.findChild<LanesView*>();
        const ArrangementShow& a = o.shown();
        const std::map<LaneSort, std::function<double(std::size_t)>> values{
            {LaneSort::x, [&](std::size_t i) { return a.places[i].position.x; }},
            {LaneSort::delay, [&](std::size_t i) { return a.clocks[i].delay; }},
            {LaneSort::speed, [&](std::size_t i) { return a.clocks[i].rate; }},
            {LaneSort::size, [&](std::size_t i) { return a.places[i].size; }},
            {LaneSort::turn, [&](std::size_t i) { return a.places[i].turn; }}};
        for (const auto& [sort, value] : values) {
            choose(*lanes, "Sort rows by",
                   QStringList{"order", "place, x", "height", "place, z", "delay", "speed", "size",
                               "turn"}[static_cast<int>(sort)]);
            for (std::int64_t r = 1; r < 8; ++r)
                QVERIFY(value(static_cast<std::size_t>(lanes->copy_of_row(r))) >=
                        value(static_cast<std::size_t>(lanes->copy_of_row(r - 1))));
        }
        // By likeness, copies that show nearly the same stand beside each other.
        o.window.document().edit("two groups", [&](Project& p) -> Result<void> {
            p.arrangements[0].spreads.clear();
            for (std::uint64_t c = 0; c < 8; c += 2) p.arrangements[0].by_hand.nudges.push_back({CopyId(c), 20});
            return {};
        });
        choose(*lanes, "Sort rows by", "likeness");
        int changes = 0;
        for (std::int64_t r = 1; r < 8; ++r) changes += (lanes->copy_of_row(r) % 2) != (lanes->copy_of_row(r - 1) % 2);
        QCOMPARE(changes, 1);
    }
    void ten_thousand_copies_still_answer() {
        AtWork o(4, 10'000);
        click(o.varying, "Add delay");
        QCOMPARE(o.window.document().show()->copies(), std::int64_t(10'000));
        choose(o.varying, "Driver", "noise");
        type(o.varying, "To", "30");
        QVERIFY(o.shown().clocks[77].delay == o.shown().shown.set->given[0].values[77]);
        auto* bars = o.window.findChild<Histogram*>();
        QCOMPARE(std::accumulate(bars->bins().begin(), bars->bins().end(), 0), 10'000);
    }

  private:
    // Five dots with ids that go along +x, gathered as a second source.
    static void folder_of_dots(AtWork& o) {
        for (int f = 0; f < 48; ++f) {
            Pose dots;
            for (int i = 0; i < 5; ++i) {
                dots.points.emplace_back(static_cast<float>(0.05 * f), 0.2f, static_cast<float>(i));
                dots.ids.push_back(i);
            }
            QVERIFY(
                write_ply(o.folder / numbered("dots.", f, 4, ".ply"), dots, PlyForm::little_endian, Existing::replace));
        }
        QSignalSpy added(&o.window.document().library(), &SourceLibrary::added);
        drop(o.window, {QString::fromStdString(o.folder / "dots.0000.ply")});
        QVERIFY(added.wait(10000));
        o.window.set_step(3);
        o.window.viewing().set_arrangement(o.first().id);
    }
};
GARLAND_TEST_CASE(VaryTest)
#include "vary_test.moc"
