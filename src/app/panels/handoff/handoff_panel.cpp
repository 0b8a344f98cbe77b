#include "app/panels/handoff/handoff_panel.h"

#include "core/base/numbers.h"

#include <QCoreApplication>
#include <QDir>
#include <QFileDialog>
#include <QFileInfo>
#include <QSettings>
#include <QToolButton>

namespace garland {

struct HandoffPanel::Held {
    Project project;
    OpenSources sources;
    ShowPtr show;
    PoseCache& cache;
    HandoffInput input() const { return {project, sources, show, cache}; }
};

namespace {

// "; 3.1 GB free on that disk", or nothing where no folder says which disk.
QString free_words(double bytes) {
    return bytes < 0 ? HandoffPanel::tr("; no folder is chosen yet")
                     : HandoffPanel::tr("; %1 free on that disk").arg(QString::fromStdString(byte_count(bytes)));
}

QString plan_words(std::int64_t files, double bytes, double free, std::int64_t existing) {
    const QString count = files == 1 ? HandoffPanel::tr("One file")
                                     : QString::fromStdString(counted(static_cast<long long>(files), "file", "files"));
    QString text = HandoffPanel::tr("%1, about %2 in all%3.")
                       .arg(count, QString::fromStdString(byte_count(bytes)), free_words(free));
    if (existing > 0)
        text += files == 1 ? HandoffPanel::tr(" It is there already.")
                           : HandoffPanel::tr(" %1 of them are there already.").arg(existing);
    return text;
}

QString ending_words(const QString& ending) {
    static const QHash<QString, QString> words{
        {".ply", "PLY, a file for each frame"},
        {".usda", "USD text"},
        {".usdc", "USD binary"},
        {".glb", "glTF binary"},
        {".gltf", "glTF"},
        {".csv", "CSV table"},
        {".obj", "OBJ, a file for each frame"},
        {".npy", "NumPy array"},
        {".vdb", "OpenVDB, a file for each frame"},
    };
    return words.value(ending, ending);
}

const char* const preview_word = "preview";

} // namespace

HandoffPanel::HandoffPanel(Document& document, Viewing& viewing, QWidget* parent)
    : Panel(tr("Hand off"), true, document, viewing, parent), queue_(document) {
    make_fields();
    size_ = make_label({}, "muted");
    size_->setWordWrap(true);
    body()->addWidget(size_);
    preview_ = new PreviewCard(document, viewing);
    connect(preview_, &PreviewCard::changed, this, &HandoffPanel::estimate_size);
    make_queue();
    body()->addWidget(preview_);
    body()->addWidget(make_rule());
    results_ = new QVBoxLayout;
    results_->setSpacing(6);
    body()->addLayout(results_);
    body()->addStretch(1);

    connect(&document_, &Document::changed, this, [this] { refresh(); });
    connect(&document_, &Document::opened, this, [this] {
        own_range_ = false;
        if (!document_.path().isEmpty()) set_folder(QFileInfo(document_.path()).absoluteDir().filePath("written"));
        refresh();
    });
    list_endings();
    refresh();
}

void HandoffPanel::make_fields() {
    QStringList labels;
    for (const HandoffOutput& o : outputs()) labels << tr(o.label);
    labels << tr("preview");
    what_ = make_choice(labels, tr("What to hand off"), tr("What is written"), [this](int) {
        list_endings();
        refresh();
    });
    about_ = make_label({}, "muted");
    about_->setWordWrap(true);
    as_ = make_choice({}, tr("Kind of file"), tr("The kind of file that is written"), [this](int) {
        offer_form();
        estimate_size();
    });
    folder_ = new QLineEdit;
    folder_->setAccessibleName(tr("Folder"));
    folder_->setToolTip(tr("The folder to write into; made if it is not there"));
    folder_->setPlaceholderText(tr("a folder to write into"));
    auto* browse = make_button(tr("Browse…"), tr("Choose the folder"));
    name_ = new QLineEdit(tr("copies"));
    name_->setAccessibleName(tr("Name"));
    name_->setToolTip(tr("What files are called, before their number"));
    first_ = make_number(Quantity::output_frames, -1e9, 1e9, 0, tr("First frame to write"),
                         tr("The first output frame to write"));
    last_ = make_number(Quantity::output_frames, -1e9, 1e9, 0, tr("Last frame to write"),
                        tr("The last output frame to write"));
    auto* range = new QHBoxLayout;
    range->setSpacing(8);
    range->addWidget(first_);
    range->addWidget(make_label(tr("to")));
    range->addWidget(last_);
    existing_ =
        make_choice({tr("leave them alone"), tr("keep complete ones"), tr("replace them")}, tr("Existing files"),
                    tr("What happens to files that are there: nothing is written; what the same hand-off "
                       "completed is kept, and the rest is written; or all are replaced"),
                    [this](int) { estimate_size(); });
    source_ =
        make_choice({}, tr("Source"), tr("The source to write, in the timing of the first arrangement that shows it"),
                    [this](int) { estimate_size(); });
    poses_ = make_number(Quantity::plain, 1, 1000, 0, tr("Poses per frame"),
                         tr("File frames are rounded to one of so many parts: more is more exact, and larger"));
    poses_->set_value(8);
    tolerance_ = make_number(Quantity::source_frames, 0.00001, 1, 5, tr("Tolerance"),
                             tr("How far straight pieces may leave a curved clock"));
    tolerance_->set_value(0.001);
    grid_ = new QGridLayout;
    grid_->setHorizontalSpacing(8);
    grid_->setVerticalSpacing(6);
    auto row = [this, at = 0](const QString& text, QWidget* field) mutable {
        auto* label = make_label(text);
        grid_->addWidget(label, at, 0);
        grid_->addWidget(field, at++, 1);
        return label;
    };
    row(tr("What"), what_);
    row({}, about_);
    as_label_ = row(tr("As"), as_);
    source_label_ = row(tr("Source"), source_);
    poses_label_ = row(tr("Poses per frame"), poses_);
    tolerance_label_ = row(tr("Tolerance"), tolerance_);
    row(tr("Folder"), folder_);
    grid_->addWidget(browse, 6, 2);
    row(tr("Name"), name_);
    grid_->addWidget(make_label(tr("Frames")), 8, 0);
    grid_->addLayout(range, 8, 1, 1, 2);
    make_form(9, range);
    existing_->setCurrentIndex(1);
    existing_label_ = make_label(tr("Existing files"));
    grid_->addWidget(existing_label_, 10, 0);
    grid_->addWidget(existing_, 10, 1);
    grid_->setColumnStretch(1, 1);
    body()->addLayout(grid_);

    connect(browse, &QPushButton::clicked, this, [this] {
        const QString folder = QFileDialog::getExistingDirectory(this, tr("Write into"), folder_->text());
        if (!folder.isEmpty()) set_folder(folder);
    });
    for (NumberField* f : {first_, last_}) {
        connect(f, &NumberField::edited, this, [this] {
            own_range_ = true;
            estimate_size();
        });
    }
    for (NumberField* f : {poses_, tolerance_}) connect(f, &NumberField::edited, this, &HandoffPanel::estimate_size);
    for (QLineEdit* e : {folder_, name_}) connect(e, &QLineEdit::editingFinished, this, &HandoffPanel::estimate_size);
}

void HandoffPanel::make_form(int row, QHBoxLayout* range) {
    const QSettings kept;
    handles_ = make_number(Quantity::output_frames, 0, 1e6, 0, tr("Handles"),
                           tr("So many frames more are written before the first and after the last one"));
    handles_label_ = make_label(tr("handles"));
    range->addWidget(handles_label_);
    range->addWidget(handles_);
    range->addStretch(1);
    up_ = make_choice({tr("y up"), tr("z up")}, tr("Up axis of what is written"),
                      tr("Which axis points up in the files: y as here, or z"), [this](int i) {
                          QSettings().setValue("handoff_up", i);
                          estimate_size();
                      });
    up_->setCurrentIndex(std::clamp(kept.value("handoff_up").toInt(), 0, 1));
    QStringList units;
    for (const auto& [name, metres] : units_of_length()) units << QString(name);
    unit_ = make_choice(units, tr("Unit of what is written"), tr("What a length of 1 in the files is"), [this](int i) {
        QSettings().setValue("handoff_unit", i);
        estimate_size();
    });
    unit_->setCurrentIndex(std::clamp(kept.value("handoff_unit").toInt(), 0, static_cast<int>(units.size()) - 1));
    space_label_ = make_label(tr("Axis and unit"));
    velocities_ = new QCheckBox(tr("velocities"));
    velocities_->setToolTip(tr("Velocities of points, for motion blur elsewhere"));
    attributes_ = new QCheckBox(tr("attributes"));
    attributes_->setToolTip(tr("Named numbers of points and faces; colours and normals are always written"));
    for (QCheckBox* box : {velocities_, attributes_}) {
        box->setChecked(true);
        connect(box, &QCheckBox::toggled, this, &HandoffPanel::estimate_size);
    }
    keep_label_ = make_label(tr("with"));
    auto* line = new QHBoxLayout;
    line->setSpacing(8);
    for (QWidget* w : std::initializer_list<QWidget*>{up_, unit_, keep_label_, velocities_, attributes_})
        line->addWidget(w);
    line->addStretch(1);
    grid_->addWidget(space_label_, row, 0);
    grid_->addLayout(line, row, 1, 1, 2);
    connect(handles_, &NumberField::edited, this, &HandoffPanel::estimate_size);
}

void HandoffPanel::offer_form() {
    const HandoffOutput* o = output();
    const std::string ending = as_->currentData().toString().toStdString(), word = o ? o->word : "";
    const bool geometry = o && word != "timing" && word != "camera" && ending != ".glb";
    for (QWidget* w : {static_cast<QWidget*>(up_), static_cast<QWidget*>(unit_), static_cast<QWidget*>(space_label_)})
        w->setVisible(o && HandoffOutput::in_any_space(ending));
    const bool both = geometry && ending != ".obj" && ending != ".npy" && ending != ".vdb";
    for (QWidget* w :
         {static_cast<QWidget*>(velocities_), static_cast<QWidget*>(attributes_), static_cast<QWidget*>(keep_label_)})
        w->setVisible(both);
    for (QWidget* w : {static_cast<QWidget*>(handles_), static_cast<QWidget*>(handles_label_)}) w->setVisible(o);
}

void HandoffPanel::make_queue() {
    auto* go = new QHBoxLayout;
    write_ = make_button(tr("Write"), tr("Write out, or wait for what is being written (Ctrl+Return)"));
    write_->setObjectName("primary");
    pause_ = make_button(tr("Pause"), tr("Let the writing stand still, or go on"));
    cancel_ = make_button(tr("Cancel"), tr("Stop writing; files that are complete stay"));
    bar_ = new QProgressBar;
    bar_->setTextVisible(false);
    bar_->setAccessibleName(tr("Progress of writing"));
    bar_->setRange(0, 1000);
    go->addWidget(write_);
    go->addWidget(bar_, 4);
    go->addWidget(pause_);
    go->addWidget(cancel_);
    go->addStretch(1);
    body()->addLayout(go);
    progress_ = make_label({}, "muted");
    progress_->setWordWrap(true);
    body()->addWidget(progress_);
    waiting_ = new QVBoxLayout;
    waiting_->setSpacing(2);
    body()->addLayout(waiting_);
    connect(write_, &QPushButton::clicked, this, &HandoffPanel::write);
    connect(cancel_, &QPushButton::clicked, &queue_, &HandoffQueue::cancel);
    connect(pause_, &QPushButton::clicked, this, [this] {
        if (queue_.job()) queue_.pause(!queue_.job()->paused());
    });
    connect(&queue_, &HandoffQueue::begun, this, &HandoffPanel::follow);
    connect(&queue_, &HandoffQueue::changed, this, &HandoffPanel::show_queue, Qt::QueuedConnection);
    connect(&queue_, &HandoffQueue::done, this, [this](const QString&, const HandoffAnswer& answer) {
        say(answer.text, "ok");
        emit written(answer.files);
        estimate_size();
    });
    connect(&queue_, &HandoffQueue::failed, this, [this](const QString&, const QString& text) { say(text, "alert"); });
}

void HandoffPanel::entered() {
    estimate_size();
}

void HandoffPanel::set_folder(const QString& folder) {
    folder_->setText(folder);
    estimate_size();
}

void HandoffPanel::choose_output(const QString& word) {
    int index = static_cast<int>(outputs().size());
    for (std::size_t i = 0; i < outputs().size(); ++i) {
        if (word == outputs()[i].word) index = static_cast<int>(i);
    }
    what_->setCurrentIndex(index);
    list_endings();
    refresh();
}

FrameRange HandoffPanel::frames() const {
    return {static_cast<std::int64_t>(first_->value()), static_cast<std::int64_t>(last_->value())};
}

const HandoffOutput* HandoffPanel::output() const {
    const auto i = static_cast<std::size_t>(std::max(0, what_->currentIndex()));
    return i < outputs().size() ? &outputs()[i] : nullptr;
}

void HandoffPanel::list_endings() {
    as_->clear();
    if (!output()) return;
    for (const char* ending : output()->endings) as_->addItem(ending_words(ending), QString(ending));
}

HandoffOrder HandoffPanel::order() const {
    HandoffOrder out;
    out.output = output()->word;
    out.ending = as_->currentData().toString().toStdString();
    out.folder = folder_->text().toStdString();
    out.name = name_->text().toStdString();
    const auto more = static_cast<std::int64_t>(handles_->value());
    out.frames = {{frames().first - more, frames().last + more}, 1};
    if (HandoffOutput::in_any_space(out.ending)) {
        out.as.z_up = up_->currentIndex() == 1;
        out.as.unit = units_of_length()[static_cast<std::size_t>(std::max(0, unit_->currentIndex()))].second;
    }
    out.as.velocities = velocities_->isChecked(), out.as.attributes = attributes_->isChecked();
    constexpr WhatIsThere rules[] = {WhatIsThere::refuse, WhatIsThere::resume, WhatIsThere::replace};
    out.existing = rules[std::clamp(existing_->currentIndex(), 0, 2)];
    out.source = SourceId(source_->currentData().toULongLong());
    out.poses_per_frame = static_cast<int>(poses_->value());
    out.tolerance = tolerance_->value();
    return out;
}

std::shared_ptr<const HandoffPanel::Held> HandoffPanel::held() const {
    return std::make_shared<const Held>(
        Held{document_.project(), document_.sources(), document_.show(), document_.cache()});
}

void HandoffPanel::refresh() {
    const FrameRange range = document_.project().settings.range;
    if (!own_range_) {
        first_->set_value(static_cast<double>(range.first));
        last_->set_value(static_cast<double>(range.last));
    }
    for (NumberField* f : {first_, last_, handles_}) f->set_rate(document_.project().settings.rate);
    const QVariant chosen = source_->currentData();
    source_->clear();
    for (const SourceSpec& s : document_.project().sources)
        source_->addItem(QString::fromStdString(s.name), QVariant::fromValue<qulonglong>(s.id.value));
    source_->setCurrentIndex(std::max(0, source_->findData(chosen)));
    const HandoffOutput* o = output();
    about_->setText(o ? tr(o->what) + "." : tr("Traced pictures of the copies, or a movie."));
    auto show = [](bool on, std::initializer_list<QWidget*> list) {
        for (QWidget* w : list) w->setVisible(on);
    };
    show(o && o->endings.size() > 1, {as_, as_label_});
    show(o && o->of_source, {source_, source_label_});
    show(o && o->rounds, {poses_, poses_label_});
    show(o && o->tabulates, {tolerance_, tolerance_label_});
    preview_->setVisible(!o);
    offer_form();
    write_->setEnabled(document_.show()->copies() > 0);
    show_queue();
    if (isVisible()) estimate_size();
}

void HandoffPanel::show_queue() {
    const Job* job = queue_.job();
    for (QWidget* w : {static_cast<QWidget*>(cancel_), static_cast<QWidget*>(pause_), static_cast<QWidget*>(bar_),
                       static_cast<QWidget*>(progress_)})
        w->setVisible(job != nullptr);
    pause_->setText(job && job->paused() ? tr("Go on") : tr("Pause"));
    while (QLayoutItem* old = waiting_->takeAt(0)) {
        if (old->widget()) old->widget()->deleteLater();
        delete old;
    }
    int place = 0;
    const int last = static_cast<int>(queue_.items().size()) - 1;
    for (const HandoffQueue::Item& item : queue_.items()) {
        if (place++ == 0) continue; // it is being written
        auto* row = new QWidget;
        auto* line = new QHBoxLayout(row);
        line->setContentsMargins(0, 0, 0, 0);
        line->addWidget(make_label(tr("Waits: %1").arg(item.title), "muted"), 1);
        auto small = [&](const QString& text, const QString& tip, bool on, auto&& act) {
            auto* b = make_button(text, tip);
            b->setEnabled(on);
            connect(b, &QPushButton::clicked, &queue_, act);
            line->addWidget(b);
        };
        small(tr("Earlier"), tr("Write it before the one above"), place > 2,
              [this, id = item.id] { queue_.move(id, -1); });
        small(tr("Later"), tr("Write it after the one below"), place <= last,
              [this, id = item.id] { queue_.move(id, 1); });
        small(tr("Remove"), tr("Do not write it"), true, [this, id = item.id] { queue_.remove(id); });
        waiting_->addWidget(row);
    }
}

void HandoffPanel::follow(Job* job) {
    bar_->setValue(0);
    progress_->setText(job->title());
    connect(job, &Job::progressed, this, [this, job = QPointer<Job>(job)](double share, const QString& what) {
        bar_->setValue(static_cast<int>(share * 1000));
        if (!job || share <= 0.01) return;
        const double left = static_cast<double>(job->milliseconds()) / 1000 * (1 - share) / share;
        progress_->setText(
            tr("%1: %2 · %3 s left").arg(job->title(), what, QString::number(left, 'f', left < 10 ? 1 : 0)));
    });
}

void HandoffPanel::show_plan(const HandoffPlan& plan) {
    QString text = plan_words(plan.files, plan.bytes, plan.free, plan.existing);
    for (const std::string& w : plan.words) text += "\n" + QString::fromStdString(w);
    for (const std::string& w : plan.left_out) text += "\n" + tr("Left out: %1.").arg(QString::fromStdString(w));
    size_->setText(text);
}

void HandoffPanel::estimate_size() {
    if (sizing_) sizing_->drop();
    if (document_.show()->copies() == 0) return size_->setText(tr("There are no copies to write yet."));
    if (!frames().valid()) return size_->setText(tr("The last frame comes before the first."));
    auto wrong = [this](const Error& e) {
        if (e.code != ErrorCode::cancelled) size_->setText(QString::fromStdString(describe(e)));
    };
    if (!output()) {
        sizing_ = document_.jobs().start<PreviewEstimate>(
            this, tr("Sizing"), [order = picture_order()](Progress& p) { return estimate(order, p); },
            [this, wrong](Result<PreviewEstimate> e) {
                if (!e) return wrong(e.error());
                size_->setText(plan_words(e->files, e->bytes, e->free, e->existing));
            },
            true);
        return;
    }
    sizing_ = document_.jobs().start<HandoffPlan>(
        this, tr("Sizing"),
        [order = order(), held = held()](Progress& p) { return plan_handoff(held->input(), order, p); },
        [this, wrong](Result<HandoffPlan> plan) {
            if (!plan) return wrong(plan.error());
            show_plan(*plan);
        },
        true);
}

PreviewOrder HandoffPanel::picture_order() const {
    PreviewOrder order = preview_->order();
    order.folder = folder_->text().toStdString();
    order.name = name_->text().toStdString();
    order.frames = {frames(), 1};
    constexpr PreviewExisting rules[] = {PreviewExisting::refuse, PreviewExisting::keep, PreviewExisting::replace};
    order.existing = rules[std::clamp(existing_->currentIndex(), 0, 2)];
    return order;
}

void HandoffPanel::write_pictures() {
    const PreviewOrder order = picture_order();
    preview_->begin();
    const QString folder = folder_->text();
    queue_.add(tr("pictures into %1").arg(folder),
               [card = QPointer<PreviewCard>(preview_), held = held(), order, folder,
                sounds = heard_sounds(document_.project(), document_.sources())](Progress& p) -> Result<HandoffAnswer> {
                   GARLAND_TRY(done, preview(*held->show, held->project, sounds, order, p,
                                             [&](std::int64_t frame, const Picture& picture) {
                                                 const QImage image =
                                                     PreviewCard::image_of(picture, order.look.exposure);
                                                 QMetaObject::invokeMethod(
                                                     qApp,
                                                     [card, frame, image, small = PreviewCard::small_of(image)] {
                                                         if (card) card->add(frame, image, small);
                                                     },
                                                     Qt::QueuedConnection);
                                             }));
                   HandoffAnswer answer;
                   for (const auto& f : done.files) answer.files << QString::fromStdString(f);
                   answer.text = done.files.empty()
                                     ? tr("Nothing to do: all pictures were there.")
                                     : tr("%1 traced into %2, %3.")
                                           .arg(QString::fromStdString(counted(done.frames, "frame", "frames")),
                                                done.files.size() == 1 ? answer.files.front() : folder,
                                                QString::fromStdString(byte_count(done.bytes)));
                   if (done.kept > 0 && !done.files.empty())
                       answer.text += tr(" %1 were there and are kept.").arg(done.kept);
                   return answer;
               });
}

void HandoffPanel::say(const QString& text, const char* role) {
    auto* label = make_label(text, role);
    label->setWordWrap(true);
    label->setTextInteractionFlags(Qt::TextSelectableByMouse);
    results_->insertWidget(0, label);
}

QString HandoffPanel::problem() const {
    if (folder_->text().trimmed().isEmpty()) return tr("Choose a folder to write into first.");
    if (needs_groundwork(document_.project(), document_.sources())) // those copies are not there yet
        return tr("What carries some copies is still being read. Nothing was written; try again in a moment.");
    for (const ArrangementShow& a : document_.show()->arrangements) {
        if (a.set->problem.empty()) continue;
        return tr("\"%1\" has no copies: %2")
            .arg(QString::fromStdString(a.spec.name), QString::fromStdString(a.set->problem));
    }
    if (name_->text().isEmpty() || name_->text().contains('/') || name_->text() == "." || name_->text() == "..")
        return tr("“%1” is not a name for files. Give a name without a slash; nothing was written.").arg(name_->text());
    return {};
}

void HandoffPanel::write() {
    if (document_.show()->copies() == 0) return;
    if (const QString why = problem(); !why.isEmpty()) {
        say(why, "alert");
        if (folder_->text().trimmed().isEmpty()) folder_->setFocus();
        return;
    }
    emit about_to_write();
    if (!output()) return write_pictures();
    const HandoffOrder what = order();
    const QString label = tr(output()->label);
    queue_.add(
        tr("%1 into %2").arg(label, folder_->text()), [what, held = held()](Progress& p) -> Result<HandoffAnswer> {
            GARLAND_TRY(done, hand_off(held->input(), what, p));
            HandoffAnswer answer;
            for (const auto& f : done.files) answer.files << QString::fromStdString(f);
            const QString count =
                QString::fromStdString(counted(static_cast<long long>(done.files.size()), "file", "files"));
            const QString size = QString::fromStdString(byte_count(done.bytes));
            answer.text = done.files.size() == 1
                              ? tr("%1 written, %2.").arg(answer.files.front(), size)
                              : tr("%1 written to %2, %3.").arg(count, QString::fromStdString(what.folder), size);
            if (done.kept > 0) answer.text += tr(" %1 of them were complete and are kept.").arg(done.kept);
            for (const std::string& w : done.words) answer.text += " " + QString::fromStdString(w);
            for (const std::string& w : done.left_out)
                answer.text += "\n" + tr("Left out: %1.").arg(QString::fromStdString(w));
            return answer;
        });
}

} // namespace garland
