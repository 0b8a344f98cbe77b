// A pen on a tablet, as the system hands it to the window: it points, presses and drags like the mouse, to fractions of
// a pixel.
#include "app/driving.h"

#include "app/panels/retime/retime_panel.h"

#include <QPointingDevice>
#include <qpa/qwindowsysteminterface.h>

using namespace garland;
using namespace garland::testing;

namespace {

class Pen {
  public:
    explicit Pen(QWidget& window) : window_(window) { QWindowSystemInterface::registerInputDevice(device()); }
    void hover(QWidget& on, QPointF at) { send(on, at, Qt::NoButton, 0); }
    void press(QWidget& on, QPointF at) { send(on, at, Qt::LeftButton, 0.6); }
    void drag(QWidget& on, QPointF from, QPointF to) {
        hover(on, from);
        press(on, from);
        for (int step = 1; step <= 8; ++step) press(on, from + (to - from) * (step / 8.0));
        hover(on, to);
    }

  private:
    // Registered for as long as the program runs: what was sent may be looked at late.
    static const QPointingDevice* device() {
        static const QPointingDevice pen(
            "pen", 4711, QInputDevice::DeviceType::Stylus, QPointingDevice::PointerType::Pen,
            QInputDevice::Capability::Position | QInputDevice::Capability::Pressure | QInputDevice::Capability::Hover,
            1, 2);
        return &pen;
    }
    void send(QWidget& on, QPointF at, Qt::MouseButtons buttons, double pressure) {
        const QPointF local = on.mapTo(&window_, at);
        QWindowSystemInterface::handleTabletEvent(window_.windowHandle(), device(), local, window_.mapToGlobal(local),
                                                  buttons, pressure, 0, 0, 0, 0, 0);
        settle();
    }
    QWidget& window_;
};

} // namespace

class PenTest : public QObject {
    Q_OBJECT
  private slots:
    // Elsewhere the platform itself is said to make a mouse of a pen, and this one has none.
    void initTestCase() {
        if (QGuiApplication::platformName() != "xcb") QSKIP("only X hands over a pen as it is");
    }
    void a_pen_presses_buttons_and_drags_keys() {
        Opened o;
        Pen pen(o.window);
        auto* step = o.window.rail().button(1);
        pen.drag(*step, QPointF(step->rect().center()), QPointF(step->rect().center()));
        QCOMPARE(o.window.step(), 1);
        TimeMapView& view = o.window.retime().map();
        auto at = [&](double t, double s) { return view.axes().at(OutputFrame(t), SourceFrame(s)); };
        const auto keys = [&] { return o.project().timings[0].map.keys; };
        QCOMPARE(keys().size(), std::size_t(2));
        const double t = keys()[1].at.value, s = keys()[1].source.value;
        pen.drag(view, at(t, s), at(t - 10, s));
        QCOMPARE(keys()[1].at.value, t - 10);
        QCOMPARE(o.window.document().undo().count(), 1); // one step, however many places it went through
        QTest::keyClick(&o.window, Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(keys()[1].at.value, t);
    }
    void a_pen_turns_the_scene() {
        Opened o;
        if (!o.window.scene_view().has_graphics()) QSKIP("no OpenGL here");
        auto* canvas = o.window.scene_view().findChild<SceneCanvas*>();
        wait_painted(*canvas);
        Pen pen(o.window);
        const Camera before = o.window.scene_view().orbit().camera;
        const QPointF middle(canvas->width() / 2.0, canvas->height() / 2.0);
        pen.drag(*canvas, middle, middle + QPointF(40, 0));
        const Camera after = o.window.scene_view().orbit().camera;
        QVERIFY(std::abs(after.azimuth - before.azimuth) > 2);
        QCOMPARE(after.elevation, before.elevation);
    }
};
GARLAND_TEST_CASE(PenTest)
#include "pen_test.moc"
