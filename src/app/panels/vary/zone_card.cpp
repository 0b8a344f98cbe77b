#include "app/panels/vary/zone_card.h"

#include "app/panels/vary/drive_words.h"
#include "app/theme/number_text.h"
#include "core/drivers/zone_plan.h"

#include <algorithm>

namespace garland {

namespace {

// A zone's key as it stands at an output frame, without what it rides on.
ZoneKey key_at(const Zone& z, double t) {
    ZoneKey key = ZonePlan(z).pose_at(t);
    for (const ZoneKey& k : z.keys) {
        if (k.at.value <= t) key.toward = k.toward;
    }
    return key;
}

bool has_key(const Zone& z, double t) {
    return std::any_of(z.keys.begin(), z.keys.end(), [&](const ZoneKey& k) { return k.at.value == t; });
}

} // namespace

ZoneCard::ZoneCard(Document& document, Viewing& viewing, ZoneId id, Together<ZoneId>& together, QWidget* parent)
    : QFrame(parent), document_(document), viewing_(viewing), id_(id), together_(together),
      fields_(document, this, QStringLiteral("zone-%1").arg(id.value),
              [this](const QString& words, const std::function<void(Zone&)>& change, const QString& merge) {
                  edit(words, change, merge);
              }) {
    setObjectName("card");
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(12, 10, 12, 10);
    column->setSpacing(7);
    add_head(column);
    add_shape(column);
    add_motion(column);
    connect(&viewing_, &Viewing::frame_changed, this, [this] {
        if (isVisible() && !viewing_.playing()) refresh();
    });
}

void ZoneCard::edit(const QString& words, const std::function<void(Zone&)>& change, const QString& merge) {
    document_.edit(
        words,
        [&](Project& p) -> Result<void> {
            for (Zone& z : p.zones) {
                if (together_.joins(id_, z.id)) change(z);
            }
            return {};
        },
        merge);
    refresh();
}

void ZoneCard::edit_key(const QString& words, const std::function<void(ZoneKey&)>& change, const QString& merge) {
    const double t = viewing_.frame().value;
    edit(
        words,
        [&](Zone& z) {
            if (z.keys.size() == 1) return change(z.keys.front());
            ZoneKey key = key_at(z, t);
            change(key);
            z.keys = with_key(z.keys, key);
        },
        merge);
}

void ZoneCard::add_head(QVBoxLayout* column) {
    auto* head = new QHBoxLayout;
    on_ = new QCheckBox;
    on_->setAccessibleName(tr("On"));
    on_->setToolTip(tr("Whether this zone counts"));
    connect(on_, &QCheckBox::clicked, this,
            [this](bool v) { edit(v ? tr("Switch a zone on") : tr("Switch a zone off"), [&](Zone& z) { z.on = v; }); });
    head->addWidget(on_, 0, Qt::AlignTop);
    words_ = make_label({});
    words_->setWordWrap(true);
    head->addWidget(words_, 1);
    joined_ = add_together(head, together_, id_,
                           tr("Change all zones that are marked so at once: a number that is dragged changes each by "
                              "as much, one that is typed is given to all"));
    auto* remove = make_button(tr("Remove"), tr("Remove this zone, and let what it alone plays go by its own clock"));
    connect(remove, &QPushButton::clicked, this, &ZoneCard::remove);
    head->addWidget(remove, 0, Qt::AlignTop);
    column->addLayout(head);
    add_card_menu(this, [this] { return menu(); });
}

// The zones change as a list, and this card may go with it.
void ZoneCard::edit_list(const QString& words, const ChangeEntry<Zone>& change) {
    document_.edit(words, [&change, id = id_](Project& p) { return change_entry(p, p.zones, id, change); });
}

void ZoneCard::remove() {
    edit_list(tr("Remove a zone"),
              [](Project& p, std::vector<Zone>& zones, std::size_t place) { remove_zone(p, zones[place].id); });
}

std::optional<CardMenu> ZoneCard::menu() {
    const Project& project = document_.project();
    const Zone* z = project.zone(id_);
    if (!z) return {};
    const QPointer<ZoneCard> card(this);
    CardMenu out = entry_menu<Zone>(
        project.zones, id_,
        [card](const QString& words, const auto& change) {
            if (card) card->edit_list(words, change);
        },
        tr("Duplicate a zone"), tr("Move a zone"));
    out.on = z->on;
    out.set_on = [card](bool on) {
        if (card) card->edit(on ? tr("Switch a zone on") : tr("Switch a zone off"), [on](Zone& one) { one.on = on; });
    };
    out.remove = [card] {
        if (card) card->remove();
    };
    return out;
}

void ZoneCard::add_shape(QVBoxLayout* column) {
    const Quantity m = Quantity::metres;
    auto shaped = [](std::initializer_list<ZoneShape> list) {
        return [all = std::vector<ZoneShape>(list)](const Zone& z) {
            return std::find(all.begin(), all.end(), z.shape) != all.end();
        };
    };
    using enum ZoneShape;
    auto* row = add_row(column);
    name_ = new QLineEdit;
    name_->setMinimumWidth(170);
    name_->setMaximumWidth(200);
    name_->setAccessibleName(tr("Name of the zone"));
    name_->setToolTip(tr("What the zone is called"));
    connect(name_, &QLineEdit::editingFinished, this, [this] {
        const Zone* z = document_.project().zone(id_);
        const std::string name = name_->text().trimmed().toStdString();
        if (z && !name.empty() && name != z->name)
            edit_list(tr("Rename a zone"),
                      [&](Project&, std::vector<Zone>& zones, std::size_t place) { zones[place].name = name; });
    });
    row->addWidget(name_);
    fields_.choice(
        row, tr("shape"), {tr("ball"), tr("box"), tr("cylinder"), tr("wall"), tr("tube"), tr("mesh")},
        tr("A wall is everything behind a plane; a tube runs along its path; a mesh is the closed surface of a source"),
        [](const Zone& z) { return static_cast<int>(z.shape); },
        [this](Zone& z, int i) {
            z.shape = static_cast<ZoneShape>(i);
            if (z.shape == tube && z.path.empty()) z.path = {V3d(-2, 0, 0), V3d(0, 0, 0.5), V3d(2, 0, 0)};
            if (z.shape == mesh && !z.mesh && !document_.project().sources.empty())
                z.mesh = viewing_.source() ? viewing_.source() : document_.project().sources.front().id;
        });
    close_row(row);
    row = add_row(column);
    fields_.number(
        row, tr("Width"), m, 0.001, 1e6, 2, 0.25, tr("Its width; of a ball, cylinder or tube its diameter"),
        [](const Zone& z) { return z.size.x; }, [](Zone& z, double v) { z.size.x = v; },
        shaped({ball, box, cylinder, tube}));
    fields_.number(
        row, tr("height"), m, 0.001, 1e6, 2, 0.25, tr("Its height"), [](const Zone& z) { return z.size.y; },
        [](Zone& z, double v) { z.size.y = v; }, shaped({box, cylinder}));
    fields_.number(
        row, tr("depth"), m, 0.001, 1e6, 2, 0.25, tr("Its depth"), [](const Zone& z) { return z.size.z; },
        [](Zone& z, double v) { z.size.z = v; }, shaped({box}));
    source_choice(row, tr("shape of"), tr("The source whose closed surface, in its first pose, is the zone"),
                  &Zone::mesh, shaped({mesh}));
    close_row(row);
    add_edges(column);
}

void ZoneCard::add_edges(QVBoxLayout* column) {
    const Quantity m = Quantity::metres;
    auto* row = add_row(column);
    fields_.number(
        row, tr("Inner edge"), m, -1e6, 1e6, 2, 0.25,
        tr("Distance from its surface up to which the level is 1; below 0: inside it"),
        [](const Zone& z) { return z.inner; },
        [](Zone& z, double v) {
            z.outer = std::max(z.outer, v);
            z.inner = v;
        });
    fields_.number(
        row, tr("outer edge"), m, -1e6, 1e6, 2, 0.25, tr("Distance from its surface from which the level is 0"),
        [](const Zone& z) { return z.outer; },
        [](Zone& z, double v) {
            z.inner = std::min(z.inner, v);
            z.outer = v;
        });
    fields_.check(
        row, tr("inverted"), tr("1 outside and 0 inside"), [](const Zone& z) { return z.inverted; },
        [](Zone& z, bool v) { z.inverted = v; });
    close_row(row);
    row = add_row(column);
    auto* label = make_label(tr("response"), "muted");
    curve_ = new CurveEdit(0, 1, 0, true);
    curve_->setAccessibleName(tr("Response of the zone"));
    connect(curve_, &CurveEdit::edited, this, [this](const KeyedCurve& c) {
        edit(
            tr("Set the response of a zone"), [&](Zone& z) { z.response = c; },
            QStringLiteral("zone-%1-curve").arg(id_.value));
    });
    connect(curve_, &CurveEdit::settled, &document_, &Document::end_merge);
    row->addWidget(label, 0, Qt::AlignTop);
    row->addWidget(curve_);
    close_row(row);
    fields_.keep({label, curve_}, {}, [this](const Zone& z) { curve_->set_curve(z.response); });
}

// A box with the project's sources that sets one member.
QComboBox* ZoneCard::source_choice(QBoxLayout* row, const QString& label, const QString& tip, SourceId Zone::*member,
                                   std::function<bool(const Zone&)> shown) {
    auto* words = make_label(label);
    auto* box = make_choice({}, label, tip, nullptr);
    connect(box, &QComboBox::activated, this, [this, box, member](int i) {
        const SourceId id(box->itemData(i).toULongLong());
        edit(tr("Set the source of a zone"), [&](Zone& z) { z.*member = id; });
    });
    row->addWidget(words);
    row->addWidget(box);
    fields_.keep({words, box}, std::move(shown), [this, box, member](const Zone& z) {
        box->clear();
        for (const SourceSpec& s : document_.project().sources)
            box->addItem(QString::fromStdString(s.name), QVariant::fromValue<qulonglong>(s.id.value));
        box->setCurrentIndex(box->findData(QVariant::fromValue<qulonglong>((z.*member).value)));
    });
    return box;
}

void ZoneCard::start_ride(Zone& z, ZoneRide ride) {
    z.ride = ride;
    const FrameRange range = document_.project().settings.range;
    if (ride == ZoneRide::path && z.path.empty()) {
        z.path = {V3d(-4, 0, 0), V3d(4, 0, 0)};
        for (const Arrangement& a : document_.project().arrangements) {
            if (a.layout.kind == ArrangementKind::curve && a.layout.path.points.size() > 1)
                z.path = a.layout.path.points;
        }
        z.ride_first = OutputFrame(static_cast<double>(range.first)),
        z.ride_last = OutputFrame(static_cast<double>(range.last));
    }
    const bool source = ride == ZoneRide::part || ride == ZoneRide::particle;
    if (source && !z.ride_source && !document_.project().sources.empty())
        z.ride_source = document_.project().sources.front().id;
    const auto open = document_.library().open().find(z.ride_source);
    if (ride != ZoneRide::part || open == document_.library().open().end() || !open->second.source) return;
    const std::vector<std::string> parts = part_names(*open->second.source);
    if (z.ride_part.empty() && !parts.empty()) z.ride_part = parts.front();
}

void ZoneCard::add_motion(QVBoxLayout* column) {
    auto part = [this](QHBoxLayout* row, const QString& label, Quantity q, double step, const QString& tip,
                       std::function<double(const ZoneKey&)> get, std::function<void(ZoneKey&, double)> set) {
        auto* field = make_number(q, -1e6, 1e6, 2, label, tip);
        field->setObjectName("field " + label);
        field->set_step(step);
        field->setMaximumWidth(72);
        auto* words = make_label(label);
        words->setBuddy(field);
        row->addWidget(words);
        row->addWidget(field);
        connect(field, &NumberField::edited, this, [this, label, field, get, set] {
            edit_key(
                tr("Move a zone"), [&](ZoneKey& k) { set(k, field->edited_from(get(k))); },
                QStringLiteral("zone-%1-%2").arg(id_.value).arg(label));
        });
        connect(field, &NumberField::settled, &document_, &Document::end_merge);
        fields_.keep({words, field}, {},
                     [this, field, get](const Zone& z) { field->set_value(get(key_at(z, viewing_.frame().value))); });
    };
    auto* row = add_row(column);
    const QString here = tr("Its place at the playhead (m); with several keys a change sets one here");
    part(
        row, tr("Place x"), Quantity::metres, 0.25, here, [](const ZoneKey& k) { return k.place.x; },
        [](ZoneKey& k, double v) { k.place.x = v; });
    part(
        row, tr("place y"), Quantity::metres, 0.25, here, [](const ZoneKey& k) { return k.place.y; },
        [](ZoneKey& k, double v) { k.place.y = v; });
    part(
        row, tr("place z"), Quantity::metres, 0.25, here, [](const ZoneKey& k) { return k.place.z; },
        [](ZoneKey& k, double v) { k.place.z = v; });
    close_row(row);
    row = add_row(column);
    part(
        row, tr("Heading"), Quantity::degrees, 5, tr("Its turn about the vertical at the playhead"),
        [](const ZoneKey& k) { return k.turn.y; }, [](ZoneKey& k, double v) { k.turn.y = v; });
    part(
        row, tr("pitch"), Quantity::degrees, 5, tr("Its turn up or down at the playhead"),
        [](const ZoneKey& k) { return k.turn.x; }, [](ZoneKey& k, double v) { k.turn.x = v; });
    part(
        row, tr("scale"), Quantity::plain, 0.1,
        tr("Times its own size, edge included, at the playhead; 0: it has shrunk away"),
        [](const ZoneKey& k) { return k.size; }, [](ZoneKey& k, double v) { k.size = std::max(v, 0.0); });
    close_row(row);
    add_keys(column);
    add_ride(column);
}

void ZoneCard::add_keys(QVBoxLayout* column) {
    auto* row = add_row(column);
    keys_ = make_label({}, "muted");
    keys_->setWordWrap(true);
    key_here_ = make_button(tr("Key here"), tr("Keep its place, turn and scale at the playhead as a key"));
    connect(key_here_, &QPushButton::clicked, this, [this] {
        const double t = viewing_.frame().value;
        edit(tr("Key a zone"), [&](Zone& z) { z.keys = with_key(z.keys, key_at(z, t)); });
    });
    drop_key_ = make_button(tr("Remove key"), tr("Remove the key at the playhead"));
    connect(drop_key_, &QPushButton::clicked, this, [this] {
        const double t = viewing_.frame().value;
        edit(tr("Remove a key of a zone"), [&](Zone& z) {
            if (z.keys.size() > 1) std::erase_if(z.keys, [&](const ZoneKey& k) { return k.at.value == t; });
        });
    });
    row->addWidget(keys_, 1);
    row->addWidget(key_here_);
    row->addWidget(drop_key_);
}

void ZoneCard::add_ride(QVBoxLayout* column) {
    auto* row = add_row(column);
    fields_.choice(
        row, tr("rides on"), {tr("nothing"), tr("a part"), tr("a particle"), tr("a path")},
        tr("What takes it along; the place of its keys is added"),
        [](const Zone& z) { return static_cast<int>(z.ride); },
        [this](Zone& z, int i) { start_ride(z, static_cast<ZoneRide>(i)); });
    auto rides = [](const Zone& z) { return z.ride == ZoneRide::path; };
    fields_.number(
        row, tr("from frame"), Quantity::output_frames, -1e6, 1e6, 2, 1,
        tr("The output frame at which it starts along its path"), [](const Zone& z) { return z.ride_first.value; },
        [](Zone& z, double v) { z.ride_first = OutputFrame(v); }, rides);
    fields_.number(
        row, tr("to frame"), Quantity::output_frames, -1e6, 1e6, 2, 1,
        tr("The output frame at which it reaches the path's end"), [](const Zone& z) { return z.ride_last.value; },
        [](Zone& z, double v) { z.ride_last = OutputFrame(v); }, rides);
    auto on_source = [](const Zone& z) { return z.ride == ZoneRide::part || z.ride == ZoneRide::particle; };
    ride_source_ = source_choice(row, tr("of"), tr("The source it rides on, as the first copy shows it"),
                                 &Zone::ride_source, on_source);
    part_ = make_choice({}, tr("Part"), tr("The part whose middle it follows"), [this](int i) {
        const std::string name = part_->itemText(i).toStdString();
        edit(tr("Set what a zone rides on"), [&](Zone& z) { z.ride_part = name; });
    });
    row->addWidget(part_);
    fields_.keep({part_}, [](const Zone& z) { return z.ride == ZoneRide::part; });
    fields_.number(
        row, tr("number"), Quantity::plain, 0, 9007199254740991.0, 0, 1, tr("The particle's id"),
        [](const Zone& z) { return static_cast<double>(z.ride_particle); },
        [](Zone& z, double v) { z.ride_particle = static_cast<std::int64_t>(v); },
        [](const Zone& z) { return z.ride == ZoneRide::particle; });
    close_row(row);
    add_path(add_row(column));
}

void ZoneCard::add_path(QHBoxLayout* row) {
    auto* label = make_label(tr("path of"));
    path_ = make_choice({}, tr("Path of"), tr("Take the path of an arrangement that stands along one"), [this](int i) {
        const QVariant id = path_->itemData(i);
        const Arrangement* a = document_.project().arrangement(ArrangementId(id.toULongLong()));
        if (a)
            edit(tr("Set the path of a zone"), [&](Zone& z) {
                z.path.clear();
                for (const V3d& p : a->layout.path.points) z.path.push_back(to_scene(*a, p));
                z.path_closed = a->layout.path.closed;
            });
    });
    row->addWidget(label);
    row->addWidget(path_);
    close_row(row);
    fields_.keep({label, path_}, [this](const Zone& z) {
        return (z.ride == ZoneRide::path || z.shape == ZoneShape::tube) && path_->count() > 0;
    });
}

void ZoneCard::refresh() {
    const Zone* z = document_.project().zone(id_);
    if (!z) return;
    on_->setChecked(z->on);
    words_->setText(zone_words(*z));
    words_->setEnabled(z->on);
    show_together(joined_, together_, id_, document_.project().zones.size());
    if (!name_->hasFocus()) {
        name_->setText(QString::fromStdString(z->name));
        name_->setCursorPosition(0);
    }
    path_->clear();
    for (const Arrangement& a : document_.project().arrangements) {
        if (a.layout.kind == ArrangementKind::curve)
            path_->addItem(QString::fromStdString(a.name), QVariant::fromValue<qulonglong>(a.id.value));
    }
    path_->setCurrentIndex(-1);
    part_->clear();
    if (const auto open = document_.library().open().find(z->ride_source);
        open != document_.library().open().end() && open->second.source) {
        for (const std::string& name : part_names(*open->second.source)) part_->addItem(QString::fromStdString(name));
    }
    part_->setCurrentIndex(part_->findText(QString::fromStdString(z->ride_part)));
    fields_.refresh(*z);
    QStringList list;
    for (const ZoneKey& k : z->keys) list << number_text(k.at.value, 2);
    keys_->setText(z->keys.size() == 1 ? tr("One key: it stands still") : tr("Keys at %1").arg(list.join(tr(", "))));
    drop_key_->setVisible(z->keys.size() > 1);
    drop_key_->setEnabled(has_key(*z, viewing_.frame().value));
}

} // namespace garland
