// Projects in the window: opened, saved, recovered, and never lost without a question.
#include "app/scene_view/scene_view.h"
#include "app/shell/log.h"
#include "app/shell/main_window.h"
#include "app/shell/start_page.h"
#include "core/base/numbers.h"
#include "demo/canal.h"
#include "demo/dusk.h"
#include "demo/festival.h"
#include "demo/quay.h"

#include <QDir>
#include <QFile>
#include <QFileDialog>
#include <QFileInfo>
#include <QLocale>
#include <QMessageBox>
#include <QPushButton>
#include <QStandardPaths>

namespace garland {

void MainWindow::choose_project() {
    if (!may_discard()) return;
    const QString path =
        QFileDialog::getOpenFileName(this, tr("Open a project"), {}, tr("Garland projects (*.garland);;All files (*)"));
    if (!path.isEmpty()) document_.open(path);
}

void MainWindow::open_sample(const std::string& name) {
    const QString folder =
        QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/samples/" + QString::fromStdString(name);
    const QString path = folder + "/" + QString::fromStdString(name) + ".garland";
    if (QFile::exists(path)) return document_.open(path);
    QDir().mkpath(folder);
    const auto job = jobs_.start<std::string>(
        this, tr("Making the sample"),
        [name, into = folder.toStdString()](Progress& p) -> Result<std::string> {
            if (name == "quay") return write_quay(into, p);
            if (name == "canal") return write_canal(into, false, p);
            if (name == "dusk") return write_dusk(into, false, p);
            return write_demo(into, p);
        },
        [this](Result<std::string> made) {
            if (made) return document_.open(QString::fromStdString(*made));
            if (made.error().code != ErrorCode::cancelled) emit document_.problem(made.error());
        });
    job->set_writes(true);
}

bool MainWindow::save() {
    commit_typed();
    if (document_.path().isEmpty()) return save_as();
    const auto saved = document_.try_save(document_.path());
    if (saved) {
        layout_of_ = document_.path();
        keep_recent_picture(document_.path(), scene_view_->picture());
        return true;
    }
    if (saved.error().code == ErrorCode::changed) return save_over_theirs();
    show_problem(saved.error());
    return false;
}

bool MainWindow::save_over_theirs() {
    QMessageBox box(QMessageBox::Warning, tr("Changed by another program"),
                    tr("Another program has changed “%1” since it was opened here. Saving would replace its changes.")
                        .arg(QFileInfo(document_.path()).fileName()),
                    QMessageBox::NoButton, this);
    auto* theirs = box.addButton(tr("Open theirs"), QMessageBox::DestructiveRole);
    auto* mine = box.addButton(tr("Replace with mine"), QMessageBox::DestructiveRole);
    auto* both = box.addButton(tr("Save as…"), QMessageBox::AcceptRole);
    auto* stay = box.addButton(tr("Go back"), QMessageBox::RejectRole);
    theirs->setToolTip(tr("Open the file again; what was changed here and not saved is gone"));
    mine->setToolTip(tr("Write this window's version; the other program's changes are gone"));
    both->setToolTip(tr("Keep both: this window's version under another name"));
    box.setDefaultButton(both);
    box.setEscapeButton(stay);
    box.exec();
    if (box.clickedButton() == both) return save_as();
    if (box.clickedButton() == theirs) {
        document_.open(document_.path());
        return false;
    }
    if (box.clickedButton() != mine) return false;
    const auto saved = document_.try_save(document_.path(), true);
    if (!saved) show_problem(saved.error());
    return saved.has_value();
}

void MainWindow::look_at_disk() {
    if (document_.path().isEmpty()) return;
    const QDateTime written = QFileInfo(document_.path()).lastModified();
    if (written == looked_at_ && !written.isNull()) return; // told already, or not written since
    looked_at_ = written;
    if (!document_.changed_on_disk()) return;
    Error error{ErrorCode::changed, "another program has changed this project, or removed it"};
    error.path = document_.path().toStdString();
    error.kept = "what is open here";
    error.advice = "open it again to see the other version; saving asks which one stays";
    notices_->show_error(error, tr("Open it again"), [this] {
        if (may_discard()) document_.open(document_.path());
    });
}

void MainWindow::offer_recovery() {
    for (const Recovery& r : Autosave::left_behind()) {
        Error error{ErrorCode::changed, tr("“%1” was not saved when Garland ended: %2 of %3 can be recovered")
                                            .arg(r.title, QString::fromStdString(counted(r.edits, "edit", "edits")),
                                                 QLocale().toString(r.when.toLocalTime(), QLocale::ShortFormat))
                                            .toStdString()};
        error.path = r.path.toStdString();
        error.kept = "the project's file as it was saved last";
        error.advice = "recover them and save, throw them away, or close this note to keep them for later";
        notices_->show_error(error, tr("Recover…"), [this, r] { choose_recovery(r); });
    }
    for (const QString& text : crash_texts()) {
        Error error{ErrorCode::changed, "Garland ended by itself earlier; a text says where in the program"};
        error.path = text.toStdString();
        error.advice = "send it to whoever makes your Garland; nothing was sent anywhere";
        notices_->show_error(error, tr("Show and remove"), [this, text] {
            QFile file(text);
            const QString words = file.open(QIODevice::ReadOnly) ? QString::fromUtf8(file.readAll()) : QString();
            QMessageBox box(QMessageBox::NoIcon, tr("How Garland ended"), tr("Copy this text if you want to send it."),
                            QMessageBox::Close, this);
            box.setDetailedText(words);
            box.exec();
            QFile::remove(text);
        });
    }
}

void MainWindow::choose_recovery(const Recovery& r) {
    QMessageBox box(QMessageBox::Question, tr("Unsaved changes"),
                    tr("“%1” was not saved when Garland ended. %2 can be recovered.")
                        .arg(r.title, QString::fromStdString(counted(r.edits, "edit", "edits"))),
                    QMessageBox::NoButton, this);
    auto* recover = box.addButton(tr("Recover"), QMessageBox::AcceptRole);
    auto* away = box.addButton(tr("Throw away"), QMessageBox::DestructiveRole);
    auto* later = box.addButton(tr("Later"), QMessageBox::RejectRole);
    recover->setToolTip(tr("Open the project with these edits, unsaved"));
    away->setToolTip(tr("Delete these edits for good"));
    later->setToolTip(tr("Ask again at the next start"));
    box.setDefaultButton(recover);
    box.setEscapeButton(later);
    box.exec();
    if (box.clickedButton() == away) return Autosave::forget(r);
    if (box.clickedButton() != recover || !may_discard()) return;
    document_.open_recovered(r.project, r.path);
    autosave_.keep_now();
    Autosave::forget(r);
}

bool MainWindow::save_as() {
    commit_typed();
    QString path = QFileDialog::getSaveFileName(
        this, tr("Save the project"), document_.path().isEmpty() ? document_.title() + ".garland" : document_.path(),
        tr("Garland projects (*.garland)"));
    if (path.isEmpty()) return false;
    if (QFileInfo(path).suffix().isEmpty()) path += ".garland";
    if (!document_.save(path)) return false;
    remember_recent_project(path);
    keep_recent_picture(path, scene_view_->picture());
    layout_of_ = document_.path(); // from now on the layout is its own
    return true;
}

bool MainWindow::may_discard() {
    commit_typed();
    if (!document_.dirty()) return true;
    QMessageBox box(QMessageBox::Question, tr("Unsaved changes"),
                    tr("“%1” has changes that are not saved.").arg(document_.title()), QMessageBox::NoButton, this);
    auto* keep = box.addButton(tr("Save"), QMessageBox::AcceptRole);
    auto* drop = box.addButton(tr("Discard changes"), QMessageBox::DestructiveRole);
    auto* stay = box.addButton(tr("Go back"), QMessageBox::RejectRole);
    box.setDefaultButton(keep);
    box.setEscapeButton(stay);
    box.exec();
    if (box.clickedButton() == keep) return save();
    return box.clickedButton() == drop;
}

} // namespace garland
