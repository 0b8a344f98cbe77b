// Where copies stand: the kind of arrangement and its measures, what carries them, the path, which way they face.
#include "app/panels/arrange/arrange_panel.h"
#include "app/panels/arrange/plan_view.h"
#include "app/widgets/curve_edit.h"
#include "io/tables/path_file.h"

#include <QFileDialog>
#include <numbers>

namespace garland {

namespace {
using A = Arrangement;
using enum ArrangementKind;

Fields<A>::Shown only(std::initializer_list<ArrangementKind> kinds) {
    return [list = std::vector<ArrangementKind>(kinds)](const A& a) {
        return std::find(list.begin(), list.end(), a.layout.kind) != list.end();
    };
}
// Where the target is at a frame.
V3d target_at(const A& a, OutputFrame t) {
    V3d out(0);
    for (int k = 0; k < 3; ++k) {
        KeyedCurve keys;
        for (const TargetKey& key : a.attitude.targets) keys.push_back({key.at.value, key.place[k], key.toward});
        out[k] = CurvePlan(keys, 0).at(t.value);
    }
    return out;
}

// A key of the target at that frame; one that is there is changed.
void key_target(A& a, OutputFrame t, const V3d& place) {
    const auto at = std::lower_bound(a.attitude.targets.begin(), a.attitude.targets.end(), t,
                                     [](const TargetKey& key, OutputFrame f) { return key.at < f; });
    if (at != a.attitude.targets.end() && at->at == t) {
        at->place = place;
    } else {
        a.attitude.targets.insert(at, {t, place, Toward::smooth});
    }
}

// Sets a key as soon as there is more than one.
void set_target(A& a, OutputFrame t, const V3d& place) {
    if (a.attitude.targets.size() > 1) return key_target(a, t, place);
    a.attitude.targets = {{a.attitude.targets.empty() ? t : a.attitude.targets[0].at, place, Toward::smooth}};
}
} // namespace

void ArrangePanel::add_place_card(QVBoxLayout* to) {
    QVBoxLayout* column = add_card(to, tr("Where"));
    own_.push_back(column->parentWidget());
    kind_ = new Segments(
        {tr("line"), tr("grid"), tr("box"), tr("ring"), tr("rings"), tr("curve"), tr("scatter"), tr("points")},
        {tr("Copies in a row"), tr("Copies in rows and columns"), tr("Copies in rows, columns and layers"),
         tr("Copies around a circle"), tr("Concentric rings with equal spacing along each"),
         tr("Copies along a path, evenly by length"), tr("Copies scattered on the faces of a source, evenly by area"),
         tr("A copy on every point of a source, moving with it")});
    kind_->setAccessibleName(tr("Kind of arrangement"));
    connect(kind_, &Segments::chosen, this, [this](int i) { set_kind(static_cast<ArrangementKind>(i)); });
    column->addWidget(kind_);
    add_counts(column);
    add_spacings(column);
    add_path_row(column);
    add_carrier_row(column);
    add_swag_row(column);
    add_middle_row(column);
    column->addWidget(make_label(tr("From above"), "muted"));
    plan_ = new PlanView(document_, viewing_);
    column->addWidget(plan_);
}

void ArrangePanel::add_counts(QVBoxLayout* column) {
    constexpr Quantity m = Quantity::metres, n = Quantity::plain;
    QHBoxLayout* row = add_row(column);
    fields_.number(
        row, tr("Copies"), n, 1, 1e9, 0, 1, tr("How many copies, up to 100 000; of rings, on the innermost one"),
        [](const A& a) { return a.layout.count; }, [](A& a, double v) { a.layout.count = static_cast<int>(v); },
        only({line, ring, rings, curve, scatter}));
    fields_.number(
        row, tr("Columns"), n, 1, 1e9, 0, 1, tr("Copies in each row"), [](const A& a) { return a.layout.columns; },
        [](A& a, double v) { a.layout.columns = static_cast<int>(v); }, only({grid, box}));
    fields_.number(
        row, tr("Rows"), n, 1, 1e9, 0, 1, tr("How many rows"), [](const A& a) { return a.layout.rows; },
        [](A& a, double v) { a.layout.rows = static_cast<int>(v); }, only({grid, box}));
    fields_.number(
        row, tr("Layers"), n, 1, 1e9, 0, 1, tr("How many layers, upward"), [](const A& a) { return a.layout.layers; },
        [](A& a, double v) { a.layout.layers = static_cast<int>(v); }, only({box}));
    fields_.number(
        row, tr("Rings"), n, 1, 1e9, 0, 1, tr("How many rings"), [](const A& a) { return a.layout.rows; },
        [](A& a, double v) { a.layout.rows = static_cast<int>(v); }, only({rings}));
    fields_.number(
        row, tr("Minimum distance"), m, 0, 1e6, 3, 0.1, tr("No two copies are closer than this; fewer may fit"),
        [](const A& a) { return a.layout.carried.least_apart; },
        [](A& a, double v) { a.layout.carried.least_apart = v; }, only({scatter}));
    fields_.number(
        row, tr("Seed"), n, 0, 9e15, 0, 1, tr("Each seed gives other places"),
        [](const A& a) { return static_cast<double>(a.layout.carried.seed); },
        [](A& a, double v) { a.layout.carried.seed = static_cast<std::uint64_t>(v); }, only({scatter}));
    close_row(row);
}

void ArrangePanel::add_spacings(QVBoxLayout* column) {
    constexpr Quantity m = Quantity::metres;
    QHBoxLayout* row = add_row(column);
    fields_.number(
        row, tr("Spacing"), m, 0, 1e6, 3, 0.1, tr("From one copy to the next"),
        [](const A& a) { return a.layout.spacing; }, [](A& a, double v) { a.layout.spacing = v; },
        only({line, grid, box}));
    fields_.number(
        row, tr("Spacing around"), m, 0, 1e6, 3, 0.1, tr("Along the ring from one copy to the next; sets the radius"),
        [](const A& a) { return 2 * std::numbers::pi * a.layout.radius / std::max(a.layout.count, 1); },
        [](A& a, double v) { a.layout.radius = v * a.layout.count / (2 * std::numbers::pi); }, only({ring, rings}));
    fields_.number(
        row, tr("Between rows"), m, 0, 1e6, 3, 0.1, tr("From one row to the next"),
        [](const A& a) { return a.layout.row_spacing; }, [](A& a, double v) { a.layout.row_spacing = v; },
        only({grid, box}));
    fields_.number(
        row, tr("Between layers"), m, 0, 1e6, 3, 0.1, tr("From one layer to the next"),
        [](const A& a) { return a.layout.layer_spacing; }, [](A& a, double v) { a.layout.layer_spacing = v; },
        only({box}));
    fields_.number(
        row, tr("Radius"), m, 0, 1e6, 3, 0.1, tr("Of the ring; of rings, of the innermost one"),
        [](const A& a) { return a.layout.radius; }, [](A& a, double v) { a.layout.radius = v; }, only({ring, rings}));
    fields_.number(
        row, tr("Between rings"), m, 0, 1e6, 3, 0.1, tr("From one ring to the next"),
        [](const A& a) { return a.layout.row_spacing; }, [](A& a, double v) { a.layout.row_spacing = v; },
        only({rings}));
    close_row(row);
}

void ArrangePanel::add_path_row(QVBoxLayout* column) {
    constexpr Quantity m = Quantity::metres;
    QHBoxLayout* row = add_row(column);
    auto* draw = make_button(tr("Draw in the Scene"), tr("Click points of the path on the ground"));
    connect(draw, &QPushButton::clicked, this, [this] { viewing_.draw_path(viewing_.arrangement()); });
    auto* file = make_button(tr("From a file …"), tr("Take the path from a line in OBJ, glTF, USD text or CSV"));
    connect(file, &QPushButton::clicked, this, &ArrangePanel::path_from_file);
    row->addWidget(draw);
    row->addWidget(file);
    fields_.keep({draw, file}, only({curve}));
    fields_.check(
        row, tr("closed"), tr("The path ends where it began"), [](const A& a) { return a.layout.path.closed; },
        [](A& a, bool v) { a.layout.path.closed = v; }, only({curve}));
    fields_.check(
        row, tr("smooth"), tr("A smooth curve through its points, or straight from one to the next"),
        [](const A& a) { return a.layout.path.smooth; }, [](A& a, bool v) { a.layout.path.smooth = v; }, only({curve}));
    fields_.number(
        row, tr("Offset from path"), m, -1e6, 1e6, 3, 0.1, tr("Distance to the right of the path; negative is left"),
        [](const A& a) { return a.layout.path.side; }, [](A& a, double v) { a.layout.path.side = v; }, only({curve}));
    close_row(row);
}

void ArrangePanel::add_carrier_row(QVBoxLayout* column) {
    QHBoxLayout* row = add_row(column);
    carrier_ = make_choice({}, tr("Carrier"), tr("The source on whose faces or points copies stand"), [this](int i) {
        edit_arrangement(tr("Set what carries the copies"),
                         [&](A& a) { a.layout.carried.source = SourceId(carrier_->itemData(i).toULongLong()); });
    });
    auto* on = make_label(tr("On"));
    carrier_timing_ =
        make_choice({}, tr("Carrier's timing"), tr("Which timing moves the points that carry copies"), [this](int i) {
            edit_arrangement(tr("Set the timing of what carries the copies"), [&](A& a) {
                a.layout.carried.timing = TimingId(carrier_timing_->itemData(i).toULongLong());
            });
        });
    auto* moved = make_label(tr("moved by"));
    auto* hide =
        make_button(tr("Hide the carrier"), tr("Hide every arrangement that shows the carrier, so that only the "
                                               "copies on it are seen; or show them again"));
    connect(hide, &QPushButton::clicked, this, [this] {
        const A* now = document_.project().arrangement(viewing_.arrangement());
        if (!now) return;
        const SourceId carrier = now->layout.carried.source;
        document_.edit(tr("Hide or show the carrier itself"), [&](Project& p) -> Result<void> {
            bool all = true;
            for (const A& a : p.arrangements) all = all && (a.source != carrier || a.hidden);
            for (A& a : p.arrangements) {
                if (a.source == carrier && a.id != now->id) a.hidden = !all;
            }
            return {};
        });
    });
    for (QWidget* w : std::initializer_list<QWidget*>{on, carrier_, moved, carrier_timing_, hide}) row->addWidget(w);
    for (QComboBox* box : {carrier_, carrier_timing_}) box->setMaximumWidth(130);
    fields_.keep({on, carrier_, hide}, only({scatter, points}));
    fields_.keep({moved, carrier_timing_}, only({scatter, points}));
    close_row(row);
}

void ArrangePanel::add_swag_row(QVBoxLayout* column) {
    constexpr Quantity m = Quantity::metres, n = Quantity::plain, deg = Quantity::degrees;
    QHBoxLayout* row = add_row(column);
    fields_.number(
        row, tr("Sag"), m, -1e4, 1e4, 3, 0.1, tr("How far the middle of each swag hangs below its posts"),
        [](const A& a) { return a.layout.swag.sag; }, [](A& a, double v) { a.layout.swag.sag = v; },
        only({line, grid, box, ring, rings, curve}));
    fields_
        .number(
            row, tr("Copies between posts"), n, 0, copy_limit, 0, 1,
            tr("Copies from one post to the next; 0: no posts in between"),
            [](const A& a) { return a.layout.swag.every; },
            [](A& a, double v) { a.layout.swag.every = static_cast<int>(v); },
            only({line, grid, box, ring, rings, curve}))
        ->set_word(0, tr("no posts"));
    fields_.number(
        row, tr("Heading"), deg, -3600, 3600, 2, 5, tr("Turns the whole arrangement about the vertical"),
        [](const A& a) { return a.layout.heading; }, [](A& a, double v) { a.layout.heading = v; });
    close_row(row);
}

void ArrangePanel::add_middle_row(QVBoxLayout* column) {
    constexpr Quantity m = Quantity::metres;
    QHBoxLayout* row = add_row(column);
    fields_.number(
        row, tr("Centre x"), m, -1e6, 1e6, 3, 0.1,
        tr("Where the middle of the arrangement is; copies on a source are moved by so much"),
        [](const A& a) { return a.layout.origin.x; }, [](A& a, double v) { a.layout.origin.x = v; });
    fields_.number(
        row, tr("height y"), m, -1e6, 1e6, 3, 0.1, tr("Height of the copies' own origin above the ground"),
        [](const A& a) { return a.layout.origin.y; }, [](A& a, double v) { a.layout.origin.y = v; });
    fields_.number(
        row, tr("z"), m, -1e6, 1e6, 3, 0.1, tr("Where the middle of the arrangement is"),
        [](const A& a) { return a.layout.origin.z; }, [](A& a, double v) { a.layout.origin.z = v; });
    close_row(row);
}

void ArrangePanel::path_from_file() {
    const QString file = QFileDialog::getOpenFileName(
        this, tr("Take a path from a file"), {}, tr("Paths (*.obj *.gltf *.glb *.usda *.usdc *.usd *.usdz *.csv)"));
    if (file.isEmpty()) return;
    const ArrangementId id = viewing_.arrangement();
    document_.jobs().start<PathInFile>(
        this, tr("Reading a path"), [name = file.toStdString()](Progress&) { return read_path(name); },
        [this, id, file](Result<PathInFile> path) {
            if (!path) return emit document_.problem(path.error());
            document_.edit(tr("Take the path from %1").arg(QFileInfo(file).fileName()),
                           [&](Project& p) -> Result<void> {
                               A* a = p.arrangement(id);
                               if (!a) return {};
                               a->layout.path.points = path->points;
                               a->layout.path.closed = path->closed;
                               a->layout.path.smooth = path->smooth;
                               return {};
                           });
        });
}

void ArrangePanel::add_facing_card(QVBoxLayout* to) {
    QVBoxLayout* column = add_card(to, tr("Facing and order"));
    own_.push_back(column->parentWidget());
    add_facing_row(column);
    add_target_row(column);
    add_order_rows(column);
}

void ArrangePanel::add_facing_row(QVBoxLayout* column) {
    constexpr Quantity n = Quantity::plain, deg = Quantity::degrees;
    QHBoxLayout* row = add_row(column);
    fields_.choice(
        row, tr("Facing"),
        {tr("all alike"), tr("along the path"), tr("outward"), tr("direction of travel"), tr("a target"),
         tr("like the carrier")},
        tr("Which way copies face"), [](const A& a) { return static_cast<int>(a.attitude.facing); },
        [this](A& a, int i) {
            a.attitude.facing = static_cast<Facing>(i);
            if (a.attitude.facing == Facing::target && a.attitude.targets.empty())
                a.attitude.targets.push_back({viewing_.frame(), a.layout.origin, Toward::smooth});
        });
    fields_.check(
        row, tr("upright"), tr("Off: copies also follow slopes up and down; on a surface they stand on its normal"),
        [](const A& a) { return a.attitude.upright; }, [](A& a, bool v) { a.attitude.upright = v; },
        [](const A& a) { return a.attitude.facing != Facing::fixed; });
    fields_.number(
        row, tr("Bank"), Quantity::per_cent, 0, 1000, 0, 10,
        tr("How far copies lean into their turns: 100 % is the lean that is in balance"),
        [](const A& a) { return a.attitude.bank * 100; }, [](A& a, double v) { a.attitude.bank = v / 100; },
        [](const A& a) { return a.attitude.facing == Facing::velocity && !a.attitude.upright; });
    fields_.number(
        row, tr("Turn"), deg, -3600, 3600, 2, 5, tr("Turns every copy about the vertical"),
        [](const A& a) { return a.attitude.turn; }, [](A& a, double v) { a.attitude.turn = v; });
    fields_.number(
        row, tr("Size"), n, 0.001, 1e5, 3, 0.05, tr("Size of every copy; 1 is as gathered"),
        [](const A& a) { return a.size; }, [](A& a, double v) { a.size = v; });
    close_row(row);
}

void ArrangePanel::add_target_row(QVBoxLayout* column) {
    constexpr Quantity m = Quantity::metres;
    QHBoxLayout* row = add_row(column);
    auto faces = [](const A& a) { return a.attitude.facing == Facing::target; };
    const QString axes[] = {tr("Target x"), tr("target y"), tr("target z")};
    for (int k = 0; k < 3; ++k) {
        target_[k] = fields_.number(
            row, axes[k], m, -1e6, 1e6, 3, 0.1, tr("What copies face, at the playhead"),
            [this, k](const A& a) { return target_at(a, viewing_.frame())[k]; },
            [this, k](A& a, double v) {
                V3d place = target_at(a, viewing_.frame());
                place[k] = v;
                set_target(a, viewing_.frame(), place);
            },
            faces);
    }
    auto* key = make_button(tr("Key here"), tr("A key of the target at the playhead: it moves from key to key"));
    connect(key, &QPushButton::clicked, this, [this] {
        edit_arrangement(tr("Key the target"),
                         [&](A& a) { key_target(a, viewing_.frame(), target_at(a, viewing_.frame())); });
    });
    auto* still = make_button(tr("Remove target keys"), tr("The target stays where it is now"));
    connect(still, &QPushButton::clicked, this, [this] {
        edit_arrangement(tr("Let the target stand still"), [&](A& a) {
            a.attitude.targets = {{viewing_.frame(), target_at(a, viewing_.frame()), Toward::smooth}};
        });
    });
    row->addWidget(key);
    row->addWidget(still);
    fields_.keep({key, still}, faces);
    close_row(row);
    connect(&viewing_, &Viewing::frame_changed, this, [this] {
        const A* a = document_.project().arrangement(viewing_.arrangement());
        if (!a || !isVisible() || a->attitude.facing != Facing::target || a->attitude.targets.size() < 2) return;
        for (int k = 0; k < 3; ++k) target_[k]->set_value(target_at(*a, viewing_.frame())[k]);
    });
}

void ArrangePanel::add_order_rows(QVBoxLayout* column) {
    constexpr Quantity m = Quantity::metres, n = Quantity::plain;
    QHBoxLayout* row = add_row(column);
    auto by = [](OrderBy what) { return [what](const A& a) { return a.order.by == what; }; };
    fields_.choice(
        row, tr("Order"),
        {tr("as placed"), tr("by x"), tr("by height"), tr("by z"), tr("by distance"), tr("at random"),
         tr("by attribute")},
        tr("The order of the copies: what is given in order follows it, and their numbers"),
        [](const A& a) { return static_cast<int>(a.order.by); },
        [](A& a, int i) {
            a.order.by = static_cast<OrderBy>(i);
            if (a.order.by == OrderBy::attribute && a.order.attribute.empty()) a.order.attribute = "size";
        });
    fields_.check(
        row, tr("reversed"), tr("Start with the last copy"), [](const A& a) { return a.order.reversed; },
        [](A& a, bool v) { a.order.reversed = v; });
    fields_.number(
        row, tr("From x"), m, -1e6, 1e6, 2, 0.1, tr("Nearest to this place first"),
        [](const A& a) { return a.order.from.x; }, [](A& a, double v) { a.order.from.x = v; }, by(OrderBy::distance));
    fields_.number(
        row, tr("from z"), m, -1e6, 1e6, 2, 0.1, tr("Nearest to this place first"),
        [](const A& a) { return a.order.from.z; }, [](A& a, double v) { a.order.from.z = v; }, by(OrderBy::distance));
    fields_.number(
        row, tr("Order seed"), n, 0, 9e15, 0, 1, tr("Each seed gives another order"),
        [](const A& a) { return static_cast<double>(a.order.seed); },
        [](A& a, double v) { a.order.seed = static_cast<std::uint64_t>(v); }, by(OrderBy::random));
    auto* attribute = new QLineEdit;
    attribute->setAccessibleName(tr("Attribute that orders the copies"));
    attribute->setToolTip(tr("An attribute of the points that carry the copies"));
    attribute->setMaximumWidth(110);
    connect(attribute, &QLineEdit::editingFinished, this, [this, attribute] {
        edit_arrangement(tr("Order by \"%1\"").arg(attribute->text()),
                         [&](A& a) { a.order.attribute = attribute->text().toStdString(); });
    });
    row->addWidget(attribute);
    fields_.keep({attribute}, by(OrderBy::attribute),
                 [attribute](const A& a) { attribute->setText(QString::fromStdString(a.order.attribute)); });
    close_row(row);
}

} // namespace garland
