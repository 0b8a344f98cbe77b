#include "app/shell/find_dialog.h"

#include "app/theme/number_text.h"
#include "app/widgets/parts.h"
#include "core/base/numbers.h"

#include <fmt/format.h>

namespace garland {

namespace {

enum Role { frame_role = Qt::UserRole, copy_role, finding_role };

// What is said of a copy, and searched in. Plain text, since a hundred thousand of them are looked through at each key.
std::string copy_line(const Show& show, const ArrangementShow& a, std::size_t i, const std::string& arrangement) {
    const std::int64_t number = a.number(i);
    return fmt::format("{} · copy {} · {} · {}", copy_name(number, show.copies()), number + 1, arrangement,
                       delay_words(a.clocks[i].delay));
}

// The words that are asked for, in small letters.
std::vector<std::string> words_of(const QString& asked) {
    std::vector<std::string> out;
    for (const QString& word : asked.toLower().split(' ', Qt::SkipEmptyParts)) out.push_back(word.toStdString());
    return out;
}

bool all_in(const std::string& line, const std::vector<std::string>& words) {
    return std::all_of(words.begin(), words.end(), [&](const std::string& w) { return line.find(w) != line.npos; });
}

} // namespace

FindDialog::FindDialog(Document& document, Viewing& viewing, std::function<const Report*()> report, QWidget* parent)
    : AskedList(tr("Find"), tr("Find"), tr("“c12”, “12 frames later”, a number, “frame 96”, words of a finding …"),
                {tr("What"), tr("Kind")}, parent),
      document_(document), viewing_(viewing), report_(std::move(report)) {
    auto* row = new QHBoxLayout;
    words_ = make_label({}, "muted");
    row->addWidget(words_, 1);
    all_ = make_button(tr("Select all found"), tr("Select every copy that was found"));
    row->addWidget(all_);
    column_->addLayout(row);
    resize(560, 420);
    connect(all_, &QPushButton::clicked, this, &FindDialog::take_all);
    connect(&document_, &Document::changed, this, [this] {
        if (isVisible()) fill();
    });
}

void FindDialog::ask_for(const QString& words) {
    line_->setText(words);
    if (words.isEmpty()) line_->selectAll();
    fill();
    line_->setFocus();
}

void FindDialog::fill() {
    if (job_) job_->drop();
    list_->clear();
    found_.clear();
    const QString asked = line_->text().trimmed();
    const ShowPtr show = document_.show();
    add_frames(asked);
    if (!show || show->copies() <= most_at_once) {
        auto found = show ? look(*show, document_.project(), asked, Progress::none()) : Found{};
        return add_copies(std::move(*found));
    }
    all_->setEnabled(false);
    words_->setText(tr("looking through %1 …").arg(QString::fromStdString(counted(show->copies(), "copy", "copies"))));
    job_ = document_.jobs().start<Found>(
        this, tr("Finding copies"),
        [show, asked, project = document_.project()](Progress& p) { return look(*show, project, asked, p); },
        [this](Result<Found> found) {
            if (found) add_copies(std::move(*found)); // else something newer was asked for
        },
        JobKind::interactive);
}

// "96", "frame 96", "96.5": the playhead goes there.
void FindDialog::add_frames(const QString& asked) {
    QString number = asked;
    if (number.startsWith(tr("frame"), Qt::CaseInsensitive)) number = number.mid(tr("frame").size()).trimmed();
    const auto frame = parse_number(number.toStdString());
    if (!frame) return;
    const FrameRange range = document_.project().settings.range;
    const bool inside = *frame >= static_cast<double>(range.first) && *frame <= static_cast<double>(range.last);
    auto* item = new QTreeWidgetItem(
        list_, {inside ? tr("Go to output frame %1").arg(*frame)
                       : tr("Output frame %1 is outside the range %2–%3").arg(*frame).arg(range.first).arg(range.last),
                tr("frame")});
    item->setData(0, frame_role, *frame);
    item->setDisabled(!inside);
}

Result<FindDialog::Found> FindDialog::look(const Show& show, const Project& project, const QString& asked,
                                           Progress& progress) {
    const auto number = parse_number(asked.toStdString());
    const std::vector<std::string> words = words_of(asked);
    Found found;
    for (const ArrangementShow& a : show.arrangements) {
        const Arrangement* spec = project.arrangement(a.id);
        const std::string name = spec ? spec->name : "", small = QString::fromStdString(name).toLower().toStdString();
        for (std::size_t i = 0; i < a.clocks.size(); ++i) {
            if (i % 4096 == 0 && progress.cancelled()) return fail(ErrorCode::cancelled, "stopped");
            const std::int64_t copy = a.number(i);
            if (number ? *number != static_cast<double>(copy + 1)
                       : !words.empty() && !all_in(copy_line(show, a, i, small), words))
                continue;
            found.copies.insert(found.copies.end(), copy);
            if (found.lines.size() >= most_shown && copy > found.lines.rbegin()->first) continue;
            found.lines.emplace(copy, copy_line(show, a, i, name));
            if (found.lines.size() > most_shown) found.lines.erase(std::prev(found.lines.end()));
        }
    }
    return found;
}

// Below the frames; findings come after them.
void FindDialog::add_copies(Found found) {
    found_ = std::move(found.copies);
    for (const auto& [copy, line] : found.lines) {
        auto* item = new QTreeWidgetItem(list_, {QString::fromStdString(line), tr("copy")});
        item->setData(0, copy_role, static_cast<qlonglong>(copy));
    }
    add_findings(line_->text().trimmed());
    if (list_->topLevelItemCount() > 0) list_->setCurrentItem(list_->topLevelItem(0));
    all_->setEnabled(!found_.empty());
    const auto copies = static_cast<long long>(found_.size());
    words_->setText(list_->topLevelItemCount() == 0 ? tr("Nothing has these words.")
                    : copies > most_shown           ? tr("%1, the first %2 are shown")
                                                .arg(QString::fromStdString(counted(copies, "copy", "copies")))
                                                .arg(most_shown)
                                          : QString::fromStdString(counted(copies, "copy", "copies")));
}

void FindDialog::add_findings(const QString& asked) {
    const Report* report = report_();
    if (!report || asked.isEmpty()) return;
    for (std::size_t i = 0; i < report->findings.size() && list_->topLevelItemCount() < 2 * most_shown; ++i) {
        const QString words = words_text(report->findings[i].words);
        if (!has_words(words + ' ' + tr("finding"), asked)) continue;
        auto* item = new QTreeWidgetItem(list_, {words, tr("finding")});
        item->setToolTip(0, words);
        item->setData(0, finding_role, static_cast<qlonglong>(i));
    }
}

void FindDialog::take(QTreeWidgetItem* item) {
    if (const QVariant frame = item->data(0, frame_role); frame.isValid()) viewing_.set_frame(frame.toDouble());
    if (const QVariant copy = item->data(0, copy_role); copy.isValid()) {
        viewing_.select({copy.toLongLong()});
        emit show_copy(copy.toLongLong());
    }
    const QVariant finding = item->data(0, finding_role);
    const Report* report = report_();
    if (!finding.isValid() || !report || static_cast<std::size_t>(finding.toLongLong()) >= report->findings.size())
        return;
    const Finding& f = report->findings[static_cast<std::size_t>(finding.toLongLong())];
    viewing_.set_frame(static_cast<double>(f.frame));
    viewing_.select({f.copies.begin(), f.copies.end()});
    if (!f.copies.empty()) emit show_copy(f.copies.front());
}

void FindDialog::take_all() {
    if (found_.empty()) return;
    viewing_.select(found_);
    emit show_copy(*found_.begin());
}

} // namespace garland
