// The keyboard, the wheel and the undo list as a person meets them: who gets a key, what a step of undo is, how a drag
// is given up, and what happens to what one is typing when the document changes under the hand.
#include "app/driving.h"

#include "app/lanes/lanes_view.h"
#include "app/panels/arrange/arrange_panel.h"
#include "app/panels/arrange/plan_view.h"
#include "app/panels/gather/gather_panel.h"
#include "app/panels/loop/loop_panel.h"
#include "app/panels/retime/retime_panel.h"
#include "app/shell/rail.h"
#include "app/shell/transport.h"
#include "io/project/project_file.h"

#include <QCheckBox>

using namespace garland;
using namespace garland::testing;

namespace {

int steps(Opened& o) {
    return o.window.document().undo().count();
}
std::string saved(const Project& p) {
    return project_text(p);
}
QPointF key_pixel(const TimeMapView& map, std::size_t key) {
    const Key& k = map.keys().keys.at(key);
    return map.axes().at(k.at, k.source);
}
void press(QWidget& on, QPointF at) {
    QTest::mousePress(&on, Qt::LeftButton, Qt::NoModifier, at.toPoint());
}
// The pointer with its button down; the window's filters see it as any other event.
void move_pressed(QWidget& on, QPointF at) {
    QTest::mouseMove(&on, at.toPoint());
    QMouseEvent move(QEvent::MouseMove, at, on.mapToGlobal(at), Qt::NoButton, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(&on, &move);
}
void wheel(QWidget& on, QPoint turn) {
    const QPointF middle = QRectF(on.rect()).center();
    QWheelEvent event(middle, on.mapToGlobal(middle), {}, turn, Qt::NoButton, Qt::NoModifier, Qt::NoScrollPhase, false);
    QApplication::sendEvent(&on, &event);
}

} // namespace

class KeyboardTest : public QObject {
    Q_OBJECT
  private slots:
    void space_plays_whatever_has_the_keyboard() {
        Opened o;
        activate(o.window);
        QVERIFY(!qobject_cast<QAbstractButton*>(o.window.focusWidget())); // it starts in a view
        for (int step = 0; step < 7; ++step) {
            o.window.set_step(step);
            settle();
            for (QWidget* w : o.window.findChildren<QWidget*>()) {
                if (!w->isVisible() || !w->isEnabled() || !(w->focusPolicy() & Qt::TabFocus) ||
                    qobject_cast<QLineEdit*>(w))
                    continue;
                w->setFocus();
                if (!w->hasFocus()) continue;
                const bool was = o.window.viewing().playing();
                const std::string before = saved(o.project());
                QTest::keyClick(w, Qt::Key_Space);
                QVERIFY2(
                    o.window.viewing().playing() != was,
                    qPrintable(
                        QString("step %1: %2 %3").arg(step).arg(w->metaObject()->className(), w->accessibleName())));
                QCOMPARE(saved(o.project()), before);
            }
        }
        o.window.viewing().play(false);
    }
    void return_presses_a_button_and_leaves_a_field() {
        Opened o;
        activate(o.window);
        o.window.set_step(1);
        auto* button_ = button(o.window.retime(), "Reverse");
        button_->setFocus();
        QTest::keyClick(button_, Qt::Key_Return);
        QCOMPARE(o.window.retime().operations().chosen(), std::optional(OperationKind::reverse));
        QTest::keyClick(button_, Qt::Key_Return);
        click_at(o.window.retime().map(), key_pixel(o.window.retime().map(), 0));
        type(o.window.retime(), "Source frame of the key", "3");
        QTRY_VERIFY(o.window.retime().map().hasFocus());
        // The next key is a command again, not text.
        o.window.viewing().set_frame(20);
        QTest::keyClick(o.window.focusWidget(), Qt::Key_H);
        QTRY_COMPARE(o.map().keys.size(), std::size_t(4));
    }
    void operations_open_with_the_cursor_in_their_first_number() {
        Opened o;
        activate(o.window);
        o.window.set_step(1);
        o.window.viewing().set_frame(20);
        QTest::keyClick(o.window.focusWidget(), Qt::Key_H, Qt::ShiftModifier);
        QTest::keyClicks(o.window.focusWidget(), "10");
        QTest::keyClick(o.window.focusWidget(), Qt::Key_Return);
        QTRY_COMPARE(map_text(o.map()), "1:0 20:19 30:19 58:47");
        QTest::keyClick(o.window.focusWidget(), Qt::Key_B);
        QCOMPARE(o.window.retime().operations().chosen(), std::optional(OperationKind::slow));
        QTest::keyClick(o.window.focusWidget(), Qt::Key_Escape);
        QVERIFY(!o.window.retime().operations().chosen());
        QTRY_VERIFY(o.window.retime().map().hasFocus());
    }
    void letters_change_no_box_and_act_in_their_step_only() {
        Opened o;
        activate(o.window);
        o.window.set_step(1);
        click_tab(o.window.retime(), "before and after");
        auto* after = named<QComboBox>(o.window.retime(), "After the timing");
        choose_at(*after, 1);
        QCOMPARE(o.project().timings[0].after.mode, OutsideMode::repeat);
        after->setFocus();
        o.window.viewing().set_frame(20);
        QTest::keyClick(after, Qt::Key_H); // not "hold" in the box, but a hold
        QCOMPARE(after->currentIndex(), 1);
        QCOMPARE(o.map().keys.size(), std::size_t(4));
        const std::string before = saved(o.project());
        QTest::keyClick(after, Qt::Key_X);
        QCOMPARE(saved(o.project()), before);
        o.window.set_step(3);
        QTest::keyClick(&o.window, Qt::Key_H);
        QCOMPARE(saved(o.project()), before);
        QTRY_VERIFY(all_text(o.window.notices()).contains("works in the Retime step"));
    }
    void wheels_change_only_what_has_the_keyboard_and_never_sideways() {
        Opened o;
        activate(o.window);
        o.window.set_step(3);
        auto* spacing = named<NumberField>(o.window.arrange(), "Spacing");
        const double was = spacing->value();
        wheel(*spacing, {0, 120});
        QCOMPARE(spacing->value(), was);
        spacing->setFocus();
        wheel(*spacing, {240, 0});
        wheel(*spacing, {-120, 0});
        QCOMPARE(spacing->value(), was);
        wheel(*spacing, {0, 40}); // a touchpad's small turns come to one step
        wheel(*spacing, {0, 40});
        QCOMPARE(spacing->value(), was);
        wheel(*spacing, {0, 40});
        QVERIFY(spacing->value() > was);
        auto* facing = named<QComboBox>(o.window.arrange(), "Facing");
        facing->setFocus();
        const int index = facing->currentIndex();
        wheel(*facing, {120, 0});
        QCOMPARE(facing->currentIndex(), index);
    }
    void rows_and_plan_by_keyboard() {
        Opened o;
        activate(o.window);
        o.window.set_step(3);
        for (QWidget* view :
             {static_cast<QWidget*>(&o.window.lanes()), static_cast<QWidget*>(o.window.findChild<PlanView*>())}) {
            view->setFocus();
            o.window.viewing().set_current_copy(0);
            QTest::keyClick(view, Qt::Key_Down);
            QTest::keyClick(view, Qt::Key_Down);
            QCOMPARE(o.window.viewing().current_copy(), 2);
            QTest::keyClick(view, Qt::Key_Up, Qt::ShiftModifier);
            QCOMPARE(o.window.viewing().selection(), (std::set<std::int64_t>{1, 2}));
        }
        QTest::keyClick(&o.window, Qt::Key_N);
        QCOMPARE(o.project().arrangements[0].by_hand.nudges.size(), std::size_t(2));
        o.window.lanes().setFocus();
        QTest::keyClick(&o.window.lanes(), Qt::Key_Delete);
        QCOMPARE(o.project().arrangements[0].by_hand.nudges.size(), std::size_t(0));
    }
    void playing_both_ways() {
        Opened o;
        activate(o.window);
        o.window.viewing().set_frame(100);
        QTest::keyClick(&o.window, Qt::Key_J);
        QCOMPARE(o.window.viewing().pace(), -1.0);
        QTRY_VERIFY(o.window.viewing().frame() < OutputFrame(99));
        QTest::keyClick(&o.window, Qt::Key_J);
        QCOMPARE(o.window.viewing().pace(), -2.0);
        QTest::keyClick(&o.window, Qt::Key_K);
        QVERIFY(!o.window.viewing().playing());
        QTest::keyClick(&o.window, Qt::Key_L);
        QTest::keyClick(&o.window, Qt::Key_L);
        QCOMPARE(o.window.viewing().pace(), 2.0);
        const double now = o.window.viewing().frame().value;
        QTRY_VERIFY(o.window.viewing().frame().value > now + 3);
        QTest::keyClick(&o.window, Qt::Key_K);
    }

    // ---- steps of undo

    void every_field_makes_steps_of_its_own() {
        Opened o;
        activate(o.window);
        o.window.set_step(3);
        const int start = steps(o);
        type(o.window.arrange(), "Spacing", "2");
        type(o.window.arrange(), "Spacing", "3");
        QCOMPARE(steps(o) - start, 2);
        // Arrows that follow each other are one step; after a pause another begins.
        auto* spacing = named<NumberField>(o.window.arrange(), "Spacing");
        spacing->setFocus();
        for (int i = 0; i < 3; ++i) QTest::keyClick(spacing, Qt::Key_Up);
        QCOMPARE(steps(o) - start, 3);
        QSignalSpy settled(spacing, &NumberField::settled);
        QTRY_COMPARE(settled.count(), 1);
        QTest::keyClick(spacing, Qt::Key_Up);
        QCOMPARE(steps(o) - start, 4);
        // The range's two ends are two steps.
        auto* transport = o.window.findChild<Transport*>();
        const int before = steps(o);
        type(*transport, "First output frame", "10");
        type(*transport, "Last output frame", "200");
        QCOMPARE(steps(o) - before, 2);
        o.window.document().undo().undo();
        QCOMPARE(o.project().settings.range.first, 10);
    }
    void steps_on_two_keys_do_not_merge() {
        Opened o;
        activate(o.window);
        o.window.set_step(1);
        o.window.document().edit("keys", [](Project& p) -> Result<void> {
            p.timings[0].map = timing_of("1:0 24:20 48:47").map;
            return {};
        });
        auto& map = o.window.retime().map();
        const int start = steps(o);
        auto* value = named<NumberField>(o.window.retime(), "Source frame of the key");
        click_at(map, key_pixel(map, 1));
        value->setFocus();
        QTest::keyClick(value, Qt::Key_Up);
        click_at(map, key_pixel(map, 2));
        value->setFocus();
        QTest::keyClick(value, Qt::Key_Down);
        QCOMPARE(map_text(o.map()), "1:0 24:21 48:46");
        QCOMPARE(steps(o) - start, 2);
        o.window.document().undo().undo();
        QCOMPARE(map_text(o.map()), "1:0 24:21 48:47");
    }
    void undo_works_right_after_a_number() {
        Opened o;
        activate(o.window);
        o.window.set_step(3);
        const double was = o.project().arrangements[0].layout.spacing;
        auto* spacing = named<NumberField>(o.window.arrange(), "Spacing");
        spacing->setFocus();
        spacing->selectAll();
        QTest::keyClicks(spacing, "2.5");
        QTest::keyClick(spacing, Qt::Key_Tab); // entered; the keyboard is in the next field
        QCOMPARE(o.project().arrangements[0].layout.spacing, 2.5);
        QTest::keyClick(o.window.focusWidget(), Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(o.project().arrangements[0].layout.spacing, was);
        // While something is typed, undo is the field's.
        spacing->setFocus();
        spacing->selectAll();
        QTest::keyClicks(spacing, "7");
        QTest::keyClick(spacing, Qt::Key_Z, Qt::ControlModifier);
        QVERIFY(spacing->text() != "7");
        QCOMPARE(o.project().arrangements[0].layout.spacing, was);
    }
    void an_edit_after_undo_is_a_step_of_its_own() {
        Opened o;
        const auto space = [&](double v) {
            o.window.document().edit(
                "spacing",
                [v](Project& p) -> Result<void> {
                    p.arrangements[0].layout.spacing = v;
                    return {};
                },
                "same");
        };
        space(2);
        o.window.document().end_merge();
        space(3);
        o.window.document().undo().undo();
        space(4); // not into the step that set 2
        o.window.document().undo().undo();
        QCOMPARE(o.project().arrangements[0].layout.spacing, 2.0);
    }

    // ---- drags that end early

    void escape_gives_up_every_drag() {
        Opened o;
        activate(o.window);
        o.window.set_step(1);
        const std::string before = saved(o.project());
        const int start = steps(o);
        auto& map = o.window.retime().map();
        const QPointF key = key_pixel(map, 1);
        press(map, key);
        move_pressed(map, key + QPointF(-60, 20));
        QVERIFY(saved(o.project()) != before);
        QTest::keyClick(&map, Qt::Key_Escape);
        QCOMPARE(saved(o.project()), before);
        move_pressed(map, key + QPointF(-90, 20)); // the hand goes on; nothing more happens
        QTest::mouseRelease(&map, Qt::LeftButton);
        QCOMPARE(saved(o.project()), before);
        QCOMPARE(steps(o), start);

        LanesView& lanes = o.window.lanes();
        const LanesLayout l = lanes.layout_now();
        const QPointF row(l.names + 200, l.y_of(2) + l.row_pixels() / 2);
        press(lanes, row);
        move_pressed(lanes, row + QPointF(80, 0));
        QVERIFY(saved(o.project()) != before);
        QTest::keyClick(&lanes, Qt::Key_Escape);
        QTest::mouseRelease(&lanes, Qt::LeftButton);
        QCOMPARE(saved(o.project()), before);

        o.window.set_step(3);
        settle();
        auto* spacing = named<NumberField>(o.window.arrange(), "Spacing");
        o.window.lanes().setFocus();
        press(*spacing, {10, 8});
        move_pressed(*spacing, {60, 8});
        QVERIFY(saved(o.project()) != before);
        QTest::keyClick(o.window.focusWidget(), Qt::Key_Escape);
        QTest::mouseRelease(spacing, Qt::LeftButton);
        QCOMPARE(saved(o.project()), before);
        QCOMPARE(steps(o), start);
    }
    void a_document_that_goes_ends_its_drags() {
        Opened o;
        activate(o.window);
        o.window.set_step(1);
        auto& map = o.window.retime().map();
        const QString path = QString::fromStdString(o.folder / "kept.garland");
        QVERIFY(o.window.document().save(path));
        for (QPointF at :
             {key_pixel(map, 1), QPointF(map.width() / 2.0, map.height() - 40.0)}) { // a key, and the ground
            press(map, at);
            o.window.document().undo().setClean();
            o.window.document().start_new();
            move_pressed(map, at + QPointF(30, 10));
            QTest::mouseRelease(&map, Qt::LeftButton);
            QVERIFY(o.project().timings.empty());
            o.window.document().open(path);
            QTRY_COMPARE(o.project().timings.size(), std::size_t(1));
            o.window.set_step(1);
            settle();
        }
        // A path that gets shorter under a drag.
        o.window.set_step(3);
        click_tab(o.window.arrange(), "curve");
        settle();
        auto* plan = o.window.findChild<PlanView*>();
        QVERIFY(o.window.document().edit("longer", [](Project& p) -> Result<void> {
            p.arrangements[0].layout.path.points = {V3d(0, 0, 0), V3d(2, 0, 0), V3d(4, 0, 1), V3d(6, 0, 0),
                                                    V3d(8, 0, 2)};
            return {};
        }));
        const Arrangement a = o.project().arrangements[0];
        plan->repaint();
        const QPointF last = plan->pixel(to_scene(a, a.layout.path.points.back()));
        press(*plan, last);
        move_pressed(*plan, last + QPointF(-20, 5));
        QVERIFY(o.window.document().edit("shorter", [](Project& p) -> Result<void> {
            p.arrangements[0].layout.path.points.resize(2);
            return {};
        }));
        const std::vector<V3d> shorter = o.project().arrangements[0].layout.path.points;
        move_pressed(*plan, last + QPointF(-40, 5));
        QTest::mouseRelease(plan, Qt::LeftButton);
        QVERIFY(o.project().arrangements[0].layout.path.points == shorter);
    }

    // ---- what is being typed

    void text_in_a_card_survives_what_rebuilds_it() {
        Opened o;
        activate(o.window);
        o.window.set_step(0);
        settle();
        auto* scale = named<NumberField>(o.window.gather(), "Scale");
        scale->setFocus();
        scale->selectAll();
        QTest::keyClicks(scale, "0.2");
        // Another edit makes the card anew.
        o.window.document().edit("up", [](Project& p) -> Result<void> {
            p.sources[0].import_settings.up = UpAxis::z;
            return {};
        });
        QCOMPARE(o.project().sources[0].import_settings.scale, 1.0);
        auto* now = qobject_cast<NumberField*>(o.window.focusWidget());
        QVERIFY(now && now != scale);
        QCOMPARE(now->text(), "0.2");
        QTest::keyClick(now, Qt::Key_Return);
        QCOMPARE(o.project().sources[0].import_settings.scale, 0.2);
        // Undo with text in the field: the text is entered first, and is what is undone.
        auto* name = named<QLineEdit>(o.window.gather(), "Name of the source");
        name->setFocus();
        name->selectAll();
        QTest::keyClicks(name, "heron");
        QTest::keyClick(&o.window, Qt::Key_Z, Qt::ControlModifier);
        QVERIFY(o.project().sources[0].name != "heron");
        // New with text in the field, and its source gone.
        name = named<QLineEdit>(o.window.gather(), "Name of the source");
        name->setFocus();
        name->selectAll();
        QTest::keyClicks(name, "lantern of the heron");
        answer_next_box("Discard changes");
        QTest::keyClick(&o.window, Qt::Key_N, Qt::ControlModifier);
        QTRY_VERIFY(o.project().sources.empty());
    }
};

GARLAND_TEST_CASE(KeyboardTest)
#include "keyboard_test.moc"
