// How long an edit of a key takes until the time map and the Lanes of 10 000 copies have been drawn anew, in a real
// window (Xvfb, software OpenGL): redraw PROJECT. Beside it the limit: filling the same pixels.
#include "app/lanes/lanes_view.h"
#include "app/panels/retime/retime_panel.h"
#include "app/scene_view/scene_view.h"
#include "app/shell/main_window.h"
#include "app/theme/tokens.h"
#include "core/base/memory.h"

#include <QApplication>
#include <QElapsedTimer>
#include <QPainter>
#include <QSettings>
#include <QSignalSpy>
#include <QStandardPaths>
#include <QtTest/QtTest>
#include <algorithm>
#include <fmt/format.h>

using namespace garland;

namespace {

template <class F>
double median_ms(int times, F&& work) {
    std::vector<double> took;
    for (int i = 0; i < times + 1; ++i) { // the first warms up
        QElapsedTimer clock;
        clock.start();
        work(i);
        if (i > 0) took.push_back(static_cast<double>(clock.nsecsElapsed()) / 1e6);
    }
    std::nth_element(took.begin(), took.begin() + static_cast<std::ptrdiff_t>(took.size() / 2), took.end());
    return took[took.size() / 2];
}

// What a hand feels with many copies: an edit, and the playhead moved, until everything that is seen has been drawn.
// Poses follow in the background.
void feel(MainWindow& window, int columns, int rows, double edit_goal, double move_goal) {
    auto& document = window.document();
    const std::string copies = fmt::format("{} 000 copies", columns * rows / 1000);
    auto grid = [&](double spacing) {
        document.edit("set up", [&](Project& p) -> Result<void> {
            Arrangement& a = p.arrangements[0];
            a.layout.kind = ArrangementKind::grid;
            a.layout.columns = columns, a.layout.rows = rows, a.layout.spacing = a.layout.row_spacing = spacing;
            a.layout.swag.sag = 0;
            if (a.spreads.empty()) a.spreads.emplace_back().id = SpreadId(p.next_id++);
            a.spreads[0].by.kind = Driver::chance;
            return {};
        });
    };
    auto drawn = [] {
        QApplication::sendPostedEvents();
        QApplication::processEvents(QEventLoop::ExcludeUserInputEvents);
    };
    grid(1.2);
    QTest::qWait(3000);
    const std::pair<int, const char*> steps[] = {{1, "Retime"}, {3, "Arrange"}, {4, "Vary"}};
    for (const auto& [step, name] : steps) {
        window.set_step(step);
        QTest::qWait(1000);
        const double took = median_ms(5, [&](int i) {
            grid(1.2 + 0.01 * i);
            drawn();
        });
        fmt::print("{:<46} {:>13.1f} ms   goal < {} ms\n", fmt::format("an edit in {}, {}", name, copies), took,
                   edit_goal);
        for (const bool fit : {false, true}) {
            window.lanes().set_fit(fit);
            QTest::qWait(500);
            const double move = median_ms(9, [&](int i) {
                window.viewing().set_frame(40 + i);
                drawn();
            });
            fmt::print("{:<46} {:>13.1f} ms   goal < {} ms\n",
                       fmt::format("the playhead in {}, {}{}", name, copies, fit ? ", all rows" : ""), move, move_goal);
        }
        window.lanes().set_fit(false);
    }
}

// A zone under the hand, which starts what it reaches.
void drag_a_zone(MainWindow& window) {
    auto& document = window.document();
    document.edit("set up", [&](Project& p) -> Result<void> {
        Arrangement& a = p.arrangements[0];
        a.layout.kind = ArrangementKind::grid, a.layout.columns = 40, a.layout.rows = 25;
        a.layout.spacing = a.layout.row_spacing = 1.2, a.layout.swag.sag = 0;
        Zone z;
        z.id = ZoneId(p.next_id++), z.name = "glow", z.size = V3d(12), z.outer = 3;
        z.keys = {{OutputFrame(1), V3d(-20, 0, 0)}, {OutputFrame(240), V3d(20, 0, 0)}};
        p.zones = {z};
        a.play.by = PlayBy::starts;
        return {};
    });
    window.set_step(4);
    window.viewing().hold_zones(true);
    QTest::qWait(3000);
    const double took = median_ms(25, [&](int i) {
        document.edit(
            "move",
            [&](Project& p) -> Result<void> {
                for (ZoneKey& k : p.zones[0].keys) k.place.z = 0.05 * i;
                return {};
            },
            QStringLiteral("zone-handle"));
        QApplication::sendPostedEvents();
        QApplication::processEvents(QEventLoop::ExcludeUserInputEvents);
    });
    fmt::print("{:<46} {:>13.1f} ms   {:>6.1f} pictures a second   goal ≥ 15\n", "a zone dragged over 1 000 copies",
               took, 1000 / took);
}

} // namespace

int main(int argc, char** argv) {
    garland::keep_freed_memory();
    QStandardPaths::setTestModeEnabled(true);
    QApplication app(argc, argv);
    QApplication::setOrganizationName("GarlandBenchmarks");
    QApplication::setApplicationName("GarlandBenchmarks");
    QSettings().clear();
    if (argc != 2 && argc != 3) return 2;
    load_fonts();
    apply_look(Look::night);
    MainWindow window;
    window.resize(1280, 800);
    window.show();
    QSignalSpy opened(&window.document(), &Document::opened);
    window.open(QString::fromLocal8Bit(argv[1]));
    if (!opened.wait(20000)) return 1;
    if (argc == 3) { // "feel": only what many copies feel like
        drag_a_zone(window);
        feel(window, 100, 100, 50, 16);
        feel(window, 400, 250, 150, 40);
        return 0;
    }
    window.set_step(1);
    auto& document = window.document();
    auto with_keys = [&](int keys) {
        document.edit("set up", [&](Project& p) -> Result<void> {
            Arrangement& a = p.arrangements[0];
            a.layout.kind = ArrangementKind::line;
            a.layout.count = 10'000;
            a.layout.spacing = 0.01;
            TimeMap map;
            for (int k = 0; k < keys; ++k) {
                map.keys.push_back({OutputFrame(1 + 240.0 * k / keys), SourceFrame(k * 37 % 90),
                                    k % 2 ? Toward::linear : Toward::smooth});
            }
            p.timings[0].map = map;
            return {};
        });
    };
    auto& map = window.retime().map();
    auto& lanes = window.lanes();
    for (int keys : {30, 5000}) {
        with_keys(keys);
        for (bool all_rows : {false, true}) {
            lanes.set_fit(all_rows);
            QTest::qWait(300);
            const double took = median_ms(15, [&](int i) {
                map.pick({static_cast<std::size_t>(keys / 2)});
                map.edit_keys("move", [&](const TimeMap& was) {
                    return move_keys(was, {static_cast<std::size_t>(keys / 2)}, 0, i % 2 ? 0.5 : -0.5);
                });
                // One turn of the event loop draws what the edit has made stale, as it does after a hand's move.
                QApplication::sendPostedEvents();
                QApplication::processEvents(QEventLoop::ExcludeUserInputEvents);
                if (lanes.stale()) std::abort(); // it was drawn
            });
            QImage pixels(map.size() + QSize(0, lanes.height()), QImage::Format_RGB32);
            const double limit = median_ms(15, [&](int i) { pixels.fill(static_cast<unsigned>(i)); });
            fmt::print("{:<46} {:>13.1f} ms   {:>6.1f} × filling the pixels ({:.2f} ms)   goal < 50 ms\n",
                       fmt::format("edit of 1 of {} keys, 10 000 copies{}", keys, all_rows ? ", all rows" : ""), took,
                       took / limit, limit);
        }
    }
    // A number of a spread changes: Lanes, histogram and the Scene's colours are drawn anew at once; poses follow.
    window.set_step(4);
    lanes.set_fit(false);
    document.edit("set up", [&](Project& p) -> Result<void> {
        Arrangement& a = p.arrangements[0];
        a.layout.kind = ArrangementKind::grid;
        a.layout.columns = a.layout.rows = 100, a.layout.spacing = a.layout.row_spacing = 1.2;
        a.layout.swag.sag = 0;
        Spread s;
        s.id = SpreadId(p.next_id++);
        s.by.kind = Driver::noise;
        p.arrangements[0].spreads = {s};
        return {};
    });
    window.viewing().set_colour(ColourMode::delay);
    QTest::qWait(1500);
    window.scene_view().fit_all();
    QTest::qWait(500);
    const double colours = median_ms(15, [&](int i) {
        document.edit("to", [&](Project& p) -> Result<void> {
            p.arrangements[0].spreads[0].to = 24 + i;
            return {};
        });
        window.scene_view().redraw();
        QApplication::sendPostedEvents();
        QApplication::processEvents(QEventLoop::ExcludeUserInputEvents);
        if (lanes.stale()) std::abort();
    });
    fmt::print("{:<46} {:>13.1f} ms   goal < 100 ms\n", "a spread's number, 10 000 copies", colours);

    // The Scene alone: lanterns at 640 × 500, turned a little for every picture.
    auto* canvas = window.scene_view().findChild<SceneCanvas*>();
    auto turned = [&](int columns, int rows, double away, const char* goal) {
        document.edit("set up", [&](Project& p) -> Result<void> {
            Arrangement& a = p.arrangements[0];
            a.layout.kind = ArrangementKind::grid;
            a.layout.columns = columns, a.layout.rows = rows, a.layout.spacing = a.layout.row_spacing = 1.2;
            a.layout.origin = V3d(0, 1.4, 0);
            a.layout.swag.sag = 0;
            a.spreads[0].to = 60;
            return {};
        });
        for (int i = 0;
             i < 800 && (!window.scene_view().scene() || window.scene_view().scene()->show != document.show()); ++i)
            QTest::qWait(25);
        window.scene_view().orbit().camera = {V3d(0, 1, 0), away, 20, 22, 40};
        QTest::qWait(300);
        const double picture = median_ms(15, [&](int) {
            window.scene_view().orbit().turn(2, 0);
            window.scene_view().redraw();
            canvas->grab_picture();
        });
        std::size_t triangles = 0;
        for (const SceneCopy& c : window.scene_view().scene()->copies)
            triangles += window.scene_view().scene()->poses[c.pose]->faces->levels[0].count / 3;
        fmt::print("{:<46} {:>13.1f} ms   {:>6.1f} pictures a second of {} copies, {} triangles without stand-ins   "
                   "{}\n",
                   "Scene, 640 × 500, turned, read back", picture, 1000 / picture,
                   window.scene_view().scene()->copies.size(), triangles, goal);
    };
    if (canvas) {
        canvas->setFixedSize(640, 500);
        turned(40, 25, 34, "goal ≥ 30");
        turned(400, 250, 340, "goal ≥ 5");
    }
    document.undo().setClean();
    return 0;
}
