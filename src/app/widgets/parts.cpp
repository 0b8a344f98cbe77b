#include "app/widgets/parts.h"

#include <QHBoxLayout>
#include <QScrollArea>
#include <QToolButton>
#include <QWheelEvent>

namespace garland {

QLabel* make_label(const QString& text, const char* role, QWidget* parent) {
    auto* label = new QLabel(text, parent);
    if (role) label->setObjectName(role);
    return label;
}

QPushButton* make_button(const QString& text, const QString& tip, QWidget* parent) {
    auto* button = new QPushButton(text, parent);
    button->setToolTip(tip);
    button->setAccessibleName(text);
    return button;
}

QFrame* make_card(QWidget* parent) {
    auto* card = new QFrame(parent);
    card->setObjectName("card");
    return card;
}

QFrame* make_rule(QWidget* parent) {
    auto* rule = new QFrame(parent);
    rule->setObjectName("rule");
    rule->setFixedHeight(1);
    return rule;
}

namespace {
// A wheel turns the page that a box stands on, not the box, unless the box was chosen first.
class Choice : public QComboBox {
  protected:
    void wheelEvent(QWheelEvent* event) override {
        if (event->angleDelta().y() == 0) return event->accept(); // a sideways turn changes nothing
        if (hasFocus()) return QComboBox::wheelEvent(event);
        event->ignore();
    }
};
} // namespace

QComboBox* make_choice(const QStringList& texts, const QString& name, const QString& tip,
                       std::function<void(int)> chosen) {
    auto* box = new Choice;
    box->addItems(texts);
    box->setToolTip(tip);
    box->setAccessibleName(name);
    box->setFocusPolicy(Qt::StrongFocus);
    QObject::connect(box, &QComboBox::activated, box, [chosen = std::move(chosen)](int i) {
        if (chosen) chosen(i);
    });
    return box;
}

NumberField* make_number(Quantity quantity, double low, double high, int decimals, const QString& name,
                         const QString& tip) {
    auto* field = new NumberField(quantity, low, high, decimals);
    field->setAccessibleName(name);
    field->setToolTip(tip + QObject::tr("\nType, drag sideways, or use ↑ ↓ (Shift: ×10, Ctrl: ÷10)."));
    return field;
}

Segments::Segments(const QStringList& texts, const QStringList& tips, QWidget* parent) : QFrame(parent) {
    setObjectName("segments");
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(2, 2, 2, 2);
    row->setSpacing(0);
    for (int i = 0; i < texts.size(); ++i) {
        auto* button = new QToolButton(this);
        button->setObjectName("segment");
        button->setText(texts[i]);
        button->setAccessibleName(texts[i]);
        button->setToolTip(tips.value(i));
        button->setCheckable(true);
        group_.addButton(button, i);
        row->addWidget(button);
    }
    setSizePolicy(QSizePolicy::Fixed, QSizePolicy::Fixed);
    connect(&group_, &QButtonGroup::idClicked, this, &Segments::chosen);
}

int Segments::current() const {
    return group_.checkedId();
}
void Segments::set_current(int index) {
    if (auto* b = group_.button(index)) b->setChecked(true);
}

PanelFrame::PanelFrame(const QString& title, bool scrolls, QWidget* parent) : QWidget(parent) {
    setObjectName("pane");
    setAttribute(Qt::WA_StyledBackground);
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(14, 10, 14, 12);
    outer->setSpacing(8);
    head_ = new QHBoxLayout;
    head_->setSpacing(10);
    head_->addWidget(make_label(title, "title"));
    note_ = make_label({}, "muted");
    note_->setMinimumWidth(10);
    head_->addWidget(note_, 1);
    outer->addLayout(head_);
    if (scrolls) {
        auto* area = new QScrollArea;
        area->setWidgetResizable(true);
        area->setFrameShape(QFrame::NoFrame);
        area->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
        auto* inside = new QWidget;
        body_ = new QVBoxLayout(inside);
        body_->setContentsMargins(0, 0, 6, 0);
        area->setWidget(inside);
        outer->addWidget(area, 1);
    } else {
        body_ = new QVBoxLayout;
        body_->setContentsMargins(0, 0, 0, 0);
        outer->addLayout(body_, 1);
    }
    body_->setSpacing(8);
}

void PanelFrame::set_note(const QString& text) {
    note_->setText(text);
    note_->setToolTip(text);
}

void forget_typing(QWidget* part) {
    QWidget* now = part->window() ? part->window()->focusWidget() : nullptr;
    if (!now || !(now == part || part->isAncestorOf(now))) return;
    if (auto* typed = qobject_cast<QLineEdit*>(now)) {
        typed->setModified(false);
        typed->blockSignals(true);
    }
}

void clear_layout(QLayout* layout) {
    while (QLayoutItem* item = layout->takeAt(0)) {
        if (item->layout()) clear_layout(item->layout());
        if (QWidget* widget = item->widget()) {
            forget_typing(widget);
            widget->hide();
            widget->deleteLater();
        }
        delete item;
    }
}

} // namespace garland
