#include "app/panels/handoff/handoff_panel.h"

#include "core/base/numbers.h"
#include "core/project/alone.h"
#include "io/handoff/bake.h"
#include "io/tables/timing_table.h"

#include <QCoreApplication>
#include <QDir>
#include <QFileDialog>
#include <QFileInfo>
#include <QGridLayout>

namespace garland {

namespace {
// "; 3.1 GB free on that disk", or nothing where no folder says which disk.
QString free_words(double bytes) {
    return bytes < 0 ? HandoffPanel::tr("; no folder is chosen yet")
                     : HandoffPanel::tr("; %1 free on that disk").arg(QString::fromStdString(byte_count(bytes)));
}
} // namespace

HandoffPanel::HandoffPanel(Document& document, Viewing& viewing, QWidget* parent)
    : Panel(tr("Hand off"), true, document, viewing, parent) {
    what_ = new Segments(
        {tr("posed copies"), tr("one retimed source"), tr("timing table"), tr("preview")},
        {tr("One PLY file for each output frame: all copies as one mesh, each point with its copy's number"),
         tr("One file of USD text: a source alone, at the origin, in its timing, with a sample for each output frame"),
         tr("One CSV file: which source frame every copy shows at every output frame"),
         tr("Traced pictures of the copies, or a movie")});
    what_->set_current(0);
    body()->addWidget(what_);
    auto* grid = new QGridLayout;
    grid->setHorizontalSpacing(8);
    grid->setVerticalSpacing(6);
    folder_ = new QLineEdit;
    folder_->setAccessibleName(tr("Folder"));
    folder_->setToolTip(tr("The folder to write into; made if it is not there"));
    folder_->setPlaceholderText(tr("a folder to write into"));
    auto* browse = make_button(tr("Browse…"), tr("Choose the folder"));
    name_ = new QLineEdit(tr("copies"));
    name_->setAccessibleName(tr("Name"));
    name_->setToolTip(tr("What the files are called before their number"));
    first_ = make_number(Quantity::output_frames, -1e9, 1e9, 0, tr("First frame to write"),
                         tr("The first output frame to write"));
    last_ = make_number(Quantity::output_frames, -1e9, 1e9, 0, tr("Last frame to write"),
                        tr("The last output frame to write"));
    auto* range = new QHBoxLayout;
    range->setSpacing(8);
    range->addWidget(first_);
    range->addWidget(make_label(tr("to")));
    range->addWidget(last_);
    range->addStretch(1);
    replace_ = new QCheckBox(tr("replace files that are there already"));
    replace_->setToolTip(tr("Without this, existing files are never touched"));
    source_ =
        make_choice({}, tr("Source"), tr("The source to write, in the timing of the first arrangement that shows it"),
                    [this](int) { estimate_size(); });
    source_label_ = make_label(tr("Source"));
    grid->addWidget(source_label_, 4, 0);
    grid->addWidget(source_, 4, 1);
    grid->addWidget(make_label(tr("Folder")), 0, 0);
    grid->addWidget(folder_, 0, 1);
    grid->addWidget(browse, 0, 2);
    grid->addWidget(make_label(tr("Name")), 1, 0);
    grid->addWidget(name_, 1, 1);
    grid->addWidget(make_label(tr("Frames")), 2, 0);
    grid->addLayout(range, 2, 1);
    grid->addWidget(replace_, 3, 1);
    body()->addLayout(grid);
    size_ = make_label({}, "muted");
    size_->setWordWrap(true);
    body()->addWidget(size_);

    preview_ = new PreviewCard(document, viewing);
    connect(preview_, &PreviewCard::changed, this, &HandoffPanel::estimate_size);
    auto* go = new QHBoxLayout;
    write_ = make_button(tr("Write"), tr("Write out (Ctrl+Return)"));
    write_->setObjectName("primary");
    cancel_ = make_button(tr("Cancel"), tr("Stop writing; files that are complete stay"));
    bar_ = new QProgressBar;
    bar_->setTextVisible(false);
    bar_->setAccessibleName(tr("Progress of writing"));
    go->addWidget(write_);
    go->addWidget(bar_, 4);
    go->addWidget(cancel_);
    go->addStretch(1);
    body()->addLayout(go);
    progress_ = make_label({}, "muted");
    body()->addWidget(progress_);
    body()->addWidget(preview_);
    body()->addWidget(make_rule());
    results_ = new QVBoxLayout;
    results_->setSpacing(6);
    body()->addLayout(results_);
    body()->addStretch(1);

    connect(browse, &QPushButton::clicked, this, [this] {
        const QString folder = QFileDialog::getExistingDirectory(this, tr("Write into"), folder_->text());
        if (!folder.isEmpty()) set_folder(folder);
    });
    connect(write_, &QPushButton::clicked, this, &HandoffPanel::write);
    connect(cancel_, &QPushButton::clicked, this, [this] {
        if (job_) job_->cancel();
    });
    for (NumberField* f : {first_, last_}) {
        connect(f, &NumberField::edited, this, [this] {
            own_range_ = true;
            estimate_size();
        });
    }
    for (QLineEdit* e : {folder_, name_}) connect(e, &QLineEdit::editingFinished, this, &HandoffPanel::estimate_size);
    connect(what_, &Segments::chosen, this, &HandoffPanel::refresh);
    connect(&document_, &Document::changed, this, [this] { refresh(); });
    connect(&document_, &Document::opened, this, [this] {
        own_range_ = false;
        if (!document_.path().isEmpty()) set_folder(QFileInfo(document_.path()).absoluteDir().filePath("written"));
        refresh();
    });
    refresh();
}

void HandoffPanel::entered() {
    estimate_size();
}

void HandoffPanel::set_folder(const QString& folder) {
    folder_->setText(folder);
    estimate_size();
}

FrameRange HandoffPanel::frames() const {
    return {static_cast<std::int64_t>(first_->value()), static_cast<std::int64_t>(last_->value())};
}

void HandoffPanel::refresh() {
    const FrameRange range = document_.project().settings.range;
    if (!own_range_) {
        first_->set_value(static_cast<double>(range.first));
        last_->set_value(static_cast<double>(range.last));
    }
    for (NumberField* f : {first_, last_}) f->set_rate(document_.project().settings.rate);
    const QVariant chosen = source_->currentData();
    source_->clear();
    for (const SourceSpec& s : document_.project().sources)
        source_->addItem(QString::fromStdString(s.name), QVariant::fromValue<qulonglong>(s.id.value));
    source_->setCurrentIndex(std::max(0, source_->findData(chosen)));
    for (QWidget* w : {static_cast<QWidget*>(source_), static_cast<QWidget*>(source_label_)})
        w->setVisible(what_->current() == one_source);
    preview_->setVisible(what_->current() == pictures);
    replace_->setText(what_->current() == pictures ? tr("replace files that are there; otherwise they are kept")
                                                   : tr("replace files that are there already"));
    const bool busy = !job_.isNull();
    write_->setEnabled(!busy && document_.show()->copies() > 0);
    cancel_->setVisible(busy);
    bar_->setVisible(busy);
    progress_->setVisible(busy);
    if (isVisible()) estimate_size();
}

void HandoffPanel::estimate_size() {
    if (sizing_) sizing_->drop();
    const Show& show = *document_.show();
    if (show.copies() == 0) {
        size_->setText(tr("There are no copies to write yet."));
        return;
    }
    if (!frames().valid()) {
        size_->setText(tr("The last frame comes before the first."));
        return;
    }
    if (what_->current() == one_source) return estimate_source();
    if (what_->current() == pictures) {
        sizing_ = document_.jobs().start<PreviewEstimate>(
            this, tr("Sizing"), [order = picture_order()](Progress& p) { return estimate(order, p); },
            [this](Result<PreviewEstimate> e) {
                if (!e) {
                    if (e.error().code != ErrorCode::cancelled)
                        size_->setText(QString::fromStdString(describe(e.error())));
                    return;
                }
                QString text = tr("%1, about %2 in all%3.")
                                   .arg(QString::fromStdString(counted(e->files, "file", "files")),
                                        QString::fromStdString(byte_count(e->bytes)), free_words(e->free));
                if (e->existing > 0) text += tr(" %1 of them are there already.").arg(e->existing);
                size_->setText(text);
            },
            true);
        return;
    }
    if (what_->current() == timing_table) {
        const double rows = static_cast<double>(frames().count()) * static_cast<double>(show.copies());
        size_->setText(
            tr("One file, %1 rows, about %2.").arg(rows, 0, 'f', 0).arg(QString::fromStdString(byte_count(rows * 70))));
        return;
    }
    const BakeOrder order{folder_->text().toStdString(), name_->text().toStdString(), frames(), Existing::refuse};
    sizing_ = document_.jobs().start<BakeEstimate>(
        this, tr("Sizing"), [show = document_.show(), order](Progress& p) { return estimate(*show, order, p); },
        [this](Result<BakeEstimate> e) {
            if (!e) {
                if (e.error().code != ErrorCode::cancelled) size_->setText(QString::fromStdString(describe(e.error())));
                return;
            }
            QString text = tr("%1, about %2 in all%3.")
                               .arg(QString::fromStdString(
                                        counted(e->files, "file", "files") +
                                        (e->volume_files ? " and " + counted(e->volume_files, "volume", "volumes")
                                                         : std::string())),
                                    QString::fromStdString(byte_count(e->bytes)), free_words(e->free));
            if (e->existing > 0) text += tr(" %1 of them are there already.").arg(e->existing);
            size_->setText(text);
        },
        true);
}

Result<ShowPtr> HandoffPanel::show_alone() const {
    GARLAND_TRY(project, alone(document_.project(), SourceId(source_->currentData().toULongLong())));
    return make_show(project, document_.sources(), document_.cache());
}

UsdCacheOrder HandoffPanel::source_order() const {
    const std::string path = QDir(folder_->text()).filePath(name_->text() + ".usda").toStdString();
    return {path, name_->text().toStdString(), frames(), replace_->isChecked() ? Existing::replace : Existing::refuse};
}

void HandoffPanel::estimate_source() {
    auto show = show_alone();
    if (!show) return size_->setText(QString::fromStdString(describe(show.error())));
    sizing_ = document_.jobs().start<double>(
        this, tr("Sizing"),
        [show = *show, order = source_order()](Progress& p) { return usd_cache_bytes(*show, order, p); },
        [this](Result<double> bytes) {
            if (!bytes) {
                if (bytes.error().code != ErrorCode::cancelled)
                    size_->setText(QString::fromStdString(describe(bytes.error())));
                return;
            }
            const double free = free_space(folder_->text().toStdString());
            QString text =
                tr("One file, about %1%2.").arg(QString::fromStdString(byte_count(*bytes)), free_words(free));
            if (file_exists(source_order().path)) text += tr(" It is there already.");
            size_->setText(text);
        },
        true);
}

void HandoffPanel::write_source() {
    auto show = show_alone();
    if (!show) return say(QString::fromStdString(describe(show.error())), "alert");
    QDir().mkpath(folder_->text());
    const UsdCacheOrder order = source_order();
    const QString file = QString::fromStdString(order.path);
    job_ = document_.jobs().start<UsdCacheDone>(
        this, tr("Writing %1").arg(file),
        [show = *show, order](Progress& p) { return write_usd_cache(*show, order, p); },
        [this, file](Result<UsdCacheDone> done) {
            job_ = nullptr;
            refresh();
            if (!done) return say(QString::fromStdString(describe(done.error())), "alert");
            say(tr("%1 written, %2: %3 in %4. Read back: every frame has the points it should have.")
                    .arg(file, QString::fromStdString(byte_count(done->bytes)),
                         QString::fromStdString(counted(done->frames, "frame", "frames")),
                         QString::fromStdString(counted(done->samples, "sample", "samples"))),
                "ok");
            emit written({file});
        });
}

PreviewOrder HandoffPanel::picture_order() const {
    PreviewOrder order = preview_->order();
    order.folder = folder_->text().toStdString();
    order.name = name_->text().toStdString();
    order.frames = {frames(), 1};
    order.existing = replace_->isChecked() ? PreviewExisting::replace : PreviewExisting::keep;
    return order;
}

void HandoffPanel::write_pictures() {
    const PreviewOrder order = picture_order();
    preview_->begin();
    const QString folder = folder_->text();
    job_ = document_.jobs().start<PreviewDone>(
        this, tr("Tracing pictures into %1").arg(folder),
        [card = QPointer<PreviewCard>(preview_), show = document_.show(), project = document_.project(),
         sounds = heard_sounds(document_.project(), document_.sources()), order](Progress& p) {
            return preview(*show, project, sounds, order, p, [&](std::int64_t frame, const Picture& picture) {
                const QImage image = PreviewCard::image_of(picture, order.look.exposure);
                QMetaObject::invokeMethod(
                    qApp,
                    [card, frame, image, small = PreviewCard::small_of(image)] {
                        if (card) card->add(frame, image, small);
                    },
                    Qt::QueuedConnection);
            });
        },
        [this, folder](Result<PreviewDone> done) {
            job_ = nullptr;
            refresh();
            if (!done) return say(QString::fromStdString(describe(done.error())), "alert");
            QString text =
                done->files.empty()
                    ? tr("Nothing to do: all pictures were there.")
                    : tr("%1 traced into %2, %3.")
                          .arg(QString::fromStdString(counted(done->frames, "frame", "frames")),
                               done->files.size() == 1 ? QString::fromStdString(done->files.front()) : folder,
                               QString::fromStdString(byte_count(done->bytes)));
            if (done->kept > 0 && !done->files.empty()) text += tr(" %1 were there and are kept.").arg(done->kept);
            say(text, "ok");
            QStringList files;
            for (const auto& f : done->files) files << QString::fromStdString(f);
            emit written(files);
        });
}

void HandoffPanel::say(const QString& text, const char* role) {
    auto* label = make_label(text, role);
    label->setWordWrap(true);
    label->setTextInteractionFlags(Qt::TextSelectableByMouse);
    results_->insertWidget(0, label);
}

void HandoffPanel::write() {
    if (job_ || document_.show()->copies() == 0) return;
    if (folder_->text().trimmed().isEmpty()) {
        say(tr("Choose a folder to write into first."), "alert");
        folder_->setFocus();
        return;
    }
    if (needs_groundwork(document_.project(), document_.sources())) { // those copies are not there yet
        say(tr("What carries some copies is still being read. Nothing was written; try again in a moment."), "alert");
        return;
    }
    for (const ArrangementShow& a : document_.show()->arrangements) {
        if (a.set->problem.empty()) continue;
        say(tr("\"%1\" has no copies: %2")
                .arg(QString::fromStdString(a.spec.name), QString::fromStdString(a.set->problem)),
            "alert");
        return;
    }
    if (name_->text().isEmpty() || name_->text().contains('/') || name_->text() == "." || name_->text() == "..") {
        say(tr("“%1” is not a name for files. Give a name without a slash; nothing was written.").arg(name_->text()),
            "alert");
        name_->setFocus();
        return;
    }
    emit about_to_write();
    const ShowPtr show = document_.show();
    const Existing existing = replace_->isChecked() ? Existing::replace : Existing::refuse;
    const QString folder = folder_->text();
    if (what_->current() == pictures) {
        write_pictures();
        if (!job_) return;
    } else if (what_->current() == one_source) {
        write_source();
        if (!job_) return;
    } else if (what_->current() == posed_copies) {
        const BakeOrder order{folder.toStdString(), name_->text().toStdString(), frames(), existing};
        job_ = document_.jobs().start<BakeDone>(
            this, tr("Writing %1").arg(folder), [show, order](Progress& p) { return bake(*show, order, p); },
            [this, folder](Result<BakeDone> done) {
                job_ = nullptr;
                refresh();
                if (!done) return say(QString::fromStdString(describe(done.error())), "alert");
                say(tr("%1 written to %2, %3 in all: %4 copies from %5 poses. Read back: every file has the counts and "
                       "the "
                       "size it should have.")
                        .arg(QString::fromStdString(
                                 counted(static_cast<long long>(done->files.size()), "file", "files")),
                             folder, QString::fromStdString(byte_count(done->bytes)))
                        .arg(done->copies)
                        .arg(done->poses),
                    "ok");
                QStringList files;
                for (const auto& f : done->files) files << QString::fromStdString(f);
                emit written(files);
            });
    } else {
        QDir().mkpath(folder);
        const QString file = QDir(folder).filePath(name_->text() + ".csv");
        const Project project = document_.project();
        using Rows = std::size_t;
        job_ = document_.jobs().start<Rows>(
            this, tr("Writing %1").arg(file),
            [show, project, file, existing, range = frames()](Progress& p) -> Result<Rows> {
                GARLAND_CHECK(write_timing_table(file.toStdString(), *show, project, {range, 1}, existing, p));
                GARLAND_TRY(rows, read_timing_table(file.toStdString()));
                return rows.size();
            },
            [this, file](Result<Rows> rows) {
                job_ = nullptr;
                refresh();
                if (!rows) return say(QString::fromStdString(describe(rows.error())), "alert");
                say(tr("%1 written. Read back: %2 rows.").arg(file).arg(*rows), "ok");
                emit written({file});
            });
    }
    job_->set_writes(true);
    bar_->setRange(0, 1000);
    bar_->setValue(0);
    progress_->setText({});
    connect(job_, &Job::progressed, this, [this](double share, const QString& what) {
        bar_->setValue(static_cast<int>(share * 1000));
        if (!job_ || share <= 0.01) return;
        const double left = static_cast<double>(job_->milliseconds()) / 1000 * (1 - share) / share;
        progress_->setText(tr("%1 · %2 s left").arg(what, QString::number(left, 'f', left < 10 ? 1 : 0)));
    });
    refresh();
}

} // namespace garland
