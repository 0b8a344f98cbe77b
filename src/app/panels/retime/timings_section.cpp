#include "app/panels/retime/sections.h"

#include "core/base/numbers.h"
#include "core/project/timings.h"
#include "io/tables/curve_file.h"
#include "io/tables/export_timing.h"

#include <QFileDialog>
#include <QFileInfo>

namespace garland {

TimingsSection::TimingsSection(Document& document, Viewing& viewing, TimeMapView& map)
    : RetimeSection(document, viewing, map) {
    auto* column = rows(this);
    list_ = new QListWidget;
    list_->setAccessibleName(tr("Timings"));
    list_->setToolTip(tr("All timings, and who uses which"));
    list_->setMinimumHeight(44);
    column->addWidget(list_, 1);
    add_buttons(column);
    add_files(column);
    connect(list_, &QListWidget::currentRowChanged, this, [this] {
        const Timing* t = document_.project().timing(listed());
        name_->setText(t ? QString::fromStdString(t->name) : QString());
        remove_->setEnabled(t && users_of(document_.project(), t->id).empty());
        use_->setEnabled(t && t->id != viewing_.timing());
    });
}

void TimingsSection::add_buttons(QVBoxLayout* column) {
    auto* row = new QHBoxLayout;
    row->setSpacing(4);
    use_ =
        make_button(tr("Use this timing"), tr("Use the selected timing for the selected copy's arrangement. Edits then "
                                              "affect every arrangement that uses it."));
    separate_ = make_button(tr("Make independent"), tr("Give the arrangement a copy of its timing to itself"));
    remove_ = make_button(tr("Remove"), tr("Remove a timing that nobody uses"));
    name_ = new QLineEdit;
    name_->setAccessibleName(tr("Timing name"));
    name_->setToolTip(tr("Name the selected timing (Return)"));
    name_->setMaximumWidth(150);
    for (QWidget* w : std::initializer_list<QWidget*>{use_, separate_, remove_}) row->addWidget(w);
    row->addStretch(1);
    row->addWidget(make_label(tr("name")));
    row->addWidget(name_);
    column->addLayout(row);
    connect(use_, &QPushButton::clicked, this, [this] {
        const TimingId id = listed();
        const ArrangementId a = viewing_.arrangement();
        edit_project(tr("Follow the timing “%1”").arg(name_->text()),
                     [&](Project& p) { return share_timing(p, a, id); });
    });
    connect(separate_, &QPushButton::clicked, this, [this] {
        const ArrangementId a = viewing_.arrangement();
        edit_project(tr("A timing of its own"), [&](Project& p) -> Result<void> {
            GARLAND_TRY(id, separate_timing(p, a));
            static_cast<void>(id);
            return {};
        });
    });
    connect(remove_, &QPushButton::clicked, this, [this] {
        const TimingId id = listed();
        edit_project(tr("Remove the timing “%1”").arg(name_->text()), [&](Project& p) { return remove_timing(p, id); });
    });
    connect(name_, &QLineEdit::editingFinished, this, [this] {
        const TimingId id = listed();
        const Timing* t = document_.project().timing(id);
        const std::string name = name_->text().trimmed().toStdString();
        if (!t || name.empty() || name == t->name) return;
        edit_project(tr("Name the timing “%1”").arg(name_->text().trimmed()),
                     [&](Project& p) { return rename_timing(p, id, name); });
    });
}

void TimingsSection::add_files(QVBoxLayout* column) {
    auto* files = new QHBoxLayout;
    files->setSpacing(4);
    auto* import =
        make_button(tr("Import a curve…"), tr("Take this timing from a CSV (output_frame,source_frame) or JSON file"));
    auto* save =
        make_button(tr("Export the curve…"), tr("Write this timing as CSV, as JSON, or its phrases as clips (.otio)"));
    files->addWidget(import);
    files->addWidget(save);
    files->addStretch(1);
    column->addLayout(files);
    connect(import, &QPushButton::clicked, this, [this] {
        const QString path = QFileDialog::getOpenFileName(this, tr("Take the timing from a file"), {},
                                                          tr("Curves (*.csv *.json);;All files (*)"));
        if (!path.isEmpty()) import_curve(path);
    });
    connect(save, &QPushButton::clicked, this, [this] {
        const Timing* t = timing();
        if (!t) return;
        const QString name = QString::fromStdString(t->name);
        const QString path =
            QFileDialog::getSaveFileName(this, tr("Write the timing"), name + ".csv",
                                         tr("CSV (*.csv);;JSON (*.json);;Clips, OpenTimelineIO (*.otio)"));
        if (!path.isEmpty()) export_curve(path);
    });
}

TimingId TimingsSection::listed() const {
    const auto* item = list_->currentItem();
    return item ? TimingId(item->data(Qt::UserRole).toULongLong()) : TimingId();
}

void TimingsSection::import_curve(const QString& path) {
    document_.jobs().start<Curve>(
        this, tr("Reading %1").arg(QFileInfo(path).fileName()),
        [name = path.toStdString()](Progress&) { return read_curve(name); },
        [this, path](Result<Curve> curve) {
            if (!curve) return emit document_.problem(curve.error());
            edit_timing(tr("Take the timing from %1 (%2)")
                            .arg(QFileInfo(path).fileName(), QString::fromStdString(curve->words)),
                        [&](Timing& t) -> Result<void> {
                            t = with_curve(t, *curve);
                            return {};
                        });
            map_.show_all();
        });
}

void TimingsSection::export_curve(const QString& path) {
    if (!timing()) return;
    document_.jobs().start<std::string>(
        this, tr("Writing %1").arg(QFileInfo(path).fileName()),
        [project = document_.project(), id = viewing_.timing(), file = path.toStdString()](Progress&) {
            return export_timing(project, id, file, Existing::replace); // the dialog has asked
        },
        [this](Result<std::string> done) {
            if (!done) emit document_.problem(done.error());
        });
}

void TimingsSection::refresh() {
    const Project& p = document_.project();
    const TimingId now = listed() && p.timing(listed()) ? listed() : viewing_.timing();
    const QSignalBlocker quiet(list_);
    list_->clear();
    for (const Timing& t : p.timings) {
        QStringList users;
        for (ArrangementId a : users_of(p, t.id)) users << QString::fromStdString(p.arrangement(a)->name);
        const QString who = users.isEmpty() ? tr("used by nobody")
                            : users.size() <= 4
                                ? tr("used by %1").arg(users.join(", "))
                                : tr("used by %1 and %2 more").arg(users.mid(0, 3).join(", ")).arg(users.size() - 3);
        const QString form = t.form == TimingForm::positions ? tr("position keys")
                             : t.form == TimingForm::speeds  ? tr("speed keys")
                                                             : tr("phrases");
        auto* item = new QListWidgetItem(
            tr("%1 · %2%3 · %4").arg(QString::fromStdString(t.name), form, t.slider ? tr(", slider") : QString(), who),
            list_);
        item->setData(Qt::UserRole, QVariant::fromValue<qulonglong>(t.id.value));
        item->setToolTip(item->text());
        if (t.id == viewing_.timing()) {
            QFont font = item->font();
            font.setBold(true);
            item->setFont(font);
        }
        if (t.id == now) list_->setCurrentItem(item);
    }
    const Timing* t = p.timing(listed());
    if (!name_->hasFocus()) name_->setText(t ? QString::fromStdString(t->name) : QString());
    use_->setEnabled(t && t->id != viewing_.timing());
    remove_->setEnabled(t && users_of(p, t->id).empty());
    separate_->setEnabled(users_of(p, viewing_.timing()).size() > 1);
}

} // namespace garland
