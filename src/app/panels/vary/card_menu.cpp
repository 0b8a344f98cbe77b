#include "app/panels/vary/card_menu.h"

#include <QCoreApplication>
#include <QMenu>
#include <utility>

namespace garland {

void add_card_menu(QWidget* card, std::function<std::optional<CardMenu>()> what) {
    card->setContextMenuPolicy(Qt::CustomContextMenu);
    QObject::connect(card, &QWidget::customContextMenuRequested, card, [card, what = std::move(what)](QPoint at) {
        const auto menu = what();
        if (!menu) return;
        auto tr = [](const char* text) { return QCoreApplication::translate("garland::CardMenu", text); };
        auto* shown = new QMenu(card->window()); // the card may go with what is chosen
        shown->setAttribute(Qt::WA_DeleteOnClose);
        shown->setToolTipsVisible(true);
        auto add = [&](const QString& text, const QString& tip, bool enabled, std::function<void()> action) {
            QAction* entry = shown->addAction(text);
            entry->setToolTip(tip);
            entry->setEnabled(enabled);
            QObject::connect(entry, &QAction::triggered, shown, [action = std::move(action)] { action(); });
        };
        if (menu->set_on)
            add(menu->on ? tr("Switch off") : tr("Switch on"), tr("Whether it counts; nothing of it is lost"), true,
                [set = menu->set_on, on = !menu->on] { set(on); });
        add(tr("Duplicate"), tr("Another one like it, after it"), true, menu->duplicate);
        shown->addSeparator();
        add(tr("Move up"), tr("One place up in the list"), menu->place > 0, [move = menu->move] { move(-1); });
        add(tr("Move down"), tr("One place down in the list"), menu->place + 1 < menu->count,
            [move = menu->move] { move(1); });
        shown->addSeparator();
        for (const auto& [text, tip, action] : menu->others) add(text, tip, true, action);
        if (!menu->others.empty()) shown->addSeparator();
        add(tr("Remove"), tr("Take it out; Undo brings it back"), true, menu->remove);
        shown->popup(card->mapToGlobal(at));
    });
}

} // namespace garland
