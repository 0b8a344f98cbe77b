// The geometry of painted views, number entry, ramps and the camera: plain values, no window needed.
#include "support/case.h"
#include "support/notation.h"

#include "app/lanes/lanes_layout.h"
#include "app/panels/retime/map_axes.h"
#include "app/scene_view/orbit.h"
#include "app/scene_view/scene.h"
#include "app/theme/ramp.h"
#include "app/theme/tokens.h"
#include "app/widgets/number_field.h"
#include "app/widgets/pose_picture.h"
#include <QSignalSpy>

using namespace garland;
using namespace garland::testing;

namespace {
double luminance(const QColor& c) { // WCAG 2.1, relative luminance
    auto part = [](double v) { return v <= 0.03928 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4); };
    return 0.2126 * part(c.redF()) + 0.7152 * part(c.greenF()) + 0.0722 * part(c.blueF());
}
double contrast(const QColor& a, const QColor& b) {
    const double x = luminance(a), y = luminance(b);
    return (std::max(x, y) + 0.05) / (std::min(x, y) + 0.05);
}
} // namespace

class LayoutTest : public QObject {
    Q_OBJECT
  private slots:
    void loom_pixels_are_frames_and_copies() {
        LanesLayout l;
        l.width = 1000, l.height = 400;
        l.low = 1, l.high = 240;
        l.rows = 100;
        l.row_height = 10;
        QCOMPARE(l.x_of(1), l.names * 1.0);
        QCOMPARE(l.x_of(240), l.names + l.plot_width() * 1.0);
        for (double f : {1.0, 17.5, 240.0}) QVERIFY(close(l.frame_at(l.x_of(f)), f, 1e-9));
        l.scroll = 20;
        QCOMPARE(l.row_at(l.y_of(23) + 1), 23);
        QCOMPARE(l.row_at(l.head - 1), -1);
        QCOMPARE(l.row_at(l.head + l.plot_height()), -1);
        l.fit = true, l.scroll = 0;
        l.rows = 10000;
        QVERIFY(l.merged());
        QCOMPARE(l.most_scroll(), 0.0);
        QCOMPARE(l.row_at(l.head + l.plot_height() - 0.01), 9999);
    }
    void one_ruler_for_all_that_is_drawn_over_time() {
        TimeAxis a{100, 800, 1, 241};
        QCOMPARE(a.x(1), 100.0);
        QCOMPARE(a.x(241), 900.0);
        QVERIFY(close(a.frame(a.x(57.25)), 57.25, 1e-12));
        const double under = a.frame(300);
        a.zoom(0.25, 300);
        QVERIFY(close(a.frame(300), under, 1e-9)); // what lies under the pointer stays there
        QVERIFY(close(a.high - a.low, 60, 1e-9));
        a.zoom(1e-9, 300); // closer than two frames: as it was
        QVERIFY(close(a.high - a.low, 60, 1e-9));
        a.pan(80);
        QVERIFY(close(a.frame(380), under, 1e-9));

        // Within the range: a pan beyond its ends stops there, a zoom out shows all of it and no more.
        a.pan(1e6);
        a.keep_within({1, 241});
        QVERIFY(close(a.low, 1, 1e-9) && close(a.high, 61, 1e-9));
        a.pan(-1e6);
        a.keep_within({1, 241});
        QVERIFY(close(a.low, 181, 1e-9) && close(a.high, 241, 1e-9));
        a.zoom(100, 500);
        a.keep_within({1, 241});
        QVERIFY(close(a.low, 1, 1e-9) && close(a.high, 241, 1e-9));
        a.keep_within({7, 7}); // a range of one frame still has a width
        QVERIFY(a.high > a.low && a.low == 7);

        // A frame out of view brings the page it is on; one in view moves nothing.
        TimeAxis b{0, 600, 1, 61};
        b.bring_into_view(30);
        QCOMPARE(b.low, 1.0);
        b.bring_into_view(150);
        QCOMPARE(b.low, 121.0);
        b.bring_into_view(20);
        QCOMPARE(b.low, 1.0);

        // Numbers stand apart; the left edge has its own where it is asked for.
        const TimeAxis c{0, 700, 3, 240};
        const std::vector<double> numbers = c.numbered(70, true);
        QCOMPARE(numbers.front(), 3.0);
        QCOMPARE(numbers[1], 24.0);
        for (std::size_t i = 2; i < numbers.size(); ++i) QVERIFY(c.x(numbers[i]) - c.x(numbers[i - 1]) >= 69);
        QCOMPARE(c.numbered(70).front(), 24.0);
        QCOMPARE((TimeAxis{0, 700, 70.3, 142}).numbered(70, true).front(), 71.0); // whole frames carry numbers

        // 120 beats a minute at 24 fps are 12 frames each (arithmetic); bars of four. Far out, bars alone stay.
        Tempo tempo;
        tempo.on = true, tempo.beats_per_minute = 120, tempo.beats_per_bar = 4;
        const auto beats = beat_lines({0, 600, 1, 97}, tempo, Rate{24, 1});
        QCOMPARE(beats.size(), std::size_t(9));
        QVERIFY(close(beats[1].frame - beats[0].frame, 12, 1e-9));
        QVERIFY(beats[0].bar && !beats[1].bar && beats[4].bar);
        for (const BeatLine& far : beat_lines({0, 200, 1, 481}, tempo, Rate{24, 1})) QVERIFY(far.bar);
    }
    void map_pixels_are_frames() {
        MapAxes a;
        a.plot = QRectF(50, 10, 400, 200);
        a.out_low = 1, a.out_high = 241, a.source_low = -5, a.source_high = 95;
        QVERIFY(close(a.out(a.x(OutputFrame(137))).value, 137, 1e-9));
        QVERIFY(close(a.source(a.y(SourceFrame(52))).value, 52, 1e-9));
        QVERIFY(a.y(SourceFrame(90)) < a.y(SourceFrame(0))); // up is later
        const double under = a.out(200).value;
        a.zoom(0.5, 200);
        QVERIFY(close(a.out(200).value, under, 1e-9)); // what lies under the pointer stays there
        QVERIFY(close(a.out_high - a.out_low, 120, 1e-9));
        a.pan(40);
        QVERIFY(close(a.out(240).value, under, 1e-9));
        QCOMPARE(nice_step(240, 8), 48.0);
    }
    void numbers_that_are_no_amount_are_shown_as_words() {
        NumberField passes(Quantity::plain, 0, 1000, 0);
        passes.set_word(0, "endless");
        QCOMPARE(passes.text(), QString("endless"));
        passes.set_value(3);
        QCOMPARE(passes.text(), QString("3"));
        QSignalSpy edited(&passes, &NumberField::edited);
        passes.selectAll();
        QTest::keyClicks(&passes, "Endless");
        QTest::keyClick(&passes, Qt::Key_Return);
        QCOMPARE(passes.value(), 0.0);
        QCOMPARE(edited.size(), 1);
        passes.set_value(0);
        QCOMPARE(passes.text(), QString("endless"));
        passes.selectAll();
        QTest::keyClicks(&passes, "7");
        QTest::keyClick(&passes, Qt::Key_Return);
        QCOMPARE(passes.value(), 7.0);
    }
    void typed_units_are_understood() {
        const Rate rate{24, 1};
        auto frames = [&](const char* text) {
            return parse_quantity(QString::fromUtf8(text), Quantity::output_frames, rate);
        };
        QCOMPARE(*frames("12"), 12.0);
        QCOMPARE(*frames("12f"), 12.0);
        QCOMPARE(*frames(" 0.5 s "), 12.0);
        QCOMPARE(*frames("0,5s"), 12.0);
        QCOMPARE(*frames("500 ms"), 12.0);
        QCOMPARE(*frames("−3 frames"), -3.0);
        for (const char* bad : {"", "twelve", "12 m", "1e999", "1 2", "nan", "--3"}) QVERIFY2(!frames(bad), bad);
        QCOMPARE(*parse_quantity("150 cm", Quantity::metres, rate), 1.5);
        QCOMPARE(*parse_quantity("0.25 turn", Quantity::degrees, rate), 90.0);
        QCOMPARE(*parse_quantity("8 %", Quantity::per_cent, rate), 8.0);
    }
    void text_has_enough_contrast() { // WCAG 2.1: 4.5 to 1
        for (Look look : {Look::night, Look::paper}) {
            const Tokens& t = tokens_of(look);
            for (const QColor& back : {t.ground, t.panel, t.raised}) QVERIFY(contrast(t.text, back) >= 4.5);
            for (const QColor& back : {t.ground, t.panel}) QVERIFY(contrast(t.muted, back) >= 4.5);
            QVERIFY(contrast(t.accent, t.on_accent) >= 4.5);
            QVERIFY(contrast(t.alert, t.panel) >= 4.5);
            QVERIFY(contrast(t.ok, t.panel) >= 4.5);
        }
    }
    void
    oklab_has_its_published_values() { // table in Ottosson (2020), through the XYZ of white, and sRGB red from memory
        const Oklab white = to_oklab(QColor(255, 255, 255)), red = to_oklab(QColor(255, 0, 0));
        QVERIFY(close(white.L, 1, 1e-3) && close(white.a, 0, 1e-3) && close(white.b, 0, 1e-3));
        QVERIFY(close(red.L, 0.628, 1e-3) && close(red.a, 0.225, 1e-3) && close(red.b, 0.126, 1e-3));
        for (const char* name : {"#10232A", "#F6A821", "#E86A8A"})
            QCOMPARE(from_oklab(to_oklab(QColor(name))).name(), QColor(name).name());
    }
    void ramps_are_even() {
        const Ramp& plain = Ramp::get(RampKind::sequential);
        double before = 0;
        for (int i = 0; i <= 20; ++i) {
            const double L = to_oklab(QColor(plain.at(i / 20.0))).L;
            if (i > 0) QVERIFY(close(L - before, 0.025, 0.012)); // lightness alone tells the order
            before = L;
        }
        const Ramp& loop = Ramp::get(RampKind::cyclic);
        QCOMPARE(loop.at(0), loop.at(1));
        QCOMPARE(loop.at(0.25), loop.at(3.25));
        for (int i = 0; i < 64; ++i) {
            const Oklab a = to_oklab(QColor(loop.at(i / 64.0))), b = to_oklab(QColor(loop.at((i + 1) / 64.0)));
            QVERIFY(std::hypot(a.L - b.L, std::hypot(a.a - b.a, a.b - b.b)) < 0.05); // no jump, the wrap included
        }
    }
    void the_camera_sees_what_it_points_at() {
        Orbit o;
        o.camera = {V3d(1, 2, 3), 8, 30, 20, 40};
        const QSizeF size(800, 600);
        const Ray middle = o.ray({400, 300}, size);
        QVERIFY((middle.from + middle.along * 8 - V3d(1, 2, 3)).length() < 1e-9);
        // A point projected by the matrices lies under the pixel whose ray goes through it.
        const V3d p(1.7, 1.1, 2.2);
        const QVector4D clip = o.projection(size) * o.view() * QVector4D(1.7f, 1.1f, 2.2f, 1);
        const QPointF pixel((clip.x() / clip.w() + 1) * 400, (1 - clip.y() / clip.w()) * 300);
        const Ray r = o.ray(pixel, size);
        QVERIFY((p - r.from).cross(r.along).length() < 1e-4);
        o.zoom(3, pixel, size);
        QVERIFY(o.camera.distance < 8);
        const Ray again = o.ray(pixel, size);
        QVERIFY(again.along.dot(r.along) > 0.9999); // it stays under the pointer
        o.fit(V3d(-1), V3d(1), size);
        const QVector4D corner = o.projection(size) * o.view() * QVector4D(1, 1, 1, 1);
        QVERIFY(std::abs(corner.x() / corner.w()) < 1 && std::abs(corner.y() / corner.w()) < 1);
    }
    void picking_hits_triangles_not_boxes() {
        Scene scene;
        auto pose = std::make_shared<DrawPose>();
        const Pose mesh = tetrahedron();
        for (const V3f& p : mesh.points) pose->vertices.push_back({{p.x, p.y, p.z}, {}, {}});
        auto faces = std::make_shared<DrawFaces>();
        faces->indices = mesh.faces->triangles();
        faces->levels = {{0, faces->indices.size()}};
        pose->faces = faces;
        pose->box = bounds(mesh);
        scene.poses = {pose};
        for (int i = 0; i < 3; ++i) {
            SceneCopy c;
            c.number = i;
            c.position = V3f(3.0f * i, 0, 0);
            c.turn = Imath::Quatf(std::sqrt(0.5f), 0, std::sqrt(0.5f), 0); // a quarter turn: x goes to −z
            scene.copies.push_back(c);
        }
        QCOMPARE(pick_copy(scene, V3d(3.2, 5, -0.2), V3d(0, -1, 0)), 1);
        QCOMPARE(pick_copy(scene, V3d(3.9, 5, -0.9), V3d(0, -1, 0)), -1); // inside the box, beside the triangle
        QCOMPARE(pick_copy(scene, V3d(-5, 0.1, -0.1), V3d(1, 0, 0)), 0);
        QCOMPARE(pick_copy(scene, V3d(20, 0.1, -0.1), V3d(-1, 0, 0)), 2);
    }
    void pictures_show_the_pose() {
        const QImage image = pose_picture(tetrahedron(), 64, 64, {});
        int covered = 0;
        for (int y = 0; y < 64; ++y) {
            for (int x = 0; x < 64; ++x) covered += qAlpha(image.pixel(x, y)) > 0;
        }
        QVERIFY(covered > 400 && covered < 3600);
        QVERIFY(pose_picture(Pose{}, 16, 16, {}).pixel(8, 8) == 0);
    }
};
GARLAND_TEST_CASE(LayoutTest)
#include "layout_test.moc"
