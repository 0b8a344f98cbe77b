#include "app/shell/speaking.h"

#include "app/theme/number_text.h"
#include "core/base/numbers.h"

#include <QAccessible>
#include <QWidget>

namespace garland {

Speaking::Speaking(Document& document, Viewing& viewing, Views views, QObject* parent)
    : QObject(parent), document_(document), viewing_(viewing), views_(views) {
    constexpr int pause = 150; // milliseconds
    soon_.setSingleShot(true);
    soon_.setInterval(pause);
    connect(&soon_, &QTimer::timeout, this, &Speaking::refresh);
    const auto later = [this] {
        if (!viewing_.playing()) soon_.start();
    };
    connect(&viewing, &Viewing::frame_changed, this, later);
    connect(&viewing, &Viewing::selection_changed, this, later);
    connect(&viewing, &Viewing::colour_changed, this, later);
    connect(&viewing, &Viewing::playing_changed, this, later);
    connect(&document, &Document::changed, this, later);
}

void Speaking::say(QWidget* view, const QString& words) {
    if (!view || view->accessibleDescription() == words) return;
    view->setAccessibleDescription(words);
    QAccessibleEvent event(view, QAccessible::DescriptionChanged);
    QAccessible::updateAccessibility(&event);
}

void Speaking::say_key(const QString& words) {
    if (!words.isEmpty()) say(views_.map, words);
}

QString Speaking::lanes_words() const {
    const auto t = trace(*document_.show(), viewing_.current_copy(), viewing_.frame());
    return t ? QString::fromStdString(t->line) : tr("no copies");
}

QString Speaking::scene_words() const {
    const auto copies = static_cast<long long>(document_.show()->copies());
    return tr("%1, %2 selected, output frame %3")
        .arg(QString::fromStdString(counted(copies, "copy", "copies")))
        .arg(viewing_.selection().size())
        .arg(number_text(viewing_.frame().value));
}

QString Speaking::plan_words() const {
    std::size_t index = 0;
    const ArrangementShow* a = document_.show()->find(viewing_.current_copy(), index);
    if (!a || index >= a->places.size()) return tr("no copies");
    const Placement& p = a->places[index];
    auto number = [](double v) { return number_text(v, 2); };
    return tr("%1 stands at x %2 m, y %3 m, z %4 m, turned by %5°")
        .arg(QString::fromStdString(copy_name(a->number(index), document_.show()->copies())), number(p.position.x),
             number(p.position.y), number(p.position.z), number(p.turn));
}

void Speaking::refresh() {
    if (!document_.show()) return;
    say(views_.lanes, lanes_words());
    say(views_.scene, scene_words());
    say(views_.plan, plan_words());
    say(views_.map, lanes_words());
}

} // namespace garland
