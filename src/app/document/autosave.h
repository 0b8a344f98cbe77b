// A copy of unsaved work in the user's state folder, never over the project: made some seconds after an edit and at
// once before risky work, and offered at the next start when the program ended without saving.
#pragma once

#include "app/document/document.h"

#include <QDateTime>
#include <QObject>
#include <QTimer>

namespace garland {

// One that was left behind.
struct Recovery {
    QString file; // of the copy
    QString path; // of the project, or ""
    QString title;
    QDateTime when;
    int edits = 0; // made since it was saved
    Project project;
};

class Autosave : public QObject {
    Q_OBJECT
  public:
    // seconds: from the first edit that is not kept yet to the copy.
    explicit Autosave(Document& document, int seconds = 30, QObject* parent = nullptr);
    ~Autosave() override; // the program ends in order: nothing is left

    void set_seconds(int seconds) { timer_.setInterval(seconds * 1000); }
    void keep_now(); // does nothing where everything is kept or saved

    static QString folder(); // where copies are: $XDG_STATE_HOME/garland/unsaved, or ~/.local/state/…
    // What programs that are gone left there, the newest first. Those that cannot be read are left where they are.
    static std::vector<Recovery> left_behind();
    static void forget(const Recovery& recovery);

  private:
    void changed();
    Document& document_;
    QTimer timer_;
    QString file_;
    quint64 kept_ = 0, saved_ = 0; // the document's count of edits, as it was kept and as it was saved
};

} // namespace garland
