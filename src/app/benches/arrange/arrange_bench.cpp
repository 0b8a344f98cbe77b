#include "app/benches/arrange/arrange_bench.h"

#include "app/benches/arrange/wobble_card.h"
#include "app/theme/tokens.h"
#include "core/base/numbers.h"

#include <QGridLayout>
#include <QMouseEvent>
#include <QPainter>
#include <cmath>
#include <numbers>

namespace garland {

ArrangeBench::ArrangeBench(Document& document, Viewing& viewing, QWidget* parent)
    : Bench(tr("Arrange"), true, document, viewing, parent) {
    which_ = make_choice({}, tr("Arrangement"), tr("Which arrangement is shown; picking a copy shows that copy's"),
                         [this](int i) { viewing_.set_arrangement(ArrangementId(which_->itemData(i).toULongLong())); });
    head()->addWidget(which_);
    auto* add = make_button(tr("Add"), tr("Another arrangement of the same source"));
    connect(add, &QPushButton::clicked, this, [this] {
        ArrangementId made;
        document_.edit(tr("Add an arrangement"), [&](Project& p) -> Result<void> {
            const Arrangement* now = p.arrangement(viewing_.arrangement());
            if (!now)
                return fail(Error{ErrorCode::invalid, "there is no source to arrange yet"}.advise("gather one first"));
            Arrangement next = *now;
            next.id = ArrangementId(p.next_id++);
            made = next.id;
            next.nudges.clear();
            for (Spread& s : next.spreads) s.id = SpreadId(p.next_id++);
            next.name += ' ';
            next.name += std::to_string(p.arrangements.size() + 1);
            p.arrangements.push_back(std::move(next));
            return {};
        });
        if (made) viewing_.set_arrangement(made);
    });
    head()->addWidget(add);
    auto* remove = make_button(tr("Remove"), tr("Take this arrangement and its copies out of the project"));
    connect(remove, &QPushButton::clicked, this, [this] {
        const ArrangementId id = viewing_.arrangement();
        document_.edit(tr("Remove the arrangement"), [&](Project& p) -> Result<void> {
            std::erase_if(p.arrangements, [&](const Arrangement& a) { return a.id == id; });
            return {};
        });
    });
    head()->addWidget(remove);

    empty_ = make_label(tr("Nothing to arrange yet. Gather a source first; it starts as one copy."), "muted");
    empty_->setWordWrap(true);
    body()->addWidget(empty_);

    form_ = new QWidget;
    auto* column = new QVBoxLayout(form_);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(10);
    kind_ = new Segments({tr("line"), tr("grid"), tr("ring")},
                         {tr("Copies in a row"), tr("Copies in rows and columns"), tr("Copies around a circle")});
    connect(kind_, &Segments::chosen, this, [this](int i) {
        edit_arrangement(tr("Arrange on a %1").arg(QString::fromUtf8(to_text(static_cast<ArrangementKind>(i)))),
                         [&](Arrangement& a) {
                             const auto kind = static_cast<ArrangementKind>(i);
                             if (kind == a.kind) return;
                             // The copies that are there carry over as well as the new kind allows.
                             const int n = static_cast<int>(std::min<std::int64_t>(copies_in(a), copy_limit));
                             if (kind == ArrangementKind::grid) {
                                 a.columns = std::max(1, static_cast<int>(std::ceil(std::sqrt(n))));
                                 a.rows = std::max(1, (n + a.columns - 1) / a.columns);
                                 a.row_spacing = a.spacing;
                             } else {
                                 a.count = n;
                                 if (kind == ArrangementKind::ring)
                                     a.radius = std::max(a.spacing * n / (2 * std::numbers::pi), 0.01);
                             }
                             a.kind = kind;
                         });
    });
    column->addWidget(kind_);

    auto* measures = new QGridLayout;
    measures->setHorizontalSpacing(8);
    measures->setVerticalSpacing(6);
    auto only = [this](std::initializer_list<ArrangementKind> kinds) {
        std::vector<ArrangementKind> list(kinds);
        fields_.back().shown = [list](ArrangementKind k) {
            return std::find(list.begin(), list.end(), k) != list.end();
        };
    };
    using enum ArrangementKind;
    const Quantity m = Quantity::metres, n = Quantity::plain, deg = Quantity::degrees;
    add_number(
        measures, 0, 0, tr("Copies"), n, 1, copy_limit, 0, tr("How many copies; up to 100 000"),
        [](const Arrangement& a) { return a.count; }, [](Arrangement& a, double v) { a.count = static_cast<int>(v); });
    only({line, ring});
    add_number(
        measures, 0, 0, tr("Columns"), n, 1, copy_limit, 0, tr("Copies in each row"),
        [](const Arrangement& a) { return a.columns; },
        [](Arrangement& a, double v) { a.columns = static_cast<int>(v); });
    only({grid});
    add_number(
        measures, 0, 2, tr("Rows"), n, 1, copy_limit, 0, tr("How many rows"),
        [](const Arrangement& a) { return a.rows; }, [](Arrangement& a, double v) { a.rows = static_cast<int>(v); });
    only({grid});
    add_number(
        measures, 1, 0, tr("Spacing"), m, 0, 1e6, 3, tr("From one copy to the next"),
        [](const Arrangement& a) { return a.spacing; }, [](Arrangement& a, double v) { a.spacing = v; });
    only({line, grid});
    add_number(
        measures, 1, 2, tr("Between rows"), m, 0, 1e6, 3, tr("From one row to the next"),
        [](const Arrangement& a) { return a.row_spacing; }, [](Arrangement& a, double v) { a.row_spacing = v; });
    only({grid});
    add_number(
        measures, 1, 2, tr("Radius"), m, 0, 1e6, 3, tr("Of the ring"), [](const Arrangement& a) { return a.radius; },
        [](Arrangement& a, double v) { a.radius = v; });
    only({ring});
    add_number(
        measures, 1, 0, tr("Spacing"), m, 0, 1e6, 3, tr("Along the ring from one copy to the next; sets the radius"),
        [](const Arrangement& a) { return 2 * std::numbers::pi * a.radius / std::max(a.count, 1); },
        [](Arrangement& a, double v) { a.radius = v * a.count / (2 * std::numbers::pi); });
    only({ring});
    add_number(
        measures, 3, 0, tr("Sag"), m, -1e4, 1e4, 3, tr("How far the middle of each swag hangs below its posts"),
        [](const Arrangement& a) { return a.sag; }, [](Arrangement& a, double v) { a.sag = v; });
    add_number(
        measures, 3, 2, tr("Copies a swag"), n, 0, copy_limit, 0, tr("From one post to the next; 0: one swag over all"),
        [](const Arrangement& a) { return a.swag; }, [](Arrangement& a, double v) { a.swag = static_cast<int>(v); });
    add_number(
        measures, 4, 0, tr("Middle x"), m, -1e6, 1e6, 3, tr("Where the middle of the arrangement is"),
        [](const Arrangement& a) { return a.origin.x; }, [](Arrangement& a, double v) { a.origin.x = v; });
    add_number(
        measures, 4, 2, tr("height y"), m, -1e6, 1e6, 3, tr("Height of the copies' own origin above the ground"),
        [](const Arrangement& a) { return a.origin.y; }, [](Arrangement& a, double v) { a.origin.y = v; });
    add_number(
        measures, 4, 4, tr("z"), m, -1e6, 1e6, 3, tr("Where the middle of the arrangement is"),
        [](const Arrangement& a) { return a.origin.z; }, [](Arrangement& a, double v) { a.origin.z = v; });
    add_number(
        measures, 5, 0, tr("Heading"), deg, -3600, 3600, 2, tr("Turns the whole arrangement about the vertical"),
        [](const Arrangement& a) { return a.heading; }, [](Arrangement& a, double v) { a.heading = v; });
    add_number(
        measures, 5, 2, tr("Turn"), deg, -3600, 3600, 2, tr("Turns every copy about the vertical"),
        [](const Arrangement& a) { return a.turn; }, [](Arrangement& a, double v) { a.turn = v; });
    add_number(
        measures, 5, 4, tr("Size"), n, 0.001, 1e5, 3, tr("Size of every copy; 1 is as gathered"),
        [](const Arrangement& a) { return a.size; }, [](Arrangement& a, double v) { a.size = v; });
    measures->setColumnStretch(6, 1);
    column->addLayout(measures);

    auto* uses = new QGridLayout;
    uses->setHorizontalSpacing(8);
    facing_ = make_choice({tr("all alike"), tr("along the row"), tr("outward")}, tr("Facing"),
                          tr("Which way copies face"), [this](int i) {
                              edit_arrangement(tr("Set the facing"),
                                               [&](Arrangement& a) { a.facing = static_cast<Facing>(i); });
                          });
    source_ = make_choice({}, tr("Source"), tr("What the copies show"), [this](int i) {
        edit_arrangement(tr("Set the source of the copies"),
                         [&](Arrangement& a) { a.source = SourceId(source_->itemData(i).toULongLong()); });
    });
    timing_ = make_choice({}, tr("Timing"), tr("The timing the copies follow"), [this](int i) {
        edit_arrangement(tr("Set the timing of the copies"),
                         [&](Arrangement& a) { a.timing = TimingId(timing_->itemData(i).toULongLong()); });
    });
    uses->addWidget(make_label(tr("Facing")), 0, 0);
    uses->addWidget(facing_, 0, 1);
    uses->addWidget(make_label(tr("Source")), 0, 2);
    uses->addWidget(source_, 0, 3);
    uses->addWidget(make_label(tr("Timing")), 0, 4);
    uses->addWidget(timing_, 0, 5);
    for (QComboBox* box : {facing_, source_, timing_}) box->setMaximumWidth(116);
    uses->setColumnStretch(6, 1);
    column->addLayout(uses);
    wobble_ = new WobbleCard(document, viewing);
    column->addWidget(wobble_);
    column->addWidget(make_label(tr("From above"), "heading"));
    plan_ = new PlanView(document, viewing);
    column->addWidget(plan_);
    body()->addWidget(form_);
    body()->addStretch(1);

    connect(&document_, &Document::changed, this, &ArrangeBench::refresh);
    connect(&viewing_, &Viewing::selection_changed, this, &ArrangeBench::refresh);
    refresh();
}

NumberField* ArrangeBench::add_number(QGridLayout* grid, int row, int column, const QString& label, Quantity quantity,
                                      double low, double high, int decimals, const QString& tip,
                                      std::function<double(const Arrangement&)> get,
                                      std::function<void(Arrangement&, double)> set) {
    auto* field = make_number(quantity, low, high, decimals, label, tip);
    if (quantity == Quantity::metres) field->set_step(0.1);
    if (label == tr("Size")) field->set_step(0.05);
    field->setMaximumWidth(84);
    auto* words = make_label(label);
    grid->addWidget(words, row, column);
    grid->addWidget(field, row, column + 1);
    fields_.push_back({field, words, std::move(get), [](ArrangementKind) { return true; }});
    const QString merge = QStringLiteral("arrange-%1").arg(fields_.size());
    connect(field, &NumberField::edited, this, [this, label, set = std::move(set), merge](double v) {
        edit_arrangement(
            tr("Set %1").arg(label.toLower()), [&](Arrangement& a) { set(a, v); }, merge);
    });
    connect(field, &NumberField::settled, &document_, &Document::end_merge);
    return field;
}

void ArrangeBench::edit_arrangement(const QString& words, const std::function<void(Arrangement&)>& change,
                                    const QString& merge) {
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

void ArrangeBench::refresh() {
    const Project& p = document_.project();
    const Arrangement* a = p.arrangement(viewing_.arrangement());
    form_->setVisible(a != nullptr);
    empty_->setVisible(a == nullptr);
    which_->setVisible(p.arrangements.size() > 1);
    if (!a) return set_note({});
    auto fill = [](QComboBox* box, const auto& list, std::uint64_t current) {
        box->clear();
        for (const auto& item : list) {
            box->addItem(QString::fromStdString(item.name), QVariant::fromValue<qulonglong>(item.id.value));
        }
        box->setCurrentIndex(box->findData(QVariant::fromValue<qulonglong>(current)));
    };
    fill(which_, p.arrangements, a->id.value);
    fill(source_, p.sources, a->source.value);
    fill(timing_, p.timings, a->timing.value);
    kind_->set_current(static_cast<int>(a->kind));
    facing_->setCurrentIndex(static_cast<int>(a->facing));
    for (Field& f : fields_) {
        f.field->set_value(f.get(*a));
        f.field->setVisible(f.shown(a->kind));
        f.label->setVisible(f.shown(a->kind));
    }
    set_note(tr("%1 · %2").arg(QString::fromStdString(a->name),
                               QString::fromStdString(counted(copies_in(*a), "copy", "copies"))));
    plan_->update();
    wobble_->refresh();
}

// ---- the plan ------------------------------------------------------------------------------------------------------

PlanView::PlanView(Document& document, Viewing& viewing, QWidget* parent)
    : QWidget(parent), document_(document), viewing_(viewing) {
    setFixedHeight(190);
    setAccessibleName(tr("Copies from above"));
    setToolTip(tr("The copies from above, numbered in order; click one to pick it"));
    connect(&viewing_, &Viewing::selection_changed, this, qOverload<>(&QWidget::update));
}

void PlanView::measure() {
    double low_x = 1e300, high_x = -1e300, low_z = 1e300, high_z = -1e300;
    for (const ArrangementShow& a : document_.show()->arrangements) {
        for (const Placement& p : a.places) {
            low_x = std::min(low_x, p.position.x), high_x = std::max(high_x, p.position.x);
            low_z = std::min(low_z, p.position.z), high_z = std::max(high_z, p.position.z);
        }
    }
    if (low_x > high_x) low_x = high_x = low_z = high_z = 0;
    const double wide = std::max(high_x - low_x, 0.5), high = std::max(high_z - low_z, 0.5);
    scale_ = std::min((width() - 60) / wide, (height() - 44) / high);
    shift_ = QPointF(width() / 2.0 - scale_ * (low_x + high_x) / 2, height() / 2.0 - scale_ * (low_z + high_z) / 2);
}

QPointF PlanView::pixel(const V3d& p) const {
    return QPointF(p.x * scale_, p.z * scale_) + shift_;
}

void PlanView::paintEvent(QPaintEvent*) {
    measure();
    const Tokens& t = tokens();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(Qt::NoPen);
    p.setBrush(t.ground);
    p.drawRoundedRect(rect(), 6, 6);
    const Show& show = *document_.show();
    const bool names = show.copies() <= 400;
    p.setFont(text_font(7));
    QRectF last_name;
    for (const ArrangementShow& a : show.arrangements) {
        for (std::size_t i = 0; i < a.places.size(); ++i) {
            const auto number = a.first_copy + static_cast<std::int64_t>(i);
            const QPointF at = pixel(a.places[i].position);
            const bool picked = viewing_.selection().count(number) > 0;
            p.setPen(Qt::NoPen);
            p.setBrush(picked ? t.rose : t.accent);
            const double r = picked ? 4 : show.copies() > 2000 ? 1 : 2.5;
            p.drawEllipse(at, r, r);
            const QRectF name(at.x() + 5, at.y() - 6, 26, 12);
            if (!names || (name.intersects(last_name) && !picked)) continue;
            last_name = name;
            p.setPen(picked ? t.text : t.muted);
            p.drawText(name, Qt::AlignLeft | Qt::AlignVCenter, QString::number(number + 1));
        }
    }
    p.setPen(t.muted);
    p.drawText(QRectF(8, height() - 18, width() - 16, 14), Qt::AlignLeft, tr("→ x"));
    p.drawText(QRectF(8, height() - 18, width() - 16, 14), Qt::AlignRight, tr("z ↓"));
}

void PlanView::mousePressEvent(QMouseEvent* event) {
    std::int64_t best = -1;
    double nearest = 12;
    for (const ArrangementShow& a : document_.show()->arrangements) {
        for (std::size_t i = 0; i < a.places.size(); ++i) {
            const QPointF d = pixel(a.places[i].position) - event->position();
            const double distance = std::hypot(d.x(), d.y());
            if (distance < nearest) nearest = distance, best = a.first_copy + static_cast<std::int64_t>(i);
        }
    }
    if (best < 0) return viewing_.select({});
    if (event->modifiers() & Qt::ControlModifier)
        viewing_.toggle(best);
    else
        viewing_.set_current_copy(best);
}

} // namespace garland
