// The Retime step in the real window: keys in three views, every operation, phrases, beats, the camera, shared timings,
// curve files, second pose, wobble. Undo brings back the project byte for byte.
#include "app/driving.h"

#include "app/lanes/lanes_view.h"
#include "app/panels/arrange/arrange_panel.h"
#include "app/panels/retime/retime_panel.h"
#include "app/theme/tokens.h"
#include "io/project/project_file.h"
#include "io/tables/curve_file.h"

#include <QCheckBox>
#include <QComboBox>
#include <QListWidget>

using namespace garland;
using namespace garland::testing;

namespace {

struct AtRetime : Opened {
    RetimePanel& panel = window.retime();
    TimeMapView& view = panel.map();
    AtRetime() {
        window.set_step(1);
        settle();
    }
    const Timing& timing() { return project().timings[0]; }
    std::string text() { return project_text(project()); }
    QPointF at(double t, double s) { return view.axes().at(OutputFrame(t), SourceFrame(s)); }
    void set(const Timing& timing) {
        window.document().edit("set", [&](Project& p) -> Result<void> {
            Timing next = timing;
            next.id = p.timings[0].id;
            p.timings[0] = next;
            return {};
        });
    }
    QPushButton* primary() {
        for (auto* b : panel.findChildren<QPushButton*>("primary")) {
            if (b->isVisible()) return b;
        }
        return nullptr;
    }
    QString words() { // what the chosen operation says it will do
        for (auto* l : panel.operations().findChildren<QLabel*>("note")) {
            if (l->isVisible()) return l->text();
        }
        return {};
    }
    QListWidget& list(const QString& name) {
        for (auto* l : panel.findChildren<QListWidget*>()) {
            if (l->accessibleName() == name) return *l;
        }
        qFatal("no list called %s", qPrintable(name));
    }
    void undo_all() {
        while (window.document().undo().canUndo()) window.document().undo().undo();
    }
};

// How many pixels of a colour (nearly) a widget shows.
int count_pixels(QWidget& widget, const QColor& colour, const QRect& where = {}) {
    const QImage image = widget.grab(where.isNull() ? widget.rect() : where).toImage();
    int n = 0;
    for (int y = 0; y < image.height(); ++y) {
        for (int x = 0; x < image.width(); ++x) {
            const QColor c = image.pixelColor(x, y);
            n += std::abs(c.red() - colour.red()) + std::abs(c.green() - colour.green()) +
                     std::abs(c.blue() - colour.blue()) <
                 30;
        }
    }
    return n;
}

} // namespace

class RetimeTest : public QObject {
    Q_OBJECT
  private slots:
    void every_operation_shows_itself_and_undoes() {
        AtRetime o;
        o.set(timing_of("1:0 48:47"));
        o.window.document().undo().clear();
        struct Case {
            OperationKind kind;
            QString begins;
        };
        const Case cases[] = {{OperationKind::hold, "Hold source frame 19 for 12 frames at output frame 20"},
                              {OperationKind::freeze, "Freeze source frame 19 from output frame 20 on"},
                              {OperationKind::reverse, "Reverse the timing"},
                              {OperationKind::fit, "Fit source frames 0 to 47 onto output frames 1 to 240, at 0.197×"},
                              {OperationKind::speed, "Play the timing at 0.5× its speed"},
                              {OperationKind::slow, "Slow to 0.5× between output frames 20 to 44, ramps of 12 frames"},
                              {OperationKind::ramp, "Ramp from full speed to 0× between output frames 20 to 44"},
                              {OperationKind::start, "Hold the first pose until output frame 20, then play"},
                              {OperationKind::trim, "Keep only output frames 1 to 48"}};
        o.window.viewing().set_frame(20);
        for (const Case& c : cases) {
            const std::string before = o.text();
            const int without = count_pixels(o.view, tokens().ok);
            o.panel.choose(c.kind);
            QVERIFY2(o.words().startsWith(c.begins), qPrintable(o.words()));
            QVERIFY(o.view.has_ghost());
            // Its effect is seen before it is applied (trimming to all changes nothing to be seen).
            if (c.kind != OperationKind::trim) QVERIFY(count_pixels(o.view, tokens().ok) > without + 20);
            QCOMPARE(o.text(), before);
            QVERIFY(o.primary() && o.primary()->isEnabled());
            QTest::mouseClick(o.primary(), Qt::LeftButton);
            QVERIFY(!o.view.has_ghost());
            if (c.kind == OperationKind::trim) continue;
            QVERIFY2(o.text() != before, qPrintable(c.begins));
            QVERIFY(o.window.document().undo().undoText().startsWith(c.begins));
            const std::string after = o.text();
            QTest::keyClick(&o.window, Qt::Key_Z, Qt::ControlModifier);
            QCOMPARE(o.text(), before);
            QTest::keyClick(&o.window, Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
            QCOMPARE(o.text(), after);
            QTest::keyClick(&o.window, Qt::Key_Z, Qt::ControlModifier);
        }
    }
    void an_impossible_operation_says_why_and_cannot_be_applied() {
        AtRetime o;
        o.window.viewing().set_frame(5);
        QTest::keyClick(&o.window, Qt::Key_B); // slow between: its ramp would start before the timing
        QVERIFY2(o.words().contains("before the timing does"), qPrintable(o.words()));
        QVERIFY(!o.primary()->isEnabled());
        type(o.panel, "Frames of each ramp", "2");
        QVERIFY(o.timing().map.keys.size() > 2); // Return has applied it
        o.undo_all();
        o.panel.choose(OperationKind::trim);
        const std::string before = o.text();
        type(o.panel, "To output frame", "-5");
        QVERIFY2(o.words().contains("ends before it starts"), qPrintable(o.words()));
        QCOMPARE(o.text(), before);
    }
    void picked_keys_are_the_stretch() {
        AtRetime o;
        o.set(timing_of("1:0 10:9 20:30 40:40"));
        o.window.document().undo().clear();
        drag(o.view, o.at(8, 4), o.at(23, 35), Qt::ShiftModifier); // a box around two keys
        QCOMPARE(o.view.picked(), (PickedKeys{1, 2}));
        QVERIFY(count_pixels(o.view, tokens().rose) > 60);
        QTest::keyClick(&o.window, Qt::Key_V); // reverses what is picked
        QVERIFY(close(source_at(o.timing(), 10), 30, 1e-9));
        QVERIFY(close(source_at(o.timing(), 20), 9, 1e-9));
        QVERIFY(close(source_at(o.timing(), 40), 40, 1e-9));
    }
    void several_keys_move_copy_paste_and_scale() {
        AtRetime o;
        o.set(timing_of("1:0 10:9 20:20 40:40"));
        o.window.document().undo().clear();
        o.view.setFocus();
        QTest::mouseClick(&o.view, Qt::LeftButton, {}, o.at(10, 9).toPoint());
        QTest::mouseClick(&o.view, Qt::LeftButton, Qt::ControlModifier, o.at(20, 20).toPoint());
        QCOMPARE(o.view.picked(), (PickedKeys{1, 2}));
        drag(o.view, o.at(10, 9), o.at(15, 9) + QPointF(0, 1));
        QCOMPARE(map_text(o.timing().map), "1:0 15:9 25:20 40:40");
        QCOMPARE(o.window.document().undo().count(), 1); // the drag is one step
        o.view.setFocus();
        QTest::keyClick(&o.view, Qt::Key_Up, Qt::AltModifier);
        QCOMPARE(map_text(o.timing().map), "1:0 15:10 25:21 40:40");
        QTest::keyClick(&o.view, Qt::Key_C, Qt::ControlModifier);
        o.window.viewing().set_frame(60);
        QTest::keyClick(&o.view, Qt::Key_V, Qt::ControlModifier);
        QCOMPARE(map_text(o.timing().map), "1:0 15:10 25:21 40:40 60:10 70:21");
        QCOMPARE(o.view.picked(), (PickedKeys{4, 5}));
        type(o.panel, "Time factor", "2");
        click(o.panel, "Scale");
        QCOMPARE(map_text(o.timing().map), "1:0 15:10 25:21 40:40 60:10 80:21");
        o.view.setFocus();
        QTest::keyClick(&o.view, Qt::Key_Delete);
        QCOMPARE(map_text(o.timing().map), "1:0 15:10 25:21 40:40");
        QTest::keyClick(&o.view, Qt::Key_A, Qt::ControlModifier);
        QCOMPARE(o.view.picked().size(), 4u);
        QVERIFY(o.window.viewing().selection().empty()); // Ctrl+A meant keys, not copies
        QTest::keyClick(&o.view, Qt::Key_Delete);        // the last key cannot go
        QCOMPARE(o.timing().map.keys.size(), 4u);
        QVERIFY(o.window.notices().isVisible());
    }
    void speed_keys_are_another_view_of_the_same_timing() {
        AtRetime o;
        const std::string before = o.text();
        click_tab(o.panel, "speed");
        QCOMPARE(o.view.view(), MapView::speed);
        QCOMPARE(o.text(), before); // looking changes nothing
        QVERIFY(!o.view.keys_are_own());
        QTest::mouseDClick(&o.view, Qt::LeftButton, {}, o.at(24, 0.5).toPoint());
        QCOMPARE(o.timing().form, TimingForm::speeds);
        QVERIFY(o.window.document().undo().undoText().contains("kept as speed keys now: exact"));
        QCOMPARE(o.timing().speeds.keys.size(), 3u);
        QVERIFY(close(o.timing().speeds.keys[1].speed, 0.5, 0.051));
        type(o.panel, "Source frame of the key", "0.25"); // the field is the speed here
        QCOMPARE(o.timing().speeds.keys[1].speed, 0.25);
        const double shown = source_at(o.timing(), 30);
        click_tab(o.panel, "position");
        QVERIFY(
            all_text(o.panel).contains("Kept as speed keys; the first change here keeps it as position keys: exact"));
        QTest::mouseDClick(&o.view, Qt::LeftButton, {}, o.at(70, 10).toPoint());
        QCOMPARE(o.timing().form, TimingForm::positions);
        QVERIFY(close(source_at(o.timing(), 30), shown, 1e-9));
        o.undo_all();
        QCOMPARE(o.text(), before);
    }
    void free_slopes_have_handles() {
        AtRetime o;
        o.set(timing_of("1:0 24:20 48:47"));
        QTest::mouseClick(&o.view, Qt::LeftButton, {}, o.at(24, 20).toPoint());
        auto* toward = named<QComboBox>(o.panel, "Towards the next key");
        choose_at(*toward, 3);
        QCOMPARE(o.timing().map.keys[1].toward, Toward::free);
        const double slope = 27.0 / 24; // nothing jumped: it kept the slope it had
        QVERIFY(close(o.timing().map.keys[1].leave, slope, 1e-6));
        // The handle is found where it is drawn: 46 pixels along the slope.
        const double across = o.at(25, 0).x() - o.at(24, 0).x(), up = o.at(24, 0).y() - o.at(24, 1).y();
        QPointF along(across, -slope * up);
        along *= 46 / std::hypot(along.x(), along.y());
        drag(o.view, o.at(24, 20) + along, o.at(24, 20) + QPointF(60, 0));
        QVERIFY2(std::abs(o.timing().map.keys[1].leave) < 0.1,
                 qPrintable(QString::number(o.timing().map.keys[1].leave)));
        QVERIFY(close(slope_at(o.timing(), 24), o.timing().map.keys[1].leave, 1e-9));
    }
    void several_keys_get_one_number_or_change_by_as_much() {
        AtRetime o;
        o.set(timing_of("1:0 11:10 21:20 31:30"));
        click_tab(o.panel, "keys");
        o.view.pick({1, 2});
        auto* value = named<NumberField>(o.panel, "Source frame of the key");
        QCOMPARE(value->value(), 10.0); // the first one's
        type(o.panel, "Source frame of the key", "12");
        QCOMPARE(map_text(o.map()), "1:0 11:12 21:12 31:30");
        o.window.document().undo().undo();
        QCOMPARE(map_text(o.map()), "1:0 11:10 21:20 31:30");
        o.view.pick({1, 2});
        value->setFocus();
        value->selectAll();
        QTest::keyClicks(value, "13.5");
        QTest::keyClick(value, Qt::Key_Return, Qt::ShiftModifier);
        QCOMPARE(map_text(o.map()), "1:0 11:13.5 21:23.5 31:30");
        QTest::keyClick(value, Qt::Key_Up);
        QTest::keyClick(value, Qt::Key_Up);
        QCOMPARE(map_text(o.map()), "1:0 11:15.5 21:25.5 31:30");
        type(o.panel, "Output frame of the key", "14"); // the others come along
        QCOMPARE(map_text(o.map()), "1:0 14:15.5 24:25.5 31:30");
        QCOMPARE(o.view.picked(), (PickedKeys{1, 2}));
        type(o.panel, "Output frame of the key", "40"); // beyond a key that stays: refused, and nothing changed
        QCOMPARE(map_text(o.map()), "1:0 14:15.5 24:25.5 31:30");
    }
    void several_phrases_change_together() {
        AtRetime o;
        o.set(phrases_of("0-15 3-19 20-30"));
        click_tab(o.panel, "phrases");
        auto* list = named<QListWidget>(o.panel, "Phrases");
        auto row = [&](int i) { return list->visualItemRect(list->item(i)).center(); };
        QTest::mouseClick(list->viewport(), Qt::LeftButton, Qt::NoModifier, row(0));
        QTest::mouseClick(list->viewport(), Qt::LeftButton, Qt::ControlModifier, row(2));
        type(o.panel, "Speed of the phrase", "0.5");
        auto speeds = [&] {
            std::vector<double> out;
            for (const Phrase& p : o.timing().phrases.list) out.push_back(p.speed);
            return out;
        };
        QCOMPARE(speeds(), (std::vector<double>{0.5, 1, 0.5}));
        QCOMPARE(list->selectedItems().size(), 2); // the list was filled anew
        auto* speed = named<NumberField>(o.panel, "Speed of the phrase");
        QTest::mouseClick(list->viewport(), Qt::LeftButton, Qt::ControlModifier, row(1));
        speed->setFocus();
        const double shown = speed->value();
        QTest::keyClick(speed, Qt::Key_Up); // each by as much
        const double by = speed->value() - shown;
        QVERIFY(by > 0);
        QCOMPARE(speeds(), (std::vector<double>{0.5 + by, 1 + by, 0.5 + by}));
        o.window.document().undo().undo();
        QCOMPARE(speeds(), (std::vector<double>{0.5, 1, 0.5}));
        list->clearSelection();
        QTest::mouseClick(list->viewport(), Qt::LeftButton, Qt::NoModifier, row(0));
        QTest::mouseClick(list->viewport(), Qt::LeftButton, Qt::ShiftModifier, row(1));
        click(o.panel, "Remove 2");
        QCOMPARE(o.timing().phrases.list.size(), std::size_t(1));
        QCOMPARE(o.timing().phrases.list[0].first.value, 20.0);
        QVERIFY(!button(o.panel, "Remove")->isEnabled()); // a list has at least one
    }
    void keys_snap_to_beats_and_markers() {
        AtRetime o;
        const int map_before = count_pixels(o.view, tokens().ok),
                  loom_before = count_pixels(o.window.lanes(), tokens().ok);
        o.window.document().edit("beats", [](Project& p) -> Result<void> {
            p.settings.tempo = {true, 100, OutputFrame(1), 4}; // 14.4 frames a beat
            p.settings.markers = {{OutputFrame(60.5), "drum"}};
            return {};
        });
        QTest::mouseDClick(&o.view, Qt::LeftButton, {}, o.at(24, 30).toPoint());
        drag(o.view, o.at(o.map().keys[1].at.value, o.map().keys[1].source.value), o.at(29.7, 30));
        QVERIFY(close(o.map().keys[1].at.value, 1 + 2 * 14.4, 1e-9));
        drag(o.view, o.at(48, 47), o.at(60.9, 47));
        QVERIFY(close(o.map().keys[2].at.value, 60.5, 1e-9));
        // Beats and markers are drawn on the map and the Lanes.
        QVERIFY(count_pixels(o.view, tokens().ok) > map_before + 15);
        QVERIFY(count_pixels(o.window.lanes(), tokens().ok) > loom_before + 15);
    }
    void phrases_are_listed_dragged_and_stretched_to_the_beat() {
        AtRetime o;
        click_tab(o.panel, "beats");
        type(o.panel, "Beats per minute", "96");
        QVERIFY(o.project().settings.tempo.on);
        click_tab(o.panel, "phrases");
        click(o.panel, "Convert to phrases");
        QCOMPARE(o.timing().form, TimingForm::phrases);
        type(o.panel, "First source frame of the phrase", "0");
        type(o.panel, "Last source frame of the phrase", "14");
        click(o.panel, "Add hold");
        auto& list = o.list("Phrases");
        QCOMPARE(list.count(), 2);
        QCOMPARE(list.currentRow(), 1);
        QCOMPARE(list.item(1)->text(), "2  hold 14 · 12 f · 0.5 s · 0.8 beats · ends at 28 · 3 f before the beat");
        click(o.panel, "Stretch to the beat");
        QCOMPARE(boundaries(o.timing().phrases, false)[2].value, 31.0);
        QVERIFY(all_text(o.panel).contains("every boundary on its beat"));
        click(o.panel, "Add");
        type(o.panel, "First source frame of the phrase", "15");
        type(o.panel, "Last source frame of the phrase", "40");
        type(o.panel, "Speed of the phrase", "0.5");
        type(o.panel, "Cross-fade", "1 beats");
        auto* direction = named<QComboBox>(o.panel, "Direction");
        choose_at(*direction, 1);
        QCOMPARE(o.timing().phrases.list[2].direction, Direction::backward);
        QCOMPARE(o.timing().phrases.list[2].fade, 15.0);
        // Dragged to the top.
        const auto before = o.timing().phrases.list;
        QVERIFY(list.model()->moveRow({}, 2, {}, 0));
        QTRY_COMPARE(o.timing().phrases.list[0], before[2]);
        QCOMPARE(o.timing().phrases.list[1], before[0]);
        QVERIFY(list.item(0)->text().startsWith("1  40 to 15 backward"));
        click_tab(o.panel, "keys");
        click(o.panel, "Convert to position keys");
        QCOMPARE(o.timing().form, TimingForm::positions);
        QVERIFY(o.window.document().undo().undoText().contains("the cross-fades are gone"));
        o.undo_all();
        QCOMPARE(o.timing().form, TimingForm::positions);
        QCOMPARE(map_text(o.map()), "1:0 48:47");
    }
    void a_slider_has_keys_of_its_own() {
        AtRetime o;
        click_tab(o.panel, "before and after");
        click(o.panel, "Add a slider");
        QVERIFY(o.timing().slider);
        QCOMPARE(o.view.view(), MapView::slider);
        QTest::mouseDClick(&o.view, Qt::LeftButton, {}, o.at(24, 80).toPoint());
        QCOMPARE(o.timing().slider->keys.size(), 3u);
        QVERIFY(close(o.timing().slider->keys[1].source.value, 80, 1.01));
        drag(o.view, o.at(o.timing().slider->keys[1].at.value, o.timing().slider->keys[1].source.value),
             o.at(24, 160)); // no further than 100 %
        QVERIFY(o.timing().slider->keys[1].source.value <= 100);
        o.window.viewing().set_frame(1);
        const auto traced = trace(*o.window.document().show(), 0, OutputFrame(1));
        QVERIFY(QString::fromStdString(traced->stages[2].words).startsWith("the slider at 0 %"));
        click_tab(o.panel, "position");
        QTest::mouseDClick(&o.view, Qt::LeftButton, {}, o.at(20, 30).toPoint()); // the map itself stays editable
        QCOMPARE(o.timing().map.keys.size(), 3u);
        click(o.panel, "Remove the slider");
        QVERIFY(!o.timing().slider);
    }
    void mistakes_are_drawn_on_the_map() {
        QString said; // outlives the view, which may still speak as it goes
        AtRetime o;
        o.set(timing_of("1:0 60:47"));
        o.view.show_all();
        const int calm = count_pixels(o.view, tokens().alert);
        QVERIFY(o.view.warnings().empty());
        o.set(timing_of("1:0 60:70")); // the source ends at 47
        QCOMPARE(o.view.warnings().size(), 1u);
        QVERIFY(count_pixels(o.view, tokens().alert) > calm + 20);
        connect(&o.view, &TimeMapView::readout, this, [&](const QString& w) { said = w; });
        QTest::mouseMove(&o.view, o.at(100, 20).toPoint());
        QCOMPARE(said, "asks for source frames up to 70, but the source ends at 47");
        o.set(timing_of("1:0 30:30 36:26 60:47"));
        QCOMPARE(o.view.warnings().front().kind, WarningKind::backward);
        QVERIFY(count_pixels(o.view, tokens().alert) > calm + 10);
        o.set(timing_of("1:0 30:10| 31:40 60:47"));
        QCOMPARE(o.view.warnings().front().kind, WarningKind::jump);
        QVERIFY(count_pixels(o.view, tokens().alert) > calm + 10);
    }
    void the_readout_says_what_happens() {
        AtRetime o;
        o.set(timing_of("1:0 15:15 25:15 45:35"));
        auto readout = [&] { return all_text(o.panel); };
        o.window.viewing().set_frame(21);
        QVERIFY2(readout().contains("held at 15 for 10 frames, 4 left"), qPrintable(readout()));
        o.set(timing_of("1:40 81:0"));
        o.window.viewing().set_frame(22);
        QVERIFY2(readout().contains("backward at 0.50×, in-between poses"), qPrintable(readout()));
    }
    void the_camera_goes_round_while_the_pose_holds() {
        AtRetime o;
        o.set(timing_of("1:0 15:14 25:14 58:47"));
        click_tab(o.panel, "camera");
        const Camera start = o.window.viewing().view();
        type(o.panel, "Move from output frame", "15");
        type(o.panel, "Move to output frame", "25");
        type(o.panel, "Turn around the target", "0.5 turn");
        click(o.panel, "Move");
        QCOMPARE(o.project().settings.camera_keys.size(), 2u);
        QVERIFY(o.window.viewing().through_camera());
        o.window.viewing().set_frame(20);
        QVERIFY(close(o.window.scene_view().orbit().camera.azimuth, start.azimuth + 90, 1e-9));
        o.wait_for_scene();
        const auto scene = o.window.scene_view().scene();
        QCOMPARE(scene->copies[0].moment.source, 14.0); // the pose is held
        o.window.viewing().set_frame(25);
        QVERIFY(close(o.window.scene_view().orbit().camera.azimuth, start.azimuth + 180, 1e-9));
        // Turning by hand leaves the camera; the project is not touched.
        const std::string before = o.text();
        o.window.scene_view().orbit().turn(40, 0);
        o.window.scene_view().camera_moved();
        QVERIFY(!o.window.viewing().through_camera());
        o.window.viewing().set_frame(30);
        QVERIFY(std::abs(o.window.scene_view().orbit().camera.azimuth - (start.azimuth + 180)) > 1);
        QCOMPARE(o.text(), before);
        QTest::keyClick(&o.window, Qt::Key_C, Qt::ShiftModifier); // key this view
        QCOMPARE(o.project().settings.camera_keys.size(), 3u);
        QVERIFY(o.window.viewing().through_camera());
        QCOMPARE(o.list("Camera keys").count(), 3);
        o.list("Camera keys").setCurrentRow(2);
        for (auto* b : o.panel.findChildren<QPushButton*>()) {
            if (b->isVisible() && b->text() == "Remove all") QTest::mouseClick(b, Qt::LeftButton);
        }
        QVERIFY(o.project().settings.camera_keys.empty());
        QVERIFY(!o.window.viewing().through_camera());
    }
    void timings_are_shared_and_separated() {
        AtRetime o;
        o.window.document().edit("two", [](Project& p) -> Result<void> {
            Arrangement more = p.arrangements[0];
            more.id = ArrangementId(p.next_id++);
            more.name = "far quay";
            p.arrangements.push_back(more);
            return {};
        });
        click_tab(o.panel, "timings");
        auto& list = o.list("Timings");
        QCOMPARE(list.count(), 1);
        QVERIFY2(list.item(0)->text().contains("used by column, far quay"), qPrintable(list.item(0)->text()));
        o.window.viewing().set_arrangement(o.project().arrangements[1].id);
        click(o.panel, "Make independent");
        QCOMPARE(o.project().timings.size(), 2u);
        QVERIFY(o.project().arrangements[1].timing == o.project().timings[1].id);
        const TimeMap first = o.project().timings[0].map;
        o.window.viewing().set_frame(10);
        QTest::keyClick(&o.window, Qt::Key_H);
        QVERIFY(o.project().timings[0].map == first); // the other does not follow any more
        QVERIFY(!(o.project().timings[1].map == first));
        type(o.panel, "Timing name", "slow");
        list.setCurrentRow(0);
        click(o.panel, "Use this timing");
        QVERIFY(o.project().arrangements[1].timing == o.project().timings[0].id);
        list.setCurrentRow(1);
        QVERIFY(list.item(1)->text().contains("used by nobody"));
        for (auto* b : o.panel.timings().findChildren<QPushButton*>()) {
            if (b->text() == "Remove") QTest::mouseClick(b, Qt::LeftButton);
        }
        QCOMPARE(o.project().timings.size(), 1u);
    }
    void curve_files_come_and_go() {
        AtRetime o;
        o.folder.write("c.csv", "output_frame,source_frame\n1,0\n11,20\n21,4\n");
        o.panel.timings().import_curve(QString::fromStdString(o.folder / "c.csv"));
        QTRY_COMPARE(map_text(o.map()), "1:0 11:20 21:4");
        QVERIFY(o.window.document().undo().undoText().contains("3 keys from 3 rows"));
        o.panel.timings().export_curve(QString::fromStdString(o.folder / "out.json"));
        QTRY_VERIFY(read_curve(o.folder / "out.json").has_value());
        QCOMPARE(map_text(read_curve(o.folder / "out.json")->timing.map), "1:0 11:20 21:4");
        o.folder.write("bad.csv", "output_frame;source_frame\n1;0,5\n");
        o.panel.timings().import_curve(QString::fromStdString(o.folder / "bad.csv"));
        QTRY_VERIFY(all_text(o.window.notices()).contains("line 2"));
        QCOMPARE(map_text(o.map()), "1:0 11:20 21:4"); // nothing lost
        o.panel.timings().export_curve(QString::fromStdString(o.folder / "c.otio"));
        QTRY_VERIFY(o.window.notices().texts().join(" ").contains("only phrases can be written as clips"));
    }
    void a_second_pose_is_laid_over() {
        AtRetime o;
        if (!o.window.scene_view().has_graphics()) QSKIP("no OpenGL here");
        o.window.viewing().set_frame(1);
        o.wait_for_scene();
        QTest::keyClick(&o.window, Qt::Key_O);
        QVERIFY(o.window.viewing().second_pose().has_value());
        type(o.window.scene_view(), "Frame of the second pose", "48");
        QTRY_VERIFY_WITH_TIMEOUT(o.window.scene_view().scene()->second &&
                                     o.window.scene_view().scene()->second->frame.value == 48,
                                 patience * 5000);
        const auto scene = o.window.scene_view().scene();
        // By hand: the column's top (y = 1) leans 0.012 a frame further; RMS over its six rows of equal size.
        const double most = 0.012 * 47;
        QVERIFY(close(scene->gap_most, most, 1e-4));
        double squares = 0;
        for (int r = 0; r < 6; ++r) squares += std::pow(most * r * 0.2, 2) / 6;
        QVERIFY(close(scene->gap_rms, std::sqrt(squares), 1e-4));
        QVERIFY(all_text(o.window.scene_view()).contains("second pose: up to 0.564 m away"));
        QTest::keyClick(&o.window, Qt::Key_O);
        QTRY_VERIFY_WITH_TIMEOUT(!o.window.scene_view().scene()->second, patience * 5000);
    }
    void copies_wobble_and_let_go() {
        AtRetime o;
        o.window.set_step(3);
        settle();
        auto* on = [&]() -> QCheckBox* {
            for (auto* b : o.window.arrange().findChildren<QCheckBox*>()) {
                if (b->text() == "Wobble") return b;
            }
            return nullptr;
        }();
        QVERIFY(on);
        on->click();
        QVERIFY(o.project().arrangements[0].wobble.on);
        type(o.window.arrange(), "Wobble place x", "40 cm");
        QCOMPARE(o.project().arrangements[0].wobble.position, V3d(0.4, 0.1, 0.1));
        type(o.window.arrange(), "Wobble bank", "12");
        QCOMPARE(o.project().arrangements[0].wobble.turn, V3d(0, 0, 12));
        o.window.viewing().set_frame(40);
        o.wait_for_scene();
        const V3f still(o.window.document().show()->arrangements[0].places[0].position);
        const V3f moved = o.window.scene_view().scene()->copies[0].position;
        QVERIFY((moved - still).length() > 0.01);
        auto* end = named<QComboBox>(o.window.arrange(), "How the wobble ends");
        choose_at(*end, 1);
        type(o.window.arrange(), "Wobble at", "20");
        o.wait_for_scene();
        QVERIFY((o.window.scene_view().scene()->copies[0].position - still).length() <
                1e-6); // let go at 20, back by 32
    }
};
GARLAND_TEST_CASE(RetimeTest)
#include "retime_test.moc"
