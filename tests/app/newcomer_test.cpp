// A newcomer's first job, from an empty window to four hundred copies of a dropped cache, all different, written out:
// once by the pointer alone and once by the keyboard alone, each in fewer than 25 actions. An action is a click, a
// drag, a drop, a press of a key with its modifiers, or a number typed.
#include "app/driving.h"

#include "app/panels/handoff/handoff_panel.h"
#include "app/shell/rail.h"
#include "core/project/findings.h"

#include <QAbstractItemView>
#include <QCompleter>
#include <QFileDialog>
#include <QPushButton>

using namespace garland;
using namespace garland::testing;

namespace {

constexpr int frames = 240, most_actions = 25;

class Newcomer {
  public:
    Folder folder;
    MainWindow window;
    int actions = 0;

    Newcomer() {
        write_column(folder, frames);
        window.resize(1280, 800);
        window.show();
        if (!QTest::qWaitForWindowExposed(&window)) qFatal("no window");
        activate(window);
    }
    const Project& project() { return window.document().project(); }
    void press_key(int key, Qt::KeyboardModifiers with = Qt::NoModifier) {
        QWidget* to = QApplication::focusWidget() ? QApplication::focusWidget() : &window;
        QTest::keyClick(to, static_cast<Qt::Key>(key), with);
        settle();
        ++actions;
    }
    void click_on(QWidget* w) {
        QVERIFY(w && w->isVisible());
        QTest::mouseClick(w, Qt::LeftButton);
        settle();
        ++actions;
    }
    void click_words(QWidget& in, const QString& words) { click_on(button(in, words)); }
    void pick(const QString& name, const QString& words) { // opens the list and clicks an entry
        auto* box = named<QComboBox>(window, name);
        click_on(box);
        QTRY_VERIFY(box->view()->isVisible());
        const int row = box->findText(words);
        QVERIFY2(row >= 0, qPrintable(words));
        const QModelIndex entry = box->model()->index(row, 0);
        box->view()->scrollTo(entry);
        QTest::qWait(QApplication::doubleClickInterval() + 100); // a list does not take the click that opened it
        QTest::mouseClick(box->view()->viewport(), Qt::LeftButton, Qt::NoModifier,
                          box->view()->visualRect(entry).center());
        settle();
        if (QApplication::activeWindow() != &window) activate(window); // where nobody gives it back after a popup
        QCOMPARE(named<QComboBox>(window, name)->currentText(), words);
        ++actions;
    }
    // Drags a number sideways until it is there.
    void drag_to(NumberField* field, double wanted) {
        QVERIFY(field && field->isVisible());
        const QPoint from(field->width() / 2, field->height() / 2);
        QTest::mousePress(field, Qt::LeftButton, Qt::NoModifier, from);
        const QPointer<NumberField> held(field);
        for (int x = 0, step = wanted > field->value() ? 1 : -1; held && std::abs(x) < 4000; x += step) {
            if (step > 0 ? held->value() >= wanted : held->value() <= wanted) break;
            const QPoint at = from + QPoint(x, 0);
            QMouseEvent move(QEvent::MouseMove, at, held->mapToGlobal(at), Qt::NoButton, Qt::LeftButton,
                             Qt::NoModifier);
            QApplication::sendEvent(held, &move);
        }
        if (held) QTest::mouseRelease(held, Qt::LeftButton, Qt::NoModifier, from);
        settle();
        ++actions;
    }
    // Moves the focus by Tab until a control of this name has it: holding Tab is one action.
    void tab_to(const QString& name) {
        for (int i = 0; i < 400; ++i) {
            const QWidget* now = QApplication::focusWidget();
            const auto* b = qobject_cast<const QAbstractButton*>(now);
            if (now && (now->accessibleName() == name || (b && b->text() == name))) break;
            QTest::keyClick(const_cast<QWidget*>(now ? now : &window), Qt::Key_Tab);
        }
        QWidget* now = QApplication::focusWidget();
        const auto* b = qobject_cast<const QAbstractButton*>(now);
        QVERIFY2(now && (now->accessibleName() == name || (b && b->text() == name)), qPrintable(name));
        ++actions;
    }
    static QWidget* segment(QWidget& in, const QString& words) {
        for (auto* b : in.findChildren<QToolButton*>("segment")) {
            if (b->text() == words && b->isVisible()) return b;
        }
        return nullptr;
    }
    void type_number(const QString& text) {
        QTest::keyClicks(QApplication::focusWidget(), text);
        QTest::keyClick(QApplication::focusWidget(), Qt::Key_Return);
        settle();
        ++actions;
    }
    // Until what was begun has ended: whoever sits before the screen sees its progress.
    void wait_for_work() { QTRY_COMPARE_WITH_TIMEOUT(window.document().jobs().running(), 0, patience * 60000); }
    void gathered() {
        QTRY_COMPARE_WITH_TIMEOUT(project().sources.size(), std::size_t(1), patience * 20000);
        QCOMPARE(project().settings.range.last, std::int64_t(frames)); // the whole motion is in the range
        QCOMPARE(project().arrangements[0].layout.count, 1);
    }
    void all_different_and_written() {
        QCOMPARE(window.document().show()->copies(), std::int64_t(400));
        const auto report = check(*window.document().show());
        QVERIFY(report);
        QCOMPARE(report->count(FindingKind::twins), std::size_t(0));
        const QDir out(QString::fromStdString(folder / "written"));
        QTRY_VERIFY_WITH_TIMEOUT(out.exists("copies.ply.handoff.json"), patience * 120000);
        const auto pose = read_ply(folder / "written/copies.0100.ply");
        QVERIFY(pose);
        QCOMPARE((*pose)->points.size(), std::size_t(400 * 24));
        QVERIFY2(actions < most_actions, qPrintable(QString("%1 actions").arg(actions)));
        qInfo("%d actions", actions);
    }
};

} // namespace

class NewcomerTest : public QObject {
    Q_OBJECT
  private slots:
    void by_the_pointer_alone() {
        Newcomer n;
        drop(n.window, {QString::fromStdString(n.folder / "column.0003.ply")});
        ++n.actions;
        n.gathered();
        n.click_on(n.window.rail().button(3));
        n.click_on(Newcomer::segment(n.window, "grid"));
        n.drag_to(named<NumberField>(n.window, "Columns"), 20);
        n.drag_to(named<NumberField>(n.window, "Rows"), 20);
        n.click_on(n.window.rail().button(4));
        n.click_words(n.window, "Add delay");
        n.pick("Driver", "even, by order");
        n.drag_to(named<NumberField>(n.window, "To"), 239);
        n.click_words(n.window, "Pull apart"); // delays of whole frames leave some alike
        n.wait_for_work();
        n.click_on(n.window.rail().button(5));
        n.click_words(n.window, "Check now");
        n.click_on(n.window.rail().button(6));
        QDir().mkpath(QString::fromStdString(n.folder / "written"));
        in_next<QFileDialog>([&n](QFileDialog& dialog) { // the dialog shows the folder; its button takes it
            const QString into = QString::fromStdString(n.folder / "written");
            dialog.setDirectory(into);
            QTRY_COMPARE(dialog.selectedFiles(), QStringList{into}); // the list of files is read elsewhere
            for (auto* b : dialog.findChildren<QPushButton*>()) {
                if (b->text().remove('&') == "Choose") return QTest::mouseClick(b, Qt::LeftButton);
            }
        });
        n.click_words(n.window, "Browse…");
        ++n.actions; // the click in the dialog
        n.click_words(n.window, "Write");
        n.all_different_and_written();
    }
    void by_the_keyboard_alone() {
        Newcomer n;
        in_next<QFileDialog>([&n](QFileDialog& dialog) { // the file dialog takes a typed name
            auto* name = dialog.findChild<QLineEdit*>("fileNameEdit");
            const QString file = QString::fromStdString(n.folder / "column.0003.ply");
            name->insert(file); // as it is pasted: typed letter by letter, the dialog selects every folder on the way
            QTRY_COMPARE(dialog.selectedFiles(), QStringList{file}); // the list of files is read elsewhere
            if (name->completer() && name->completer()->popup()->isVisible()) name->completer()->popup()->hide();
            QTest::keyClick(name, Qt::Key_Return);
        });
        n.press_key(Qt::Key_G, Qt::ControlModifier);
        ++n.actions; // the name
        n.gathered();
        activate(n.window);
        n.press_key(Qt::Key_4, Qt::AltModifier);
        n.tab_to("line");
        n.press_key(Qt::Key_Right); // to the grid
        QTRY_COMPARE(n.project().arrangements[0].layout.kind, ArrangementKind::grid);
        n.tab_to("Columns");
        n.type_number("20");
        n.tab_to("Rows");
        n.type_number("20");
        n.press_key(Qt::Key_5, Qt::AltModifier);
        n.tab_to("Add delay");
        n.press_key(Qt::Key_Return);
        QTRY_COMPARE(n.project().arrangements[0].spreads.size(), std::size_t(1));
        n.tab_to("Driver");
        auto* driver = qobject_cast<QComboBox*>(QApplication::focusWidget());
        QVERIFY(driver);
        while (qobject_cast<QComboBox*>(QApplication::focusWidget()) &&
               qobject_cast<QComboBox*>(QApplication::focusWidget())->currentText() != "even, by order") {
            const int before = qobject_cast<QComboBox*>(QApplication::focusWidget())->currentIndex();
            QTest::keyClick(QApplication::focusWidget(), Qt::Key_Down);
            settle();
            auto* now = qobject_cast<QComboBox*>(QApplication::focusWidget());
            QVERIFY(now && now->currentIndex() > before); // holding Down
        }
        ++n.actions;
        n.tab_to("To");
        n.type_number("239");
        QTRY_VERIFY(button(n.window, "Pull apart")->isEnabled());
        n.tab_to("Pull apart"); // delays of whole frames leave some alike
        n.press_key(Qt::Key_Return);
        n.wait_for_work();
        n.press_key(Qt::Key_6, Qt::AltModifier);
        n.press_key(Qt::Key_7, Qt::AltModifier);
        n.tab_to("Folder");
        qobject_cast<QLineEdit*>(QApplication::focusWidget())->selectAll();
        n.type_number(QString::fromStdString(n.folder / "written"));
        n.press_key(Qt::Key_Return, Qt::ControlModifier);
        n.all_different_and_written();
    }
};

GARLAND_TEST_CASE(NewcomerTest)
#include "newcomer_test.moc"
