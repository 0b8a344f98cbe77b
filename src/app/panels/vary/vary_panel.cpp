#include "app/panels/vary/vary_panel.h"

#include "app/panels/vary/drive_tab.h"
#include "app/panels/vary/spread_card.h"
#include "app/panels/vary/spread_words.h"
#include "app/theme/number_text.h"
#include "core/base/numbers.h"
#include "core/project/varying.h"

#include <algorithm>
#include <cmath>

namespace garland {

VaryPanel::VaryPanel(Document& document, Viewing& viewing, QWidget* parent)
    : Panel(tr("Vary"), true, document, viewing, parent) {
    add_tabs();
    add_page();
    add_buttons();
    add_twins();
    cards_ = new QVBoxLayout;
    cards_->setSpacing(10);
    column_->addLayout(cards_);
    others_ = make_label({}, "muted");
    others_->setWordWrap(true);
    column_->addWidget(others_);
    add_nudges();
    for (LevelKind kind : {LevelKind::zones, LevelKind::pulse, LevelKind::sound}) {
        add_page();
        auto* tab = new DriveTab(document_, viewing_, kind);
        drives_[static_cast<std::size_t>(kind)] = tab;
        column_->addWidget(tab);
    }
    add_page();
    add_meeting();
    body()->addStretch(1);
    show_tab(0);
    connect(&document_, &Document::opened, this, [this] { together_.clear(); });
    connect(&document_, &Document::changed, this, &VaryPanel::refresh);
    connect(&viewing_, &Viewing::selection_changed, this, &VaryPanel::refresh);
    connect(&viewing_.twins(), &TwinWatch::changed, this, &VaryPanel::show_twins);
    refresh();
}

void VaryPanel::add_tabs() {
    tabs_ = new Segments({tr("spreads"), tr("zones"), tr("pulse"), tr("sound"), tr("meet")},
                         {tr("Every copy its own delay, speed and more"),
                          tr("Shapes in space that start, play, slow or hold copies"),
                          tr("A rise and fall that travels over copies"), tr("A tune that plays copies, band by band"),
                          tr("All copies agree at one moment")});
    connect(tabs_, &Segments::chosen, this, &VaryPanel::show_tab);
    auto* row = new QHBoxLayout;
    row->addWidget(tabs_);
    row->addStretch(1);
    body()->addLayout(row);
}

void VaryPanel::add_page() {
    pages_.push_back(new QWidget);
    column_ = new QVBoxLayout(pages_.back());
    column_->setContentsMargins(0, 0, 0, 0);
    column_->setSpacing(8);
    body()->addWidget(pages_.back());
}

void VaryPanel::add_buttons() {
    auto* delay = make_button(tr("Add delay"), tr("Give every copy its own delay"));
    delay->setObjectName("primary");
    auto* speed = make_button(tr("Add speed"), tr("Give every copy its own speed"));
    connect(delay, &QPushButton::clicked, this, [this] { add_spread(Target::delay); });
    connect(speed, &QPushButton::clicked, this, [this] { add_spread(Target::speed); });
    auto* more = make_choice(
        {tr("Add more …"), tr("visibility (flicker)"), tr("size"), tr("turn"), tr("variant"), tr("wobble strength")},
        tr("Add another spread"), tr("Give every copy its own visibility, size, turn, source or wobble"), nullptr);
    connect(more, &QComboBox::activated, this, [this, more](int i) {
        more->setCurrentIndex(0);
        if (i > 0) add_spread(static_cast<Target>(i + 1));
    });
    auto* adding = new QHBoxLayout;
    for (QWidget* w : std::initializer_list<QWidget*>{delay, speed, more}) adding->addWidget(w);
    adding->addStretch(1);
    column_->addLayout(adding);
}

void VaryPanel::add_nudges() {
    auto* row = new QHBoxLayout;
    nudges_ = make_label({}, "muted");
    nudges_->setWordWrap(true);
    clear_picked_ = make_button(tr("Clear selected"), tr("Remove the nudges of the selected copies"));
    connect(clear_picked_, &QPushButton::clicked, this, [this] {
        const ShowPtr show = document_.show();
        edit_arrangement(tr("Clear nudges"), [&](Arrangement& a) -> Result<void> {
            std::set<CopyId> selected;
            for (std::int64_t number : viewing_.selection()) {
                std::size_t i = 0;
                const ArrangementShow* s = show->find(number, i);
                if (s && s->id == a.id) selected.insert(s->places[i].id);
            }
            std::erase_if(a.by_hand.nudges, [&](const Nudge& n) { return selected.count(n.copy) > 0; });
            return {};
        });
    });
    clear_nudges_ = make_button(tr("Clear nudges"), tr("Remove all hand nudges of this arrangement"));
    connect(clear_nudges_, &QPushButton::clicked, this, [this] {
        edit_arrangement(tr("Clear nudges"), [](Arrangement& a) -> Result<void> {
            a.by_hand.nudges.clear();
            return {};
        });
    });
    row->setSpacing(6);
    row->addWidget(nudges_, 1);
    row->addWidget(clear_picked_);
    row->addWidget(clear_nudges_);
    column_->addLayout(row);
}

void VaryPanel::show_tab(int tab) {
    tabs_->set_current(tab);
    for (std::size_t k = 0; k < pages_.size(); ++k) {
        if (static_cast<int>(k) != tab) forget_typing(pages_[k]);
        pages_[k]->setVisible(static_cast<int>(k) == tab);
    }
    for (DriveTab* drive : drives_) drive->refresh();
    viewing_.hold_zones(isVisible() && tab == 1);
}

void VaryPanel::showEvent(QShowEvent*) {
    viewing_.hold_zones(pages_[1]->isVisible());
}

void VaryPanel::hideEvent(QHideEvent*) {
    viewing_.hold_zones(false);
}

void VaryPanel::edit_arrangement(const QString& words, const std::function<Result<void>(Arrangement&)>& change) {
    const ArrangementId id = viewing_.arrangement();
    document_.edit(words, [&](Project& p) -> Result<void> {
        Arrangement* a = p.arrangement(id);
        if (!a)
            return fail(Error{ErrorCode::invalid, "there are no copies to vary yet"}.advise("gather a source first"));
        return change(*a);
    });
}

void VaryPanel::add_spread(Target target) {
    const ArrangementId id = viewing_.arrangement();
    document_.edit(tr("Add a %1").arg(QString::fromUtf8(to_text(target))), [&](Project& p) -> Result<void> {
        Arrangement* a = p.arrangement(id);
        if (!a)
            return fail(Error{ErrorCode::invalid, "there are no copies to vary yet"}.advise("gather a source first"));
        Spread s;
        s.id = SpreadId(p.next_id++);
        s.target = target;
        s.by.seed = 1 + a->spreads.size();
        usual_amounts(s);
        a->spreads.push_back(s);
        return {};
    });
}

// ---- twins while one works

void VaryPanel::show_nudges(const Arrangement* a) {
    const std::size_t nudges = a ? a->by_hand.nudges.size() : 0;
    QString text = tr("Drag a row of the Lanes sideways to nudge one copy by hand.");
    bool picked = false;
    if (nudges) {
        std::map<CopyId, std::int64_t> numbers;
        for (const ArrangementShow& s : document_.show()->arrangements) {
            if (s.id != a->id) continue;
            for (std::size_t i = 0; i < s.places.size(); ++i) numbers[s.places[i].id] = s.number(i);
        }
        QStringList list;
        for (const Nudge& n : a->by_hand.nudges) {
            const auto at = numbers.find(n.copy);
            if (at != numbers.end() && viewing_.selection().count(at->second)) picked = true;
            if (list.size() >= 12) continue;
            list << (at == numbers.end() ? tr("a copy that is not there now")
                                         : QString::fromStdString(copy_name(at->second, document_.show()->copies()))) +
                        ' ' + words_text(delay_words(n.frames));
        }
        text = tr("%1 nudged by hand: %2%3. A nudge adds to what the spreads give.")
                   .arg(QString::fromStdString(counted(static_cast<long long>(nudges), "copy", "copies")),
                        list.join(tr(", ")), nudges > 12 ? tr(" and %1 more").arg(nudges - 12) : QString());
    }
    nudges_->setText(text);
    clear_nudges_->setVisible(nudges > 0);
    clear_picked_->setVisible(picked);
}

void VaryPanel::refresh() {
    const Arrangement* a = document_.project().arrangement(viewing_.arrangement());
    std::vector<SpreadId> now, before;
    if (a) {
        for (const Spread& s : a->spreads) now.push_back(s.id);
    }
    for (const SpreadCard* card : shown_) before.push_back(card->id());
    const bool same = a && a->id == shown_arrangement_ && now == before && !now.empty();
    if (!same) {
        clear_layout(cards_);
        shown_.clear();
        shown_arrangement_ = a ? a->id : ArrangementId();
        if (!a || a->spreads.empty()) {
            auto* words = make_label(a ? tr("All copies move alike. Add a delay so that each starts at its own time, "
                                            "or a speed so that they drift apart.")
                                       : tr("There are no copies to vary yet. Gather a source first."),
                                     "muted");
            words->setWordWrap(true);
            cards_->addWidget(words);
        } else {
            for (const Spread& s : a->spreads) {
                shown_.push_back(new SpreadCard(document_, viewing_, a->id, s, together_));
                cards_->addWidget(shown_.back());
            }
        }
    }
    for (SpreadCard* card : shown_) card->refresh();
    for (DriveTab* drive : drives_) drive->refresh();
    QString others;
    if (a && a->single_out) {
        if (const Arrangement* from = document_.project().arrangement(a->single_out->from)) {
            for (const Spread& s : from->spreads) {
                if (s.on) others += QStringLiteral("<br>") + spread_words(s, copies_in(*from));
            }
            others = tr("From \"%1\", with the same values:").arg(QString::fromStdString(from->name).toHtmlEscaped()) +
                     others;
        }
    }
    others_->setText(others);
    others_->setVisible(!others.isEmpty());
    meeting_->setVisible(a != nullptr);
    std::optional<double> meets;
    const bool other = a && a->id != meeting_of_;
    meeting_of_ = a ? a->id : ArrangementId();
    if (a) {
        for (const Spread& s : a->spreads) {
            if (s.meets) meets = s.meets->value;
            if (other && s.target == Target::delay && s.strength.keys.size() >= 3 &&
                s.strength.keys[1].value == 0) { // as it was asked for
                meet_at_->set_value(s.strength.keys[1].at);
                ease_->set_value(s.strength.keys[1].at - s.strength.keys[0].at);
                stay_->set_value(s.strength.keys.size() > 3 ? s.strength.keys[2].at - s.strength.keys[1].at : 0);
            }
            for (const CurveKey& k : s.strength.keys) {
                if (s.target == Target::delay && k.value == 0 && !meets) meets = k.at;
            }
        }
    }
    meeting_words_->setText(
        meets ? tr("The copies agree at output frame %1.").arg(number_text(*meets))
              : tr("All copies show the same source frame at one moment, and go their own ways before and after."));
    meet_at_->set_rate(document_.project().settings.rate);
    show_twins();
    show_nudges(a);
    set_note(a ? QString::fromStdString(a->name) : QString());
}

} // namespace garland
