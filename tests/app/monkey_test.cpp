// A hand without a plan: seeded random clicks, keys, drags, wheels, edits, undo, New and Open while jobs run. Nothing
// may end the program, and whatever was done the project stays valid and its history complete. GARLAND_MONKEY_SEED,
// GARLAND_MONKEY_ACTIONS and GARLAND_MONKEY_SECONDS let one seed be run again, or for longer.
#include "app/driving.h"

#include "app/lanes/lanes_view.h"
#include "app/panels/arrange/plan_view.h"
#include "app/panels/handoff/handoff_panel.h"
#include "app/panels/retime/retime_panel.h"
#include "io/project/project_file.h"

#include <QAbstractButton>
#include <QDrag>
#include <QElapsedTimer>
#include <QMenu>
#include <QMenuBar>
#include <QTimer>
#include <random>

using namespace garland;
using namespace garland::testing;

namespace {

class Monkey {
  public:
    Monkey(Opened& opened, unsigned seed) : o_(opened), random_(seed) {
        dialogs_.setInterval(5);
        QObject::connect(&dialogs_, &QTimer::timeout, &dialogs_, [this] { answer(); });
        dialogs_.start();
    }

    const QString& last() const { return last_; }

    void act() {
        switch (number(0, 15)) {
        case 0:
        case 1:
        case 2: return click();
        case 3:
        case 4: return key();
        case 5:
        case 6: return drag_something();
        case 7: return wheel();
        case 8: return history();
        case 9: return type_something();
        case 10: return go_to_step();
        case 11: return menu();
        case 12: return document();
        case 13: return box();
        case 14: return edit_behind();
        default: last_ = "wait"; QTest::qWait(number(0, 12));
        }
    }

  private:
    int number(int low, int high) { return low + static_cast<int>(random_() % static_cast<unsigned>(high - low + 1)); }
    bool one_in(int n) { return number(1, n) == 1; }
    MainWindow& window() { return o_.window; }
    QPoint inside(const QWidget& w) {
        return {number(0, std::max(w.width() - 1, 0)), number(0, std::max(w.height() - 1, 0))};
    }

    // A dialog that opened is answered by one of its buttons, or closed.
    void answer() {
        QWidget* modal = QApplication::activeModalWidget();
        if (auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget())) return menu->close(), void();
        auto* dialog = qobject_cast<QDialog*>(modal);
        if (!dialog) return;
        if (auto* message = qobject_cast<QMessageBox*>(dialog)) {
            QList<QAbstractButton*> buttons = message->buttons();
            buttons.removeIf([](QAbstractButton* b) { return b->text().contains("Save as"); });
            if (!buttons.isEmpty()) return buttons[number(0, static_cast<int>(buttons.size()) - 1)]->click();
        }
        dialog->reject();
    }

    QWidget* somewhere() {
        QWidget* at = nullptr;
        for (int tries = 0; tries < 20 && !at; ++tries) at = window().childAt(inside(window()));
        return at ? at : &window();
    }
    void click() {
        QWidget* w = one_in(3) ? button_of_step() : somewhere();
        if (!w || w->inherits("QMenuBar")) return;
        last_ = QString("click %1 %2").arg(w->metaObject()->className(), w->accessibleName());
        const QPoint at = inside(*w);
        const auto keys = one_in(6) ? Qt::ControlModifier : one_in(6) ? Qt::ShiftModifier : Qt::NoModifier;
        if (one_in(10)) {
            QTest::mouseDClick(w, Qt::LeftButton, keys, at);
        } else {
            QTest::mouseClick(w, one_in(8) ? Qt::RightButton : Qt::LeftButton, keys, at);
        }
    }
    QWidget* button_of_step() {
        QList<QAbstractButton*> all = window().findChildren<QAbstractButton*>();
        all.removeIf([](QAbstractButton* b) { return !b->isVisible() || !b->isEnabled(); });
        return all.isEmpty() ? nullptr : all[number(0, static_cast<int>(all.size()) - 1)];
    }
    void key() {
        static const Qt::Key keys[] = {
            Qt::Key_Space,   Qt::Key_Left,   Qt::Key_Right,     Qt::Key_Up,     Qt::Key_Down,   Qt::Key_Home,
            Qt::Key_End,     Qt::Key_PageUp, Qt::Key_PageDown,  Qt::Key_Return, Qt::Key_Escape, Qt::Key_Tab,
            Qt::Key_Backtab, Qt::Key_Delete, Qt::Key_Backspace, Qt::Key_H,      Qt::Key_V,      Qt::Key_N,
            Qt::Key_C,       Qt::Key_J,      Qt::Key_K,         Qt::Key_L,      Qt::Key_B,      Qt::Key_R,
            Qt::Key_P,       Qt::Key_M,      Qt::Key_O,         Qt::Key_A,      Qt::Key_5,      Qt::Key_Z,
            Qt::Key_Plus,    Qt::Key_Minus,  Qt::Key_F8,        Qt::Key_F9,     Qt::Key_F12};
        const Qt::Key k = keys[number(0, static_cast<int>(std::size(keys)) - 1)];
        const Qt::KeyboardModifiers with = one_in(4)   ? Qt::ShiftModifier
                                           : one_in(6) ? Qt::ControlModifier
                                           : one_in(8) ? Qt::AltModifier
                                                       : Qt::NoModifier;
        if (with == Qt::ControlModifier && k == Qt::Key_O) return; // opens a dialog of the desktop's
        QWidget* w = window().focusWidget() ? window().focusWidget() : &window();
        last_ = QString("key %1+%2 in %3 %4")
                    .arg(static_cast<int>(with))
                    .arg(static_cast<int>(k))
                    .arg(w->metaObject()->className(), w->accessibleName());
        QTest::keyClick(w, k, with);
    }
    QWidget* view() {
        QWidget* views[] = {&window().retime().map(), &window().lanes(), window().findChild<PlanView*>(),
                            window().findChild<SceneCanvas*>(), somewhere()};
        for (int tries = 0; tries < 12; ++tries) {
            QWidget* w = views[number(0, 4)];
            if (w && w->isVisible()) return w;
        }
        return somewhere();
    }
    // A drag during which the document may change, be undone or go.
    void drag_something() {
        QPointer<QWidget> w = view();
        last_ = QString("drag in %1").arg(w->metaObject()->className());
        const auto button = one_in(5) ? Qt::RightButton : Qt::LeftButton;
        const auto keys = one_in(4) ? Qt::ShiftModifier : Qt::NoModifier;
        QTest::mousePress(w, button, keys, inside(*w));
        const int moves = number(1, 6);
        for (int i = 0; i < moves && w; ++i) {
            const QPoint at = inside(*w);
            QMouseEvent move(QEvent::MouseMove, at, w->mapToGlobal(at), Qt::NoButton, button, keys);
            QApplication::sendEvent(w, &move);
            if (one_in(12)) edit_behind();
            if (one_in(16)) history();
            if (one_in(24)) document();
            if (one_in(20) && w) QTest::keyClick(w, Qt::Key_Escape);
        }
        if (w) QTest::mouseRelease(w, button, keys, inside(*w));
    }
    void wheel() {
        QWidget* w = view();
        last_ = QString("wheel on %1").arg(w->metaObject()->className());
        const QPointF at = inside(*w);
        QWheelEvent event(at, w->mapToGlobal(at), {}, {one_in(3) ? number(-240, 240) : 0, number(-240, 240)},
                          Qt::NoButton, one_in(5) ? Qt::ControlModifier : Qt::NoModifier, Qt::NoScrollPhase, false);
        QApplication::sendEvent(w, &event);
    }
    void history() {
        last_ = "history";
        QUndoStack& undo = window().document().undo();
        for (int i = number(1, 6); i > 0; --i) one_in(3) ? undo.redo() : undo.undo();
    }
    void type_something() {
        QList<QLineEdit*> all = window().findChildren<QLineEdit*>();
        all.removeIf([](QLineEdit* l) { return !l->isVisible() || !l->isEnabled(); });
        if (all.isEmpty()) return;
        QPointer<QLineEdit> field = all[number(0, static_cast<int>(all.size()) - 1)];
        static const char* const texts[] = {"0",   "1",   "12", "-3",     "0.5",     "24f",    "2 s",
                                            "1e9", "abc", "",   "100000", "3.14159", "-0.001", "48"};
        const QString text = texts[number(0, static_cast<int>(std::size(texts)) - 1)];
        const bool folder =
            field->accessibleName().contains("older") || field->accessibleName().contains("ame"); // of files
        last_ = QString("type %1 into %2").arg(text, field->accessibleName());
        if (folder && window().step() == 6) return;
        field->setFocus();
        field->selectAll();
        if (field) QTest::keyClicks(field, text);
        if (!field) return;
        switch (number(0, 3)) {
        case 0: return; // left as it is typed
        case 1: return QTest::keyClick(field, Qt::Key_Escape);
        case 2: return QTest::keyClick(field, Qt::Key_Tab);
        default: return QTest::keyClick(field, Qt::Key_Return);
        }
    }
    void go_to_step() {
        last_ = "step";
        window().set_step(number(0, 6));
    }
    void menu() {
        QList<QAction*> all;
        for (QMenu* m : window().menuBar()->findChildren<QMenu*>()) all << m->actions();
        all.removeIf([](QAction* a) {
            return a->isSeparator() || a->menu() || !a->isEnabled() || a->text().contains("uit") ||
                   a->text().contains("creen");
        });
        QAction* a = all[number(0, static_cast<int>(all.size()) - 1)];
        last_ = "menu " + a->text();
        a->trigger();
    }
    void document() {
        Document& d = window().document();
        switch (number(0, 4)) {
        case 0:
            last_ = "new";
            d.undo().setClean();
            return d.start_new();
        case 1:
        case 2:
            last_ = "open";
            d.undo().setClean();
            return d.open(QString::fromStdString(o_.folder / "kept.garland"));
        case 3:
            last_ = "gather";
            return d.library().add(QString::fromStdString(o_.folder / (one_in(4) ? "nothing.ply" : "column.0007.ply")));
        default:
            last_ = "replace";
            if (!d.project().sources.empty())
                d.library().replace(d.project().sources.front().id,
                                    QString::fromStdString(o_.folder / "column.0001.ply"));
        }
    }
    void box() {
        QList<QComboBox*> all = window().findChildren<QComboBox*>();
        all.removeIf([](QComboBox* b) { return !b->isVisible() || !b->isEnabled() || b->count() == 0; });
        if (all.isEmpty()) return;
        QPointer<QComboBox> b = all[number(0, static_cast<int>(all.size()) - 1)];
        last_ = "box " + b->accessibleName();
        b->setFocus();
        for (int i = number(1, 4); i > 0 && b; --i) QTest::keyClick(b, one_in(2) ? Qt::Key_Down : Qt::Key_Up);
    }
    // As a job, a script or another view would change it.
    void edit_behind() {
        last_ = "edit behind";
        Document& d = window().document();
        const int what = number(0, 5), value = number(0, 40);
        d.edit("behind", [&](Project& p) -> Result<void> {
            if (what == 0) p.settings.range.last = p.settings.range.first + value;
            if (p.arrangements.empty()) return {};
            Arrangement& a = p.arrangements[static_cast<std::size_t>(value) % p.arrangements.size()];
            if (what == 1) a.layout.count = value;
            if (what == 2 && a.layout.path.points.size() > 1)
                a.layout.path.points.resize(1 + static_cast<std::size_t>(value) % a.layout.path.points.size());
            if (what == 3) remove_arrangement(p, a.id);
            if (what == 4 && !p.timings.empty()) p.timings[0] = with_id(timing_of("1:0 20:19"), p.timings[0].id);
            if (what == 5 && !p.sources.empty() && value < 4) remove_source(p, p.sources.front().id);
            return {};
        });
    }
    static Timing with_id(Timing t, TimingId id) {
        t.id = id;
        return t;
    }

    Opened& o_;
    std::mt19937 random_;
    QTimer dialogs_;
    QString last_;
};

int setting(const char* name, int usual) {
    bool ok = false;
    const int value = qEnvironmentVariableIntValue(name, &ok);
    return ok ? value : usual;
}

} // namespace

class MonkeyTest : public QObject {
    Q_OBJECT
  private slots:
    void nothing_ends_the_program_data() {
        QTest::addColumn<int>("seed");
        QTest::addColumn<int>("actions");
        const bool drawn = QGuiApplication::platformName() == "xcb";
        QTest::addRow("any") << setting("GARLAND_MONKEY_SEED", 1)
                             << setting("GARLAND_MONKEY_ACTIONS", drawn ? 2000 : 600);
        if (qEnvironmentVariableIsSet("GARLAND_MONKEY_SEED")) return;
        QTest::addRow("a note that went while the keyboard came to it") << 3 << 150;
    }
    void nothing_ends_the_program() {
        QFETCH(int, seed);
        QFETCH(int, actions);
        const int seconds = setting("GARLAND_MONKEY_SECONDS", 0);
        Opened o;
        QVERIFY(o.window.document().save(QString::fromStdString(o.folder / "kept.garland")));
        o.window.handoff().set_folder(QString::fromStdString(o.folder / "out"));
        const QString here = QDir::currentPath();
        QDir::setCurrent(QString::fromStdString(o.folder / ""));
        Monkey monkey(o, static_cast<unsigned>(seed));
        QTimer dragging; // words that are dragged out of a label wait for a real button to be let go
        connect(&dragging, &QTimer::timeout, &QDrag::cancel);
        dragging.start(100);
        QElapsedTimer clock;
        clock.start();
        const bool told = qEnvironmentVariableIsSet("GARLAND_MONKEY_TELL");
        int done = 0;
        for (; seconds > 0 ? clock.elapsed() < 1000 * seconds : done < actions; ++done) {
            monkey.act();
            if (told) fprintf(stderr, "%d %s\n", done, qPrintable(monkey.last()));
            QCoreApplication::processEvents();
            if (done % 50) continue;
            const auto valid = validate(o.project());
            QVERIFY2(valid, qPrintable(QString("action %1 (%2): %3")
                                           .arg(done)
                                           .arg(monkey.last(),
                                                valid ? QString() : QString::fromStdString(describe(valid.error())))));
            if (done % 200) continue;
            QUndoStack& undo = o.window.document().undo();
            undo.setIndex(undo.count());
            const std::string all = project_text(o.project());
            undo.setIndex(0);
            const std::string none = project_text(o.project());
            undo.setIndex(undo.count());
            QCOMPARE(project_text(o.project()), all);
            undo.setIndex(0);
            QCOMPARE(project_text(o.project()), none);
        }
        QDir::setCurrent(here);
        qInfo("%d actions of seed %d", done, seed);
        for (int i = 0; i < 500 && o.window.document().jobs().running() > 0; ++i) QTest::qWait(20);
        o.window.document().undo().setClean();
    }
};

GARLAND_TEST_CASE(MonkeyTest)
#include "monkey_test.moc"
