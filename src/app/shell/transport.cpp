#include "app/shell/transport.h"

#include "app/theme/number_text.h"
#include "app/theme/tokens.h"
#include "core/base/numbers.h"

#include <QHBoxLayout>
#include <QInputDialog>
#include <fmt/format.h>

namespace garland {

Transport::Transport(Document& document, Viewing& viewing, SoundPlayer& sound, QWidget* parent)
    : QWidget(parent), document_(document), viewing_(viewing), sound_(sound) {
    setObjectName("strip");
    setAttribute(Qt::WA_StyledBackground);
    setFixedHeight(40);
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(10, 0, 14, 0);
    row->setSpacing(6);
    add_buttons(row);
    add_span(row);
    row->addStretch(1);
    add_jobs(row);
    take_edits();
    connect(&document_, &Document::changed, this, &Transport::refresh);
    connect(&viewing_, &Viewing::frame_changed, this, &Transport::show_frame);
    connect(&sound_, &SoundPlayer::changed, this, &Transport::show_sound);
    show_sound();
    connect(&viewing_, &Viewing::playing_changed, this, &Transport::restyle);
    connect(&document_.jobs(), &Jobs::changed, this, &Transport::show_jobs);
    connect(cancel_, &QToolButton::clicked, this, [this] {
        if (job_) job_->cancel();
    });
    connect(&cache_timer_, &QTimer::timeout, this, &Transport::show_cache);
    cache_timer_.start(250);
    follow(nullptr);
    restyle();
    refresh();
    show_cache();
}

void Transport::add_buttons(QHBoxLayout* row) {
    auto make_tool = [&](const QString& name, const QString& tip) {
        auto* b = new QToolButton;
        b->setObjectName("flat");
        b->setIconSize({20, 20});
        b->setToolTip(tip);
        b->setAccessibleName(name);
        row->addWidget(b);
        return b;
    };
    first_button_ = make_tool(tr("First frame"), tr("Go to the first frame of the range (Home)"));
    play_ = make_tool(tr("Play"), tr("Play or stop (Space)"));
    last_button_ = make_tool(tr("Last frame"), tr("Go to the last frame of the range (End)"));
    connect(first_button_, &QToolButton::clicked, this,
            [this] { viewing_.set_frame(static_cast<double>(document_.project().settings.range.first)); });
    connect(last_button_, &QToolButton::clicked, this,
            [this] { viewing_.set_frame(static_cast<double>(document_.project().settings.range.last)); });
    connect(play_, &QToolButton::clicked, this, [this] { viewing_.play(!viewing_.playing()); });
    hear_ = new QToolButton;
    hear_->setObjectName("flat");
    hear_->setText(tr("Sound"));
    hear_->setCheckable(true);
    hear_->setAccessibleName(tr("Sound"));
    connect(hear_, &QToolButton::clicked, this, [this](bool on) { sound_.set_on(on); });
    row->addWidget(hear_);
}

void Transport::add_span(QHBoxLayout* row) {
    row->addWidget(make_label(tr("frame"), "heading"));
    frame_ =
        make_number(Quantity::output_frames, -1e9, 1e9, 3, tr("Output frame"), tr("The output frame that is shown"));
    frame_->setMaximumWidth(74);
    row->addWidget(frame_);
    seconds_ = make_label({}, "muted");
    seconds_->setMinimumWidth(64);
    row->addWidget(seconds_);
    row->addSpacing(10);
    row->addWidget(make_label(tr("range")));
    first_ = make_number(Quantity::output_frames, -1e9, 1e9, 0, tr("First output frame"), tr("The first output frame"));
    last_ = make_number(Quantity::output_frames, -1e9, 1e9, 0, tr("Last output frame"), tr("The last output frame"));
    for (auto* f : {first_, last_}) f->setMaximumWidth(74);
    row->addWidget(first_);
    row->addWidget(make_label(tr("to")));
    row->addWidget(last_);
    row->addSpacing(10);
    rate_ = new QLineEdit;
    rate_->setAlignment(Qt::AlignRight);
    rate_->setMaximumWidth(84);
    rate_->setMinimumWidth(44);
    rate_->setAccessibleName(tr("Output frames per second"));
    rate_->setToolTip(tr("Output frames per second: 24, 23.976, 24000/1001"));
    row->addWidget(rate_);
    row->addWidget(make_label(tr("fps"), "muted"));
}

void Transport::add_jobs(QHBoxLayout* row) {
    job_words_ = make_label({}, "muted");
    job_words_->setMinimumWidth(40); // a long name is cut before the window grows
    job_bar_ = new QProgressBar;
    job_bar_->setFixedWidth(110);
    job_bar_->setRange(0, 1000);
    job_bar_->setTextVisible(false);
    cancel_ = new QToolButton;
    cancel_->setText(tr("Cancel"));
    cancel_->setToolTip(tr("Stop this job"));
    row->addWidget(job_words_);
    row->addWidget(job_bar_);
    row->addWidget(cancel_);
    jobs_button_ = new QToolButton;
    jobs_button_->setToolTip(tr("All that is being done, each with its progress, Pause and Cancel"));
    connect(jobs_button_, &QToolButton::clicked, this, &Transport::jobs_asked);
    row->addWidget(jobs_button_);
    row->addSpacing(8);
    cache_ = new QProgressBar;
    cache_->setObjectName("cache");
    cache_->setFixedWidth(76);
    cache_->setRange(0, 1000);
    cache_->setTextVisible(false);
    row->addWidget(cache_);
    cache_words_ = make_label({}, "muted");
    cache_words_->setMinimumWidth(60);
    row->addWidget(cache_words_);
}

void Transport::take_edits() {
    connect(frame_, &NumberField::edited, this, [this](double v) { viewing_.set_frame(v); });
    auto set_range = [this] {
        document_.edit(
            tr("Set the output range"),
            [&](Project& p) -> Result<void> {
                p.settings.range = {static_cast<std::int64_t>(first_->value()),
                                    static_cast<std::int64_t>(last_->value())};
                return {};
            },
            QStringLiteral("range"));
        refresh();
    };
    connect(first_, &NumberField::edited, this, set_range);
    connect(last_, &NumberField::edited, this, set_range);
    connect(rate_, &QLineEdit::editingFinished, this, [this] {
        if (rate_->text().toStdString() == to_text(document_.project().settings.rate)) return;
        document_.edit(tr("Set the output rate"), [&](Project& p) -> Result<void> {
            GARLAND_TRY(r, parse_rate(rate_->text().toStdString()));
            p.settings.rate = r;
            return {};
        });
        refresh();
    });
}

void Transport::restyle() {
    first_button_->setIcon(line_icon("first"));
    last_button_->setIcon(line_icon("last"));
    QPixmap mark = line_pixmap(viewing_.playing() ? "pause" : "play", tokens().accent, 20, devicePixelRatioF());
    play_->setIcon(QIcon(mark));
    play_->setAccessibleName(viewing_.playing() ? tr("Stop") : tr("Play"));
}

void Transport::refresh() {
    const Settings& s = document_.project().settings;
    for (auto* f : {frame_, first_, last_}) f->set_rate(s.rate);
    first_->set_value(static_cast<double>(s.range.first));
    last_->set_value(static_cast<double>(s.range.last));
    if (!rate_->hasFocus() || !rate_->isModified()) rate_->setText(QString::fromStdString(to_text(s.rate)));
    show_frame();
}

void Transport::show_frame() {
    const double f = viewing_.frame().value;
    frame_->set_value(f);
    seconds_->setText(
        tr("%1 s").arg(words_text(fmt::format("{:.3f}", document_.project().settings.rate.start_of(f).value))));
}

void Transport::show_sound() {
    hear_->setVisible(sound_.has_sounds());
    hear_->setChecked(sound_.on());
    hear_->setToolTip(sound_.silent() ? tr("This computer has no sound device that could be used: playing is silent")
                                      : tr("Hear the project's sounds while it plays"));
}

void Transport::show_cache() {
    const auto use = document_.library().cache().use();
    cache_->setValue(
        use.limit ? static_cast<int>(1000.0 * static_cast<double>(use.bytes) / static_cast<double>(use.limit)) : 0);
    cache_words_->setText(tr("pose cache %1 of %2")
                              .arg(QString::fromStdString(byte_count(static_cast<double>(use.bytes))),
                                   QString::fromStdString(byte_count(static_cast<double>(use.limit)))));
    cache_words_->setToolTip(
        tr("%1 poses in memory; the least recently used are dropped first.\nView ▸ Memory for poses… sets the limit.")
            .arg(use.poses));
}

void Transport::show_jobs() {
    const auto all = document_.jobs().lasting();
    jobs_button_->setText(all.size() > 1 ? tr("%1 jobs").arg(all.size()) : tr("Jobs"));
    Job* newest = all.empty() ? nullptr : all.back().data();
    if (newest != job_ || !newest) follow(newest);
}

void Transport::follow(Job* job) {
    if (job_) job_->disconnect(this);
    job_ = job;
    // Work takes the place of the cache's state, and only when it lasts long enough to be read.
    auto show = [this](bool working) {
        for (QWidget* w : std::initializer_list<QWidget*>{job_words_, job_bar_, cancel_, jobs_button_})
            w->setVisible(working);
        for (QWidget* w : std::initializer_list<QWidget*>{cache_, cache_words_}) w->setVisible(!working);
    };
    show(false);
    if (!job) return;
    QTimer::singleShot(250, this, [this, show, followed = QPointer<Job>(job)] {
        if (followed && job_ == followed) show(true);
    });
    job_words_->setText(job->title().size() > 24 ? job->title().left(23) + QChar(0x2026) : job->title());
    job_words_->setToolTip(job->title());
    job_bar_->setValue(static_cast<int>(job->share() * 1000));
    connect(job, &Job::progressed, this, [this](double share, const QString& what) {
        job_bar_->setValue(static_cast<int>(share * 1000));
        job_bar_->setToolTip(what);
    });
}

} // namespace garland
