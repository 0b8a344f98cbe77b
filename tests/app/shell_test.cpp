// What surrounds the seven steps: the start page, commands by name, keys, finding, history, preferences, the guide,
// context menus, the log and what a crash leaves.
#include "app/driving.h"

#include "app/lanes/lanes_view.h"
#include "app/panels/retime/retime_panel.h"
#include "app/panels/vary/vary_panel.h"
#include "app/shell/command_finder.h"
#include "app/shell/find_dialog.h"
#include "app/shell/guide_window.h"
#include "app/shell/keys_dialog.h"
#include "app/shell/preferences_dialog.h"
#include "app/shell/second_window.h"
#include "app/shell/start_page.h"
#include "app/theme/desktop_scheme.h"
#include "app/theme/tokens.h"
#include "io/project/project_file.h"

#include "support/patience.h"

#include <QCheckBox>
#include <QClipboard>
#include <QMenu>
#include <QProcess>
#include <QProgressBar>
#include <QSettings>
#include <QTextBlock>
#include <QUndoView>
#include <csignal>
#include <set>

using namespace garland;
using namespace garland::testing;

namespace {

QTreeWidgetItem* item_of(QTreeWidget& list, const QString& text) {
    for (QTreeWidgetItemIterator it(&list); *it; ++it) {
        if ((*it)->text(0) == text) return *it;
    }
    return nullptr;
}

QWidget* named_view(QWidget& in, const QString& name) {
    for (QWidget* w : in.findChildren<QWidget*>()) {
        if (w->accessibleName() == name) return w;
    }
    return nullptr;
}

QToolButton* recent_entry(MainWindow& window, const QString& name) {
    for (auto* b : window.start_page().findChildren<QToolButton*>("recent")) {
        if (b->accessibleName() == "Open " + name) return b;
    }
    return nullptr;
}

} // namespace

class ShellTest : public QObject {
    Q_OBJECT
  private slots:
    void init() { QSettings().clear(); }
    void cleanup() {
        QSettings().clear();
        take_usual_look();
    }

    void an_empty_window_offers_what_to_do() {
        Folder folder;
        write_column(folder);
        Project project;
        project.settings.name = "pier";
        QVERIFY(save_project(folder / "pier.garland", project, Existing::replace));
        const QString there = QString::fromStdString(folder / "pier.garland"),
                      gone = QString::fromStdString(folder / "gone.garland");
        remember_recent_project(there);
        remember_recent_project(gone);
        MainWindow window;
        window.show();
        QVERIFY(QTest::qWaitForWindowExposed(&window));
        QVERIFY(window.start_shown());
        for (const char* words : {"Lantern festival", "The quay at night", "Along the canal", "Dusk on the canal",
                                  "Gather a cache…", "Open a project…"})
            QVERIFY2(button(window.start_page(), words), words);
        // One that is not there says so, and leaves the list when it is clicked.
        QVERIFY(recent_entry(window, "gone")->text().contains("not there any more"));
        QTest::mouseClick(recent_entry(window, "gone"), Qt::LeftButton);
        QTRY_VERIFY(!recent_entry(window, "gone"));
        QCOMPARE(recent_projects(), QStringList{there});
        QSignalSpy opened(&window.document(), &Document::opened);
        QTest::mouseClick(recent_entry(window, "pier"), Qt::LeftButton);
        QVERIFY(opened.wait(10000));
        QVERIFY(!window.start_shown());
        window.document().start_new();
        QVERIFY(window.start_shown());
        click(window.start_page(), "Start empty");
        QVERIFY(!window.start_shown());
        QCOMPARE(window.step(), 0);
    }
    void a_sample_is_made_where_its_progress_is_seen() {
        MainWindow window;
        window.show();
        QVERIFY(QTest::qWaitForWindowExposed(&window));
        QSignalSpy opened(&window.document(), &Document::opened);
        click(window.start_page(), "Lantern festival");
        QTRY_VERIFY(!window.start_shown()); // the transport shows how far it is, with Cancel
        QTRY_VERIFY2_WITH_TIMEOUT(!opened.isEmpty() || !window.notices().texts().isEmpty(), "nothing was said",
                                  patience * 120000);
        QVERIFY2(!opened.isEmpty(), qPrintable(window.notices().texts().join('\n')));
        QCOMPARE(window.document().show()->copies(), std::int64_t(60));
    }
    void panes_have_windows_of_their_own_and_lie_as_they_were() {
        {
            Opened o;
            const QString path = QString::fromStdString(o.folder / "lying.garland");
            QVERIFY(o.window.document().save(path));
            QTest::keyClick(&o.window, Qt::Key_S, Qt::ControlModifier);
            QTest::keyClick(&o.window, Qt::Key_F8, Qt::ShiftModifier);
            auto* own = o.window.findChild<SecondWindow*>();
            QVERIFY(own && own->isVisible() && o.window.scene_view().window() == own);
            QVERIFY(o.window.lanes().isVisible() && o.window.retime().window() == &o.window);
            // Keys work there, too: a pose is held, and undone.
            o.window.set_step(1);
            o.window.viewing().set_frame(12);
            activate(*own);
            o.window.scene_view().setFocus();
            QWidget* to = own->focusWidget() ? own->focusWidget() : own;
            QTest::keyClick(to, Qt::Key_H);
            QTRY_COMPARE(o.window.document().undo().count(), 1);
            QTest::keyClick(to, Qt::Key_Z, Qt::ControlModifier);
            QTRY_COMPARE(o.window.document().undo().index(), 0);
            if (o.window.scene_view().has_graphics()) { // and it draws
                auto* canvas = o.window.scene_view().findChild<SceneCanvas*>();
                wait_painted(*canvas);
                const QImage seen = canvas->grab_picture();
                std::set<QRgb> colours;
                for (int y = 0; y < seen.height(); y += 4)
                    for (int x = 0; x < seen.width(); x += 4) colours.insert(seen.pixel(x, y));
                QVERIFY(colours.size() > 8);
            }
            activate(o.window);
            // Another project lies as the window does; back in the first one, its Scene has its window again.
            o.window.document().start_new();
            own->close();
            settle();
            QCOMPARE(o.window.scene_view().window(), &o.window);
            QVERIFY(o.window.findChild<SecondWindow*>() == nullptr);
            o.window.document().open(path);
            QTRY_VERIFY(o.window.scene_view().window() != &o.window);
            o.window.document().undo().setClean();
            o.window.close();
        }
        MainWindow next; // the machine's: as it was left
        next.show();
        QVERIFY(QTest::qWaitForWindowExposed(&next));
        QVERIFY(next.scene_view().window() != &next);
        next.commands().find("view.scene_window")->action->trigger();
        settle();
        QVERIFY(next.scene_view().window() == &next);
        next.commands().find("view.lanes_window")->action->trigger();
        QVERIFY(next.lanes().window() != &next && next.lanes().isVisible());
        next.commands().find("view.lanes_window")->action->trigger();
        settle();
        QVERIFY(next.lanes().window() == &next && next.lanes().height() > 100);
    }
    void panels_lie_side_by_side_in_the_second_window() {
        {
            Opened o;
            o.window.set_step(1);
            QTest::keyClick(&o.window, Qt::Key_F9, Qt::ShiftModifier);
            auto* second = o.window.findChild<SecondWindow*>();
            QVERIFY(second && second->isVisible() && o.window.retime().window() == second);
            QVERIFY(named<QPushButton>(o.window, "Bring it back")->isVisible());
            o.window.set_step(4);
            QTest::keyClick(&o.window, Qt::Key_F9, Qt::ShiftModifier);
            QTest::keyClick(&o.window, Qt::Key_F8, Qt::ShiftModifier);
            QCOMPARE(second->windowTitle(), QStringLiteral("Retime, Vary, Scene · Garland"));
            settle();
            int right = 0; // one beside the other, each as high as the window lets it be
            for (const QWidget* pane :
                 {static_cast<const QWidget*>(&o.window.retime()), static_cast<const QWidget*>(&o.window.vary()),
                  static_cast<const QWidget*>(&o.window.scene_view())}) {
                QVERIFY(pane->isVisible() && pane->window() == second);
                const QRect lies(pane->mapTo(second, QPoint()), pane->size());
                QVERIFY(lies.left() >= right && lies.width() >= 200 && lies.height() > second->height() - 20);
                right = lies.right();
            }
            // A key set in one is drawn there, and the main window's step stays.
            o.window.viewing().set_frame(12);
            activate(*second);
            auto& map = o.window.retime().map();
            map.setFocus();
            QTest::keyClick(&map, Qt::Key_H);
            QTRY_COMPARE(o.window.document().undo().count(), 1);
            QCOMPARE(o.window.step(), 4);
            activate(o.window);
            o.window.document().undo().setClean();
            o.window.close();
        }
        MainWindow next; // as it was left
        next.show();
        QVERIFY(QTest::qWaitForWindowExposed(&next));
        auto* second = next.findChild<SecondWindow*>();
        QVERIFY(second && second->panes().size() == 3 && next.vary().window() == second);
        next.set_step(1);
        settle();
        click(next, "Bring it back");
        QTRY_VERIFY(next.retime().window() == &next && next.retime().isVisible());
        QCOMPARE(second->windowTitle(), QStringLiteral("Vary, Scene · Garland"));
        second->close();
        settle();
        QVERIFY(next.findChild<SecondWindow*>() == nullptr);
        QVERIFY(next.scene_view().window() == &next && next.scene_view().isVisible());
        next.set_step(4);
        QVERIFY(next.vary().window() == &next && next.vary().isVisible());
    }
    void files_dropped_on_the_start_page_are_gathered() {
        const Opened o; // drops a file on an empty window
        QVERIFY(!const_cast<Opened&>(o).window.start_shown());
        QCOMPARE(o.window.step(), 0);
    }
    void a_saved_project_has_a_picture() {
        Opened o;
        const QString path = QString::fromStdString(o.folder / "walk.garland");
        QVERIFY(o.window.document().save(path));
        QImage green(400, 300, QImage::Format_RGB32);
        green.fill(Qt::green);
        keep_recent_picture(path, green);
        QCOMPARE(recent_picture(path).pixelColor(10, 10), QColor(Qt::green));
        QCOMPARE(recent_picture(path).size(), QSize(224, 140));
        keep_recent_picture(path, QImage()); // nothing to be seen: the old one stays
        QVERIFY(!recent_picture(path).isNull());
    }
    void every_command_has_a_name_a_tip_and_its_own_key() {
        MainWindow window;
        QSet<QString> ids, keys;
        for (const auto& c : window.commands().all()) {
            QVERIFY2(!ids.contains(c.id), qPrintable(c.id));
            ids << c.id;
            QVERIFY2(!c.tip.isEmpty() && !c.name.isEmpty() && !c.group.isEmpty(), qPrintable(c.id));
            for (const QKeySequence& key : c.action->shortcuts()) {
                QVERIFY2(!keys.contains(key.toString()), qPrintable(c.id + ' ' + key.toString()));
                keys << key.toString();
            }
        }
        QVERIFY(ids.size() > 70);
    }
    void commands_run_by_name() {
        Opened o;
        in_next<CommandFinder>([](CommandFinder& box) {
            auto* line = box.findChild<QLineEdit*>();
            auto* list = box.findChild<QTreeWidget*>();
            QTest::keyClicks(line, "no such thing");
            QCOMPARE(list->topLevelItem(0)->text(0), QString("No command has these words"));
            QTest::keyClick(line, Qt::Key_Return); // does nothing
            QVERIFY(box.isVisible());
            line->clear();
            QTest::keyClicks(line, "ret pos");
            QVERIFY(item_of(*list, "Position or speed"));
            line->clear();
            QTest::keyClicks(line, "second");
            QCOMPARE(list->currentItem()->text(0), QString("Second pose"));
            QTest::keyClick(line, Qt::Key_Return);
        });
        QTest::keyClick(&o.window, Qt::Key_P, Qt::ControlModifier | Qt::ShiftModifier);
        QTRY_VERIFY(o.window.viewing().second_pose());
        const QAction* second = o.window.commands().find("view.second_pose")->action;
        QTRY_VERIFY(second->isChecked()); // the menu shows it
    }
    void keys_are_searched_changed_and_kept() {
        Opened o;
        in_next<KeysDialog>([](KeysDialog& box) {
            auto* search = named<QLineEdit>(box, "Search keys");
            auto* list = box.findChild<QTreeWidget*>();
            auto* field = box.findChild<QKeySequenceEdit*>();
            QTest::keyClicks(search, "nudge later");
            list->setCurrentItem(item_of(*list, "Nudge later"));
            QVERIFY(list->currentItem());
            QVERIFY(!button(box, "Set")->isEnabled());
            field->setKeySequence(QKeySequence("Ctrl+S"));
            QVERIFY2(all_text(box).contains("Ctrl+S belongs to “Save”"), qPrintable(all_text(box)));
            field->setKeySequence(QKeySequence("Ctrl+Alt+N"));
            QVERIFY2(all_text(box).contains("Ctrl+Alt+N is free."), qPrintable(all_text(box)));
            click(box, "Set");
            QCOMPARE(item_of(*list, "Nudge later")->text(1), QString("Ctrl+Alt+N"));
            box.close();
        });
        o.window.commands().find("help.keys")->action->trigger();
        activate(o.window);
        o.window.viewing().select({2});
        QTest::keyClick(&o.window, Qt::Key_N, Qt::ControlModifier | Qt::AltModifier);
        QTRY_COMPARE(o.project().arrangements[0].by_hand.nudges.size(), std::size_t(1));
        MainWindow second;
        Commands& all = second.commands();
        QCOMPARE(all.find("edit.nudge_later")->action->shortcut(), QKeySequence("Ctrl+Alt+N"));
        QCOMPARE(all.keys_text(), QString("edit.nudge_later\tCtrl+Alt+N\n"));
        // A key that another command had goes over, and comes back.
        all.set_key("view.trace", QKeySequence("Ctrl+S"));
        QVERIFY(all.find("file.save")->action->shortcuts().isEmpty());
        all.reset_key("file.save");
        QVERIFY(all.find("view.trace")->action->shortcuts().isEmpty());
        all.reset_all();
        QCOMPARE(all.keys_text(), QString());
        QCOMPARE(all.read_keys("edit.nudge_later\tCtrl+Alt+N\nno.such\tX\nfile.save\tnonsense key\nplay.stop\t\n"), 2);
        QCOMPARE(all.find("edit.nudge_later")->action->shortcut(), QKeySequence("Ctrl+Alt+N"));
        QVERIFY(all.find("play.stop")->action->shortcuts().isEmpty());
        QCOMPARE(all.find("file.save")->action->shortcut(), QKeySequence("Ctrl+S"));
    }
    void copies_frames_and_findings_are_found() {
        Opened o;
        o.window.document().edit("delay", [](Project& p) -> Result<void> {
            p.arrangements[0].by_hand.nudges.push_back({CopyId(3), 12});
            return {};
        });
        QTest::keyClick(&o.window, Qt::Key_F, Qt::ControlModifier);
        FindDialog* box = nullptr;
        QTRY_VERIFY((box = o.window.findChild<FindDialog*>()) && box->isVisible());
        auto* line = box->findChild<QLineEdit*>();
        auto* list = box->findChild<QTreeWidget*>();
        auto ask = [&](const QString& words) {
            line->clear();
            QTest::keyClicks(line, words);
        };
        ask("12 frames later");
        QCOMPARE(list->topLevelItemCount(), 1);
        QTest::keyClick(line, Qt::Key_Return);
        QCOMPARE(o.window.viewing().selection(), std::set<std::int64_t>{3});
        ask("frame 30");
        QTest::keyClick(line, Qt::Key_Return);
        QCOMPARE(o.window.viewing().frame().value, 30.0);
        ask("5"); // a frame, and the fifth copy
        QCOMPARE(list->topLevelItemCount(), 2);
        QTest::keyClick(line, Qt::Key_Down);
        QTest::keyClick(line, Qt::Key_Return);
        QCOMPARE(o.window.viewing().selection(), std::set<std::int64_t>{4});
        ask("frame 99999");
        QVERIFY(list->topLevelItem(0)->text(0).contains("outside the range"));
        QTest::keyClick(line, Qt::Key_Return);
        QCOMPARE(o.window.viewing().frame().value, 30.0);
        ask("on time");
        click(*box, "Select all found");
        QCOMPARE(o.window.viewing().selection().size(), std::size_t(11));
        ask("no such words");
        QVERIFY(all_text(*box).contains("Nothing has these words."));
    }
    void many_copies_are_looked_through_in_the_background() {
        Opened o;
        o.window.document().edit("many", [](Project& p) -> Result<void> {
            p.arrangements[0].layout.count = 60'000;
            return {};
        });
        QTRY_COMPARE(o.window.document().show()->copies(), 60'000);
        QTest::keyClick(&o.window, Qt::Key_F, Qt::ControlModifier);
        FindDialog* box = nullptr;
        QTRY_VERIFY((box = o.window.findChild<FindDialog*>()) && box->isVisible());
        auto* line = box->findChild<QLineEdit*>();
        auto* list = box->findChild<QTreeWidget*>();
        auto* all = button(*box, "Select all found");
        QTest::keyClicks(line, "copy 59999"); // each key asks anew; the last one is answered
        QVERIFY(all_text(*box).contains("looking through 60\u00a0000 copies"));
        QVERIFY(!all->isEnabled());
        QTRY_VERIFY(all->isEnabled());
        QCOMPARE(list->topLevelItemCount(), 1);
        QTest::keyClick(line, Qt::Key_Return);
        QCOMPARE(o.window.viewing().selection(), std::set<std::int64_t>{59'998});
        line->clear();
        QTest::keyClicks(line, "copy");
        QTRY_VERIFY(all->isEnabled());
        QCOMPARE(list->topLevelItemCount(), FindDialog::most_shown);
        click(*box, "Select all found");
        QCOMPARE(o.window.viewing().selection().size(), std::size_t(60'000));
        QTest::keyClicks(line, "nonsense");
        QTRY_VERIFY(all_text(*box).contains("Nothing has these words."));
    }
    void the_history_goes_back_by_a_click() {
        Opened o;
        for (const int count : {20, 30, 40}) {
            o.window.document().edit(QString("%1 copies").arg(count), [count](Project& p) -> Result<void> {
                p.arrangements[0].layout.count = count;
                return {};
            });
        }
        o.window.commands().find("edit.history")->action->trigger();
        QUndoView* list = nullptr;
        QTRY_VERIFY((list = o.window.findChild<QUndoView*>()) && list->isVisible());
        const QModelIndex first = list->model()->index(1, 0);
        QCOMPARE(first.data().toString(), QString("20 copies"));
        QTest::mouseClick(list->viewport(), Qt::LeftButton, Qt::NoModifier, list->visualRect(first).center());
        QTRY_COMPARE(o.project().arrangements[0].layout.count, 20);
        QVERIFY(o.window.document().undo().canRedo());
    }
    void preferences_count_at_once_and_are_kept() {
        Opened o;
        in_next<PreferencesDialog>([&o](PreferencesDialog& box) {
            choose(box, "Theme", "Light (Paper)");
            QCOMPARE(current_look(), Look::paper);
            type(box, "Text size", "12");
            QCOMPARE(text_font(9).pointSizeF(), 12.0);
            QVERIFY(qApp->font().pointSizeF() > 11);
            box.findChild<QTabWidget*>()->setCurrentIndex(1);
            type(box, "Pose cache (GB)", "0.5");
            QCOMPARE(o.window.document().library().cache().use().limit, std::size_t(500'000'000));
            type(box, "Rate of new projects", "many");
            QVERIFY2(all_text(box).contains("many"), qPrintable(all_text(box)));
            type(box, "Rate of new projects", "30000/1001");
            type(box, "Undo steps", "2");
            box.close();
        });
        o.window.commands().find("edit.preferences")->action->trigger();
        const Preferences kept = Preferences::load();
        QVERIFY(kept.theme == Theme::light && kept.text_points == 12 && kept.cache_gb == 0.5 && kept.undo_steps == 2);
        o.window.document().start_new();
        QCOMPARE(o.project().settings.rate, (Rate{30000, 1001}));
        for (int i = 0; i < 5; ++i) {
            o.window.document().edit(QString::number(i), [i](Project& p) -> Result<void> {
                p.settings.name = std::to_string(i);
                return {};
            });
        }
        QCOMPARE(o.window.document().undo().count(), 2);
        MainWindow another; // its first project, too
        QCOMPARE(another.document().project().settings.rate, (Rate{30000, 1001}));
        QSettings().setValue("text_points", 4000);
        QSettings().setValue("autosave_seconds", "soon");
        QSettings().setValue("look", -3);
        QCOMPARE(Preferences::load().text_points, 9.0);
        QCOMPARE(Preferences::load().autosave_seconds, 30);
        QVERIFY(Preferences::load().theme == Theme::as_desktop);
    }
    void readers_by_command_are_set_and_used() {
        Folder user;
        qputenv("XDG_CONFIG_HOME", QByteArray::fromStdString(user / "config"));
        qputenv("XDG_CACHE_HOME", QByteArray::fromStdString(user / "cache"));
        Opened o;
        user.write("lamp.lamps", "#usda 1.0\ndef Mesh \"a\" { point3f[] points = [(0,0,0),(1,0,0),(0,1,0)] int[] "
                                 "faceVertexCounts=[3] int[] faceVertexIndices=[0,1,2] }\n");
        in_next<PreferencesDialog>([](PreferencesDialog& box) {
            box.findChild<QTabWidget*>()->setCurrentIndex(2);
            in_next<QDialog>([](QDialog& ask) {
                named<QLineEdit>(ask, "File ending")->setText(".obj");
                named<QLineEdit>(ask, "Command")->setText("cp {in} {out}");
                named<QComboBox>(ask, "Writes")->setCurrentText("usda");
                click(ask, "OK");
                QVERIFY2(all_text(ask).contains("read without a command"), qPrintable(all_text(ask)));
                named<QLineEdit>(ask, "File ending")->setText(".lamps");
                click(ask, "OK");
            });
            click(box, "Add…");
            auto* table = box.findChild<QTableWidget*>();
            QCOMPARE(table->rowCount(), 1);
            QCOMPARE(table->item(0, 2)->text(), QString("cp {in} {out}"));
            box.close();
        });
        o.window.commands().find("edit.preferences")->action->trigger();
        QSignalSpy added(&o.window.document().library(), &SourceLibrary::added);
        drop(o.window, {QString::fromStdString(user / "lamp.lamps")});
        QVERIFY(added.wait(10000));
        QCOMPARE(o.project().sources.size(), std::size_t(2));
        qunsetenv("XDG_CONFIG_HOME");
        qunsetenv("XDG_CACHE_HOME");
    }
    void parts_are_copied_between_windows() {
        Opened first, second;
        first.window.document().edit("grid", [](Project& p) -> Result<void> {
            p.arrangements[0].layout.kind = ArrangementKind::grid;
            p.arrangements[0].layout.columns = 3, p.arrangements[0].layout.rows = 2;
            return {};
        });
        activate(first.window);
        QTest::keyClick(&first.window, Qt::Key_X, Qt::ControlModifier | Qt::ShiftModifier);
        activate(second.window);
        QTest::keyClick(&second.window, Qt::Key_V, Qt::ControlModifier | Qt::ShiftModifier);
        QTRY_VERIFY(second.project().arrangements[0].layout.kind == ArrangementKind::grid);
        QCOMPARE(second.window.document().show()->copies(), std::int64_t(6));
        second.window.document().undo().undo();
        QVERIFY(second.project().arrangements[0].layout.kind == ArrangementKind::line);
        QGuiApplication::clipboard()->setText("a lantern");
        second.window.commands().find("edit.paste_part")->action->trigger();
        QVERIFY2(second.window.notices().texts().join(' ').contains("no part of a project"),
                 qPrintable(second.window.notices().texts().join(' ')));
    }
    void cells_become_keys() {
        Opened o;
        o.window.set_step(1);
        QGuiApplication::clipboard()->setText("0\t5\n10\t20\n"); // as a spreadsheet gives them
        o.window.viewing().set_frame(12);
        o.window.retime().map().paste();
        const TimeMap& map = o.map();
        const auto key = [&](double at) {
            for (const Key& k : map.keys) {
                if (k.at.value == at) return k.source.value;
            }
            return -1.0;
        };
        QCOMPARE(key(12), 5.0);
        QCOMPARE(key(22), 20.0);
        QGuiApplication::clipboard()->setText("0\tmany\n");
        o.window.retime().map().paste();
        QVERIFY(o.window.notices().texts().join(' ').contains("“many”") ||
                o.window.notices().texts().join(' ').contains("\"many\" is no number"));
    }
    void views_have_menus_of_their_own() {
        Opened o;
        o.window.viewing().select({1});
        in_next_menu([](QMenu& menu) {
            for (QAction* a : menu.actions()) {
                if (a->objectName() != "edit.nudge_later") continue;
                QTest::mouseClick(&menu, Qt::LeftButton, Qt::NoModifier, menu.actionGeometry(a).center());
                break;
            }
            menu.close();
        });
        QTest::mouseClick(&o.window.lanes(), Qt::RightButton, Qt::NoModifier, QPoint(400, 60));
        QTRY_COMPARE(o.project().arrangements[0].by_hand.nudges.size(), std::size_t(1));
        // Dragging with the right button slides the time map, and opens nothing.
        o.window.set_step(1);
        QTest::mousePress(&o.window.retime().map(), Qt::RightButton, Qt::NoModifier, QPoint(200, 100));
        QTest::mouseRelease(&o.window.retime().map(), Qt::RightButton, Qt::NoModifier, QPoint(240, 100));
        settle();
        QVERIFY(!QApplication::activePopupWidget());
    }
    void what_has_a_tip_says_what_it_is() {
        Opened o;
        o.window.set_step(3);
        int asked = 0;
        for (auto* b : o.window.findChildren<QPushButton*>()) {
            if (!b->isVisible() || b->toolTip().isEmpty()) continue;
            QHelpEvent event(QEvent::QueryWhatsThis, QPoint(4, 4), b->mapToGlobal(QPoint(4, 4)));
            QApplication::sendEvent(b, &event);
            QCOMPARE(b->whatsThis(), b->toolTip());
            ++asked;
        }
        QVERIFY(asked > 0);
    }
    void painted_views_speak() {
        Opened o;
        o.window.document().edit("delay", [](Project& p) -> Result<void> {
            p.arrangements[0].by_hand.nudges.push_back({CopyId(3), 12});
            return {};
        });
        o.window.viewing().set_frame(30);
        o.window.viewing().select({3});
        QTRY_VERIFY(o.window.lanes().accessibleDescription().contains("c04"));
        QVERIFY2(o.window.lanes().accessibleDescription().contains("12 frames later"),
                 qPrintable(o.window.lanes().accessibleDescription()));
        QCOMPARE(o.window.scene_view().accessibleDescription(), QString("12 copies, 1 selected, output frame 30"));
        auto* plan = named_view(o.window, "Copies from above");
        QVERIFY2(plan->accessibleDescription().startsWith("c04 stands at x "),
                 qPrintable(plan->accessibleDescription()));
        emit o.window.retime().map().readout("output frame 12 shows source frame 3");
        QCOMPARE(o.window.retime().map().accessibleDescription(), QString("output frame 12 shows source frame 3"));
    }
    // WCAG 2.1, "contrast ratio": (L1 + 0.05) / (L2 + 0.05) of relative luminances; 4.5 for text (1.4.3, level AA).
    void text_can_be_read_in_both_themes() {
        auto luminance = [](const QColor& c) {
            auto linear = [](double v) { return v <= 0.03928 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4); };
            return 0.2126 * linear(c.redF()) + 0.7152 * linear(c.greenF()) + 0.0722 * linear(c.blueF());
        };
        auto contrast = [&](const QColor& a, const QColor& b) {
            const double x = luminance(a), y = luminance(b);
            return (std::max(x, y) + 0.05) / (std::min(x, y) + 0.05);
        };
        QCOMPARE(std::round(contrast(Qt::black, Qt::white)), 21.0); // as the standard says
        for (const Look look : {Look::night, Look::paper}) {
            const Tokens& t = tokens_of(look);
            const std::pair<const char*, QColor> words[] = {
                {"text", t.text}, {"muted", t.muted}, {"accent", t.accent}, {"alert", t.alert}, {"ok", t.ok}};
            for (const auto& [name, colour] : words) {
                for (const auto& [below, ground] :
                     {std::pair{"ground", t.ground}, {"panel", t.panel}, {"raised", t.raised}}) {
                    const double ratio = contrast(colour, ground);
                    QVERIFY2(ratio >= 4.5, qPrintable(QString("%1 on %2: %3").arg(name, below).arg(ratio)));
                }
            }
            QVERIFY(contrast(t.on_accent, t.accent) >= 4.5);
        }
    }
    void the_guide_is_in_the_program() {
        MainWindow window;
        window.show();
        QVERIFY(QTest::qWaitForWindowExposed(&window));
        activate(window);
        window.set_step(4);
        QTest::keyClick(&window, Qt::Key_F1);
        GuideWindow* guide = nullptr;
        QTRY_VERIFY((guide = window.findChild<GuideWindow*>()) && guide->isVisible());
        QCOMPARE(guide->page().textCursor().block().text(), QString("Vary"));
        auto* line = named<QLineEdit>(*guide, "Search the guide");
        QTest::keyClicks(line, "histogram");
        QVERIFY(guide->page().textCursor().hasSelection() || all_text(*guide).contains("not on this page"));
        line->clear();
        QTest::keyClicks(line, "zzzz");
        QVERIFY(all_text(*guide).contains("“zzzz” is not on this page."));
        guide->page().setSource(QUrl("formats.md"));
        QVERIFY(guide->page().toPlainText().contains("Readers by command"));
        guide->page().setSource(QUrl("file:///etc/passwd")); // nothing outside is opened
        QVERIFY(guide->page().toPlainText().contains("Readers by command"));
    }
    void the_desktop_says_dark_or_light() {
        // XDG Desktop Portal, org.freedesktop.appearance: color-scheme 0 no preference, 1 dark, 2 light.
        QCOMPARE(DesktopScheme::dark_of(1u), std::optional(true));
        QCOMPARE(DesktopScheme::dark_of(2u), std::optional(false));
        QVERIFY(!DesktopScheme::dark_of(0u) && !DesktopScheme::dark_of(7u) && !DesktopScheme::dark_of("dark"));
        const QVariant once = QVariant::fromValue(QDBusVariant(2u));
        QCOMPARE(DesktopScheme::dark_of(QVariant::fromValue(QDBusVariant(once))), std::optional(false));
    }
    void a_crash_leaves_a_text_and_is_told() {
        Folder state;
        QProcessEnvironment with = QProcessEnvironment::systemEnvironment();
        with.insert("XDG_STATE_HOME", QString::fromStdString(state.path()));
        with.insert("XDG_CONFIG_HOME", QString::fromStdString(state / "config"));
        QProcess program;
        program.setProcessEnvironment(with);
        program.start(GARLAND_PROGRAM, QStringList());
        QVERIFY(program.waitForStarted());
        const QDir folder(QString::fromStdString(state / "garland"));
        QTRY_VERIFY_WITH_TIMEOUT(
            QString::fromStdString(state.read("garland/garland.log")).contains(" begins, process "), patience * 30000);
        ::kill(static_cast<pid_t>(program.processId()), SIGSEGV);
        QVERIFY(program.waitForFinished(patience * 30000));
        QVERIFY(program.exitStatus() == QProcess::CrashExit || program.exitCode() != 0);
        const QStringList texts = folder.entryList({"crash-*.txt"});
        QCOMPARE(texts.size(), 1);
        const std::string text = state.read("garland/" + texts[0].toStdString());
        QVERIFY2(text.starts_with("Garland ") && text.find("SIGSEGV") != text.npos && text.find("garland") != text.npos,
                 text.c_str());
        qputenv("XDG_STATE_HOME", QByteArray::fromStdString(state.path()));
        MainWindow window;
        window.offer_recovery();
        qunsetenv("XDG_STATE_HOME");
        QVERIFY2(window.notices().texts().join('\n').contains("ended by itself"),
                 qPrintable(window.notices().texts().join('\n')));
    }
    void jobs_are_listed_paused_and_cancelled() {
        Opened o;
        QTest::keyClick(&o.window, Qt::Key_J, Qt::ControlModifier | Qt::ShiftModifier);
        auto* list = o.window.findChild<QDialog*>("jobsWindow");
        QVERIFY(list && list->isVisible());
        auto shows = [&](const QString& words) {
            for (auto* label : list->findChildren<QLabel*>()) {
                if (label->isVisible() && label->text().contains(words)) return true;
            }
            return false;
        };
        QTRY_VERIFY(shows("Nothing is being done"));

        // Two at once: the transport shows the newest and how many there are; each has its own row.
        struct Work {
            std::atomic<double> share{0};
            std::atomic<bool> go{false};
            std::optional<bool> done; // false: cancelled
        };
        Work counting, folding;
        auto begin = [&](Work& work, const char* title, const char* words) {
            o.window.document().jobs().start<int>(
                &o.window, title,
                [&work, words](Progress& p) -> Result<int> {
                    while (!work.go) {
                        if (p.cancelled()) return fail(ErrorCode::cancelled, "stopped");
                        p.report(work.share, words);
                        std::this_thread::sleep_for(std::chrono::milliseconds(5));
                    }
                    return 1;
                },
                [&work](Result<int> r) { work.done = r.has_value(); });
        };
        begin(counting, "Counting lanterns", "lantern 7 of 300");
        begin(folding, "Folding paper boats", "boat 2 of 9");
        counting.share = 0.25, folding.share = 0.6;
        QTRY_VERIFY(shows("Counting lanterns") && shows("Folding paper boats") && shows("lantern 7 of 300"));
        QVERIFY(!shows("Nothing is being done"));
        QTRY_VERIFY(shows("left")); // told as soon as a share is known
        auto in_transport = [&](const QString& words) {
            for (auto* b : o.window.findChildren<QToolButton*>()) {
                if (b->window() == &o.window && b->isVisible() && b->text() == words) return b;
            }
            return static_cast<QToolButton*>(nullptr);
        };
        QTRY_VERIFY(in_transport("2 jobs"));
        auto bar = [&](const QString& title) {
            for (auto* b : list->findChildren<QProgressBar*>()) {
                if (b->accessibleName().contains(title)) return b;
            }
            return static_cast<QProgressBar*>(nullptr);
        };
        QTRY_COMPARE(bar("lanterns")->value(), 250);
        QTRY_COMPARE(bar("boats")->value(), 600);
        auto press = [&](const QString& name) {
            for (auto* b : list->findChildren<QPushButton*>()) {
                if (b->accessibleName() == name && b->isVisible()) return QTest::mouseClick(b, Qt::LeftButton);
            }
            QFAIL(qPrintable("no button " + name));
        };
        press("Pause “Counting lanterns”");
        QTRY_VERIFY(shows("paused"));
        counting.share = 0.9;
        settle();
        QCOMPARE(bar("lanterns")->value(), 250); // stands still
        press("Pause “Counting lanterns”");
        QTRY_COMPARE(bar("lanterns")->value(), 900);

        // The newest ends: the transport goes on with the other, which was hidden behind it.
        folding.go = true;
        QTRY_VERIFY(folding.done && *folding.done);
        QTRY_VERIFY(!shows("Folding paper boats"));
        QTRY_VERIFY(in_transport("Jobs"));
        bool named = false;
        for (auto* label : o.window.findChildren<QLabel*>()) named |= label->toolTip() == "Counting lanterns";
        QVERIFY(named);
        press("Cancel “Counting lanterns”");
        QTRY_VERIFY(counting.done && !*counting.done);
        QTRY_VERIFY(shows("Nothing is being done"));
    }

  private:
    static void take_usual_look() {
        set_text_points(9);
        apply_look(Look::night);
    }
};

GARLAND_TEST_CASE(ShellTest)
#include "shell_test.moc"
