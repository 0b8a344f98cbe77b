// Finds copies by name, number, arrangement or delay, findings of Check by their words, and output frames.
#pragma once

#include "app/document/viewing.h"
#include "app/shell/asked_list.h"
#include "core/project/findings.h"

#include <QLabel>

namespace garland {

class FindDialog : public AskedList {
    Q_OBJECT
  public:
    // report: what Check found last; null where it has not looked.
    FindDialog(Document& document, Viewing& viewing, std::function<const Report*()> report, QWidget* parent = nullptr);
    void ask_for(const QString& words); // "frame " asks for a frame
    static constexpr int most_shown = 300;

  signals:
    void show_copy(qint64 copy);

  private:
    void fill() override;
    void add_frames(const QString& asked);
    void add_copies(const QString& asked);
    void add_findings(const QString& asked);
    void take(QTreeWidgetItem* item) override;
    void take_all(); // selects every copy that is found
    Document& document_;
    Viewing& viewing_;
    std::function<const Report*()> report_;
    QLabel* words_;
    std::set<std::int64_t> found_; // copies
};

} // namespace garland
