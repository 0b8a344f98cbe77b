// Finds copies by name, number, arrangement or delay, findings of Check by their words, and output frames.
#pragma once

#include "app/document/viewing.h"
#include "app/jobs/jobs.h"
#include "app/shell/asked_list.h"
#include "core/project/findings.h"

#include <QLabel>
#include <QPointer>
#include <QPushButton>
#include <map>
#include <set>

namespace garland {

class FindDialog : public AskedList {
    Q_OBJECT
  public:
    // report: what Check found last; null where it has not looked.
    FindDialog(Document& document, Viewing& viewing, std::function<const Report*()> report, QWidget* parent = nullptr);
    void ask_for(const QString& words); // "frame " asks for a frame
    static constexpr int most_shown = 300;
    static constexpr std::int64_t most_at_once = 5'000; // copies; more are looked through in the background

  signals:
    void show_copy(qint64 copy);

  private:
    struct Found {
        std::set<std::int64_t> copies;
        std::map<std::int64_t, std::string> lines; // of the first of them
    };
    static Result<Found> look(const Show& show, const Project& project, const QString& asked, Progress& progress);
    void fill() override;
    void add_frames(const QString& asked);
    void add_copies(Found found);
    void add_findings(const QString& asked);
    void take(QTreeWidgetItem* item) override;
    void take_all(); // selects every copy that is found
    Document& document_;
    Viewing& viewing_;
    std::function<const Report*()> report_;
    QLabel* words_;
    QPushButton* all_;
    QPointer<Job> job_;            // looks through many copies
    std::set<std::int64_t> found_; // copies
};

} // namespace garland
