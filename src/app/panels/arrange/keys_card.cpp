// Keys of place, turn and size of an arrangement as a whole; of a single-out, of each copy about its own place.
#include "app/panels/arrange/arrange_panel.h"
#include "app/theme/number_text.h"

namespace garland {

namespace {

struct KeyPart {
    QString label;
    Quantity quantity;
    double low, high, step;
    QString tip;
    std::function<double&(PlaceKey&)> of;
};

std::vector<KeyPart> parts_of_a_place() {
    const QString here =
        ArrangePanel::tr("How far the copies are moved at the playhead; with several keys a change sets one here");
    const QString turned = ArrangePanel::tr(
        "Turned at the playhead, about the arrangement's middle; what was singled out, each about its own place");
    return {
        {ArrangePanel::tr("Move x"), Quantity::metres, -1e6, 1e6, 0.25, here,
         [](PlaceKey& k) -> double& { return k.place.x; }},
        {ArrangePanel::tr("move y"), Quantity::metres, -1e6, 1e6, 0.25, here,
         [](PlaceKey& k) -> double& { return k.place.y; }},
        {ArrangePanel::tr("move z"), Quantity::metres, -1e6, 1e6, 0.25, here,
         [](PlaceKey& k) -> double& { return k.place.z; }},
        {ArrangePanel::tr("Whole turn"), Quantity::degrees, -36000, 36000, 5, turned,
         [](PlaceKey& k) -> double& { return k.turn.y; }},
        {ArrangePanel::tr("pitch"), Quantity::degrees, -36000, 36000, 5, turned,
         [](PlaceKey& k) -> double& { return k.turn.x; }},
        {ArrangePanel::tr("bank"), Quantity::degrees, -36000, 36000, 5, turned,
         [](PlaceKey& k) -> double& { return k.turn.z; }},
        {ArrangePanel::tr("scale"), Quantity::plain, 0.001, 1e5, 0.1,
         ArrangePanel::tr("Times its own size at the playhead"), [](PlaceKey& k) -> double& { return k.size; }},
    };
}

} // namespace

// The Scene has handles for what moves as a whole while this step is open.
void ArrangePanel::showEvent(QShowEvent*) {
    viewing_.hold_place(true);
}

void ArrangePanel::hideEvent(QHideEvent*) {
    viewing_.hold_place(false);
}

// Keying the place at the playhead, and removing that key.
std::pair<QPushButton*, QPushButton*> ArrangePanel::place_key_buttons() {
    auto now = [this] { return viewing_.frame().value; };
    auto* key = make_button(tr("Key the place"), tr("Keep place, turn and size at the playhead as a key"));
    connect(key, &QPushButton::clicked, this, [this, now] {
        edit_arrangement(tr("Key the arrangement's place"),
                         [&](A& a) { a.place_keys = with_key(a.place_keys, key_at(a.place_keys, now())); });
    });
    auto* drop = make_button(tr("Remove key"), tr("Remove the key of place at the playhead"));
    connect(drop, &QPushButton::clicked, this, [this, now] {
        edit_arrangement(tr("Remove a key of the arrangement's place"), [&](A& a) {
            std::erase_if(a.place_keys, [&](const PlaceKey& k) { return k.at.value == now(); });
        });
    });
    return {key, drop};
}

// How the arrangement goes on from the key at or before the playhead.
QComboBox* ArrangePanel::toward_next_key() {
    auto now = [this] { return viewing_.frame().value; };
    return make_choice({tr("jumps"), tr("goes straight"), tr("goes smoothly")}, tr("From this key to the next"),
                       tr("How it goes on from the key at or before the playhead"), [this, now](int i) {
                           edit_arrangement(tr("Set how the arrangement moves on"), [&](A& a) {
                               PlaceKey* before = nullptr;
                               for (PlaceKey& k : a.place_keys) {
                                   if (k.at.value <= now() || !before) before = &k;
                               }
                               const Toward ways[] = {Toward::step, Toward::linear, Toward::smooth};
                               if (before) before->toward = ways[i];
                           });
                       });
}

void ArrangePanel::add_keys_card(QVBoxLayout* to) {
    QVBoxLayout* column = add_card(to, tr("Moving as a whole"));
    auto now = [this] { return viewing_.frame().value; };
    std::vector<std::pair<NumberField*, std::function<double&(PlaceKey&)>>> fields;
    QHBoxLayout* row = add_row(column);
    for (const KeyPart& part : parts_of_a_place()) {
        if (part.label == tr("Whole turn")) {
            close_row(row);
            row = add_row(column);
        }
        NumberField* field = fields_.number(
            row, part.label, part.quantity, part.low, part.high, 3, part.step, part.tip,
            [now, of = part.of](const A& a) {
                PlaceKey k = key_at(a.place_keys, now());
                return of(k);
            },
            [now, of = part.of](A& a, double v) {
                if (a.place_keys.size() == 1) { // one key stands for the whole range
                    of(a.place_keys.front()) = v;
                    return;
                }
                PlaceKey k = key_at(a.place_keys, now());
                of(k) = v;
                a.place_keys = with_key(a.place_keys, k);
            });
        fields.emplace_back(field, part.of);
    }
    close_row(row);
    row = add_row(column);
    QLabel* words = make_label({}, "muted");
    words->setWordWrap(true);
    auto [key, drop] = place_key_buttons();
    QComboBox* toward = toward_next_key();
    row->addWidget(words, 1);
    row->addWidget(toward);
    row->addWidget(key);
    row->addWidget(drop);
    auto show = [now, words, drop = drop, toward](const A& a) {
        QStringList list;
        for (const PlaceKey& k : a.place_keys) list << number_text(k.at.value, 2);
        words->setText(list.isEmpty()     ? tr("No key: it stands where it is.")
                       : list.size() == 1 ? tr("One key: it stands still.")
                                          : tr("Keys at output frames %1").arg(list.join(tr(", "))));
        drop->setEnabled(std::any_of(a.place_keys.begin(), a.place_keys.end(),
                                     [&](const PlaceKey& k) { return k.at.value == now(); }));
        toward->setVisible(a.place_keys.size() > 1);
        const Toward way = key_at(a.place_keys, now()).toward;
        toward->setCurrentIndex(way == Toward::step ? 0 : way == Toward::linear ? 1 : 2);
    };
    fields_.keep({words, key, drop}, {}, show);
    connect(&viewing_, &Viewing::frame_changed, this, [this, fields, show, now] {
        const A* a = document_.project().arrangement(viewing_.arrangement());
        if (!a || !isVisible() || a->place_keys.empty()) return;
        for (const auto& [field, of] : fields) {
            PlaceKey k = key_at(a->place_keys, now());
            field->set_value(of(k));
        }
        show(*a);
    });
}

} // namespace garland
