// Previews in Hand off, keys of an arrangement's place in Arrange, sounds heard with playback.
#include "driving.h"

#include "app/panels/arrange/arrange_panel.h"
#include "app/panels/check/check_panel.h"
#include "app/panels/handoff/handoff_panel.h"
#include "io/files/sound_file.h"

#include <QClipboard>
#include <numbers>

using namespace garland;
using namespace garland::testing;

class PreviewWindowTest : public QObject {
    Q_OBJECT
  private slots:
    void a_quick_look_shows_the_shown_frame() {
        Opened o;
        o.window.set_step(6);
        choose(o.window.handoff(), "What to hand off", "preview");
        PreviewCard& card = o.window.handoff().preview_card();
        QTRY_VERIFY(card.isVisible());
        type(card, "Width in pixels", "160");
        type(card, "Height in pixels", "90");
        o.window.viewing().set_frame(12);
        click(card, "Quick look");
        QTRY_VERIFY_WITH_TIMEOUT(!card.picture().picture().isNull(), patience * 20000);
        QCOMPARE(card.picture().picture().size(), QSize(80, 45));
        QVERIFY(card.picture().accessibleDescription().contains("output frame 12"));
        // It is not one colour: sky, ground and copies.
        std::set<QRgb> colours;
        for (int x = 0; x < 80; x += 3) {
            for (int y = 0; y < 45; y += 3) colours.insert(card.picture().picture().pixel(x, y));
        }
        QVERIFY(colours.size() > 20);
        click(card, "Copy");
        QCOMPARE(QGuiApplication::clipboard()->image().size(), QSize(80, 45));
        o.window.document().undo().setClean();
    }
    void pictures_are_written_kept_played_and_compared() {
        Opened o;
        HandoffPanel& panel = o.window.handoff();
        o.window.set_step(6);
        choose(panel, "What to hand off", "preview");
        PreviewCard& card = panel.preview_card();
        choose(card, "As", "PNG pictures");
        choose(card, "Seen from", "the view in the Scene");
        type(card, "Width in pixels", "64");
        type(card, "Height in pixels", "36");
        type(card, "Samples a pixel", "2");
        panel.set_folder(QString::fromStdString(o.folder / "shots"));
        type(panel, "First frame to write", "3");
        type(panel, "Last frame to write", "6");
        QTRY_VERIFY(all_text(panel).contains("4 files, about"));
        QSignalSpy written(&panel, &HandoffPanel::written);
        click(panel, "Write");
        QTRY_VERIFY_WITH_TIMEOUT(written.count() == 1, patience * 30000);
        QTRY_COMPARE(card.finished(), 4);
        QTRY_VERIFY(all_text(panel).contains("4 frames traced into"));
        QCOMPARE(QImage(QString::fromStdString(o.folder / "shots/copies.0004.png")).size(), QSize(64, 36));
        QVERIFY(card.picture().accessibleDescription().contains("output frame 6"));
        click(card, "Play");
        QTRY_VERIFY(card.picture().accessibleDescription().contains("output frame 4"));
        click(card, "Stop");
        type(panel, "Last frame to write", "8"); // those that are there are kept
        QTRY_VERIFY(all_text(panel).contains("4 of them already exist"));
        click(panel, "Write");
        QTRY_VERIFY_WITH_TIMEOUT(written.count() == 2, patience * 30000);
        QTRY_VERIFY(all_text(panel).contains("2 frames traced into"));
        QVERIFY(all_text(panel).contains("4 were there and are kept"));
        for (auto* box : card.findChildren<QCheckBox*>()) {
            if (box->text() == "compare" || box->text() == "frame" || box->text() == "colours") box->click();
        }
        QVERIFY(card.order().overlay == (PreviewOverlay{true, false, false, true}));
        type(panel, "Name", "again");
        click(panel, "Write");
        QTRY_VERIFY_WITH_TIMEOUT(written.count() == 3, patience * 30000);
        QTRY_COMPARE(card.finished(), 6);
        click(card, "Play");
        QTRY_VERIFY(!card.picture().before().isNull()); // side by side
        click(card, "Stop");
        type(card, "Width in pixels", "63");
        choose(card, "As", "movie, MP4 (H.264)");
        QTRY_VERIFY(all_text(panel).contains("even width and height"));
        click(panel, "Write");
        QTRY_VERIFY(all_text(panel).contains("use 64 × 36"));
        o.window.document().undo().setClean();
    }
    void an_arrangement_is_keyed_in_its_card() {
        Opened o;
        o.window.set_step(3);
        ArrangePanel& panel = o.window.arrange();
        QTRY_VERIFY(all_text(panel).contains("No key: it stands where it is"));
        click(panel, "Key the place");
        QTRY_VERIFY(all_text(panel).contains("One key: it stands still"));
        o.window.viewing().set_frame(41);
        click(panel, "Key the place");
        type(panel, "move y", "2");
        type(panel, "Whole turn", "90");
        QCOMPARE(o.project().arrangements[0].place_keys.size(), std::size_t(2));
        QCOMPARE(o.project().arrangements[0].place_keys[1].place.y, 2.0);
        QTRY_VERIFY(all_text(panel).contains("Keys at output frames 1, 41"));
        o.window.viewing().set_frame(21);
        o.wait_for_scene();
        const V3f home(o.window.document().show()->arrangements[0].places[0].position);
        const SceneCopy& copy = o.window.scene_view().scene()->copies[0];
        QVERIFY(std::abs(copy.position.y - home.y - 1) < 1e-5f);
        const double turn = (o.window.document().show()->arrangements[0].places[0].turn + 45) * std::numbers::pi / 180;
        const V3f front = copy.to_scene(V3f(0, 0, 1)); // half of 90 degrees further
        QVERIFY((front - V3f(V3d(std::sin(turn), 0, std::cos(turn)))).length() < 1e-5f);
        click(panel, "Remove key"); // there is none here
        QCOMPARE(o.project().arrangements[0].place_keys.size(), std::size_t(2));
        choose(panel, "From this key to the next", "jumps");
        o.wait_for_scene();
        QVERIFY(std::abs(o.window.scene_view().scene()->copies[0].position.y - home.y) < 1e-6f);
        while (o.window.document().undo().canUndo()) o.window.document().undo().undo();
        QVERIFY(o.project().arrangements[0].place_keys.empty());
        QTRY_VERIFY(all_text(panel).contains("No key: it stands where it is"));
        o.window.document().undo().setClean();
    }
    void check_looks_for_crowding_and_writes_a_page() {
        Opened o;
        o.window.set_step(5);
        CheckPanel& panel = *o.window.findChild<CheckPanel*>();
        o.window.document().edit("close together", [](Project& p) -> Result<void> {
            p.arrangements[0].layout.spacing = 0.02;
            return {};
        });
        QTRY_VERIFY(all_text(panel).contains("Examined"));
        QVERIFY(!all_text(panel).contains("Crowding"));
        auto* crowding = panel.findChild<QCheckBox*>("crowding");
        crowding->click();
        QTRY_VERIFY(all_text(panel).contains("Crowding"));
        QVERIFY(panel.report()->count(FindingKind::crowding) == 1);
        QSignalSpy written(&panel, &CheckPanel::report_written);
        panel.write_report(QString::fromStdString(o.folder / "check.html"));
        QTRY_VERIFY_WITH_TIMEOUT(written.count() == 1, patience * 20000);
        QVERIFY(QString::fromStdString(o.folder.read("check.html")).contains("<h2>Crowding</h2>"));
        crowding->click();
        o.window.document().undo().setClean();
    }
    void a_source_of_another_rate_is_matched_by_its_button() {
        Opened o;
        o.window.document().edit("another rate", [](Project& p) -> Result<void> {
            p.sources[0].rate = {25, 1};
            p.sources[0].join = Join::frame_for_frame;
            return {};
        });
        o.window.set_step(5);
        CheckPanel& panel = *o.window.findChild<CheckPanel*>();
        QTRY_VERIFY(all_text(panel).contains("Rates that disagree"));
        click(panel, "Match by seconds");
        QCOMPARE(o.project().sources[0].join, Join::by_clock);
        QTRY_VERIFY(!all_text(panel).contains("Rates that disagree"));
        o.window.document().undo().undo();
        QCOMPARE(o.project().sources[0].join, Join::frame_for_frame);
        o.window.document().undo().setClean();
    }
    void sounds_follow_the_playhead_at_any_pace() {
        auto tone = std::make_shared<SoundSamples>();
        tone->rate = 48'000;
        for (int i = 0; i < 48'000; ++i) tone->values.push_back(static_cast<float>(i) / 48'000); // its own clock
        SoundStream::Course course;
        course.from = 13, course.range = {1, 24}, course.rate = 24;
        SoundStream stream({{tone, 1}}, course);
        // sample n is heard at frame 13 + n/2000, which is (12 + n/2000)/24 s into the sound
        for (qint64 n : {0, 500, 12'345, 23'000})
            QVERIFY(std::abs(stream.sample_at(n) - (12 + static_cast<float>(n) / 2000) / 24) < 1e-4f);
        QVERIFY(std::abs(stream.frame_at(24'000) - 1) < 1e-9); // round the range's end
        course.pace = -2;
        SoundStream back({{tone, 1}}, course);
        QVERIFY(std::abs(back.sample_at(6'000) - (12 - 6.0f) / 24) < 1e-4f);
        QVERIFY(back.open(QIODevice::ReadOnly));
        const QByteArray bytes = back.read(2000);
        QCOMPARE(bytes.size(), 2000);
        qint16 first;
        std::memcpy(&first, bytes.data(), 2);
        QVERIFY(std::abs(first / 32767.0f - 0.5f) < 1e-3f);
    }
    void playing_with_a_sound_goes_on_without_a_device() {
        Opened o;
        SoundSamples tone;
        tone.rate = 8000;
        for (int i = 0; i < 16'000; ++i) tone.values.push_back(std::sin(static_cast<float>(i) * 0.3f) * 0.5f);
        QVERIFY(write_wav(o.folder / "bell.wav", tone));
        const SoundPlayer& player = o.window.sound_player();
        QVERIFY(!player.has_sounds() && !player.stream());
        o.window.document().library().add_sound(QString::fromStdString(o.folder / "bell.wav"));
        QTRY_VERIFY_WITH_TIMEOUT(player.has_sounds(), patience * 10000);
        QToolButton* hear = nullptr;
        for (auto* b : o.window.findChildren<QToolButton*>()) {
            if (b->accessibleName() == "Sound") hear = b;
        }
        QTRY_VERIFY(hear && hear->isVisible() && hear->isChecked());
        o.window.viewing().set_frame(1);
        o.window.viewing().play(true);
        QTRY_VERIFY(o.window.viewing().frame().value > 3); // it goes on, heard or not
        o.window.viewing().play(false);
        hear->click();
        QVERIFY(!player.on());
        hear->click();
        QVERIFY(player.on());
        o.window.document().undo().setClean();
    }
};
GARLAND_TEST_CASE(PreviewWindowTest)
#include "preview_test.moc"
