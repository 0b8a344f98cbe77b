// How long an edit of a key takes until the time map and the Loom of 10 000 copies have been drawn anew, in a real window
// (Xvfb, software OpenGL): redraw PROJECT. Beside it the limit: filling the same pixels.
#include "app/benches/retime/retime_bench.h"
#include "app/loom/loom_view.h"
#include "app/shell/main_window.h"
#include "app/theme/tokens.h"

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

} // namespace

int main(int argc, char** argv) {
    QStandardPaths::setTestModeEnabled(true);
    QApplication app(argc, argv);
    QApplication::setOrganizationName("GarlandBenchmarks");
    QApplication::setApplicationName("GarlandBenchmarks");
    QSettings().clear();
    if (argc != 2) return 2;
    load_fonts();
    apply_look(Look::night);
    MainWindow window;
    window.resize(1280, 800);
    window.show();
    QSignalSpy opened(&window.document(), &Document::opened);
    window.open(QString::fromLocal8Bit(argv[1]));
    if (!opened.wait(20000)) return 1;
    window.set_step(1);
    auto& document = window.document();
    auto with_keys = [&](int keys) {
        document.edit("set up", [&](Project& p) -> Result<void> {
            Arrangement& a = p.arrangements[0];
            a.kind = ArrangementKind::line;
            a.count = 10'000;
            a.spacing = 0.01;
            TimeMap map;
            for (int k = 0; k < keys; ++k) {
                map.keys.push_back({OutputFrame(1 + 240.0 * k / keys), SourceFrame(k * 37 % 90), k % 2 ? Toward::linear : Toward::smooth});
            }
            p.timings[0].map = map;
            return {};
        });
    };
    auto& map = window.retime().map();
    auto& loom = window.loom();
    for (int keys : {30, 5000}) {
        with_keys(keys);
        for (bool all_rows : {false, true}) {
            loom.set_fit(all_rows);
            QTest::qWait(300);
            const double took = median_ms(15, [&](int i) {
                map.pick({static_cast<std::size_t>(keys / 2)});
                map.edit_keys("move", [&](const TimeMap& was) { return move_keys(was, {static_cast<std::size_t>(keys / 2)}, 0, i % 2 ? 0.5 : -0.5); });
                // One turn of the event loop draws what the edit has made stale, as it does after a hand's move.
                QApplication::sendPostedEvents();
                QApplication::processEvents(QEventLoop::ExcludeUserInputEvents);
                if (loom.stale()) std::abort(); // it was drawn
            });
            QImage pixels(map.size() + QSize(0, loom.height()), QImage::Format_RGB32);
            const double limit = median_ms(15, [&](int i) { pixels.fill(static_cast<unsigned>(i)); });
            fmt::print("{:<46} {:>13.1f} ms   {:>6.1f} × filling the pixels ({:.2f} ms)   goal < 50 ms\n",
                       fmt::format("edit of 1 of {} keys, 10 000 copies{}", keys, all_rows ? ", all rows" : ""), took, took / limit, limit);
        }
    }
    document.undo().setClean();
    return 0;
}
