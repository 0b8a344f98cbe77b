// The Loop step as a person drives it: the picture, candidates, closing, playing across the wrap.
#include "driving.h"

#include "app/panels/check/check_panel.h"
#include "app/panels/loop/found_loops.h"
#include "app/panels/loop/loop_panel.h"

using namespace garland;
using namespace garland::testing;

namespace {

struct AtLoop : Opened {
    LoopPanel& panel;
    AtLoop() : Opened(3), panel(*window.findChild<LoopPanel*>()) {
        window.set_step(2);
        QTRY_VERIFY_WITH_TIMEOUT(panel.exact() && panel.seam(), patience * 10000);
    }
    const SourceSpec& source() { return project().sources.front(); }
    QPointF place(std::int64_t start, std::int64_t end) const {
        const MatchLayout l = panel.match().layout_now();
        return {l.x_of(start), l.y_of(end)};
    }
};

void pick(QWidget& in, const QString& box, const QString& text) {
    choose(in, box, text);
}

double brightness(QRgb c) {
    return qRed(c) + qGreen(c) + qBlue(c);
}

} // namespace

class LoopStepTest : public QObject {
    Q_OBJECT
  private slots:
    void a_source_that_loops_as_it_is_says_so() {
        // A wheel of 48 frames: the pose after the last is the first.
        Folder folder;
        for (int f = 0; f < 48; ++f) {
            Pose pose = tetrahedron();
            const double a = 2 * M_PI * f / 48;
            for (V3f& p : pose.points)
                p = V3f(static_cast<float>(p.x * std::cos(a) + p.z * std::sin(a)), p.y,
                        static_cast<float>(p.z * std::cos(a) - p.x * std::sin(a)));
            QVERIFY(
                write_ply(folder / numbered("wheel.", f, 4, ".ply"), pose, PlyForm::little_endian, Existing::replace));
        }
        MainWindow window;
        window.resize(1280, 800);
        window.show();
        QVERIFY(QTest::qWaitForWindowExposed(&window));
        activate(window);
        window.document().library().add(QString::fromStdString(folder / "wheel.0000.ply"));
        QTRY_COMPARE_WITH_TIMEOUT(window.document().project().sources.size(), std::size_t(1), patience * 10000);
        window.set_step(2);
        auto& panel = *window.findChild<LoopPanel*>();
        QTRY_VERIFY_WITH_TIMEOUT(panel.own().has_value(), patience * 10000);
        QTRY_VERIFY(all_text(panel).contains("It loops as it is: frames 0 to 47, period 48 frames"));
        click(panel, "Let it repeat");
        const Timing& t = window.document().project().timings[0];
        QVERIFY(t.after.mode == OutsideMode::repeat && t.before.mode == OutsideMode::repeat && !t.last_is_first);
        QCOMPARE(TimingPlan(t).at(OutputFrame(49)).source, 0.0);
        window.document().undo().undo();
        QVERIFY(window.document().project().timings[0].after.mode == OutsideMode::hold);
        window.document().undo().setClean();
    }
    void frames_lie_where_the_picture_says() {
        const MatchLayout l{30, 20, 240, 100, 48};
        QCOMPARE(l.frame_at(l.pixel_of(100)), 100);
        QCOMPARE(l.frame_at(l.pixel_of(131)), 131);
        QCOMPARE(l.frame_at(1e9), 147);
        const auto [early, late] = l.pair_at(l.x_of(140), l.y_of(104));
        QVERIFY(early == 104 && late == 140);
        QVERIFY(!l.contains(29, 50) && l.contains(30, 20) && !l.contains(270, 50));
        QCOMPARE(MatchLayout::mark_step(48, 6), 10);
        QCOMPARE(MatchLayout::mark_step(700, 6), 200);
        QCOMPARE(MatchLayout::mark_step(4, 6), 1);
    }
    void like_frames_are_dark_and_loops_are_listed() {
        AtLoop o;
        QVERIFY(!o.panel.candidates().empty());
        QVERIFY(o.panel.draft().length >= 12);
        const QImage picture = o.panel.match().grab().toImage();
        auto at = [&](std::int64_t x, std::int64_t y) {
            return brightness(picture.pixel((o.place(x, y) * picture.devicePixelRatio()).toPoint()));
        };
        QVERIFY(at(20, 20) < at(20, 26)); // the column leans further each frame: the farther, the lighter
        QVERIFY(at(20, 26) < at(20, 44));
        QVERIFY(at(2, 46) > at(20, 26));
        QVERIFY(all_text(o.panel).contains("48 frames compared, all points"));
        QVERIFY(all_text(o.panel).contains("usual steps"));
    }
    void a_line_of_the_list_chooses_its_loop() {
        AtLoop o;
        auto& list = *o.panel.findChild<FoundLoops*>();
        const auto found = o.panel.candidates();
        QCOMPARE(list.topLevelItemCount(), static_cast<int>(found.size()));
        QVERIFY(found.size() > 1);
        QCOMPARE(list.headerItem()->text(4), QString("usual steps"));
        for (std::size_t i = 0; i < found.size(); ++i) {
            const QTreeWidgetItem& line = *list.topLevelItem(static_cast<int>(i));
            QCOMPARE(line.text(0), QString("%1 f").arg(found[i].start));
            QCOMPARE(line.text(1), QString("%1 f").arg(found[i].start + found[i].length));
            QCOMPARE(line.text(2), QString("%1 f").arg(found[i].length));
            QCOMPARE(line.text(4), QString::number(found[i].steps, 'f', 2));
        }
        QTest::mouseClick(list.viewport(), Qt::LeftButton, {}, list.visualItemRect(list.topLevelItem(1)).center());
        QCOMPARE(o.panel.draft().start, found[1].start);
        QCOMPARE(o.panel.draft().length, found[1].length);
        QVERIFY(list.topLevelItem(1)->isSelected() && !list.topLevelItem(0)->isSelected());
        list.setFocus(); // and by the keyboard
        QTest::keyClick(&list, Qt::Key_Up);
        QTest::keyClick(&list, Qt::Key_Return);
        QCOMPARE(o.panel.draft().start, found[0].start);
        // No line is out of sight, and a loop that is none of them marks none.
        QVERIFY(list.viewport()->rect().contains(
            list.visualItemRect(list.topLevelItem(list.topLevelItemCount() - 1)).center()));
        click_at(o.panel.match(), o.place(14, 40));
        const bool among = std::any_of(found.begin(), found.end(),
                                       [](const LoopCandidate& c) { return c.start == 14 && c.length == 26; });
        QCOMPARE(!list.selectedItems().isEmpty(), among);
    }
    void a_click_into_the_picture_chooses_and_the_loop_is_closed() {
        AtLoop o;
        click_at(o.panel.match(), o.place(14, 40));
        QCOMPARE(o.panel.draft().start, 14);
        QCOMPARE(o.panel.draft().length, 26);
        QTRY_VERIFY(o.panel.seam());
        const Seam seam = *o.panel.seam();
        QVERIFY(seam.step_before > 10 * seam.usual && seam.step_after < 6 * seam.usual);
        const int steps = o.window.document().undo().count();
        click(o.panel, "Close the loop");
        QVERIFY(o.source().closing && o.source().closing->start == 14);
        QCOMPARE(o.window.document().undo().count(), steps + 1);
        QVERIFY(o.project().timings[0].after.mode == OutsideMode::repeat && o.project().timings[0].last_is_first);
        QVERIFY(all_text(o.panel).contains("Closed: frames 14 to 40, 26 long"));
        // The Lanes's picture comes round: the same colours 26 frames later, and no end to tell from a beginning.
        const ShowPtr show = o.window.document().show();
        QCOMPARE(show->samplers.at(o.source().id).clock().file_last, 40);
        QVERIFY(seamless(show->arrangements[0]));
        // What is closed follows its fields at once, a step each; what does not fit is refused with its reason.
        type(o.panel, "Overlap", "6");
        QCOMPARE(o.source().closing->overlap, 6);
        type(o.panel, "Start", "2");
        QCOMPARE(o.source().closing->start, 14);
        pick(o.panel, "Blend the ends", "spread the gap");
        QVERIFY(o.source().closing->way == ClosingWay::spread_gap);
        o.window.document().undo().undo();
        QVERIFY(o.source().closing->way == ClosingWay::end_fade);
        click(o.panel, "Undo closing");
        QVERIFY(!o.source().closing);
        QVERIFY(!o.project().timings[0].last_is_first);
        o.window.document().undo().undo();
        QVERIFY(o.source().closing);
    }
    void what_does_not_fit_says_so_before_it_is_closed() {
        AtLoop o;
        click_at(o.panel.match(), o.place(20, 40));
        type(o.panel, "Start", "3");
        QVERIFY(all_text(o.panel).contains("start 9 frames later, or overlap less"));
        QVERIFY(!named<QPushButton>(o.panel, "Close the loop")->isEnabled());
        type(o.panel, "Overlap", "2");
        QVERIFY(named<QPushButton>(o.panel, "Close the loop")->isEnabled());
    }
    void arrows_move_both_ends() {
        AtLoop o;
        click_at(o.panel.match(), o.place(20, 40));
        QTest::keyClick(&o.panel.match(), Qt::Key_Right);
        QCOMPARE(o.panel.draft().start, 21);
        QCOMPARE(o.panel.draft().length, 19);
        QTest::keyClick(&o.panel.match(), Qt::Key_Down);
        QCOMPARE(o.panel.draft().length, 20);
    }
    void the_wrap_plays_over_and_over() {
        AtLoop o;
        click_at(o.panel.match(), o.place(14, 40));
        click(o.panel, "Close the loop");
        Viewing& viewing = o.window.viewing();
        viewing.set_frame(20);
        click(o.panel, "Play across the seam");
        QVERIFY(viewing.playing() && viewing.playing_part());
        const FrameRange part = *viewing.playing_part();
        QVERIFY(part.contains(27) && part.count() <= 25); // the first wrap at or after frame 20: 1 + 26
        for (int moves = 0; moves < 3; ++moves) {
            const double before = viewing.frame().value;
            QTRY_VERIFY(viewing.frame().value != before);
            QVERIFY(part.contains(viewing.frame().value));
        }
        QTest::keyClick(&o.window, Qt::Key_Space, Qt::ShiftModifier);
        QVERIFY(!viewing.playing());
        viewing.play(true);
        QVERIFY(!viewing.playing_part()); // Space plays the whole range again
        viewing.play(false);
    }
    void check_finds_a_seam_and_leads_to_its_mend() {
        AtLoop o;
        o.window.document().edit("Repeat", [](Project& p) -> Result<void> {
            p.timings[0].after = {OutsideMode::repeat, 0};
            return {};
        });
        o.window.set_step(5);
        auto& check = *o.window.findChild<CheckPanel*>();
        QTRY_VERIFY_WITH_TIMEOUT(all_text(check).contains("jumps at its seam"), patience * 10000);
        click(check, "Close it…");
        QVERIFY(o.panel.isVisible());
    }
    void twins_count_standing_copies_only_when_asked() {
        AtLoop o;
        o.window.document().edit("Hold", [](Project& p) -> Result<void> {
            p.timings[0].before = p.timings[0].after = {OutsideMode::hold, 0};
            p.settings.range = {p.settings.range.last + 400,
                                p.settings.range.last + 500}; // long after the timing's end
            return {};
        });
        o.window.set_step(5);
        auto& check = *o.window.findChild<CheckPanel*>();
        QTRY_VERIFY_WITH_TIMEOUT(check.report() && !all_text(check).contains("looking"), patience * 10000);
        QCOMPARE(check.report()->count(FindingKind::twins), std::size_t(0));
        QTest::mouseClick(check.findChild<QCheckBox*>("twins_only_moving"), Qt::LeftButton, {}, {8, 8});
        QTRY_VERIFY_WITH_TIMEOUT(all_text(check).contains("show the same pose for"), patience * 10000);
        QVERIFY(check.report()->count(FindingKind::twins) > 0);
        QVERIFY(!o.window.document().project().settings.twins_only_moving);
        o.window.document().undo().undo();
        QTRY_VERIFY_WITH_TIMEOUT(!all_text(check).contains("show the same pose for"), patience * 10000);
        QVERIFY(check.findChild<QCheckBox*>("twins_only_moving")->isChecked());
    }
};
GARLAND_TEST_CASE(LoopStepTest)
#include "loop_test.moc"
