#include "app/shell/guide_window.h"

#include "app/widgets/parts.h"

#include <QAbstractTextDocumentLayout>
#include <QFile>
#include <QScrollBar>
#include <QTextBlock>

namespace garland {

namespace {

// The documents that are built in, opened by their own links to each other.
class Pages final : public QTextBrowser {
  public:
    using QTextBrowser::QTextBrowser;

  protected:
    void doSetSource(const QUrl& url, QTextDocument::ResourceType) override {
        const QString name = url.fileName();
        if (!QFile::exists(":/docs/" + name)) return; // elsewhere: nothing is fetched
        QTextBrowser::doSetSource(QUrl("qrc:/docs/" + name), QTextDocument::MarkdownResource);
    }
};

} // namespace

GuideWindow::GuideWindow(QWidget* parent) : QDialog(parent) {
    setWindowTitle(tr("Guide"));
    auto* column = new QVBoxLayout(this);
    auto* row = new QHBoxLayout;
    auto* back = make_button(tr("Back"), tr("To the page before"));
    auto* start = make_button(tr("User guide"), tr("To the beginning of the user guide"));
    line_ = new QLineEdit;
    line_->setAccessibleName(tr("Search the guide"));
    line_->setPlaceholderText(tr("Search this page"));
    line_->setClearButtonEnabled(true);
    auto* previous = make_button(tr("Previous"), tr("The place before this one"));
    auto* next = make_button(tr("Next"), tr("The next place (Return)"));
    for (auto* b : {back, start, previous, next}) b->setAutoDefault(false);
    row->addWidget(back);
    row->addWidget(start);
    row->addWidget(line_, 1);
    row->addWidget(previous);
    row->addWidget(next);
    column->addLayout(row);
    page_ = new Pages;
    page_->setAccessibleName(tr("Guide"));
    page_->setOpenExternalLinks(false);
    column->addWidget(page_, 1);
    words_ = make_label({}, "muted");
    column->addWidget(words_);
    resize(820, 640);
    page_->setSource(QUrl("guide.md"));
    connect(back, &QPushButton::clicked, page_, &QTextBrowser::backward);
    connect(start, &QPushButton::clicked, this, [this] { page_->setSource(QUrl("guide.md")); });
    connect(line_, &QLineEdit::returnPressed, this, [this] { search(false); });
    connect(line_, &QLineEdit::textEdited, this, [this] {
        page_->moveCursor(QTextCursor::Start);
        search(false);
    });
    connect(next, &QPushButton::clicked, this, [this] { search(false); });
    connect(previous, &QPushButton::clicked, this, [this] { search(true); });
    line_->setFocus();
}

void GuideWindow::search(bool backward) {
    const QString asked = line_->text();
    words_->clear();
    if (asked.isEmpty()) return;
    const auto way = backward ? QTextDocument::FindBackward : QTextDocument::FindFlags();
    if (page_->find(asked, way)) return;
    page_->moveCursor(backward ? QTextCursor::End : QTextCursor::Start); // round once
    if (!page_->find(asked, way)) words_->setText(tr("“%1” is not on this page.").arg(asked));
}

void GuideWindow::show_heading(const QString& heading) {
    page_->setSource(QUrl("guide.md"));
    for (QTextBlock block = page_->document()->begin(); block.isValid(); block = block.next()) {
        if (block.blockFormat().headingLevel() == 0 || block.text().compare(heading, Qt::CaseInsensitive) != 0)
            continue;
        page_->setTextCursor(QTextCursor(block));
        const double top = page_->document()->documentLayout()->blockBoundingRect(block).top();
        page_->verticalScrollBar()->setValue(static_cast<int>(top));
        return;
    }
}

} // namespace garland
