#include "app/panels/handoff/handoff_panel.h"

#include "core/base/numbers.h"
#include "io/handoff/file_names.h"

#include <QCoreApplication>
#include <QDir>
#include <QFileInfo>
#include <QSettings>
#include <QStyle>
#include <algorithm>

namespace garland {

struct HandoffPanel::Held {
    Project project;
    OpenSources sources;
    ShowPtr show;
    PoseCache& cache;
    HandoffInput input() const { return {project, sources, show, cache}; }
};

namespace {

// "; 3.1 GB free on this disk", or nothing where no folder says which disk.
QString free_words(double bytes) {
    return bytes < 0 ? HandoffPanel::tr("; no folder is chosen yet")
                     : HandoffPanel::tr("; %1 free on this disk").arg(QString::fromStdString(byte_count(bytes)));
}

QString plan_words(std::int64_t files, double bytes, double free, std::int64_t existing) {
    const QString count = files == 1 ? HandoffPanel::tr("One file")
                                     : QString::fromStdString(counted(static_cast<long long>(files), "file", "files"));
    QString text = HandoffPanel::tr("%1, about %2 in all%3.")
                       .arg(count, QString::fromStdString(byte_count(bytes)), free_words(free));
    if (existing > 0)
        text += files == 1 ? HandoffPanel::tr(" It already exists.")
                           : HandoffPanel::tr(" %1 of them already exist.").arg(existing);
    if (free >= 0 && bytes > free)
        text += HandoffPanel::tr(" The disk has too little room: choose another, or write fewer frames.");
    return text;
}

const char* const preview_word = "preview";

// How long so much work takes: as fast as the last one of its kind on this machine; nothing where there was none.
QString time_before(const QString& kind, double amount) {
    const double speed = QSettings().value("handoff_speed/" + kind).toDouble(); // a second
    if (!(speed > 0) || !(amount > 0)) return {};
    return HandoffPanel::tr(" About %1 at the speed of the last one.")
        .arg(duration_words(static_cast<qint64>(std::max(amount / speed * 1000, 100.0))));
}

void remember_speed(const HandoffAnswer& answer) {
    if (answer.amount <= 0 || answer.milliseconds < 1) return; // too short to tell
    QSettings().setValue("handoff_speed/" + answer.kind,
                         answer.amount / (static_cast<double>(answer.milliseconds) / 1000));
}

QString kind_of(const HandoffOrder& order) {
    return QString::fromStdString(order.output + order.ending);
}

// What the files will be called.
QString names_words(const HandoffOrder& order, std::int64_t copies) {
    const auto output = std::find_if(outputs().begin(), outputs().end(),
                                     [&](const HandoffOutput& o) { return order.output == o.word; });
    const FrameRange& range = order.frames.range;
    if (output == outputs().end() || !output->in_frames(order.ending) || range.first == range.last)
        return QString::fromStdString(order.name + order.ending);
    const FileNames names(order.name);
    auto of = [&](std::int64_t copy, std::int64_t k) {
        const FrameMoment moment = order.frames.moment(k);
        return QString::fromStdString(order.each_copy ? names.of(copy_name(copy, copies), moment, order.ending)
                                                      : names.of(moment, order.ending));
    };
    return HandoffPanel::tr("%1 to %2").arg(of(0, 0), of(copies - 1, order.frames.moments() - 1));
}

// Samples of all pixels of all frames.
double amount_of(const PreviewOrder& order) {
    return static_cast<double>(order.look.width) * order.look.height * order.look.samples *
           static_cast<double>(order.frames.count());
}

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
    make_job_buttons(go);
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
        remember_speed(answer);
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

HandoffOrder HandoffPanel::order() const {
    HandoffOrder out;
    out.output = output()->word;
    out.ending = as_->currentData().toString().toStdString();
    out.folder = folder_->text().toStdString();
    out.name = name_->text().toStdString();
    const auto more = static_cast<std::int64_t>(handles_->value());
    out.frames = {{frames().first - more, frames().last + more}, 1};
    if (output()->in_shutter(out.ending) && moments_->currentIndex() > 0)
        out.frames.shutter = {moments_->currentData().toInt(), shutter_->value()};
    if (HandoffOutput::in_any_space(out.ending)) {
        out.as.z_up = up_->currentIndex() == 1;
        out.as.unit = units_of_length()[static_cast<std::size_t>(std::max(0, unit_->currentIndex()))].second;
    }
    out.as.velocities = velocities_->isChecked(), out.as.attributes = attributes_->isChecked();
    out.each_copy = each_copy_->isChecked() && output()->by_copy(out.ending);
    constexpr WhatIsThere rules[] = {WhatIsThere::refuse, WhatIsThere::resume, WhatIsThere::replace};
    out.existing = rules[std::clamp(existing_->currentIndex(), 0, 2)];
    out.source = SourceId(source_->currentData().toULongLong());
    out.poses_per_frame = static_cast<int>(poses_->value());
    out.tolerance = tolerance_->value();
    return out;
}

std::shared_ptr<const HandoffPanel::Held> HandoffPanel::held() const {
    return std::make_shared<const Held>(
        Held{document_.project(), document_.library().open(), document_.show(), document_.library().cache()});
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
    to_job_->setVisible(o);
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
        if (!job || job->left() < 0) return;
        progress_->setText(tr("%1: %2 · %3 left").arg(job->title(), what, duration_words(job->left())));
    });
}

void HandoffPanel::show_plan(const HandoffPlan& plan, const HandoffOrder& order) {
    QString text = plan_words(plan.files, plan.bytes, plan.free, plan.existing);
    const QString names = names_words(order, document_.show()->copies());
    text += plan.files == 1 ? tr(" It is called %1.").arg(names) : tr(" They are called %1.").arg(names);
    text += time_before(kind_of(order), plan.bytes);
    for (const std::string& w : plan.words) text += "\n" + QString::fromStdString(w);
    for (const std::string& w : plan.left_out) text += "\n" + tr("Left out: %1.").arg(QString::fromStdString(w));
    say_size(text, plan.free < 0 || plan.bytes <= plan.free);
}

void HandoffPanel::say_size(const QString& text, bool fits) {
    size_->setText(text);
    size_->setObjectName(fits ? "muted" : "alert");
    size_->style()->unpolish(size_);
    size_->style()->polish(size_);
}

void HandoffPanel::estimate_size() {
    if (sizing_) sizing_->drop();
    if (document_.show()->copies() == 0) return say_size(tr("There are no copies to write yet."));
    if (!frames().valid()) return say_size(tr("The last frame comes before the first."));
    auto wrong = [this](const Error& e) {
        if (e.code != ErrorCode::cancelled) say_size(QString::fromStdString(describe(e)), false);
    };
    if (!output()) {
        sizing_ = document_.jobs().start<PreviewEstimate>(
            this, tr("Sizing"), [order = picture_order()](Progress& p) { return estimate(order, p); },
            [this, wrong, order = picture_order()](Result<PreviewEstimate> e) {
                if (!e) return wrong(e.error());
                say_size(plan_words(e->files, e->bytes, e->free, e->existing) +
                             time_before(preview_word, amount_of(order)),
                         e->free < 0 || e->bytes <= e->free);
            },
            JobKind::interactive);
        return;
    }
    sizing_ = document_.jobs().start<HandoffPlan>(
        this, tr("Sizing"),
        [order = order(), held = held()](Progress& p) { return plan_handoff(held->input(), order, p); },
        [this, wrong, order = order()](Result<HandoffPlan> plan) {
            if (!plan) return wrong(plan.error());
            show_plan(*plan, order);
            if (output()) emit sized({output()->label, folder_->text().toStdString(), plan->bytes, plan->free});
        },
        JobKind::interactive);
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
    queue_.add(
        tr("pictures into %1").arg(folder),
        [card = QPointer<PreviewCard>(preview_), held = held(), order, folder,
         sounds = heard_sounds(document_.project(), document_.library().open())](Progress& p) -> Result<HandoffAnswer> {
            GARLAND_TRY(done, preview(*held->show, held->project, sounds, order, p,
                                      [&](std::int64_t frame, const Picture& picture) {
                                          const QImage image = PreviewCard::image_of(picture, order.look.exposure);
                                          QMetaObject::invokeMethod(
                                              qApp,
                                              [card, frame, image, small = PreviewCard::small_of(image)] {
                                                  if (card) card->add(frame, image, small);
                                              },
                                              Qt::QueuedConnection);
                                      }));
            HandoffAnswer answer;
            for (const auto& f : done.files) answer.files << QString::fromStdString(f);
            const bool movie = movie_of(order.as).has_value();
            const std::int64_t frames = done.frames + (movie ? done.kept : 0);
            answer.text = done.files.empty() ? movie ? tr("Nothing to do: the movie is there.")
                                                     : tr("Nothing to do: all pictures were there.")
                                             : tr("%1 traced into %2, %3.")
                                                   .arg(QString::fromStdString(counted(frames, "frame", "frames")),
                                                        done.files.size() == 1 ? answer.files.front() : folder,
                                                        QString::fromStdString(byte_count(done.bytes)));
            answer.kind = preview_word;
            if (done.kept == 0) answer.amount = amount_of(order);
            if (done.kept > 0 && !done.files.empty())
                answer.text += movie ? tr(" %1 of them had been made before it was stopped.").arg(done.kept)
                                     : tr(" %1 were there and are kept.").arg(done.kept);
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
    if (const QString why = show_problem(); !why.isEmpty()) return why;
    const bool frames = output() && output()->in_frames(as_->currentData().toString().toStdString());
    if (auto fine = validate_name(name_->text().toStdString(), frames || !output()); !fine)
        return QString::fromStdString(describe(fine.error()));
    return {};
}

QString HandoffPanel::show_problem() const {
    if (needs_groundwork(document_.project(), document_.library().open())) // those copies are not there yet
        return tr("Some carriers are still loading. Nothing was written; try again in a moment.");
    for (const ArrangementShow& a : document_.show()->arrangements) {
        if (a.shown.set->problem.empty()) continue;
        return tr("\"%1\" has no copies: %2")
            .arg(QString::fromStdString(a.spec.name), QString::fromStdString(a.shown.set->problem));
    }
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
    queue_order(order());
}

void HandoffPanel::queue_order(const HandoffOrder& what) {
    const auto of =
        std::find_if(outputs().begin(), outputs().end(), [&](const HandoffOutput& o) { return what.output == o.word; });
    const QString label = of == outputs().end() ? QString::fromStdString(what.output) : tr(of->label);
    queue_.add(tr("%1 into %2").arg(label, QString::fromStdString(what.folder)),
               [what, held = held()](Progress& p) -> Result<HandoffAnswer> {
                   GARLAND_TRY(done, hand_off(held->input(), what, p));
                   HandoffAnswer answer;
                   for (const auto& f : done.files) answer.files << QString::fromStdString(f);
                   const QString count = QString::fromStdString(counted(done.files.size(), "file", "files"));
                   const QString size = QString::fromStdString(byte_count(done.bytes));
                   answer.text =
                       done.files.size() == 1
                           ? tr("%1 written, %2.").arg(answer.files.front(), size)
                           : tr("%1 written to %2, %3.").arg(count, QString::fromStdString(what.folder), size);
                   answer.kind = kind_of(what);
                   if (done.kept == 0) answer.amount = done.bytes;
                   if (done.kept > 0) answer.text += tr(" %1 of them were complete and are kept.").arg(done.kept);
                   for (const std::string& w : done.words) answer.text += " " + QString::fromStdString(w);
                   for (const std::string& w : done.left_out)
                       answer.text += "\n" + tr("Left out: %1.").arg(QString::fromStdString(w));
                   return answer;
               });
}

} // namespace garland
