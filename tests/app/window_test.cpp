// The window, driven as a person drives it: real drops, clicks, drags, keys; then the model and the pixels.
#include "support/case.h"
#include "support/files.h"
#include "support/notation.h"

#include "app/driving.h"

#include "app/lanes/lanes_view.h"
#include "app/panels/arrange/arrange_panel.h"
#include "app/panels/check/check_panel.h"
#include "app/panels/gather/gather_panel.h"
#include "app/panels/handoff/handoff_panel.h"
#include "app/panels/loop/loop_panel.h"
#include "app/panels/retime/retime_panel.h"
#include "app/panels/vary/vary_panel.h"
#include "app/scene_view/scene_view.h"
#include "app/shell/main_window.h"
#include "app/theme/ramp.h"
#include "app/theme/tokens.h"
#include "io/files/series.h"
#include "io/handoff/bake.h"
#include "io/ply/ply.h"
#include "io/project/project_file.h"

#include <QAbstractItemView>
#include <QApplication>
#include <QCheckBox>
#include <QComboBox>
#include <QDropEvent>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QMenuBar>
#include <QMessageBox>
#include <QMimeData>
#include <QPushButton>
#include <QRegularExpression>
#include <QSignalSpy>
#include <QToolButton>
#include <QTreeWidget>

using namespace garland;
using namespace garland::testing;

namespace {

// Whatever words are to be seen in a window: labels, buttons, lists, fields.
QStringList words_seen(QWidget& in) {
    QStringList all;
    for (auto* w : in.findChildren<QWidget*>()) {
        if (!w->isVisible()) continue;
        if (auto* label = qobject_cast<QLabel*>(w)) all << label->text();
        if (auto* button = qobject_cast<QAbstractButton*>(w)) all << button->text();
        if (auto* field = qobject_cast<QLineEdit*>(w)) all << field->text();
        if (auto* box = qobject_cast<QComboBox*>(w)) {
            for (int i = 0; i < box->count(); ++i) all << box->itemText(i);
        }
        if (auto* list = qobject_cast<QAbstractItemView*>(w); list && list->model()) {
            for (int i = 0; i < list->model()->rowCount(); ++i) all << list->model()->index(i, 0).data().toString();
        }
    }
    return all;
}

} // namespace

namespace {

// Calls with the name of each step, and of each tab of those that have some, while it is shown.
void in_every_view(Opened& o, const std::function<void(const QString&)>& look) {
    for (int step = 0; step < step_count; ++step) {
        o.window.set_step(step);
        if (step == 2) { // with the loops it finds
            auto& loop = *o.window.findChild<LoopPanel*>();
            QTRY_VERIFY_WITH_TIMEOUT(loop.exact() && loop.seam(), patience * 10000);
        }
        look(QString::number(step));
        if (step == 1) {
            for (const char* tab : {"phrases", "before and after", "beats", "camera", "timings", "keys"}) {
                click_tab(o.window.retime(), tab);
                look(tab);
            }
        }
        if (step == 4) {
            for (const char* tab : {"zones", "pulse", "sound", "meet", "spreads"}) {
                click_tab(o.window.vary(), tab);
                look(tab);
            }
        }
    }
}

} // namespace

class WindowTest : public QObject {
    Q_OBJECT
  private slots:
    // The whole way: drop a file, hold a pose, string copies, vary, check, write, read back, compare with the trace.
    void from_a_dropped_file_to_a_written_series() {
        Folder folder;
        write_column(folder);
        MainWindow window;
        window.resize(1280, 800);
        window.show();
        QVERIFY(QTest::qWaitForWindowExposed(&window));
        activate(window);
        QVERIFY(window.start_shown());
        QTRY_VERIFY(all_text(window).contains("Drop files here"));
        drop(window,
             {QString::fromStdString(folder / "column.0010.ply"), QString::fromStdString(folder / "column.0011.ply")});
        QTRY_COMPARE_WITH_TIMEOUT(window.document().project().sources.size(), std::size_t(1),
                                  patience * 10000); // two files, one source
        QCOMPARE(window.step(), 0);
        QTRY_VERIFY(all_text(window.gather()).contains("moving mesh · PLY series · frames 0–47 (48)"));

        QTest::keyClick(&window, Qt::Key_2, Qt::AltModifier);
        QCOMPARE(window.step(), 1);
        window.viewing().set_frame(20);
        QTest::keyClick(&window, Qt::Key_H, Qt::ShiftModifier);
        QCOMPARE(window.document().project().timings[0].map.keys.size(), std::size_t(2)); // choosing holds nothing yet
        type(window.retime(), "Frames to hold", "10");                                    // and Return does
        QCOMPARE(map_text(window.document().project().timings[0].map), "1:0 20:19 30:19 58:47");
        click_tab(window.retime(), "before and after");
        auto* after = named<QComboBox>(window.retime(), "After the timing");
        choose_at(*after, 2);
        QCOMPARE(window.document().project().timings[0].after.mode, OutsideMode::there_and_back);

        QTest::keyClick(&window, Qt::Key_4, Qt::AltModifier);
        type(window.arrange(), "Copies", "9");
        type(window.arrange(), "Spacing", "80 cm");
        QCOMPARE(window.document().project().arrangements[0].layout.spacing, 0.8);
        QCOMPARE(window.document().show()->copies(), 9);

        QTest::keyClick(&window, Qt::Key_6, Qt::AltModifier);
        QTRY_VERIFY_WITH_TIMEOUT(all_text(window.check()).contains("c1") || all_text(window.check()).contains("c01"),
                                 patience * 5000);
        QCOMPARE(window.rail().button(5)->badge(), 1); // nine copies in step
        click(window.check(), "Show");
        QCOMPARE(window.viewing().selection().size(), std::size_t(9));

        QTest::keyClick(&window, Qt::Key_5, Qt::AltModifier);
        click(window.vary(), "Add delay");
        auto* driver = named<QComboBox>(window.vary(), "Driver");
        choose_at(*driver, 1);
        type(window.vary(), "To", "4f");
        QVERIFY2(all_text(window.vary()).contains("every copy <b>4 frames later</b>"),
                 qPrintable(all_text(window.vary())));
        QTest::mouseClick(window.rail().button(5), Qt::LeftButton);
        QTRY_VERIFY2_WITH_TIMEOUT(all_text(window.check()).contains("Nothing found."),
                                  qPrintable(QString::number(window.step()) + all_text(window.check())), 5000);
        QCOMPARE(window.rail().button(5)->badge(), 0);

        QTest::mouseClick(window.rail().button(6), Qt::LeftButton);
        window.handoff().set_folder(QString::fromStdString(folder / "out"));
        type(window.handoff(), "First frame to write", "28");
        type(window.handoff(), "Last frame to write", "33");
        QTRY_VERIFY_WITH_TIMEOUT(all_text(window.handoff()).contains("6 files, about"), patience * 5000);
        activate(window);
        QSignalSpy written(&window.handoff(), &HandoffPanel::written);
        QTest::keyClick(&window, Qt::Key_Return, Qt::ControlModifier);
        QVERIFY(written.wait(20000));
        QTRY_VERIFY(all_text(window.handoff()).contains("Verified: every file"));

        for (int f = 28; f <= 33; ++f) {
            const auto back = read_ply(folder / ("out/" + numbered("copies.", f, 4, ".ply")));
            QVERIFY(back);
            QCOMPARE((*back)->points.size(), std::size_t(9 * 24));
            for (int c = 0; c < 9; ++c) {
                const auto t = trace(*window.document().show(), c, OutputFrame(f));
                const double lean = 0.15 + 0.012 * t->values.moment.source * 1.0; // the top row's first point
                const double x = window.document().show()->arrangements[0].places[c].position.x + lean;
                QVERIFY(close((*back)->points[c * 24 + 20].x, x, 1e-4));
                QCOMPARE((*back)->attributes[0].whole[static_cast<std::size_t>(c) * 24], c + 1);
            }
        }
        // Writing again keeps what is complete.
        QTest::keyClick(&window, Qt::Key_Return, Qt::ControlModifier);
        QTRY_VERIFY_WITH_TIMEOUT(all_text(window.handoff()).contains("6 of them were complete and are kept"),
                                 patience * 5000);
        window.document().undo().setClean();
    }

    void a_finding_is_ignored_with_a_reason_and_reported_again() {
        Opened o(4);
        o.window.set_step(5);
        QTRY_VERIFY_WITH_TIMEOUT(all_text(o.window.check()).contains("show the same pose"), patience * 5000);
        const int before = o.window.rail().button(5)->badge();
        click(o.window.check(), "Ignore");
        QTRY_VERIFY_WITH_TIMEOUT(all_text(o.window.check()).contains("Ignored"), patience * 5000);
        QCOMPARE(o.window.rail().button(5)->badge(), before - 1);
        type(o.window.check(), "Why it is ignored", "one flock");
        QTRY_COMPARE(o.project().settings.ignored.at(0).reason, std::string("one flock"));
        click(o.window.check(), "Report again");
        QTRY_VERIFY_WITH_TIMEOUT(o.project().settings.ignored.empty() && o.window.rail().button(5)->badge() == before,
                                 patience * 5000);
        for (int i = 0; i < 3; ++i) o.window.document().undo().undo();
        QVERIFY(o.project().settings.ignored.empty());
    }
    void a_source_is_stood_up_and_scaled() {
        Opened o;
        o.window.set_step(0);
        settle();
        auto* up = named<QComboBox>(o.window.gather(), "Up axis");
        choose_at(*up, 1);
        type(o.window.gather(), "Scale", "0.5");
        QVERIFY(o.project().sources[0].import_settings.up == UpAxis::z &&
                o.project().sources[0].import_settings.scale == 0.5);
        o.wait_for_scene();
        // The column rose to y = 1; now it lies along −z, half as long.
        const auto& box = o.window.scene_view().scene()->poses[0]->box;
        QVERIFY(close(box.min.z, -0.5, 1e-5) && close(box.max.z, 0, 1e-5));
        QVERIFY(box.max.y < 0.2);
        while (o.window.document().undo().canUndo()) o.window.document().undo().undo();
        o.wait_for_scene();
        QVERIFY(close(o.window.scene_view().scene()->poses[0]->box.max.y, 1, 1e-5));
    }

    void a_fast_copy_takes_the_sources_place() {
        Opened o;
        o.window.document().library().fast_copy(o.project().sources[0].id,
                                                {o.folder / "fast", NpyType::f32, true, Existing::replace});
        QTRY_COMPARE_WITH_TIMEOUT(QFileInfo(QString::fromStdString(o.project().sources[0].path)).fileName(), "fast.ply",
                                  patience * 10000);
        QVERIFY(!o.project().sources[0].first); // the copy keeps the frames' numbers itself
        QTRY_COMPARE(o.window.document().library().open().begin()->second.source->facts().format,
                     "PLY and NumPy array, fast copy");
        o.wait_for_scene();
        QVERIFY(close(o.window.scene_view().scene()->poses[0]->box.max.y, 1, 1e-5));
    }

    void the_time_map_is_edited_by_mouse() {
        Opened o;
        o.window.set_step(1);
        auto& view = o.window.retime().map();
        settle();
        auto at = [&](double t, double s) { return view.axes().at(OutputFrame(t), SourceFrame(s)); };
        QTest::mouseDClick(&view, Qt::LeftButton, {}, at(24, 30).toPoint());
        QCOMPARE(o.map().keys.size(), std::size_t(3));
        const Key added = o.map().keys[1];
        QVERIFY(close(added.at.value, 24, 1) && close(added.source.value, 30, 1));
        drag(view, at(added.at.value, added.source.value), at(31, 12));
        QVERIFY(close(o.map().keys[1].at.value, 31, 1) && close(o.map().keys[1].source.value, 12, 1));
        QCOMPARE(o.map().keys[1].at.value, std::round(o.map().keys[1].at.value)); // whole frames
        QCOMPARE(o.window.document().undo().count(), 2);                          // the drag is one step
        QTest::keyClick(&view, Qt::Key_Right, Qt::AltModifier);
        QVERIFY(close(o.map().keys[1].at.value, 32, 1));
        type(o.window.retime(), "Output frame of the key", "30.5");
        type(o.window.retime(), "Source frame of the key", "0.5 s");
        QCOMPARE(map_text(o.map()), "1:0 30.5:12 48:47");
        auto* toward = named<QComboBox>(o.window.retime(), "Towards the next key");
        choose_at(*toward, 2);
        QCOMPARE(map_text(o.map()), "1:0 30.5:12~ 48:47");
        // A key cannot be dragged past its neighbour.
        drag(view, at(30.5, 12), at(200, 12));
        QVERIFY(validate(o.map()).has_value());
        QCOMPARE(o.map().keys[1].at.value, 47.0);
        view.setFocus();
        QTest::keyClick(&view, Qt::Key_Delete);
        QCOMPARE(map_text(o.map()), "1:0 48:47");
        while (o.window.document().undo().canUndo()) o.window.document().undo().undo();
        QCOMPARE(map_text(o.map()), "1:0 48:47");
        // A press beside the keys moves the playhead, and the readout follows.
        QTest::mouseClick(&view, Qt::LeftButton, {}, at(100, 10).toPoint());
        QVERIFY(close(o.window.viewing().frame().value, 100, 1));
    }

    void buttons_do_what_they_say_and_undo() {
        Opened o;
        o.window.set_step(1);
        const std::string before = project_text(o.project());
        o.window.viewing().set_frame(11);
        // An operation is chosen, seen, and applied.
        click(o.window.retime(), "Hold");
        QVERIFY(o.window.retime().map().has_ghost());
        QCOMPARE(map_text(o.map()), "1:0 48:47"); // nothing has happened yet
        click(o.window.retime(), "Hold here");
        QVERIFY(!o.window.retime().map().has_ghost());
        QCOMPARE(map_text(o.map()), "1:0 11:10 23:10 60:47");
        QCOMPARE(o.window.document().undo().undoText(), "Hold source frame 10 for 12 frames at output frame 11");
        QTest::keyClick(&o.window, Qt::Key_V);
        QCOMPARE(map_text(o.map()), "1:47 38:10 50:10 60:0");
        click(o.window.retime(), "Start at");
        click(o.window.retime(), "Start here");
        QCOMPARE(map_text(o.map()), "11:47 48:10 60:10 70:0");
        click(o.window.retime(), "Fit");
        QPushButton* fit = nullptr; // the one that applies it
        for (auto* b : o.window.retime().findChildren<QPushButton*>("primary")) {
            if (b->isVisible()) fit = b;
        }
        QVERIFY(fit && fit->text() == "Fit");
        QTest::mouseClick(fit, Qt::LeftButton);
        QCOMPARE(map_text(o.map()), "1:0 240:47");
        for (int i = 0; i < 4; ++i) QTest::keyClick(&o.window, Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(project_text(o.project()), before); // byte for byte
        QTest::keyClick(&o.window, Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
        QCOMPARE(map_text(o.map()), "1:0 11:10 23:10 60:47");
        QTest::keyClick(&o.window, Qt::Key_PageDown);
        QCOMPARE(o.window.viewing().frame().value, 23.0);
        QTest::keyClick(&o.window, Qt::Key_PageUp);
        QCOMPARE(o.window.viewing().frame().value, 11.0);
    }

    void the_loom_picks_and_nudges() {
        Opened o;
        auto& lanes = o.window.lanes();
        const auto& l = lanes.layout_now();
        QTest::mouseClick(&lanes, Qt::LeftButton, {},
                          QPoint(static_cast<int>(l.x_of(120)), static_cast<int>(l.y_of(3) + 4)));
        QCOMPARE(o.window.viewing().current_copy(), 3);
        QVERIFY(close(o.window.viewing().frame().value, 120, 1));
        const double y = l.y_of(5) + 4, ten = 10 / l.frames_per_pixel();
        drag(lanes, QPointF(l.x_of(60), y), QPointF(l.x_of(60) + ten, y));
        const auto& nudges = o.project().arrangements[0].by_hand.nudges;
        QCOMPARE(nudges.size(), std::size_t(1));
        QCOMPARE(nudges[0].copy.value, std::uint64_t(5));
        QVERIFY(close(nudges[0].frames, 10, 1));
        QCOMPARE(o.window.document().show()->arrangements[0].clocks[5].delay, nudges[0].frames);
        QCOMPARE(o.window.document().undo().count(), 1);
        lanes.setFocus();
        QTest::keyClick(&lanes, Qt::Key_N, Qt::ShiftModifier);
        QVERIFY(close(o.project().arrangements[0].by_hand.nudges[0].frames, 9, 1));
        QTest::mouseDClick(&lanes, Qt::LeftButton, {}, QPoint(l.names - 10, static_cast<int>(y)));
        QVERIFY(o.project().arrangements[0].by_hand.nudges.empty());
    }

    // However many digits their names have, the words beside them begin after them.
    void names_of_many_copies_keep_clear_of_their_words() {
        Opened o;
        auto& lanes = o.window.lanes();
        for (const int count : {12, 120, 12'345, 99'999}) {
            QVERIFY(o.window.document().edit("copies", [&](Project& p) -> Result<void> {
                p.arrangements[0].layout.kind = ArrangementKind::line, p.arrangements[0].layout.count = count;
                p.arrangements[0].layout.spacing = 0.01, p.arrangements[0].layout.swag.sag = 0;
                return {};
            }));
            QTRY_VERIFY2(o.window.document().show()->copies() >= count, qPrintable(QString::number(count)));
            const std::int64_t copies = o.window.document().show()->copies();
            const QImage picture = lanes.grab().toImage();
            const auto& l = lanes.layout_now();
            const QString name = QString::fromStdString(copy_name(copies - 1, copies));
            const int end = 14 + QFontMetrics(text_font(8)).horizontalAdvance(name);
            auto ink = [&](int from, int to) { // of row 1 on: the first may be highlighted
                int n = 0;
                for (int y = static_cast<int>(l.y_of(1)) + 1; y < static_cast<int>(l.y_of(5)); ++y) {
                    for (int x = from; x < to; ++x) n += picture.pixel(x, y) != picture.pixel(end + 3, y);
                }
                return n;
            };
            QVERIFY2(ink(end + 2, end + 5) == 0, qPrintable(name)); // nothing between them
            QVERIFY2(ink(14, end) > 50 && ink(end + 6, l.names - 14) > 50, qPrintable(name));
        }
        o.window.document().undo().setClean();
    }

    void lanes_show_a_part_of_the_range_closer() {
        Opened o;
        auto& lanes = o.window.lanes();
        const auto& l = lanes.layout_now();
        const FrameRange range = o.project().settings.range;
        auto button = [&] {
            for (auto* b : lanes.findChildren<QToolButton*>())
                if (b->text() == "all frames") return b;
            return static_cast<QToolButton*>(nullptr);
        };
        QVERIFY(button() && !button()->isVisible());
        auto wheel = [&](QPointF at, int steps, Qt::KeyboardModifiers with) {
            QWheelEvent event(at, lanes.mapToGlobal(at), {}, {0, 120 * steps}, Qt::NoButton, with, Qt::NoScrollPhase,
                              false);
            QApplication::sendEvent(&lanes, &event);
        };
        // Nearer at the pointer, by the wheel over the rows and over the frame numbers.
        const QPointF at(l.x_of(90), l.y_of(3));
        const double height = l.row_height;
        wheel(at, 5, Qt::ControlModifier | Qt::ShiftModifier);
        QVERIFY(lanes.zoomed());
        QVERIFY(close(l.frame_at(at.x()), 90, 1e-9));
        QVERIFY(close(l.high - l.low, static_cast<double>(range.count() - 1) * std::pow(0.87, 5), 1e-6));
        QCOMPARE(l.row_height, height); // rows stay as tall as they were
        const double seen = l.high - l.low;
        wheel({at.x(), lanes.height() - 20.0}, 2, {});
        QVERIFY(close(l.high - l.low, seen * 0.87 * 0.87, 1e-6));
        settle();
        QVERIFY(button()->isVisible());

        // Colours are of the frames that are seen now.
        o.window.viewing().set_frame(std::round(l.low));
        const Ramp& ramp = Ramp::get(RampKind::sequential);
        auto wrong = [&]() -> QString {
            const QImage image = lanes.grab().toImage();
            const double r = image.devicePixelRatio();
            for (double share : {0.2, 0.5, 0.8}) {
                const double f = l.low + share * (l.high - l.low);
                const QColor is(image.pixel(static_cast<int>(l.x_of(f) * r), static_cast<int>((l.y_of(2) + 2) * r)));
                const auto t = trace(*o.window.document().show(), 2, OutputFrame(f));
                const QColor should(ramp.at(t->values.moment.source / 47));
                if (std::abs(is.red() - should.red()) + std::abs(is.green() - should.green()) +
                        std::abs(is.blue() - should.blue()) >
                    24)
                    return QString("frame %1: %2, not %3").arg(f).arg(is.name(), should.name());
            }
            return {};
        };
        QTRY_COMPARE(wrong(), QString());

        o.window.viewing().set_frame(std::round(l.low) + 3); // in view: the rows need no new picture
        QVERIFY(!lanes.stale());

        // A nudge goes by the frames of now: closer, the same way of the hand is fewer frames.
        const double y = l.y_of(5) + 4, x = l.x_of(std::round((l.low + l.high) / 2)), three = 3 / l.frames_per_pixel();
        drag(lanes, QPointF(x, y), QPointF(x + three, y));
        QCOMPARE(o.project().arrangements[0].by_hand.nudges.size(), std::size_t(1));
        QCOMPARE(o.project().arrangements[0].by_hand.nudges[0].frames, 3.0);
        QVERIFY(lanes.zoomed()); // an edit does not lose the place

        // A playhead that leaves the view takes the view along; the scroll bar and Shift with the wheel slide it.
        o.window.viewing().set_frame(static_cast<double>(range.last));
        QVERIFY(l.low <= static_cast<double>(range.last) && close(l.high, static_cast<double>(range.last), 1e-6));
        const double low = l.low;
        wheel(at, 1, Qt::ShiftModifier);
        QVERIFY(l.low < low);
        for (auto* bar : lanes.findChildren<QScrollBar*>()) {
            if (bar->accessibleName() != "Scroll in time") continue;
            QVERIFY(bar->isVisible());
            bar->setValue(bar->minimum());
        }
        QVERIFY(close(l.low, static_cast<double>(range.first), 1e-6));

        // By keyboard: + and − around the playhead, 0 for all.
        lanes.setFocus();
        const double now = l.high - l.low;
        o.window.viewing().set_frame(std::round((l.low + l.high) / 2));
        QTest::keyClick(&lanes, Qt::Key_Plus);
        QVERIFY(close(l.high - l.low, now * 0.8, 1e-6));
        QTest::keyClick(&lanes, Qt::Key_Minus);
        QVERIFY(close(l.high - l.low, now, 1e-6));
        QTest::mouseClick(button(), Qt::LeftButton);
        QVERIFY(!lanes.zoomed());
        QCOMPARE(l.low, static_cast<double>(range.first));
        QCOMPARE(l.high, static_cast<double>(range.last));
        QTest::keyClick(&lanes, Qt::Key_Plus);
        QVERIFY(lanes.zoomed());
        QTest::keyClick(&lanes, Qt::Key_0);
        QVERIFY(!lanes.zoomed());

        // A shorter range: what is seen stays within it.
        QTest::keyClick(&lanes, Qt::Key_Plus);
        o.window.document().edit("range", [](Project& p) -> Result<void> {
            p.settings.range = {1, 20};
            return {};
        });
        QVERIFY(l.low >= 1 && l.high <= 20);
    }

    void the_loom_shows_source_frames_as_colours() {
        Opened o(6);
        auto& lanes = o.window.lanes();
        o.window.document().edit("delay", [&](Project& p) -> Result<void> {
            Spread s;
            s.id = SpreadId(p.next_id++);
            s.by.kind = Driver::order_step;
            s.to = 20;
            p.arrangements[0].spreads = {s};
            p.timings[0].before.mode = OutsideMode::absent;
            return {};
        });
        const auto& l = lanes.layout_now();
        const Ramp& ramp = Ramp::get(RampKind::sequential);
        QImage image;
        auto pixel = [&](int row, double frame) {
            const double r = image.devicePixelRatio();
            return QColor(image.pixel(static_cast<int>(l.x_of(frame) * r), static_cast<int>((l.y_of(row) + 2) * r)));
        };
        auto near_colour = [](const QColor& a, const QColor& b) {
            return std::abs(a.red() - b.red()) + std::abs(a.green() - b.green()) + std::abs(a.blue() - b.blue()) < 24;
        };
        auto wrong = [&]() -> QString {
            image = lanes.grab().toImage();
            for (int row = 0; row < 6; ++row) {
                for (double f : {30.0, 75.0, 110.0, 140.0}) {
                    const auto t = trace(*o.window.document().show(), row, OutputFrame(f));
                    const QColor expected = t->values.moment.has(mark_absent)
                                                ? tokens().panel
                                                : QColor(ramp.at(t->values.moment.source / 47));
                    if (!near_colour(pixel(row, f), expected))
                        return QString("row %1 frame %2: %3, not %4")
                            .arg(row)
                            .arg(f)
                            .arg(pixel(row, f).name(), expected.name());
                }
            }
            return {};
        };
        QTRY_COMPARE(wrong(), QString()); // strips are painted by threads
    }

    void the_stage_draws_and_picks() {
        Opened o(5);
        if (!o.window.scene_view().has_graphics()) { // the window is there all the same, and says why the Scene is not
            QTRY_VERIFY(
                all_text(o.window.scene_view()).contains("The Scene needs OpenGL, which is not available here"));
            return;
        }
        o.window.scene_view().fit_all();
        o.wait_for_scene();
        QCOMPARE(o.window.scene_view().scene()->copies.size(), std::size_t(5));
        QCOMPARE(o.window.scene_view().scene()->poses.size(), std::size_t(1)); // all alike: one pose
        auto* canvas = o.window.scene_view().findChild<SceneCanvas*>();
        wait_painted(*canvas);
        const QImage image = canvas->grab_picture();
        const V3d place = o.window.document().show()->arrangements[0].places[3].position +
                          V3d(0, 0.06, 0); // low, where it hardly leans
        const QVector4D clip =
            o.window.scene_view().orbit().projection(canvas->size()) * o.window.scene_view().orbit().view() *
            QVector4D(static_cast<float>(place.x), static_cast<float>(place.y), static_cast<float>(place.z), 1);
        const QPoint at(static_cast<int>((clip.x() / clip.w() + 1) / 2 * canvas->width()),
                        static_cast<int>((1 - clip.y() / clip.w()) / 2 * canvas->height()));
        const QColor seen = image.pixelColor(at * image.devicePixelRatio());
        QVERIFY2(seen.red() > seen.blue() + 40, qPrintable(seen.name())); // the column's own orange
        QTest::mouseClick(canvas, Qt::LeftButton, {}, at);
        QCOMPARE(o.window.viewing().selection(), std::set<std::int64_t>{3});
        QTest::mouseClick(canvas, Qt::LeftButton, {}, QPoint(4, 60));
        QVERIFY(o.window.viewing().selection().empty());

        // Coloured by source frame: the ramp's colour for the frame that the trace says.
        QTest::keyClick(&o.window, Qt::Key_C);
        QCOMPARE(o.window.viewing().colour(), ColourMode::source_frame);
        o.window.viewing().set_frame(48);
        o.wait_for_scene();
        wait_painted(*canvas);
        const QColor late = canvas->grab_picture().pixelColor(at * image.devicePixelRatio());
        const QColor ramp(Ramp::get(RampKind::sequential).at(1));
        QVERIFY2(std::abs(late.hueF() - ramp.hueF()) < 0.06f, qPrintable(late.name() + " " + ramp.name()));
        const Camera before = o.window.scene_view().orbit().camera;
        drag(*canvas, QPointF(200, 200), QPointF(260, 210));
        QVERIFY(o.window.scene_view().orbit().camera.azimuth != before.azimuth);
        QCOMPARE(o.window.document().undo().count(), 0); // looking around is no edit
    }

    void fields_are_dragged_typed_and_refused() {
        Opened o;
        o.window.set_step(3);
        auto* count = named<NumberField>(o.window.arrange(), "Copies");
        QVERIFY(count);
        if (QApplication::focusWidget()) QApplication::focusWidget()->clearFocus();
        drag(*count, QPointF(20, 8), QPointF(60, 8));
        QCOMPARE(o.project().arrangements[0].layout.count, 22);
        QCOMPARE(o.window.document().undo().count(), 1);
        type(o.window.arrange(), "Copies", "many");
        QCOMPARE(count->value(), 22.0);
        type(o.window.arrange(), "Copies", "0"); // held at the least
        QCOMPARE(o.project().arrangements[0].layout.count, 1);
        count->setFocus();
        QTest::keyClick(count, Qt::Key_Up);
        QTest::keyClick(count, Qt::Key_Up, Qt::ShiftModifier);
        QCOMPARE(o.project().arrangements[0].layout.count, 12);
        // Plain keys typed into a field are text, not commands.
        const auto keys = o.map().keys.size();
        QTest::keyClicks(count, "h");
        QCOMPARE(o.map().keys.size(), keys);
        // A grid of too many is refused in words, and the old one stays.
        auto* kinds = o.window.arrange().findChild<Segments*>();
        QTest::mouseClick(kinds->button(1), Qt::LeftButton);
        QCOMPARE(o.project().arrangements[0].layout.kind, ArrangementKind::grid);
        type(o.window.arrange(), "Rows", "99999");
        QVERIFY(o.window.notices().texts().join(' ').contains(
            QString::fromUtf8("more than one arrangement may have (100\u00a0000)")));
        QCOMPARE(o.project().arrangements[0].layout.rows, 3);
    }

    void thousands_of_copies_share_poses() {
        Opened o(1);
        o.window.document().edit("many", [](Project& p) -> Result<void> {
            Arrangement& a = p.arrangements[0];
            a.layout.kind = ArrangementKind::grid;
            a.layout.columns = 100, a.layout.rows = 50;
            Spread s;
            s.id = SpreadId(p.next_id++);
            s.to = 23;
            a.spreads = {s};
            return {};
        });
        o.window.viewing().set_frame(40);
        o.wait_for_scene();
        QCOMPARE(o.window.scene_view().scene()->copies.size(), std::size_t(5000));
        QVERIFY(o.window.scene_view().scene()->poses.size() <= 24);
        o.window.lanes().set_fit(true);
        QTRY_VERIFY(all_text(o.window.lanes()).contains("5000 copies in"));
        QVERIFY(!o.window.lanes().grab().isNull());
    }

    void projects_are_saved_opened_and_guarded() {
        Opened o(4);
        auto& document = o.window.document();
        document.edit("three", [](Project& p) -> Result<void> {
            p.arrangements[0].layout.count = 3;
            return {};
        });
        QVERIFY(document.dirty());
        QVERIFY(o.window.windowTitle().contains("edited"));
        // Closing with changes asks; going back keeps everything.
        answer_next_box("Go back");
        QVERIFY(!o.window.close());
        QVERIFY(document.save(QString::fromStdString(o.folder / "fest.garland")));
        QVERIFY(!document.dirty());
        QVERIFY(o.folder.read("fest.garland").find("\"path\": \"column.0003.ply\"") != std::string::npos);
        document.undo().undo();
        QVERIFY(document.dirty());
        document.undo().redo();
        QVERIFY(!document.dirty());
        const Project saved = document.project();

        QSignalSpy opened(&document, &Document::opened);
        o.window.open(QString::fromStdString(o.folder / "fest.garland"));
        QVERIFY(opened.wait(5000));
        QVERIFY(document.project() == saved);
        QCOMPARE(o.window.step(), 1);
        QVERIFY(!document.undo().canUndo());

        // A newer file is refused; what is open stays open.
        o.folder.write("newer.garland", "{\"garland\": 7}");
        o.window.open(QString::fromStdString(o.folder / "newer.garland"));
        QTRY_VERIFY(o.window.notices().texts().join(' ').contains("newer Garland"));
        QVERIFY(document.project() == saved);
    }

    void a_missing_cache_is_said_and_found() {
        Opened o(4);
        auto& document = o.window.document();
        QVERIFY(document.save(QString::fromStdString(o.folder / "fest.garland")));
        Folder elsewhere;
        QVERIFY(QFile::copy(QString::fromStdString(o.folder / "fest.garland"),
                            QString::fromStdString(elsewhere / "fest.garland")));
        QSignalSpy opened(&document, &Document::opened);
        o.window.open(QString::fromStdString(elsewhere / "fest.garland"));
        QVERIFY(opened.wait(5000));
        QCOMPARE(document.library().missing().size(), std::size_t(1));
        QTRY_VERIFY(o.window.notices().texts().join(' ').contains("is not there"));
        o.window.set_step(0);
        QTRY_VERIFY(button(o.window.gather(), "Find the files…"));
        const TimeMap before = o.map();
        document.library().replace(o.project().sources[0].id, QString::fromStdString(o.folder / "column.0000.ply"));
        QTRY_VERIFY_WITH_TIMEOUT(document.library().missing().empty(), patience * 5000);
        o.wait_for_scene();
        QCOMPARE(o.window.scene_view().scene()->copies.size(), std::size_t(4));
        QVERIFY(o.map() == before); // all rules are kept
        document.undo().setClean();
    }

    void bad_files_are_told_and_change_nothing() {
        Opened o(2);
        o.folder.write("broken.ply", "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nend_header\n");
        o.folder.write("song.mp3", "la la");
        const std::string before = project_text(o.project());
        drop(o.window,
             {QString::fromStdString(o.folder / "broken.ply"), QString::fromStdString(o.folder / "song.mp3")});
        QTRY_VERIFY(o.window.notices().texts().join(' ').contains("broken.ply"));
        QTRY_VERIFY(o.window.notices().texts().join(' ').contains("\".mp3\" are not read"));
        QCOMPARE(project_text(o.project()), before);
    }

    void a_frame_that_breaks_is_told_on_the_stage() {
        Opened o(1);
        o.folder.write("column.0030.ply", "ply\n");
        o.window.viewing().set_frame(31);
        QTRY_VERIFY_WITH_TIMEOUT(all_text(o.window.scene_view()).contains("column.0030.ply, frame 30"),
                                 patience * 5000);
        o.window.viewing().set_frame(20);
        QTRY_VERIFY_WITH_TIMEOUT(!all_text(o.window.scene_view()).contains("column.0030.ply"), patience * 5000);
    }

    void playing_runs_and_stops() {
        Opened o(3);
        o.window.lanes().setFocus();
        QTest::keyClick(&o.window, Qt::Key_Space);
        QVERIFY(o.window.viewing().playing());
        QTRY_VERIFY_WITH_TIMEOUT(o.window.viewing().frame().value > 3, patience * 3000);
        QTest::keyClick(&o.window, Qt::Key_Space);
        QVERIFY(!o.window.viewing().playing());
        QTest::keyClick(&o.window, Qt::Key_End);
        QCOMPARE(o.window.viewing().frame().value, 240.0);
        QTest::keyClick(&o.window, Qt::Key_Left, Qt::ShiftModifier);
        QCOMPARE(o.window.viewing().frame().value, 230.0);
    }

    void a_touchpad_zooms_and_slides() {
        Opened o(60);
        o.window.set_step(1);
        settle();
        const QPointingDevice* pad = QPointingDevice::primaryPointingDevice();
        auto pinch = [&](QWidget& on, double by) {
            const QPointF at(on.width() / 2.0, on.height() / 2.0);
            QNativeGestureEvent event(Qt::ZoomNativeGesture, pad, 2, at, at, on.mapToGlobal(at), by, {});
            QApplication::sendEvent(&on, &event);
            QVERIFY(event.isAccepted());
        };
        auto slide = [&](QWidget& on, QPoint by) {
            const QPointF at(on.width() / 2.0, on.height() / 2.0);
            QWheelEvent event(at, on.mapToGlobal(at), by, by * 8, Qt::NoButton, Qt::NoModifier, Qt::ScrollUpdate,
                              false);
            QApplication::sendEvent(&on, &event);
            QVERIFY(event.isAccepted());
        };
        auto& map = o.window.retime().map();
        const double span = map.axes().out_high - map.axes().out_low, low = map.axes().out_low;
        pinch(map, 0.25);
        QVERIFY(close((map.axes().out_high - map.axes().out_low) * 1.25, span, 1e-9));
        const double middle = map.axes().out(map.width() / 2.0).value;
        slide(map, {40, 0});
        QVERIFY(close((middle - map.axes().out(map.width() / 2.0).value) / (map.axes().out_high - map.axes().out_low) *
                          map.axes().plot.width(),
                      40, 1e-6)); // what lay under the fingers goes along
        QVERIFY(map.axes().out_low != low);
        auto& lanes = o.window.lanes();
        const double row = lanes.layout_now().row_height;
        pinch(lanes, 0.5);
        QVERIFY(close(lanes.layout_now().row_height, row * 1.5, 1e-9));
        slide(lanes, {0, -static_cast<int>(3.5 * lanes.layout_now().row_pixels())});
        QCOMPARE(lanes.layout_now().scroll, 3.0); // whole rows; the half one waits
        if (!o.window.scene_view().has_graphics()) return;
        auto* canvas = o.window.scene_view().findChild<SceneCanvas*>();
        const Camera before = o.window.scene_view().orbit().camera;
        pinch(*canvas, 0.25);
        QVERIFY(close(o.window.scene_view().orbit().camera.distance * 1.25, before.distance, 1e-9));
        const V3d target = o.window.scene_view().orbit().camera.target;
        slide(*canvas, {30, 10});
        QVERIFY((o.window.scene_view().orbit().camera.target - target).length() > 0.01);
        QCOMPARE(o.window.scene_view().orbit().camera.azimuth, before.azimuth);
    }
    void every_step_and_control_has_a_name_and_a_tip() {
        Opened o(2);
        for (int step = 0; step < step_count; ++step) {
            QTest::mouseClick(o.window.rail().button(step), Qt::LeftButton);
            QCOMPARE(o.window.step(), step);
            settle();
            for (auto* w : o.window.findChildren<QWidget*>()) {
                const bool control =
                    qobject_cast<QAbstractButton*>(w) || qobject_cast<QComboBox*>(w) || qobject_cast<NumberField*>(w);
                if (!control || !w->isVisible() || w->objectName().startsWith("qt_") ||
                    qobject_cast<QMenuBar*>(w->parentWidget()))
                    continue;
                auto* b = qobject_cast<QAbstractButton*>(w);
                QVERIFY2(!w->accessibleName().isEmpty() || (b && !b->text().isEmpty()), w->metaObject()->className());
                QVERIFY2(!w->toolTip().isEmpty(), qPrintable(w->accessibleName() + (b ? b->text() : QString()) +
                                                             " in step " + QString::number(step)));
            }
        }
    }

    void the_window_fits_1280_by_800_in_both_looks() {
        Opened o(8);
        for (Look look : {Look::paper, Look::night}) {
            apply_look(look);
            settle();
            for (int step = 0; step < step_count; ++step) {
                o.window.set_step(step);
                settle();
                QVERIFY2(o.window.minimumSizeHint().width() <= 1280 && o.window.minimumSizeHint().height() <= 760,
                         qPrintable(QString("step %1 needs %2 × %3")
                                        .arg(step)
                                        .arg(o.window.minimumSizeHint().width())
                                        .arg(o.window.minimumSizeHint().height())));
            }
        }
        QTest::keyClick(&o.window, Qt::Key_F8);
        QVERIFY(!o.window.retime().isVisible() && !o.window.lanes().isVisible() && o.window.scene_view().isVisible());
        QTest::keyClick(&o.window, Qt::Key_F8);
        QVERIFY(o.window.lanes().isVisible());
    }
    // In every step and tab, at whatever pixel ratio this runs with (see tests/CMakeLists.txt): 1280 × 720 at 3 is a 4K
    // screen at 300 %.
    void no_text_is_cut() {
        Opened o(12);
        o.window.resize(1280, 720);
        o.wait_for_scene();
        QStringList cut;
        int seen = 0;
        auto look = [&](const QString& where) {
            settle();
            for (QTreeWidget* list : o.window.findChildren<QTreeWidget*>()) {
                if (!list->isVisible()) continue;
                for (int line = -1; line < list->topLevelItemCount(); ++line) { // −1: their heads
                    for (int column = 0; column < list->columnCount(); ++column) {
                        const QString text = (line < 0 ? list->headerItem() : list->topLevelItem(line))->text(column);
                        const int wide = line < 0 ? list->header()->sectionSizeHint(column)
                                                  : list->fontMetrics().horizontalAdvance(text),
                                  room = list->columnWidth(column);
                        ++seen;
                        if (wide > room)
                            cut << QString("%1: \"%2\" needs %3, has %4").arg(where, text).arg(wide).arg(room);
                    }
                }
            }
            for (QWidget* w : o.window.findChildren<QWidget*>()) {
                if (!w->isVisible() || w->visibleRegion().isEmpty()) continue;
                QString text;
                int wide = 0, room = w->width();
                if (auto* label = qobject_cast<QLabel*>(w); label && !label->wordWrap() && label->pixmap().isNull()) {
                    text = label->text(), wide = label->sizeHint().width();
                } else if (auto* button = qobject_cast<QAbstractButton*>(w)) {
                    text = button->text(), wide = button->sizeHint().width();
                } else if (auto* field = qobject_cast<NumberField*>(w)) {
                    text = field->text(), wide = field->fontMetrics().horizontalAdvance(text);
                } else if (auto* box = qobject_cast<QComboBox*>(w)) {
                    text = box->currentText(), wide = box->fontMetrics().horizontalAdvance(text);
                    QStyleOptionComboBox look_of;
                    look_of.initFrom(box);
                    room = box->style()
                               ->subControlRect(QStyle::CC_ComboBox, &look_of, QStyle::SC_ComboBoxEditField, box)
                               .width();
                }
                if (text.isEmpty()) continue;
                ++seen;
                if (wide > room + 1) cut << QString("%1: \"%2\" needs %3, has %4").arg(where, text).arg(wide).arg(room);
            }
        };
        in_every_view(o, look);
        QVERIFY2(cut.isEmpty(), qPrintable(cut.join('\n')));
        QVERIFY2(seen > 300, qPrintable(QString::number(seen)));
    }
    // A minus is U+2212, as long as a plus; a hyphen is shorter and stands between words (The Unicode Standard 15.0,
    // section 6.2, "Dashes and Hyphens").
    void negative_numbers_carry_a_true_minus() {
        Opened o(4);
        o.window.document().edit("below nothing", [](Project& p) -> Result<void> {
            p.settings.range = {-24, 24};
            p.settings.markers = {{OutputFrame(-6), "bell"}};
            p.timings[0].map.keys.front().at = OutputFrame(-12);
            for (Target target : {Target::delay, Target::speed, Target::size, Target::turn}) {
                Spread s;
                s.id = SpreadId(p.next_id++);
                s.target = target, s.from = -9, s.to = -2;
                p.arrangements[0].spreads.push_back(s);
            }
            return {};
        });
        o.window.viewing().set_frame(-7);
        o.wait_for_scene();
        static const QRegularExpression hyphen(R"((^|[\s(\[>])-\d)");
        int minuses = 0;
        QStringList hyphens;
        auto look = [&](const QString& where) {
            settle();
            for (const QString& words : words_seen(o.window)) {
                if (hyphen.match(words).hasMatch()) hyphens << where + ": " + words;
                minuses += static_cast<int>(words.count(QChar(0x2212)));
            }
        };
        in_every_view(o, look);
        QVERIFY2(hyphens.isEmpty(), qPrintable(hyphens.join('\n')));
        QVERIFY2(minuses > 20, qPrintable(QString::number(minuses)));
        // Steps of the history too.
        o.window.set_step(4);
        settle();
        type(o.window.vary(), "From", "-3");
        QVERIFY2(!hyphen.match(o.window.document().undo().undoText()).hasMatch(),
                 qPrintable(o.window.document().undo().undoText()));
    }
};
GARLAND_TEST_CASE(WindowTest)
#include "window_test.moc"
