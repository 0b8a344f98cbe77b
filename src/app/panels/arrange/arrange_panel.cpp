#include "app/panels/arrange/arrange_panel.h"

#include "app/panels/arrange/plan_view.h"
#include "app/panels/arrange/wobble_card.h"
#include "core/base/numbers.h"
#include "core/project/varying.h"

#include <QFileDialog>
#include <cmath>
#include <numbers>

namespace garland {

ArrangePanel::ArrangePanel(Document& document, Viewing& viewing, QWidget* parent)
    : Panel(tr("Arrange"), true, document, viewing, parent),
      fields_(document, this, "arrange",
              [this](const QString& words, const std::function<void(A&)>& change, const QString& merge) {
                  edit_arrangement(words, change, merge);
              }) {
    which_ = make_choice({}, tr("Arrangement"), tr("Which arrangement is shown; selecting a copy shows that copy's"),
                         [this](int i) { viewing_.set_arrangement(ArrangementId(which_->itemData(i).toULongLong())); });
    head()->addWidget(which_);
    auto* add = make_button(tr("Add"), tr("Another arrangement of the same source"));
    connect(add, &QPushButton::clicked, this, &ArrangePanel::add_arrangement);
    head()->addWidget(add);
    auto* remove =
        make_button(tr("Remove"), tr("Remove this arrangement, its copies, and anything singled out from it"));
    connect(remove, &QPushButton::clicked, this, [this] {
        const ArrangementId id = viewing_.arrangement();
        document_.edit(tr("Remove the arrangement"), [&](Project& p) -> Result<void> {
            remove_arrangement(p, id);
            return {};
        });
    });
    head()->addWidget(remove);

    empty_ = make_label(tr("Nothing to arrange yet. Gather a source first; it starts as one copy."), "muted");
    empty_->setWordWrap(true);
    body()->addWidget(empty_);
    form_ = new QWidget;
    cards_ = new QVBoxLayout(form_);
    cards_->setContentsMargins(0, 0, 0, 0);
    cards_->setSpacing(10);
    trouble_ = make_label({}, "alert");
    trouble_->setWordWrap(true);
    cards_->addWidget(trouble_);
    add_place_card(cards_);
    add_facing_card(cards_);
    add_sources_card(cards_);
    add_start_card(cards_);
    add_differences_card(cards_);
    add_single_card(cards_);
    add_keys_card(cards_);
    wobble_ = new WobbleCard(document, viewing);
    cards_->addWidget(wobble_);
    body()->addWidget(form_);
    body()->addStretch(1);

    connect(&document_, &Document::changed, this, &ArrangePanel::refresh);
    connect(&viewing_, &Viewing::selection_changed, this, &ArrangePanel::refresh);
    refresh();
}

void ArrangePanel::edit_arrangement(const QString& words, const std::function<void(A&)>& change, const QString& merge) {
    const ArrangementId id = viewing_.arrangement();
    if (!document_.project().arrangement(id)) return;
    document_.edit(
        words,
        [&](Project& p) -> Result<void> {
            change(*p.arrangement(id));
            return {};
        },
        merge);
    refresh(); // a refused value goes back
}

void ArrangePanel::add_arrangement() {
    ArrangementId made;
    document_.edit(tr("Add an arrangement"), [&](Project& p) -> Result<void> {
        const A* now = p.arrangement(viewing_.arrangement());
        if (!now)
            return fail(Error{ErrorCode::invalid, "there is no source to arrange yet"}.advise("gather one first"));
        if (now->single_out) now = p.arrangement(now->single_out->from);
        A next = *now;
        next.id = ArrangementId(p.next_id++);
        made = next.id;
        next.hidden = false;
        next.by_hand.nudges.clear();
        next.hidden_copies.clear();
        for (Spread& s : next.spreads) s.id = SpreadId(p.next_id++);
        next.name += ' ';
        next.name += std::to_string(p.arrangements.size() + 1);
        p.arrangements.push_back(std::move(next));
        return {};
    });
    if (made) viewing_.set_arrangement(made);
}

// The copies that are there carry over as well as the new kind allows.
void ArrangePanel::set_kind(ArrangementKind kind) {
    using enum ArrangementKind;
    const Show& show = *document_.show();
    std::int64_t there = 0;
    for (const ArrangementShow& a : show.arrangements)
        there += a.id == viewing_.arrangement() ? static_cast<std::int64_t>(a.places.size()) : 0;
    const SourceId other = [&] { // something else to stand on, if there is
        const A* a = document_.project().arrangement(viewing_.arrangement());
        for (const SourceSpec& s : document_.project().sources) {
            if (a && s.id != a->source) return s.id;
        }
        return SourceId();
    }();
    edit_arrangement(tr("Arrange as %1").arg(QString::fromUtf8(to_text(kind))), [&](A& a) {
        if (kind == a.layout.kind) return;
        const int n =
            static_cast<int>(std::clamp<std::int64_t>(std::max<std::int64_t>(copies_in(a), there), 1, copy_limit));
        if (kind == grid || kind == box) {
            const double side = kind == box ? std::cbrt(n) : std::sqrt(n);
            a.layout.columns = std::max(1, static_cast<int>(std::ceil(side - 1e-9)));
            a.layout.layers = kind == box ? a.layout.columns : 1;
            a.layout.rows =
                std::max(1, (n + a.layout.columns * a.layout.layers - 1) / (a.layout.columns * a.layout.layers));
            a.layout.row_spacing = a.layout.layer_spacing = a.layout.spacing;
        } else if (kind == rings) {
            a.layout.rows = 3;
            a.layout.count = std::max(1, n / 6);
            a.layout.radius = std::max(a.layout.spacing * a.layout.count / (2 * std::numbers::pi), 0.1);
            a.layout.row_spacing = a.layout.radius;
        } else {
            a.layout.count = n;
            if (kind == ring) a.layout.radius = std::max(a.layout.spacing * n / (2 * std::numbers::pi), 0.01);
        }
        if (kind == curve && a.layout.path.points.size() < 2) {
            const double half = std::max(a.layout.spacing * n / 2, 1.0);
            a.layout.path.points = {V3d(-half, 0, 0), V3d(-half / 3, 0, half / 3), V3d(half / 3, 0, -half / 3),
                                    V3d(half, 0, 0)};
        }
        if (is_carried(kind) && !a.layout.carried.source) a.layout.carried.source = other;
        a.layout.kind = kind;
    });
}

std::vector<CopyId> ArrangePanel::picked() const {
    std::vector<CopyId> ids;
    for (std::int64_t number : viewing_.selection()) {
        std::size_t i = 0;
        const ArrangementShow* a = document_.show()->find(number, i);
        if (a && a->id == viewing_.arrangement()) ids.push_back(a->places[i].id);
    }
    std::sort(ids.begin(), ids.end());
    return ids;
}

void ArrangePanel::single_out_picked() {
    const std::vector<CopyId> ids = picked();
    const ArrangementId from = viewing_.arrangement();
    ArrangementId made;
    document_.edit(tr("Single out %1").arg(QString::fromStdString(counted(ids.size(), "copy", "copies"))),
                   [&](Project& p) -> Result<void> {
                       GARLAND_TRY(id, single_out(p, from, ids, {}));
                       made = id;
                       return {};
                   });
    if (made) viewing_.set_arrangement(made);
}

void ArrangePanel::single_out_part(const QString& part) {
    const ArrangementId from = viewing_.arrangement();
    ArrangementId made;
    document_.edit(tr("Single out \"%1\"").arg(part), [&](Project& p) -> Result<void> {
        GARLAND_TRY(id, single_out(p, from, {}, part.toStdString()));
        made = id;
        return {};
    });
    if (made) viewing_.set_arrangement(made);
}

QWidget* ArrangePanel::home() {
    return plan_;
}

void ArrangePanel::refresh() {
    const Project& p = document_.project();
    const A* a = p.arrangement(viewing_.arrangement());
    form_->setVisible(a != nullptr);
    empty_->setVisible(a == nullptr);
    which_->setVisible(p.arrangements.size() > 1);
    if (!a) return set_note({});
    auto fill = [](QComboBox* box, const auto& list, std::uint64_t current, const QString& none = {}) {
        box->clear();
        if (!none.isEmpty()) box->addItem(none, QVariant::fromValue<qulonglong>(0));
        for (const auto& item : list) {
            box->addItem(QString::fromStdString(item.name), QVariant::fromValue<qulonglong>(item.id.value));
        }
        box->setCurrentIndex(box->findData(QVariant::fromValue<qulonglong>(current)));
    };
    fill(which_, p.arrangements, a->id.value);
    fill(source_, p.sources, a->source.value);
    fill(timing_, p.timings, a->timing.value);
    fill(carrier_, p.sources, a->layout.carried.source.value, tr("choose …"));
    fill(carrier_timing_, p.timings, a->layout.carried.timing.value, tr("the shot's frames"));
    kind_->set_current(static_cast<int>(a->layout.kind));
    fields_.refresh(*a);
    for (QWidget* w : own_) w->setVisible(!a->single_out);
    show_sources(*a);
    show_single(*a);

    std::int64_t copies = 0;
    QString trouble;
    for (const ArrangementShow& show : document_.show()->arrangements) {
        if (show.id != a->id) continue;
        copies += static_cast<std::int64_t>(show.places.size());
        trouble =
            QString::fromStdString(show.shown.set->problem.empty() ? show.shown.set->note : show.shown.set->problem);
    }
    if (a->hidden) trouble = tr("This arrangement is hidden: none of its copies are shown, checked or written.");
    trouble_->setText(trouble);
    trouble_->setVisible(!trouble.isEmpty());
    set_note(
        tr("%1 · %2").arg(QString::fromStdString(a->name), QString::fromStdString(counted(copies, "copy", "copies"))));
    plan_->update();
    wobble_->refresh();
}

} // namespace garland
