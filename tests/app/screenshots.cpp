// Pictures of each main view from the demo data: screenshots PROJECT FOLDER. Run by packaging/screenshots. With a third
// word, "windows": instead, the start page and the windows beside the main one, of which the guide shows some.
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
#include "app/shell/start_page.h"
#include "app/theme/tokens.h"

#include <QApplication>
#include <QCheckBox>
#include <QFileInfo>
#include <QLineEdit>
#include <QScreen>
#include <QScrollArea>
#include <QScrollBar>
#include <QSettings>
#include <QStandardPaths>
#include <QtTest/QtTest>

using namespace garland;

namespace {

bool shoot_screen(const QWidget& window, const QString& file) {
    QTest::qWait(600);
    return window.screen()->grabWindow(0, window.x(), window.y(), window.width(), window.height()).save(file);
}

int shoot_windows(MainWindow& window, const QString& project, const QString& folder) {
    remember_recent_project(QFileInfo(project).path() + "/older.garland"); // not there
    bool fine = true;
    QSignalSpy opened(&window.document(), &Document::opened);
    window.open(project);
    if (!opened.wait(20000)) return 1;
    QTest::qWait(3000);
    keep_recent_picture(project, window.scene_view().picture());
    auto command = [&](const char* id, const QString& name, const std::function<void(QWidget*)>& then) {
        QTimer::singleShot(700, &window, [&, name, then] {
            QWidget* box = QApplication::activeModalWidget();
            for (QWidget* w : QApplication::topLevelWidgets()) {
                if (!box && w->isVisible() && w->inherits("QDialog")) box = w;
            }
            if (!box) return;
            box->move(window.pos() + QPoint(280, 90));
            if (then) then(box);
            fine &= shoot_screen(window, folder + '/' + name + ".png");
            box->close();
        });
        window.commands().find(id)->action->trigger();
        QTest::qWait(2500);
    };
    auto type = [](const QString& words) {
        return [words](QWidget* box) { QTest::keyClicks(box->findChild<QLineEdit*>(), words); };
    };
    command("edit.commands", "commands", type("hold"));
    command("help.keys", "keys", {});
    command("edit.find", "find", type("later"));
    command("edit.preferences", "preferences", {});
    command("help.guide", "guide", {});
    command("help.licences", "licences", {});
    window.document().start_new();
    QTest::qWait(500);
    fine &= shoot_screen(window, folder + "/start.png");
    window.set_theme(Theme::light);
    fine &= shoot_screen(window, folder + "/start-paper.png");
    return fine ? 0 : 1;
}

} // namespace

int main(int argc, char** argv) {
    QStandardPaths::setTestModeEnabled(true);
    QApplication app(argc, argv);
    QApplication::setOrganizationName("GarlandPictures");
    QApplication::setApplicationName("GarlandPictures");
    QSettings().clear();
    if (argc != 3 && argc != 4) return 2;
    load_fonts();
    Preferences dark;
    dark.theme = Theme::dark;
    dark.save();
    apply_look(Look::night);
    MainWindow window;
    window.move(0, 0);
    window.resize(1280, 800);
    window.show();
    window.activateWindow();
    QApplication::setActiveWindow(&window);
    if (argc == 4) return shoot_windows(window, QString::fromLocal8Bit(argv[1]), QString::fromLocal8Bit(argv[2]));
    QSignalSpy opened(&window.document(), &Document::opened);
    window.open(QString::fromLocal8Bit(argv[1]));
    if (!opened.wait(20000)) return 1;
    if (QWidget* focused = QApplication::focusWidget()) focused->clearFocus();

    const QString folder = QString::fromLocal8Bit(argv[2]);
    auto settle = [&] {
        for (int i = 0; i < 100; ++i) {
            QTest::qWait(40);
            const auto scene = window.scene_view().scene();
            if (scene && scene->frame == window.viewing().frame() && scene->show == window.document().show() && i > 6)
                break;
        }
        QTest::qWait(200);
    };
    auto shoot = [&](const QString& name) {
        settle();
        // The screen itself, so that the Scene is what the graphics driver really showed.
        for (int i = 0; i < 400 && window.scene_view().has_graphics() && !window.scene_view().refined(); ++i)
            QTest::qWait(25); // the picture as it is, once it stands
        QTest::qWait(100);    // and what is said about it
        const QPixmap picture = window.screen()->grabWindow(0, window.x(), window.y(), window.width(), window.height());
        return picture.save(folder + '/' + name + ".png");
    };
    bool fine = true;
    if (window.document().project().settings.name == "Along the canal") { // copies of every kind
        const auto& arrangements = window.document().project().arrangements;
        for (int i = 0; i < 200 && window.document().show()->copies() < 500; ++i)
            QTest::qWait(50); // what carries copies is learned
        window.viewing().set_frame(60);
        window.viewing().set_arrangement(arrangements[0].id);
        window.set_step(3);
        fine &= shoot("arrange-canal");
        window.viewing().set_arrangement(arrangements[2].id);
        window.set_step(4);
        QTest::qWait(1500); // twins
        window.viewing().show_spread(arrangements[2].spreads[0].id);
        window.scene_view().orbit().camera = {V3d(-4.6, 0.4, 0.6), 8, 18, 28, 40};
        fine &= shoot("vary-canal");
        window.viewing().show_spread({});
        return fine ? 0 : 1;
    }
    if (window.document().project().settings.name == "Dusk on the canal") { // what zones, a pulse and a tune play
        const auto& arrangements = window.document().project().arrangements;
        auto* vary = window.findChild<VaryPanel*>();
        window.set_step(4);
        window.viewing().select({});
        window.viewing().set_frame(112);
        window.viewing().set_arrangement(arrangements[0].id);
        vary->show_tab(1);
        for (int i = 0; i < 200 && window.document().show()->levels.sounds.empty(); ++i) QTest::qWait(50);
        fine &= shoot("vary-zones");
        window.viewing().set_arrangement(arrangements[4].id);
        window.viewing().set_colour(ColourMode::level);
        vary->show_tab(3);
        window.scene_view().orbit().camera = {V3d(1.2, 0.3, 3.4), 7, -20, 14, 44};
        fine &= shoot("vary-sound");
        return fine ? 0 : 1;
    }
    if (window.document().project().sources.size() > 1) { // the quay: what a source of each kind looks like
        window.viewing().set_frame(64);
        window.viewing().select({});
        window.viewing().set_colour(ColourMode::look);
        window.set_step(0);
        QTest::qWait(3000); // all strips
        fine &= shoot("gather-quay");
        return fine ? 0 : 1;
    }
    window.viewing().set_frame(137);
    window.viewing().set_current_copy(35);
    window.viewing().select({});
    window.set_step(1);
    window.lanes().set_sort(LaneSort::delay);
    window.viewing().set_colour(ColourMode::source_frame);
    fine &= shoot("retime-night");
    auto edit = [&](const char* words, const std::function<void(Project&)>& change) {
        window.document().edit(words, [&](Project& p) -> Result<void> {
            change(p);
            return {};
        });
    };
    edit("beats", [](Project& p) {
        p.settings.tempo = {true, 96, OutputFrame(1), 4};
        p.settings.markers = {{OutputFrame(61), "drum"}, {OutputFrame(121), "bridge"}};
    });
    window.viewing().set_frame(40);
    window.retime().map().set_view(MapView::speed);
    window.retime().map().pick({1});
    window.retime().show_panel(0);
    fine &= shoot("retime-speed");
    window.retime().map().set_view(MapView::position);
    // The same afternoon as phrases.
    edit("phrases", [](Project& p) {
        Timing& t = p.timings[0];
        t.form = TimingForm::phrases;
        t.phrases = {OutputFrame(1),
                     {{SourceFrame(0), SourceFrame(14)},
                      {SourceFrame(15), SourceFrame(15), Direction::forward, 10},
                      {SourceFrame(16), SourceFrame(60), Direction::forward, 1, 0.5, 6},
                      {SourceFrame(0), SourceFrame(60), Direction::backward}}};
        t.map = {};
        t.before = {OutsideMode::repeat, 0};
        t.after = {OutsideMode::repeat, 0};
    });
    window.retime().show_panel(1);
    window.viewing().set_frame(21);
    fine &= shoot("retime-phrases");
    edit("camera", [](Project& p) {
        const auto keys =
            moved({}, p.settings.camera, OutputFrame(16), OutputFrame(26), {60, 8, 0.8, V3d(0), Toward::linear});
        if (keys) p.settings.camera_keys = *keys;
    });
    window.viewing().look_through_camera(true);
    window.viewing().set_second_pose(OutputFrame(60));
    window.retime().show_panel(4);
    fine &= shoot("retime-camera");
    window.viewing().set_second_pose(std::nullopt);
    while (window.document().undo().canUndo()) window.document().undo().undo();
    window.viewing().set_view(window.document().project().settings.camera);
    window.scene_view().orbit().camera = window.document().project().settings.camera;
    window.retime().show_panel(0);
    window.viewing().set_frame(137);
    window.viewing().set_colour(ColourMode::look);
    window.set_step(0);
    fine &= shoot("gather");
    window.set_step(3);
    window.viewing().select({4, 5, 6});
    edit("wobble", [](Project& p) {
        p.arrangements[0].wobble.on = true;
        p.arrangements[0].wobble.end = WobbleEnd::let_go;
        p.arrangements[0].wobble.end_at = OutputFrame(180);
        p.arrangements[0].wobble.turn = V3d(4, 0, 6);
    });
    fine &= shoot("arrange");
    window.document().undo().undo();
    window.viewing().select({});
    window.viewing().set_colour(ColourMode::delay);
    window.set_step(4);
    fine &= shoot("vary");
    window.set_step(5);
    fine &= shoot("check");
    window.set_step(6);
    window.handoff().set_folder("/tmp/festival/written");
    window.handoff().choose_output("shared-poses");
    QTest::qWait(1500); // its size and how exact it is
    fine &= shoot("hand-off");
    window.handoff().choose_output("preview");
    PreviewCard& card = window.handoff().preview_card();
    for (auto* box : card.findChildren<QCheckBox*>()) {
        if (QStringList{"frame", "time", "name"}.contains(box->text()) && !box->isChecked()) box->click();
    }
    card.quick_look();
    for (int i = 0; i < 800 && card.picture().picture().isNull(); ++i) QTest::qWait(25);
    fine &= shoot("preview");
    window.set_step(2);
    auto& loop = *window.findChild<LoopPanel*>();
    for (int i = 0; i < 400 && !(loop.exact() && loop.seam()); ++i) QTest::qWait(25);
    loop.close_it();
    window.viewing().set_colour(ColourMode::source_frame);
    QTest::qWait(800); // twins, the seam
    fine &= shoot("loop");
    while (window.document().undo().canUndo()) window.document().undo().undo();
    window.set_step(1);
    window.set_theme(Theme::light);
    window.lanes().set_sort(LaneSort::delay);
    window.viewing().set_colour(ColourMode::source_frame);
    fine &= shoot("retime-paper");
    return fine ? 0 : 1;
}
