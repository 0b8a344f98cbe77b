// Zones, pulses and sounds as a person uses them: tabs, cards, handles in the Scene, marks on the Lanes; the model and
// what is seen of it.
#include "driving.h"

#include "app/lanes/lanes_view.h"
#include "app/panels/check/check_panel.h"
#include "app/panels/vary/drive_tab.h"
#include "app/panels/vary/vary_panel.h"
#include "app/scene_view/zone_tool.h"
#include "io/files/sound_file.h"

using namespace garland;
using namespace garland::testing;

namespace {

struct Driven : Opened {
    VaryPanel& varying;
    explicit Driven(const char* tab, int copies = 12) : Opened(copies), varying(*window.findChild<VaryPanel*>()) {
        window.set_step(4);
        click_tab(varying, tab);
    }
    const Arrangement& first() { return project().arrangements[0]; }
    const ArrangementShow& shown() { return window.document().show()->arrangements[0]; }
    double local(std::size_t copy, double t) { return moments_at(shown(), OutputFrame(t))[copy].local; }
};

} // namespace

class DriveTest : public QObject {
    Q_OBJECT
  private slots:
    void a_zone_is_made_keyed_and_slows_copies() {
        Driven o("zones");
        QTRY_VERIFY(all_text(o.varying).contains("No zone yet"));
        choose(o.varying, "Add a zone", "ball");
        QCOMPARE(o.project().zones.size(), std::size_t(1));
        QTRY_VERIFY(all_text(o.varying).contains("a ball <b>2 m</b> wide with a soft edge of <b>1 m</b>"));
        type(o.varying, "Width", "4");
        type(o.varying, "outer edge", "1.5");
        type(o.varying, "Place x", "-10");
        QCOMPARE(o.project().zones[0].keys.size(), std::size_t(1));
        click(o.varying, "Key here");
        o.window.viewing().set_frame(100);
        click(o.varying, "Key here");
        type(o.varying, "Place x", "10");
        QCOMPARE(o.project().zones[0].keys.size(), std::size_t(2));
        QCOMPARE(o.project().zones[0].keys[1].place.x, 10.0);
        QTRY_VERIFY(all_text(o.varying).contains("Keys at 1, 100"));
        choose(o.varying, "Plays by", "speed");
        type(o.varying, "Speed", "0.2");
        QTRY_VERIFY(all_text(o.varying).contains("<b>slows</b> <i>column</i> to <b>0.2×</b>"));
        QTRY_VERIFY(all_text(o.varying).contains("plays at 0.2× to 1× of its speed"));
        QVERIFY(o.local(6, 100) < 95); // held up while it was inside
        QVERIFY(o.local(6, 100) > 60);
        // one undo for every step, back to nothing
        while (o.window.document().undo().canUndo()) o.window.document().undo().undo();
        QVERIFY(o.project().zones.empty());
        QCOMPARE(o.local(6, 100), 100.0);
        while (o.window.document().undo().canRedo()) o.window.document().undo().redo();
        QCOMPARE(o.project().zones[0].keys.size(), std::size_t(2));
    }
    void zones_ride_on_what_moves() {
        Driven o("zones", 3);
        choose(o.varying, "Add a zone", "ball");
        auto bends = [&] { return o.window.document().show()->levels.zones.begin()->second->bends().size(); };
        QCOMPARE(bends(), std::size_t(0));
        choose(o.varying, "rides on", "a particle");
        type(o.varying, "number", "20"); // a point at the top of the leaning column
        QTRY_VERIFY(bends() > 40);
        auto way = [&] { // its way while the copy shows source frames 0 … 39
            const auto& plan = *o.window.document().show()->levels.zones.begin()->second;
            return plan.pose_at(40).place.x - plan.pose_at(1).place.x;
        };
        QTRY_VERIFY(close(way(), 0.012 * 39, 1e-4));
        choose(o.varying, "rides on", "a path");
        QTRY_VERIFY(all_text(o.varying).contains("along its path from frame"));
        choose(o.varying, "shape", "mesh"); // not closed: told, and nothing is lost
        QTRY_VERIFY(all_text(o.window.notices()).contains("the shape is not closed"));
    }
    void handles_move_turn_and_scale_what_moves_as_a_whole() {
        Driven o("zones");
        if (!o.window.scene_view().has_graphics()) QSKIP("no OpenGL here: the Scene cannot be clicked");
        auto& view = o.window.scene_view();
        QWidget* canvas = view.findChild<SceneCanvas*>();
        o.window.set_step(3); // Arrange
        QTRY_VERIFY(o.window.viewing().place_held());
        view.orbit().camera = {V3d(0, 0, 0), 14, 0, 50, 40};
        const ArrangementId id = o.window.viewing().arrangement();
        auto arrangement = [&]() -> const Arrangement& { return *o.project().arrangement(id); };
        auto set_keys = [&](std::vector<PlaceKey> keys) {
            o.window.document().edit("keys", [&](Project& p) -> Result<void> {
                p.arrangement(id)->layout.origin = V3d(0);
                p.arrangement(id)->place_keys = keys;
                return {};
            });
            view.redraw();
        };
        set_keys({});
        const double now = o.window.viewing().frame().value;
        QVERIFY(!place_handles(o.window.document(), id, now)); // nothing moves: nothing to hold
        set_keys({{OutputFrame(1)}});
        auto handles = [&] { return *place_handles(o.window.document(), id, now); };
        auto pixel = [&](const V3d& place) { return *on_picture(place, view.orbit(), canvas->size()); };
        const int steps = o.window.document().undo().count();
        const QPointF aside = pixel(handles().place) + QPointF(70, 0);
        drag(*canvas, pixel(handles().place), aside);
        QCOMPARE(o.window.document().undo().count(), steps + 1);
        QCOMPARE(arrangement().place_keys.size(), std::size_t(1));
        QVERIFY(arrangement().place_keys[0].place.x > 0.5 && std::abs(arrangement().place_keys[0].place.y) < 1e-9);
        QVERIFY((pixel(handles().place) - aside).manhattanLength() < 3); // it lies under the pointer
        // A quarter turn to the left, seen from above: the handle goes from the right to behind the place.
        view.orbit().camera = {handles().place, 14, 0, 89, 40};
        view.redraw();
        const V3d arm = *handles().turn - handles().place;
        drag(*canvas, pixel(*handles().turn), pixel(handles().place + V3d(arm.z, 0, -arm.x)));
        QVERIFY2(std::abs(arrangement().place_keys[0].turn.y - 90) < 2,
                 qPrintable(QString::number(arrangement().place_keys[0].turn.y)));
        const double was = arrangement().place_keys[0].size;
        const V3d out = *handles().size - handles().place;
        drag(*canvas, pixel(*handles().size), pixel(handles().place + out * 0.5));
        QVERIFY(std::abs(arrangement().place_keys[0].size / was - 0.5) < 0.05);
        // With several keys one is set at the playhead.
        set_keys({{OutputFrame(1)}, {OutputFrame(60), V3d(4, 0, 0)}});
        view.orbit().camera = {V3d(0, 0, 0), 14, 0, 50, 40};
        o.window.viewing().set_frame(30);
        view.redraw();
        const auto there = *place_handles(o.window.document(), id, 30);
        QVERIFY(!there.way.empty() && there.place.x > 1.5 && there.place.x < 2.5);
        drag(*canvas, pixel(there.place), pixel(there.place) - QPointF(0, 40));
        QCOMPARE(arrangement().place_keys.size(), std::size_t(3));
        QCOMPARE(arrangement().place_keys[1].at, OutputFrame(30));
        QVERIFY(arrangement().place_keys[1].place.z < -0.3);
        // Escape puts it back.
        const auto before = arrangement().place_keys;
        const QPointF at = pixel(place_handles(o.window.document(), id, 30)->place);
        QTest::mousePress(canvas, Qt::LeftButton, {}, at.toPoint());
        for (int k = 1; k <= 4; ++k) {
            const QPoint to = (at + QPointF(10 * k, 0)).toPoint();
            QMouseEvent move(QEvent::MouseMove, to, canvas->mapToGlobal(to), Qt::NoButton, Qt::LeftButton,
                             Qt::NoModifier);
            QApplication::sendEvent(canvas, &move);
        }
        QVERIFY(!(arrangement().place_keys == before));
        QTest::keyClick(canvas, Qt::Key_Escape);
        QTest::mouseRelease(canvas, Qt::LeftButton, {}, (at + QPointF(40, 0)).toPoint());
        QVERIFY(arrangement().place_keys == before);
        o.window.set_step(1);
        QTRY_VERIFY(!o.window.viewing().place_held());
    }
    void handles_move_a_zone_its_edge_and_its_sides() {
        Driven o("zones");
        if (!o.window.scene_view().has_graphics()) QSKIP("no OpenGL here: the Scene cannot be clicked");
        choose(o.varying, "Add a zone", "ball");
        QVERIFY(o.window.viewing().zones_held());
        auto& view = o.window.scene_view();
        QWidget* canvas = view.findChild<SceneCanvas*>();
        view.orbit().camera = {V3d(0, 0, 0), 14, 0, 50, 40};
        o.window.document().edit("middle", [](Project& p) -> Result<void> {
            p.zones[0].keys[0].place = V3d(0, 0, 0);
            return {};
        });
        view.redraw();
        auto shell = [&] {
            return shells_of(o.window.document().show()->levels, o.window.viewing().frame().value).front();
        };
        auto pixel = [&](const V3d& place) { return *on_picture(place, view.orbit(), canvas->size()); };
        const int steps = o.window.document().undo().count();
        drag(*canvas, pixel(shell().place), pixel(shell().place) + QPointF(80, 0));
        QCOMPARE(o.window.document().undo().count(), steps + 1);
        const V3d moved = o.project().zones[0].keys[0].place;
        QVERIFY(moved.x > 0.5 && std::abs(moved.y) < 1e-9 && std::abs(moved.z) < 0.2);
        // what was dragged lies under the pointer
        QVERIFY((pixel(moved) - (pixel(V3d(0)) + QPointF(80, 0))).manhattanLength() < 3);
        auto handle = [&](int side) {
            for (const ZoneHandle& h : shell().handles) {
                if (h.side == side) return h.at;
            }
            qFatal("there is no such handle");
        };
        drag(*canvas, pixel(handle(-1)), pixel(handle(-1)) + QPointF(60, 0));
        QVERIFY(o.project().zones[0].outer > 1.3);
        // its width: the side goes along with the pointer, the middle stays
        const QPointF wider = pixel(handle(0)) - QPointF(40, 0);
        drag(*canvas, pixel(handle(0)), wider);
        QVERIFY(o.project().zones[0].size.x > 2.2);
        QVERIFY((pixel(handle(0)) - wider).manhattanLength() < 3);
        QVERIFY((o.project().zones[0].keys[0].place - moved).length() < 1e-9);
        QCOMPARE(o.project().zones[0].size.y, 2.0);
        // a box has a side for each way, a cylinder two, a wall none
        auto sides = [&](ZoneShape shape) {
            o.window.document().edit("shape", [&](Project& p) -> Result<void> {
                p.zones[0].shape = shape;
                return {};
            });
            return shell().handles.size() - 1;
        };
        QCOMPARE(sides(ZoneShape::cylinder), std::size_t(2));
        QCOMPARE(sides(ZoneShape::wall), std::size_t(0));
        QCOMPARE(sides(ZoneShape::box), std::size_t(3));
        drag(*canvas, pixel(handle(1)), pixel(handle(1)) - QPointF(0, 30));
        QVERIFY(o.project().zones[0].size.y > 2.1);
        // Escape puts it back
        const Zone before = o.project().zones[0];
        const QPointF at = pixel(shell().place);
        QTest::mousePress(canvas, Qt::LeftButton, Qt::NoModifier, at.toPoint());
        for (int i = 1; i < 6; ++i) {
            const QPoint to = (at + QPointF(20 * i, 10 * i)).toPoint();
            QMouseEvent move(QEvent::MouseMove, to, canvas->mapToGlobal(to), Qt::NoButton, Qt::LeftButton,
                             Qt::NoModifier);
            QApplication::sendEvent(canvas, &move);
        }
        QVERIFY(!(o.project().zones[0] == before));
        QTest::keyClick(canvas, Qt::Key_Escape);
        QVERIFY(o.project().zones[0] == before);
        QTest::mouseRelease(canvas, Qt::LeftButton, Qt::NoModifier, at.toPoint());
        // the zone goes while it is held
        QTest::mousePress(canvas, Qt::LeftButton, Qt::NoModifier, at.toPoint());
        o.window.document().start_new();
        const QPoint to = (at + QPointF(50, 50)).toPoint();
        QMouseEvent move(QEvent::MouseMove, to, canvas->mapToGlobal(to), Qt::NoButton, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(canvas, &move);
        QTest::mouseRelease(canvas, Qt::LeftButton, Qt::NoModifier, to);
        QVERIFY(o.project().zones.empty());
    }
    void shells_are_seen_and_levels_coloured() {
        Driven o("zones");
        if (!o.window.scene_view().has_graphics()) QSKIP("no OpenGL here");
        choose(o.varying, "Add a zone", "ball");
        choose(o.varying, "Plays by", "starts");
        auto& view = o.window.scene_view();
        view.orbit().camera = {V3d(0, 0, 0), 14, 0, 50, 40};
        o.wait_for_scene();
        auto* canvas = view.findChild<SceneCanvas*>();
        auto rose = [&] {
            const QImage image = canvas->grab_picture();
            const QColor wanted = tokens().rose;
            int found = 0;
            for (int y = 0; y < image.height(); ++y) {
                for (int x = 0; x < image.width(); ++x) {
                    const QColor c = image.pixelColor(x, y);
                    found += std::abs(c.red() - wanted.red()) + std::abs(c.green() - wanted.green()) +
                                 std::abs(c.blue() - wanted.blue()) <
                             60;
                }
            }
            return found;
        };
        QTRY_VERIFY(rose() > 50);
        o.window.document().edit("off", [](Project& p) -> Result<void> {
            p.zones[0].on = false;
            return {};
        });
        QTRY_VERIFY(rose() < 50);
        o.window.document().undo().undo();
        click_tab(view, "level");
        QTRY_VERIFY(o.window.viewing().colour() == ColourMode::level);
    }
    void lanes_carry_marks_where_copies_are_reached() {
        Driven o("zones", 6);
        choose(o.varying, "Add a zone", "wall");
        choose(o.varying, "Plays by", "starts");
        auto* lanes = o.window.findChild<LanesView*>();
        const QImage before = lanes->grab().toImage();
        o.window.document().edit("fly", [](Project& p) -> Result<void> {
            p.zones[0].keys = {{OutputFrame(1), V3d(0, 0, -30), V3d(0), 1, Toward::linear},
                               {OutputFrame(101), V3d(0, 0, 30), V3d(0), 1, Toward::linear}};
            return {};
        });
        QTRY_VERIFY(lanes->grab().toImage() != before);
        QVERIFY(o.local(0, 20) == o.shown().plan.first().value); // not reached yet
        QVERIFY(o.local(0, 90) > 30);
    }
    // Very many copies are solved in the background: until then they go on as before, and an edit meanwhile wins.
    void many_copies_are_solved_in_the_background() {
        Driven o("zones", 900);
        choose(o.varying, "Add a zone", "wall");
        o.window.document().edit("slow", [](Project& p) -> Result<void> {
            p.arrangements[0].play.by = PlayBy::speed;
            p.zones[0].keys = {{OutputFrame(1), V3d(0, 0, -10), V3d(0), 1, Toward::linear},
                               {OutputFrame(101), V3d(0, 0, 10), V3d(0), 1, Toward::linear}};
            return {};
        });
        QVERIFY(o.window.document().show()->unsolved && !o.shown().clocks.playing());
        QCOMPARE(o.local(0, 90), 90.0);
        QTRY_VERIFY_WITH_TIMEOUT(!o.window.document().show()->unsolved, patience * 20000);
        QVERIFY(o.shown().clocks.playing() && o.local(0, 90) < 60);
        o.window.document().edit("stop", [](Project& p) -> Result<void> {
            p.zones[0].outer = 2;
            return {};
        });
        o.window.document().undo().undo(); // while it is solved
        QTRY_VERIFY_WITH_TIMEOUT(!o.window.document().show()->unsolved, patience * 20000);
        QVERIFY(o.local(0, 90) < 60);
        o.window.document().start_new();
        QTRY_COMPARE(o.window.document().show()->copies(), std::int64_t(0));
    }
    void a_pulse_lifts_copies() {
        Driven o("pulse");
        click(o.varying, "Add pulse");
        QCOMPARE(o.first().pulses.size(), std::size_t(1));
        type(o.varying, "Lift", "2");
        type(o.varying, "rises in", "10");
        const auto high = places_at(o.shown(), OutputFrame(11)), low = places_at(o.shown(), OutputFrame(1));
        QVERIFY(close(high->places[0].position.y - low->places[0].position.y, 2, 1e-9));
        QTRY_VERIFY(all_text(o.varying).contains("lifts copies by <b>2 m</b>"));
        click(o.varying, "Remove");
        QVERIFY(o.first().pulses.empty());
        o.window.document().undo().undo();
        QCOMPARE(o.first().pulses.size(), std::size_t(1));
    }
    void several_zones_and_pulses_are_changed_together() {
        Driven o("zones");
        for (const char* shape : {"ball", "ball", "box"}) choose(o.varying, "Add a zone", shape);
        QTRY_COMPARE(o.varying.findChildren<ZoneCard*>().size(), 3);
        auto zone = [&](int k) -> const Zone& { return o.project().zones[static_cast<std::size_t>(k)]; };
        auto card = [&](int k) -> ZoneCard& {
            for (auto* c : o.varying.findChildren<ZoneCard*>()) {
                if (c->id() == zone(k).id) return *c;
            }
            qFatal("no card");
        };
        auto join = [](QWidget& one) { QTest::mouseClick(named<QToolButton>(one, "Change together"), Qt::LeftButton); };
        type(card(0), "Place x", "1");
        type(card(1), "Place x", "5");
        join(card(0)), join(card(1));
        type(card(0), "outer edge", "3"); // typed: both get it, the third does not
        QCOMPARE(zone(0).outer, 3.0);
        QCOMPARE(zone(1).outer, 3.0);
        QCOMPARE(zone(2).outer, 1.0);
        auto* x = named<NumberField>(card(0), "Place x");
        x->setFocus();
        QTest::keyClick(x, Qt::Key_Up); // by as much
        const double by = zone(0).keys[0].place.x - 1;
        QVERIFY(by > 0);
        QCOMPARE(zone(1).keys[0].place.x, 5 + by);
        type(card(0), "Name of the zone", "lamp"); // a name is one's own
        QCOMPARE(QString::fromStdString(zone(0).name), QString("lamp"));
        QVERIFY(zone(1).name != "lamp");
        join(card(1)); // no longer
        type(card(0), "outer edge", "4");
        QCOMPARE(zone(1).outer, 3.0);

        click_tab(o.varying, "pulse");
        click(o.varying, "Add pulse");
        click(o.varying, "Add pulse");
        QTRY_COMPARE(o.varying.findChildren<PulseCard*>().size(), 2);
        for (auto* c : o.varying.findChildren<PulseCard*>()) join(*c);
        type(*o.varying.findChildren<PulseCard*>()[0], "Turn", "90");
        for (const Pulse& p : o.first().pulses) QCOMPARE(p.turn, 90.0);
    }
    void pulses_and_sounds_have_menus() {
        Driven o("pulse");
        click(o.varying, "Add pulse");
        auto card = [&](std::size_t k) -> QWidget& {
            for (auto* c : o.varying.findChildren<PulseCard*>()) {
                if (c->id() == o.first().pulses[k].id) return *c;
            }
            qFatal("no card");
        };
        type(o.varying, "Lift", "2");
        choose_in_menu(card(0), "Duplicate");
        QTRY_COMPARE(o.varying.findChildren<PulseCard*>().size(), 2);
        QCOMPARE(o.first().pulses[1].lift.y, 2.0);
        QVERIFY(o.first().pulses[0].id != o.first().pulses[1].id);
        choose_in_menu(card(1), "Switch off");
        QVERIFY(o.first().pulses[0].on && !o.first().pulses[1].on);
        choose_in_menu(card(1), "Move up");
        QVERIFY(!o.first().pulses[0].on);
        choose_in_menu(card(0), "Remove");
        QTRY_COMPARE(o.varying.findChildren<PulseCard*>().size(), 1);
        QVERIFY(o.first().pulses[0].on);

        click_tab(o.varying, "sound");
        SoundSamples clicks; // 120 a minute
        for (int k = 0; k < 48000 * 6; ++k)
            clicks.values.push_back(
                static_cast<float>(0.9 * std::exp(-(k % 24000) / 700.0) * std::sin(2 * M_PI * 900 * k / 48000.0)));
        QVERIFY(write_wav(o.folder / "clicks.wav", clicks));
        o.window.document().library().add_sound(QString::fromStdString(o.folder / "clicks.wav"));
        QTRY_COMPARE(o.varying.findChildren<SoundCard*>().size(), 1);
        QTRY_COMPARE(o.window.document().show()->levels.sounds.size(), std::size_t(1));
        choose_in_menu(*o.varying.findChild<SoundCard*>(), "Find beats");
        QTRY_VERIFY(close(o.project().settings.tempo.beats_per_minute, 120, 1));
        choose_in_menu(*o.varying.findChild<SoundCard*>(), "Duplicate");
        QTRY_COMPARE(o.varying.findChildren<SoundCard*>().size(), 2);
        QTRY_COMPARE(o.window.document().show()->levels.sounds.size(), std::size_t(2)); // read, as the first one
        for (auto* c : o.varying.findChildren<SoundCard*>()) {
            if (c->id() == o.project().sounds[0].id) {
                choose_in_menu(*c, "Remove");
                break;
            }
        }
        QTRY_COMPARE(o.project().sounds.size(), std::size_t(1));
        QVERIFY(o.project().sounds[0].name.ends_with(" 2"));
    }
    void a_sound_is_read_in_the_background_and_plays_copies() {
        Driven o("sound");
        SoundSamples tone;
        for (int k = 0; k < 48000; ++k)
            tone.values.push_back(static_cast<float>(0.7 * std::sin(2 * M_PI * 300 * k / 48000.0)));
        QVERIFY(write_wav(o.folder / "tone.wav", tone));
        o.window.document().library().add_sound(QString::fromStdString(o.folder / "tone.wav"));
        QTRY_COMPARE(o.project().sounds.size(), std::size_t(1));
        QTRY_COMPARE(o.window.document().show()->levels.sounds.size(), std::size_t(1));
        choose(o.varying, "Plays by", "level");
        QTRY_VERIFY(o.shown().clocks.playing());
        QTRY_VERIFY(all_text(o.varying).contains("The sound ends at output frame 25"));
        auto* strip = o.varying.findChild<BandStrip*>();
        const QImage seen = strip->grab().toImage();
        int lit = 0;
        for (int x = 0; x < seen.width(); ++x) {
            for (int y = 0; y < seen.height(); ++y) lit += seen.pixelColor(x, y).red() > tokens().ground.red() + 40;
        }
        QVERIFY(lit > 20);
        // and a strip of it stands above the Lanes, on the same time
        auto* lanes = o.window.findChild<LanesView*>();
        QTRY_VERIFY([&] {
            const QImage above = lanes->grab(QRect(0, 28, lanes->width(), 32)).toImage();
            int accents = 0;
            for (int x = 160; x < above.width(); ++x) {
                for (int y = 14; y < 32; ++y)
                    accents += above.pixelColor(x, y).red() > 150 && above.pixelColor(x, y).blue() < 110;
            }
            return accents > 20;
        }());
        o.window.document().library().add_sound(QString::fromStdString(o.folder / "nowhere.wav"));
        QTRY_VERIFY(all_text(o.window.notices()).contains("does not exist"));
        QCOMPARE(o.project().sounds.size(), std::size_t(1));
        // a sound that goes takes what it plays back to its own clock
        click(o.varying, "Remove");
        QVERIFY(o.project().sounds.empty());
        QCOMPARE(static_cast<int>(o.first().play.by), static_cast<int>(PlayBy::clock));
        o.window.document().undo().undo();
        QTRY_VERIFY(o.shown().clocks.playing());
    }
    void beats_become_markers() {
        Driven o("sound");
        SoundSamples bells; // two a second
        bells.rate = 44100;
        bells.values.resize(44100 * 12);
        for (std::size_t t = 4410; t + 900 < bells.values.size(); t += 22050) {
            for (std::size_t k = 0; k < 900; ++k)
                bells.values[t + k] = static_cast<float>(std::exp(-static_cast<double>(k) / 160) *
                                                         std::sin(0.25 * static_cast<double>(k)));
        }
        QVERIFY(write_wav(o.folder / "bells.wav", bells));
        o.window.document().library().add_sound(QString::fromStdString(o.folder / "bells.wav"));
        QTRY_COMPARE(o.window.document().show()->levels.sounds.size(), std::size_t(1));
        const int steps = o.window.document().undo().count();
        click(o.varying, "Mark beats");
        QTRY_VERIFY_WITH_TIMEOUT(!o.project().settings.markers.empty(), patience * 20000);
        QCOMPARE(o.window.document().undo().count(), steps + 1);
        QTRY_VERIFY(all_text(o.window.notices()).contains("beats heard are marked"));
        for (const Marker& m : o.project().settings.markers) {
            QVERIFY(o.project().settings.range.contains(m.at.value));
            QVERIFY(std::abs(std::remainder(m.at.value - (1 + 2.4), 12)) <=
                    0.75); // the first bell after a tenth of a second
        }
        o.window.document().undo().undo();
        QVERIFY(o.project().settings.markers.empty());
    }
    void check_softens_a_hard_edge() {
        Driven o("zones");
        choose(o.varying, "Add a zone", "wall");
        choose(o.varying, "Plays by", "level");
        o.window.document().edit("fly", [](Project& p) -> Result<void> {
            p.zones[0].outer = 0;
            p.zones[0].keys = {{OutputFrame(1), V3d(0, 0, -10), V3d(0), 1, Toward::linear},
                               {OutputFrame(101), V3d(0, 0, 10), V3d(0), 1, Toward::linear}};
            return {};
        });
        o.window.set_step(5);
        auto* check = o.window.findChild<CheckPanel*>();
        QPushButton* fix = nullptr;
        QTRY_VERIFY_WITH_TIMEOUT((fix = [&]() -> QPushButton* {
                                     for (auto* b : check->findChildren<QPushButton*>()) {
                                         if (b->text().startsWith("Soft edge of") && b->isVisible()) return b;
                                     }
                                     return nullptr;
                                 }()) != nullptr,
                                 patience * 15000);
        QTest::mouseClick(fix, Qt::LeftButton);
        QVERIFY(o.project().zones[0].outer > 0.9 && o.project().zones[0].outer < 2);
        QVERIFY(o.window.document().undo().undoText().contains("Soften"));
    }
};
GARLAND_TEST_CASE(DriveTest)
#include "drive_test.moc"
