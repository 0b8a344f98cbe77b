#include "app/panels/check/check_panel.h"

#include "app/theme/number_text.h"
#include "core/base/numbers.h"
#include "core/project/source_jumps.h"
#include "io/files/file.h"
#include "render/report.h"

#include <QFileDialog>
#include <QSettings>

namespace garland {

CheckPanel::CheckPanel(Document& document, Viewing& viewing, QWidget* parent)
    : Panel(tr("Check"), true, document, viewing, parent), jumps_(std::make_shared<SourceJumps>()) {
    run_ = make_button(tr("Check now"), tr("Examine the whole output range (runs when you open this step)"));
    run_->setObjectName("primary");
    connect(run_, &QPushButton::clicked, this, &CheckPanel::run);
    head()->addWidget(run_);
    add_rule();
    add_more();
    list_ = new QVBoxLayout;
    list_->setSpacing(8);
    body()->addLayout(list_);
    body()->addStretch(1);
    connect(&document_, &Document::changed, this, [this] {
        show_rule();
        if (isVisible())
            run();
        else
            fill();
    });
    connect(&viewing_.twins(), &TwinWatch::changed, this, [this] {
        if (!report_ || examined_ != document_.show()) emit badge(static_cast<int>(viewing_.twins().now().twins()));
    });
    fill();
}

// When copies are twins.
void CheckPanel::add_rule() {
    auto* rule = new QHBoxLayout;
    rule->setSpacing(6);
    alike_ = make_number(Quantity::source_frames, 0.001, 1000, 3, tr("Alike below"),
                         tr("Two copies are alike at a moment when their source frames differ by less"));
    share_ = make_number(Quantity::per_cent, 0, 99.9, 1, tr("Twins above"),
                         tr("Copies that are alike for more than this share of the frames are twins"));
    alike_->set_step(0.1);
    rule->addWidget(make_label(tr("Alike below")));
    rule->addWidget(alike_);
    rule->addWidget(make_label(tr("twins above")));
    rule->addWidget(share_);
    rule->addWidget(make_label(tr("of the frames,"), "muted"));
    moving_ = new QCheckBox(tr("only while they move"));
    moving_->setObjectName("twins_only_moving");
    moving_->setToolTip(tr("Frames at which a copy stands still (it waits, is held, or has finished) do not count"));
    rule->addWidget(moving_);
    rule->addStretch(1);
    body()->addLayout(rule);
    auto set = [this](const QString& words, std::function<void(Settings&)> change) {
        document_.edit(
            words,
            [&](Project& p) -> Result<void> {
                change(p.settings);
                return {};
            },
            QStringLiteral("twin-rule"));
    };
    connect(alike_, &NumberField::edited, this,
            [set](double v) { set(tr("Set when copies are alike"), [v](Settings& s) { s.alike_below = v; }); });
    connect(share_, &NumberField::edited, this,
            [set](double v) { set(tr("Set when copies are twins"), [v](Settings& s) { s.twin_share = v / 100; }); });

    connect(moving_, &QCheckBox::clicked, this, [this, set](bool on) {
        document_.end_merge();
        set(on ? tr("Look for twins only while copies move") : tr("Look for twins at every frame"),
            [on](Settings& s) { s.twins_only_moving = on; });
    });
}

void CheckPanel::add_more() {
    auto* more = new QHBoxLayout;
    more->setSpacing(6);
    crowding_ = new QCheckBox(tr("look for crowding too"));
    crowding_->setObjectName("crowding");
    crowding_->setToolTip(tr("Copies whose boxes share more than half of the smaller one, at three frames"));
    crowding_->setChecked(QSettings().value("check/crowding", false).toBool());
    connect(crowding_, &QCheckBox::clicked, this, [this](bool on) {
        QSettings().setValue("check/crowding", on);
        run();
    });
    more->addWidget(crowding_);
    more->addStretch(1);
    report_button_ = make_button(tr("Report…"), tr("Save what was found as one HTML page with pictures"));
    connect(report_button_, &QPushButton::clicked, this, &CheckPanel::save_report);
    more->addWidget(report_button_);
    body()->addLayout(more);
}

void CheckPanel::show_rule() {
    const Settings& s = document_.project().settings;
    alike_->set_value(s.alike_below);
    share_->set_value(s.twin_share * 100);
    moving_->setChecked(s.twins_only_moving);
}

void CheckPanel::entered() {
    show_rule();
    if (!report_ || examined_ != document_.show()) run();
}

void CheckPanel::run() {
    if (job_) job_->drop();
    const ShowPtr show = document_.show();
    job_ = document_.jobs().start<Report>(
        this, tr("Checking"),
        [show, options = CheckOptions{crowding_->isChecked(), space_, jumps_}](Progress& p) {
            return check(*show, p, options);
        },
        [this, show](Result<Report> result) {
            if (!result) return; // cancelled; the next run or the user asked for it
            report_ = std::move(*result);
            examined_ = show;
            fill();
        });
    fill();
}

void CheckPanel::set_space(const CheckOptions::Space& space) {
    const bool fits = space.free < 0 || space.bytes <= space.free;
    const bool fitted = !space_ || space_->free < 0 || space_->bytes <= space_->free;
    space_ = space;
    if (fits == fitted) return; // what was found stays true
    examined_.reset();
    isVisible() ? run() : fill();
}

// What was found, with what can be done about it.
QWidget* CheckPanel::finding_card(const Finding& f) {
    auto* card = make_card();
    auto* row = new QHBoxLayout(card);
    row->setContentsMargins(12, 8, 12, 8);
    auto* words = make_label(words_text(f.words));
    words->setWordWrap(true);
    row->addWidget(words, 1);
    if (f.kind == FindingKind::size) {
        auto* change = make_button(tr("Hand off…"), tr("Go to the Hand off step, where the folder is chosen"));
        connect(change, &QPushButton::clicked, this, [this] { emit go_to_step(6); });
        row->addWidget(change);
    } else {
        auto* show = make_button(tr("Show"), tr("Go to frame %1 and select these copies").arg(f.frame));
        connect(show, &QPushButton::clicked, this, [this, f] {
            viewing_.set_frame(static_cast<double>(f.frame));
            viewing_.select({f.copies.begin(), f.copies.end()});
            emit show_copy(f.copies.front());
        });
        row->addWidget(show);
    }
    add_fixes(row, f);
    if (!f.key.empty()) {
        auto* ignore_it = make_button(
            tr("Ignore"), tr("Leave it as it is: it counts apart from now on, below, where a reason can be given"));
        connect(ignore_it, &QPushButton::clicked, this, [this, f] {
            document_.edit(tr("Ignore a finding"), [&](Project& p) { return ignore(p.settings, f, {}); });
        });
        row->addWidget(ignore_it);
    }
    return card;
}

void CheckPanel::add_fixes(QHBoxLayout* row, const Finding& f) {
    if (f.kind == FindingKind::seam) {
        auto* mend = make_button(tr("Close it…"), tr("Go to the Loop step, where the seam is closed"));
        connect(mend, &QPushButton::clicked, this, [this, f] {
            viewing_.set_current_copy(f.copies.front());
            emit go_to_step(2);
        });
        row->addWidget(mend);
    }
    if (f.zone_edge) {
        auto* fix = make_button(tr("Soft edge of %1 m").arg(number_text(f.zone_edge->edge, 2)),
                                tr("Widen the zone's edge so far that no copy pops"));
        connect(fix, &QPushButton::clicked, this, [this, wanted = *f.zone_edge] {
            document_.edit(tr("Soften the edge of a zone"), [&](Project& p) -> Result<void> {
                if (Zone* z = p.zone(wanted.zone)) z->outer = z->inner + wanted.edge;
                return {};
            });
        });
        row->addWidget(fix);
    }
    if (f.match_rates) {
        auto* fix = make_button(tr("Match by seconds"), tr("Join the source by clock: it plays as it was made"));
        connect(fix, &QPushButton::clicked, this, [this, id = *f.match_rates] {
            document_.edit(tr("Join a source by clock"), [&](Project& p) -> Result<void> {
                if (SourceSpec* s = p.source(id)) s->join = Join::by_clock;
                return {};
            });
        });
        row->addWidget(fix);
    }
}

void CheckPanel::fill() {
    clear_layout(list_);
    const bool current = report_ && examined_ == document_.show();
    const int found = current ? static_cast<int>(report_->findings.size()) : 0;
    // Between two checks the badge tells of twins, which are looked for all the time.
    emit badge(current ? found : viewing_.twins().current() ? static_cast<int>(viewing_.twins().now().twins()) : 0);
    auto line = [&](const QString& text, const char* role) {
        auto* label = make_label(text, role);
        label->setWordWrap(true);
        list_->addWidget(label);
    };
    if (document_.show()->copies() == 0) {
        set_note({});
        line(tr("There are no copies to check yet."), "muted");
        return;
    }
    report_button_->setEnabled(false);
    if (!current) {
        set_note(job_ ? tr("looking …") : tr("not checked since the last change"));
        return;
    }
    const auto set_aside = static_cast<long long>(report_->ignored.size());
    report_button_->setEnabled(true);
    set_note((found ? QString::fromStdString(counted(found, "finding", "findings")) : QString()) +
             (set_aside ? (found ? tr(", %1 ignored") : tr("%1 ignored")).arg(set_aside) : QString()));
    if (found == 0) line(tr("Nothing found."), "ok");
    for (FindingKind kind : finding_kinds) {
        int shown = 0;
        for (const Finding& f : report_->findings) {
            if (f.kind != kind) continue;
            if (shown == 0) line(QString::fromUtf8(title_of(kind)), "heading");
            if (++shown > 100) continue;
            list_->addWidget(finding_card(f));
        }
        if (shown > 100) line(tr("… and %1 more of this kind.").arg(shown - 100), "muted");
    }
    fill_ignored();
    for (const auto& text : report_->examined) line(tr("Examined %1.").arg(words_text(text)), "muted");
}

void CheckPanel::save_report() {
    if (!report_ || examined_ != document_.show()) return;
    QString path = QFileDialog::getSaveFileName(this, tr("Save the report"), "check.html", tr("HTML pages (*.html)"));
    if (path.isEmpty()) return;
    if (!path.contains('.')) path += ".html";
    write_report(path);
}

void CheckPanel::write_report(const QString& path) {
    const auto job = document_.jobs().start<bool>(
        this, tr("Writing the report"),
        [show = examined_, report = *report_, project = document_.project(), path](Progress& p) -> Result<bool> {
            GARLAND_TRY(text, html_report(report, *show, project, {}, p));
            GARLAND_CHECK(write_file(path.toStdString(), text, Existing::replace));
            return true;
        },
        [this, path](Result<bool> done) {
            if (done) {
                emit document_.hint(tr("%1 written").arg(path));
                emit report_written(path);
            } else if (done.error().code != ErrorCode::cancelled) {
                emit document_.problem(done.error());
            }
        });
    job->set_writes(true);
}

// What the user has looked at and leaves as it is, each with why.
void CheckPanel::fill_ignored() {
    if (report_->ignored.empty()) return;
    list_->addWidget(make_label(tr("Ignored"), "heading"));
    for (const Finding& f : report_->ignored) {
        auto* card = make_card();
        auto* row = new QHBoxLayout(card);
        row->setContentsMargins(12, 8, 12, 8);
        auto* words = make_label(words_text(f.words), "muted");
        words->setWordWrap(true);
        row->addWidget(words, 1);
        auto* reason = new QLineEdit(QString::fromStdString(f.reason));
        reason->setPlaceholderText(tr("reason"));
        reason->setAccessibleName(tr("Why it is ignored"));
        reason->setToolTip(tr("Why it stays as it is; kept in the project"));
        reason->setMaximumWidth(150);
        connect(reason, &QLineEdit::editingFinished, this, [this, f, reason] {
            if (reason->text().toStdString() == f.reason) return;
            document_.edit(tr("Say why a finding is ignored"),
                           [&](Project& p) { return ignore(p.settings, f, reason->text().toStdString()); });
        });
        row->addWidget(reason);
        auto* again = make_button(tr("Report again"), tr("Count it among the findings again"));
        connect(again, &QPushButton::clicked, this, [this, key = f.key] {
            document_.edit(tr("Report a finding again"), [&](Project& p) { return report_again(p.settings, key); });
        });
        row->addWidget(again);
        list_->addWidget(card);
    }
}

} // namespace garland
