// The Scene shows the shape: pictures of big meshes and clouds of particles against rays cast through the pixels.
#include "app/driving.h"

#include "app/scene_view/detail.h"
#include "app/theme/tokens.h"
#include "io/project/open_project.h"

#include <QCompleter>
#include <QFileDialog>
#include <QLineEdit>
#include <QOpenGLWidget>
#include <QPainter>
#include <QSet>
#include <QSvgRenderer>

using namespace garland;
using namespace garland::testing;

namespace {

// A cloth of side × side points with waves of three widths, in a colour nothing else has.
Pose cloth(int side, double phase) {
    Pose pose;
    auto faces = std::make_shared<Faces>();
    faces->starts.push_back(0);
    for (int z = 0; z < side; ++z) {
        for (int x = 0; x < side; ++x) {
            const double u = 4.0 * x / (side - 1) - 2, v = 4.0 * z / (side - 1) - 2;
            const double y = 1.5 + 0.3 * std::sin(1.7 * u + phase) + 0.12 * std::sin(6 * v + 2 * phase) +
                             0.03 * std::sin(23 * (u + v));
            pose.points.emplace_back(static_cast<float>(u), static_cast<float>(y), static_cast<float>(v));
            pose.colours.emplace_back(1.0f, 0.1f, 0.1f);
            if (x + 1 == side || z + 1 == side) continue;
            const auto at = static_cast<std::uint32_t>(z * side + x), down = at + static_cast<std::uint32_t>(side);
            for (std::uint32_t i : {at, down, down + 1, at + 1}) faces->corners.push_back(i);
            faces->starts.push_back(static_cast<std::uint32_t>(faces->corners.size()));
        }
    }
    pose.faces = faces;
    return pose;
}

struct InScene {
    Folder folder;
    MainWindow window;
    explicit InScene(const std::vector<Pose>& frames, int copies, double spacing = 5) {
        for (std::size_t f = 0; f < frames.size(); ++f) {
            if (!write_ply(folder / numbered("cloth.", static_cast<int>(f), 4, ".ply"), frames[f],
                           PlyForm::little_endian, Existing::replace))
                qFatal("not written");
        }
        window.resize(1280, 800);
        window.show();
        if (!QTest::qWaitForWindowExposed(&window)) qFatal("no window");
        activate(window);
        window.document().library().add(QString::fromStdString(folder / "cloth.0000.ply"));
        wait([&] { return window.document().show()->copies() > 0; });
        window.document().edit("copies", [&](Project& p) -> Result<void> {
            p.arrangements[0].layout.count = copies;
            p.arrangements[0].layout.spacing = spacing;
            return {};
        });
        wait([&] {
            return window.scene_view().scene() &&
                   static_cast<int>(window.scene_view().scene()->copies.size()) == copies;
        });
        window.document().undo().setClean();
    }
    void wait(const std::function<bool()>& ready) {
        for (int i = 0; i < 3000 && !ready(); ++i) QTest::qWait(20);
        if (!ready()) qFatal("it never came");
    }
    SceneCanvas& canvas() { return *window.scene_view().findChild<SceneCanvas*>(); }
    QImage refined() {
        wait([&] { return window.scene_view().refined(); });
        return canvas().grab_picture();
    }
    // What is seen: red where the cloth is, everywhere else something else; the water's image of it is fainter.
    static bool red(QRgb c) { return qRed(c) > 90 && qRed(c) > 2 * qGreen(c) && qRed(c) > 2 * qBlue(c); }
    bool hit(QPointF pixel) {
        const Ray ray = window.scene_view().orbit().ray(pixel, canvas().size());
        return pick_copy(*window.scene_view().scene(), ray.from, ray.along) >= 0;
    }
    // Pixels of a grid at which picture and ray disagree, away from edges: where a ray through a neighbour, or through
    // another part of the same pixel, says otherwise.
    int wrong(const QImage& picture, int across, QRect where) {
        int n = 0;
        const double ratio = picture.width() / static_cast<double>(canvas().width());
        for (int j = 0; j < across; ++j) {
            for (int i = 0; i < across; ++i) {
                const QPoint at(where.x() + where.width() * (2 * i + 1) / (2 * across),
                                where.y() + where.height() * (2 * j + 1) / (2 * across));
                const QPointF middle = QPointF(at) + QPointF(0.5, 0.5);
                const bool seen = red(picture.pixel((middle * ratio).toPoint()));
                if (seen == hit(middle)) continue;
                bool edge = false;
                for (const QPointF d : {QPointF(1.5, 0), QPointF(-1.5, 0), QPointF(0, 1.5), QPointF(0, -1.5),
                                        QPointF(0.4, 0.4), QPointF(-0.4, 0.4), QPointF(0.4, -0.4), QPointF(-0.4, -0.4)})
                    edge |= hit(middle + d) == seen;
                n += !edge;
            }
        }
        return n;
    }
};

} // namespace

class SceneTest : public QObject {
    Q_OBJECT
  private slots:
    // For notes: every triangle as a face of the drawing, the second pose as outlines; it needs no graphics.
    void the_scene_is_saved_as_a_drawing() {
        InScene o({cloth(20, 0), cloth(20, 1)}, 3);
        o.window.viewing().set_frame(1);
        const QString path = QString::fromStdString(o.folder / "notes.svg");
        auto save = [&] {
            in_next<QFileDialog>([&](QFileDialog& dialog) {
                auto* name = dialog.findChild<QLineEdit*>("fileNameEdit");
                name->selectAll();
                name->insert(path);
                if (name->completer() && name->completer()->popup()->isVisible()) name->completer()->popup()->hide();
                QTest::keyClick(name, Qt::Key_Return);
            });
            QFile::remove(path);
            o.window.commands().find("picture.draw_scene")->action->trigger();
            o.wait([&] { return QFile::exists(path); });
            QFile file(path);
            return file.open(QIODevice::ReadOnly) ? file.readAll() : QByteArray();
        };
        auto& view = o.window.scene_view();
        view.orbit().camera = {V3d(0, 1, 0), 24, 20, 40, 40};
        const QByteArray one = save();
        auto faces = [](const QByteArray& drawing) { return drawing.count("<path"); }; // and one for the sky, at most
        QVERIFY2(faces(one) == 3 * 19 * 19 * 2 || faces(one) == 3 * 19 * 19 * 2 + 1,
                 qPrintable(QString::number(faces(one))));
        QSvgRenderer svg(one);
        QVERIFY(svg.isValid());
        QImage picture(view.size(), QImage::Format_RGB32);
        QPainter painter(&picture);
        svg.render(&painter, QRectF(picture.rect()));
        painter.end();
        for (const SceneCopy& c : view.scene()->copies) { // each copy is where it is seen, in its own red
            const auto at = on_picture(V3d(c.position) + V3d(0, 1.5, 0), view.orbit(), view.size());
            const QColor is = picture.pixelColor(at->toPoint());
            QVERIFY2(is.red() > 2 * is.green() && is.red() > 100, qPrintable(is.name()));
        }
        QCOMPARE(picture.pixelColor(2, 2).rgb(), tokens().sky.rgb());
        o.window.viewing().set_second_pose(OutputFrame(2));
        QTRY_VERIFY(view.scene()->second != nullptr);
        const QByteArray both = save();
        QCOMPARE(faces(both), faces(one) + 1); // all outlines are one line
        QVERIFY(both.count(tokens().accent.name().toLatin1()) > 0 && one.count(tokens().accent.name().toLatin1()) == 0);
    }
    // An empty Scene says whether there is nothing to show, or not yet.
    void an_empty_scene_says_why() {
        Opened o(9);
        SceneView& view = o.window.scene_view();
        auto hide = [&](bool hidden) {
            o.window.document().edit("hide", [&](Project& p) -> Result<void> {
                p.arrangements[0].hidden = hidden;
                return {};
            });
        };
        hide(true);
        o.wait_for_scene();
        QVERIFY(view.scene()->copies.empty());
        QVERIFY(all_text(view).contains("No copy is shown at this frame"));
        hide(false);
        QVERIFY2(all_text(view).contains("Making the poses of 9 copies"), qPrintable(all_text(view)));
        o.wait_for_scene();
        QVERIFY(all_text(view).contains("9 copies · "));
        o.window.document().undo().setClean();
    }
    void levels_say_how_far_they_are_off() {
        // Over one pose, and over another with the same faces: the error told is at least the one measured at every
        // point.
        const Pose first = cloth(80, 0), other = cloth(80, 2);
        const auto faces = with_levels(first);
        QVERIFY(faces->levels.size() >= 6);
        for (const Pose* pose : {&first, &other}) {
            const std::vector<float> errors = level_errors(*faces, pose->points);
            QCOMPARE(errors[0], 0.0f);
            for (std::size_t l = 1; l < errors.size(); ++l) QVERIFY(errors[l] >= errors[l - 1]);
            // A height field: the lighter mesh's height above every point of the full one, triangle by triangle.
            for (std::size_t l : {std::size_t(2), std::size_t(4)}) {
                std::vector<float> highest(pose->points.size(), 0);
                double worst = 0;
                const auto& level = faces->levels[l];
                std::vector<char> met(pose->points.size(), 0);
                for (std::size_t t = level.first; t < level.first + level.count; t += 3) {
                    const V3f &a = pose->points[faces->indices[t]], &b = pose->points[faces->indices[t + 1]],
                              &c = pose->points[faces->indices[t + 2]];
                    const double area = (b.x - a.x) * (c.z - a.z) - (c.x - a.x) * (b.z - a.z);
                    if (std::abs(area) < 1e-12) continue;
                    for (std::size_t i = 0; i < pose->points.size(); ++i) {
                        const V3f& p = pose->points[i];
                        const double v = ((p.x - a.x) * (c.z - a.z) - (c.x - a.x) * (p.z - a.z)) / area,
                                     w = ((b.x - a.x) * (p.z - a.z) - (p.x - a.x) * (b.z - a.z)) / area;
                        if (v < -1e-6 || w < -1e-6 || v + w > 1 + 1e-6) continue;
                        met[i] = 1;
                        worst = std::max(worst, std::abs(a.y + v * (b.y - a.y) + w * (c.y - a.y) - p.y));
                    }
                }
                QVERIFY(std::count(met.begin(), met.end(), 1) > static_cast<long>(met.size() * 9 / 10));
                QVERIFY2(errors[l] > worst * 0.6 && errors[l] < worst * 4 + 1e-3,
                         qPrintable(QString("level %1: told %2, measured %3").arg(l).arg(errors[l]).arg(worst)));
            }
        }
    }
    // A tent of three faces that meet in hard edges: points have a vertex for each side of an edge, and the gap to
    // another pose counts each point once.
    void hard_edges_are_drawn_hard() {
        Folder folder;
        for (int f = 0; f < 4; ++f) { // the ridge's far end sinks, half a metre a frame
            const double end = 2 - 0.5 * f;
            folder.write(numbered("tent", f, 4, ".obj"),
                         "v -1 0 0\nv 1 0 0\nv 0 2 0\nv -1 0 4\nv 1 0 4\nv 0 " + std::to_string(end) +
                             " 4\nvn -0.9 0.44 0\nvn 0.9 0.44 0\nvn 0 0 1\n"
                             "f 1//1 4//1 6//1 3//1\nf 2//2 3//2 6//2 5//2\nf 4//3 5//3 6//3\n");
        }
        Project p;
        add_source(p, "tent", folder / "tent0000.obj", {0, 3, {24, 1}});
        auto opened = open_project(std::move(p), folder / "p.garland");
        QVERIFY2(opened, opened ? "" : describe(opened.error()).c_str());
        PoseCache cache(1 << 20);
        const ShowPtr show = make_show(opened->project, opened->sources, cache);
        SceneMaker maker;
        const auto scene = maker.make(show, OutputFrame(1), OutputFrame(4), Progress::none());
        QVERIFY2(scene, scene ? "" : describe(scene.error()).c_str());
        const DrawPose& drawn = *(*scene)->poses[0];
        QCOMPARE(drawn.vertices.size(), std::size_t(4 + 4 + 3));
        for (std::size_t t = 0; t + 2 < drawn.faces->levels[0].count; t += 3) { // all three corners look one way
            const std::uint32_t* i = &drawn.faces->indices[drawn.faces->levels[0].first + t];
            for (int k = 1; k < 3; ++k) {
                for (int axis = 0; axis < 3; ++axis)
                    QCOMPARE(drawn.vertices[i[k]].normal[axis], drawn.vertices[i[0]].normal[axis]);
            }
        }
        // One of six points moved, by 1.5 m.
        QVERIFY(close((*scene)->gap_most, 1.5, 1e-5));
        QVERIFY(close((*scene)->gap_rms, std::sqrt(1.5 * 1.5 / 6), 1e-5));
    }
    void any_beginning_of_the_order_is_even() {
        for (std::size_t n : {1u, 2u, 7u, 100u, 4096u, 100'003u}) {
            const auto order = even_order(n);
            QCOMPARE(QSet<std::uint32_t>(order.begin(), order.end()).size(), static_cast<qsizetype>(n));
            if (n < 100) continue;
            std::vector<int> tenths(10);
            for (std::size_t i = 0; i < n / 5; ++i) ++tenths[order[i] * 10ull / n];
            for (int t : tenths)
                QVERIFY(std::abs(t - static_cast<double>(n) / 50) <= std::max(2.0, static_cast<double>(n) / 500));
        }
    }
    void a_big_cloth_is_what_its_points_say() {
        InScene o({cloth(550, 0), cloth(550, 1)}, 1); // 302 500 points
        if (!o.window.scene_view().has_graphics()) QSKIP("no OpenGL here");
        // From the side, so that its waves are its outline.
        o.window.scene_view().orbit().camera = {V3d(0, 1.5, 0), 7, 20, 4, 40};
        o.window.scene_view().camera_moved();
        o.window.scene_view().redraw();
        const QImage truth = o.refined();
        QVERIFY(o.window.scene_view().drawn().whole());
        const QRect all(10, 60, o.canvas().width() - 20, o.canvas().height() - 120);
        QCOMPARE(o.wrong(truth, 26, all), 0);
        QVERIFY(!all_text(o.window.scene_view()).contains("simpler"));
        // While it moves it may be off by three pixels, and says so; and it comes back.
        o.window.viewing().set_frame(2);
        o.wait([&] { return o.window.scene_view().scene()->frame == OutputFrame(2); });
        o.window.scene_view().redraw();
        o.canvas().repaint();
        QVERIFY(!o.window.scene_view().refined());
        QVERIFY(all_text(o.window.scene_view()).contains("simpler"));
        QCOMPARE(o.wrong(o.refined(), 20, all), 0);
    }
    // What is in the window does not wait for OpenGL where a processor draws: labels change, the picture is kept.
    void a_processor_paints_aside() {
        InScene o({cloth(40, 0), cloth(40, 1)}, 1);
        if (!o.window.scene_view().has_graphics()) QSKIP("no OpenGL here");
        const bool aside = graphics_here() == Graphics::processor;
        QCOMPARE(o.canvas().findChild<QOpenGLWidget*>() == nullptr, aside);
        if (!aside) return; // what OpenGL puts together on the screen cannot be asked for
        // The window shows what was painted, pixel by pixel, the mirror image in the water too; and again after it was
        // covered, without painting it anew.
        QImage painted = o.refined();
        const QRect inside(20, 80, o.canvas().width() - 40, o.canvas().height() - 160);
        auto same = [&] {
            const QImage shown = o.canvas().grab().toImage();
            int off = 0;
            for (int y = inside.top(); y < inside.bottom(); ++y) {
                for (int x = inside.left(); x < inside.right(); ++x)
                    off += (shown.pixel(x, y) & 0xffffff) != (painted.pixel(x, y) & 0xffffff);
            }
            return off == 0;
        };
        QVERIFY(same());
        settle();
        QSignalSpy anew(&o.canvas(), &SceneCanvas::shown);
        o.canvas().QWidget::update();
        settle();
        QVERIFY(anew.isEmpty());
        QVERIFY(same());
    }
    // Pictures shown while another is refined beside them have instances of their own, and are coarse where a processor
    // draws, so that a hand never waits for one.
    void what_is_shown_meanwhile_leaves_the_refined_picture_alone() {
        Pose dust; // a little cube of particles
        for (int i = 0; i < 4096; ++i) {
            dust.points.emplace_back(0.1f * static_cast<float>(i % 16), 0.1f * static_cast<float>(i / 16 % 16),
                                     0.1f * static_cast<float>(i / 256));
            dust.colours.emplace_back(1.0f, 0.1f, 0.1f);
            dust.ids.push_back(i);
        }
        dust.faces = std::make_shared<Faces>();
        InScene o({dust, dust}, 400, 2);
        if (!o.window.scene_view().has_graphics()) QSKIP("no OpenGL here");
        // So far away that many are round solids for the moment.
        o.window.scene_view().orbit().camera = {V3d(0, 1, 0), 700, 20, 12, 40};
        o.window.scene_view().camera_moved();
        o.window.scene_view().redraw();
        const QImage alone = o.refined();
        o.window.scene_view().redraw();
        o.wait([&] { return o.canvas().is_refining(); });
        int shown = 0;
        std::int64_t solids = 0;
        while (!o.canvas().is_refined()) {
            o.canvas().update();
            QCoreApplication::processEvents();
            if (!o.canvas().is_refining()) continue;
            ++shown;
            solids = std::max(solids, o.window.scene_view().drawn().solids);
        }
        QVERIFY(solids > 5);
        QVERIFY2(shown >= 2, qPrintable(QString::number(shown)));
        QCOMPARE(o.canvas().grab_picture(), alone);
    }
    // Whatever the lightest mesh has: a hundred thousand of those would not be a picture that moves.
    void far_copies_are_dots_while_the_view_moves() {
        InScene o({cloth(30, 0)}, 6000, 0.3);
        if (!o.window.scene_view().has_graphics()) QSKIP("no OpenGL here");
        o.window.scene_view().orbit().camera = {V3d(0, 1, 0), 1800, 20, 30, 40};
        o.window.scene_view().camera_moved();
        o.window.scene_view().redraw();
        wait_painted(o.canvas());
        const SceneGpu::Drawn& drawn = o.window.scene_view().drawn();
        QVERIFY2(drawn.solids > 4000, qPrintable(QString::number(drawn.solids)));
        QVERIFY2(drawn.triangles < 2 * drawn.copies, qPrintable(QString::number(drawn.triangles)));
        const QImage picture = o.canvas().grab_picture();
        o.window.document().edit("one", [](Project& p) -> Result<void> {
            p.arrangements[0].layout.count = 1;
            return {};
        });
        o.wait([&] { return o.window.scene_view().scene()->copies.size() == 1; });
        o.window.scene_view().redraw();
        wait_painted(o.canvas());
        QVERIFY(picture != o.canvas().grab_picture()); // they are seen
    }
    // Poses that are being made will take the place of those shown: nothing is refined until they are there.
    void nothing_is_refined_while_other_poses_are_on_their_way() {
        InScene o({cloth(300, 0), cloth(300, 1), cloth(300, 2), cloth(300, 3)}, 60, 4.5);
        if (!o.window.scene_view().has_graphics()) QSKIP("no OpenGL here");
        SceneView& view = o.window.scene_view();
        (void)o.refined();
        view.redraw();
        o.wait([&] { return o.canvas().is_refining(); });
        const ScenePtr before = view.scene();
        o.window.viewing().set_frame(3);
        QVERIFY(!o.canvas().is_refining());
        o.wait([&] {
            if (view.scene() == before && o.canvas().is_refining()) qFatal("what will not stay was refined");
            return view.scene() != before;
        });
        (void)o.refined();
        QCOMPARE(view.scene()->frame, OutputFrame(3));
    }
    void a_hundred_of_them_are_no_plates() {
        InScene o({cloth(550, 0)}, 100, 4.5);
        if (!o.window.scene_view().has_graphics()) QSKIP("no OpenGL here");
        o.window.scene_view().orbit().camera = {V3d(0, 1.5, 0), 9, 70, 6, 45};
        o.window.scene_view().camera_moved();
        o.window.scene_view().redraw();
        const QImage truth = o.refined();
        QCOMPARE(o.wrong(truth, 10, QRect(10, 60, o.canvas().width() - 20, o.canvas().height() - 120)), 0);
    }
    void particles_keep_their_density() {
        Pose cloud;
        std::uint64_t state = 1;
        auto next = [&] { // a linear congruential sequence (D. Knuth's multiplier)
            state = state * 6364136223846793005u + 1442695040888963407u;
            return static_cast<float>(state >> 40) / 16777216.0f;
        };
        Attribute size{"size", 1};
        for (int i = 0; i < 216'000; ++i) {
            cloud.points.emplace_back(next() * 4 - 2, next() * 2, next() * 4 - 2);
            cloud.colours.emplace_back(1.0f, 0.1f, 0.1f);
            cloud.ids.push_back(i);
            size.values.push_back(0.012f);
        }
        cloud.attributes.push_back(size);
        cloud.faces = std::make_shared<Faces>();
        InScene o({cloud, cloud}, 4);
        if (!o.window.scene_view().has_graphics()) QSKIP("no OpenGL here");
        o.window.scene_view().orbit().camera = {V3d(0, 1, 0), 14, 20, 8, 40};
        o.window.scene_view().camera_moved();
        o.window.scene_view().redraw();
        auto share = [&](const QImage& picture) {
            double sum = 0; // how red the picture is: smoothed edges count by their share
            for (int y = 0; y < picture.height(); ++y) {
                for (int x = 0; x < picture.width(); ++x) {
                    const QRgb c = picture.pixel(x, y);
                    sum += std::max(0, qRed(c) - std::max(qGreen(c), qBlue(c))) / 255.0;
                }
            }
            return sum / (picture.width() * picture.height());
        };
        o.canvas().repaint();
        QVERIFY(o.window.scene_view().drawn().dots_left_out > 0);
        const double coarse = share(o.canvas().grab_picture()), whole = share(o.refined());
        QVERIFY(o.window.scene_view().drawn().whole());
        QCOMPARE(o.window.scene_view().drawn().dots, 4 * 216'000);
        QVERIFY2(whole > 0.02 && std::abs(coarse - whole) < 0.25 * whole,
                 qPrintable(QString("%1 %2").arg(coarse).arg(whole)));
    }
    void a_lost_context_is_made_anew() {
        InScene o({cloth(40, 0)}, 3);
        if (!o.window.scene_view().has_graphics()) QSKIP("no OpenGL here");
        const QImage before = o.refined();
        // Another parent window means another context.
        auto* canvas = &o.canvas();
        canvas->setParent(nullptr);
        canvas->show();
        QVERIFY(QTest::qWaitForWindowExposed(canvas));
        canvas->setParent(&o.window.scene_view());
        canvas->show();
        canvas->lower();
        settle();
        o.window.scene_view().redraw();
        wait_painted(*canvas);
        const QImage after = o.refined();
        int differ = 0;
        for (int y = 0; y < std::min(before.height(), after.height()); y += 3) {
            for (int x = 0; x < std::min(before.width(), after.width()); x += 3)
                differ += InScene::red(before.pixel(x, y)) != InScene::red(after.pixel(x, y));
        }
        QVERIFY(differ < 20);
    }
};

GARLAND_TEST_CASE(SceneTest)
#include "scene_test.moc"
