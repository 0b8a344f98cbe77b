// The window, driven as a person drives it: real drops, clicks, drags, keys.
#pragma once

#include "support/case.h"
#include "support/files.h"
#include "support/notation.h"
#include "support/patience.h"

#include "app/scene_view/scene_view.h"
#include "app/shell/main_window.h"
#include "io/files/series.h"
#include "io/ply/ply.h"

#include <QAbstractItemView>
#include <QApplication>
#include <QComboBox>
#include <QContextMenuEvent>
#include <QDropEvent>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QMessageBox>
#include <QMimeData>
#include <QPushButton>
#include <QSignalSpy>
#include <QTimer>
#include <QToolButton>

namespace garland::testing {

// A column of paper that leans further each frame, with colours; 48 frames.
inline void write_column(const Folder& folder, int frames = 48) {
    for (int f = 0; f < frames; ++f) {
        Pose pose;
        auto faces = std::make_shared<Faces>();
        faces->starts.push_back(0);
        for (int r = 0; r < 6; ++r) {
            for (int c = 0; c < 4; ++c) {
                const double a = c * M_PI / 2, y = r * 0.2;
                pose.points.emplace_back(static_cast<float>(0.15 * std::cos(a) + 0.012 * f * y), static_cast<float>(y),
                                         static_cast<float>(0.15 * std::sin(a)));
                pose.colours.emplace_back(0.9f, 0.5f, 0.2f);
                if (r == 5) continue;
                for (int i : {r * 4 + c, r * 4 + (c + 1) % 4, r * 4 + 4 + (c + 1) % 4, r * 4 + 4 + c}) {
                    faces->corners.push_back(static_cast<std::uint32_t>(i));
                }
                faces->starts.push_back(static_cast<std::uint32_t>(faces->corners.size()));
            }
        }
        pose.faces = faces;
        QVERIFY(write_ply(folder / numbered("column.", f, 4, ".ply"), pose, PlyForm::little_endian, Existing::replace));
    }
}

inline void drop(QWidget& window, const QStringList& files) {
    QMimeData data;
    QList<QUrl> urls;
    for (const QString& f : files) urls << QUrl::fromLocalFile(f);
    data.setUrls(urls);
    const QPointF at(400, 300);
    QDragEnterEvent enter(at.toPoint(), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(&window, &enter);
    QVERIFY(enter.isAccepted());
    QDropEvent event(at, Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(&window, &event);
}

// Presses a segment: a tab, a view.
inline void click_tab(QWidget& in, const QString& text) {
    for (auto* b : in.findChildren<QToolButton*>("segment")) {
        if (b->text() == text && b->isVisible()) return QTest::mouseClick(b, Qt::LeftButton);
    }
    qFatal("no tab called %s", qPrintable(text));
}

// Lets what was begun come to its end: cards made anew, old ones gone, layouts, painting. No wait: only what is due.
inline void settle() {
    for (int turn = 0; turn < 4; ++turn) {
        QCoreApplication::processEvents();
        QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
    }
}
// Waits until the Scene has drawn a picture that was begun after this call.
inline void wait_painted(SceneCanvas& canvas) {
    QSignalSpy drawn(&canvas, &SceneCanvas::shown);
    canvas.update();
    if (drawn.isEmpty()) QVERIFY(drawn.wait(patience * 20000));
}

// Waits for it: what an edit adds to a panel is shown by a later turn of the event loop.
inline QPushButton* button(QWidget& in, const QString& text) {
    for (int tries = 0; tries < 100 * patience; ++tries) {
        for (auto* b : in.findChildren<QPushButton*>()) {
            if (b->text() == text && b->isVisible()) return b;
        }
        QTest::qWait(20);
    }
    return nullptr;
}
inline void click(QWidget& in, const QString& text) {
    QPushButton* b = button(in, text);
    QVERIFY2(b, qPrintable("no button " + text));
    QTest::mouseClick(b, Qt::LeftButton);
    settle();
}
template <class T>
T* named(QWidget& in, const QString& name) {
    for (int tries = 0; tries < 100 * patience; ++tries) {
        for (auto* w : in.findChildren<T*>()) {
            if (w->accessibleName() == name && w->isVisible()) return w;
        }
        QTest::qWait(20);
    }
    qFatal("no control called %s", qPrintable(name));
}
inline void type(QWidget& in, const QString& field, const QString& text) {
    auto* f = named<QLineEdit>(in, field);
    QVERIFY2(f, qPrintable("no field " + field));
    f->setFocus();
    f->selectAll();
    QTest::keyClicks(f, text);
    QTest::keyClick(f, Qt::Key_Return);
}
inline void activate(QWidget& window) { // without a window manager nobody else does it
    window.activateWindow();
    QApplication::setActiveWindow(&window);
    QVERIFY(QTest::qWaitForWindowActive(&window));
}
// Opens a box with the pointer and takes an entry of its list by keys, as a person does.
inline void choose_at(QComboBox& box, int index) {
    QWidget* const window = box.window(); // the choice may make the box anew
    QTest::mouseClick(&box, Qt::LeftButton, Qt::NoModifier, QPoint(box.width() / 2, box.height() / 2));
    QTRY_VERIFY(box.view()->isVisible());
    QAbstractItemView* list = box.view();
    QTest::keyClick(list, Qt::Key_Home);
    for (int i = 0; i < index; ++i) QTest::keyClick(list, Qt::Key_Down);
    QCOMPARE(list->currentIndex().row(), index);
    const QPointer<QAbstractItemView> shown(list);
    QTest::keyClick(list, Qt::Key_Return);
    QTRY_VERIFY(!shown || !shown->isVisible());
    for (int i = 0; i < 3; ++i) { // where nobody gives it back after a popup
        QCoreApplication::processEvents();
        if (QApplication::activeWindow() != window) activate(*window);
    }
}
inline void choose(QWidget& in, const QString& name, const QString& text) {
    auto* box = named<QComboBox>(in, name);
    const int index = box->findText(text);
    QVERIFY2(index >= 0, qPrintable("no choice " + text));
    choose_at(*box, index);
}
// Opens a widget's own menu by the menu key, from its corner, and clicks an entry.
inline void choose_in_menu(QWidget& of, const QString& words) {
    QContextMenuEvent asked(QContextMenuEvent::Keyboard, QPoint(3, 3), of.mapToGlobal(QPoint(3, 3)));
    QApplication::sendEvent(&of, &asked);
    auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
    QVERIFY(menu);
    for (QAction* action : menu->actions()) {
        if (action->text() != words) continue;
        QVERIFY2(action->isEnabled(), qPrintable(words));
        QTest::mouseClick(menu, Qt::LeftButton, {}, menu->actionGeometry(action).center());
        return settle();
    }
    QFAIL(qPrintable("no entry " + words));
}
inline void click_at(QWidget& on, QPointF at) {
    QTest::mouseClick(&on, Qt::LeftButton, Qt::NoModifier, at.toPoint());
    settle();
}
inline void drag(QWidget& on, QPointF from, QPointF to, Qt::KeyboardModifiers keys = Qt::NoModifier) {
    QTest::mousePress(&on, Qt::LeftButton, keys, from.toPoint());
    for (int i = 1; i <= 4; ++i) {
        const QPoint at = (from + (to - from) * i / 4.0).toPoint();
        QMouseEvent move(QEvent::MouseMove, at, on.mapToGlobal(at), Qt::NoButton, Qt::LeftButton, keys);
        QApplication::sendEvent(&on, &move);
    }
    QTest::mouseRelease(&on, Qt::LeftButton, keys, to.toPoint());
}
inline QString all_text(QWidget& in) {
    QString text;
    for (auto* l : in.findChildren<QLabel*>()) {
        if (l->isVisible()) text += l->text() + '\n';
    }
    return text;
}
// Runs `act` in the modal window of this kind that opens next, as soon as it is shown: it stops the test's own code
// until it is closed. Ends everything when none has come after 20 s.
template <class Dialog, class Act>
void in_next(Act act, int tries = patience * 1000) {
    QTimer::singleShot(20, qApp, [act, tries] {
        auto* box = qobject_cast<Dialog*>(QApplication::activeModalWidget());
        if (box && box->isVisible()) return act(*box);
        if (tries == 0) qFatal("no window of this kind was opened");
        in_next<Dialog>(act, tries - 1);
    });
}
// The same in the menu that opens next.
template <class Act>
void in_next_menu(Act act, int tries = patience * 1000) {
    QTimer::singleShot(20, qApp, [act, tries] {
        auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
        if (menu && menu->isVisible()) return act(*menu);
        if (tries == 0) qFatal("no menu was opened");
        in_next_menu(act, tries - 1);
    });
}
// Presses a button of the message box that opens next.
inline void answer_next_box(const QString& text) {
    in_next<QMessageBox>([text](QMessageBox& box) {
        for (auto* b : box.buttons()) {
            if (b->text().remove('&') == text) return QTest::mouseClick(b, Qt::LeftButton);
        }
        qFatal("no button %s in the box", qPrintable(text));
    });
}

struct Opened {
    Folder folder;
    MainWindow window;
    explicit Opened(int copies = 12) {
        write_column(folder);
        window.resize(1280, 800);
        window.show();
        if (!QTest::qWaitForWindowExposed(&window)) qFatal("no window");
        activate(window);
        QSignalSpy added(&window.document().library(), &SourceLibrary::added);
        drop(window, {QString::fromStdString(folder / "column.0003.ply")});
        if (!added.wait(patience * 10000)) qFatal("nothing was gathered");
        window.document().edit("copies", [&](Project& p) -> Result<void> {
            p.arrangements[0].layout.count = copies;
            return {};
        });
        wait_for_scene();
        window.document().undo().clear();
    }
    void wait_for_scene() {
        for (int i = 0; i < 200 * patience; ++i) {
            const auto scene = window.scene_view().scene();
            if (scene && scene->show == window.document().show() && scene->frame == window.viewing().frame()) return;
            QTest::qWait(25);
        }
        qFatal("the Scene never showed the current frame");
    }
    const Project& project() { return window.document().project(); }
    const TimeMap& map() { return project().timings[0].map; }
};

} // namespace garland::testing
