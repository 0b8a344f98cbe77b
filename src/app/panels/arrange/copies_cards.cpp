// What copies show and when, how they differ, and what is singled out of them.
#include "app/panels/arrange/arrange_panel.h"
#include "app/widgets/curve_edit.h"
#include "core/base/numbers.h"
#include "core/project/varying.h"

namespace garland {

namespace {
using A = Arrangement;
}

void ArrangePanel::add_sources_card(QVBoxLayout* to) {
    QVBoxLayout* column = add_card(to, tr("What they show"));
    QHBoxLayout* row = add_row(column);
    source_ = make_choice({}, tr("Source"), tr("What the copies show"), [this](int i) {
        edit_arrangement(tr("Set the source of the copies"),
                         [&](A& a) { a.source = SourceId(source_->itemData(i).toULongLong()); });
    });
    timing_ = make_choice({}, tr("Timing"), tr("The timing the copies follow"), [this](int i) {
        edit_arrangement(tr("Set the timing of the copies"),
                         [&](A& a) { a.timing = TimingId(timing_->itemData(i).toULongLong()); });
    });
    row->addWidget(make_label(tr("Source")));
    row->addWidget(source_);
    auto weighed = [](const A& a) { return !a.choice.variants.empty() && !a.choice.in_turn; };
    fields_.number(
        row, tr("Weight"), Quantity::plain, 0, 1e6, 2, 0.1,
        tr("How often this source is chosen; 2 is twice as often as 1"), [](const A& a) { return a.choice.own_weight; },
        [](A& a, double v) { a.choice.own_weight = v; }, weighed);
    row->addWidget(make_label(tr("Timing")));
    row->addWidget(timing_);
    for (QComboBox* box : {source_, timing_}) box->setMaximumWidth(130);
    close_row(row);
    variants_ = new QVBoxLayout;
    variants_->setSpacing(4);
    column->addLayout(variants_);
    row = add_row(column);
    more_sources_ = make_choice({}, tr("Another source"), tr("Let some copies show another source"), [this](int i) {
        const SourceId id(more_sources_->itemData(i).toULongLong());
        if (id) edit_arrangement(tr("Add a source to the copies"), [&](A& a) { a.choice.variants.push_back({id, 1}); });
    });
    row->addWidget(more_sources_);
    auto several = [](const A& a) { return !a.choice.variants.empty(); };
    fields_.check(
        row, tr("in turn"), tr("Sources one after the other in order, instead of by weight and chance"),
        [](const A& a) { return a.choice.in_turn; }, [](A& a, bool v) { a.choice.in_turn = v; }, several);
    fields_.number(
        row, tr("Variant seed"), Quantity::plain, 0, 9e15, 0, 1, tr("Each seed gives other choices"),
        [](const A& a) { return static_cast<double>(a.choice.seed); },
        [](A& a, double v) { a.choice.seed = static_cast<std::uint64_t>(v); }, weighed);
    close_row(row);
    row = add_row(column);
    root_words_ = make_label({}, "muted");
    root_words_->setWordWrap(true);
    root_switch_ =
        make_button({}, tr("Whether copies follow the source's root motion. Applies to every copy of this source."));
    connect(root_switch_, &QPushButton::clicked, this, [this] {
        const A* a = document_.project().arrangement(viewing_.arrangement());
        if (!a) return;
        const SourceId id = a->source;
        document_.edit(tr("Set the root motion"), [&](Project& p) -> Result<void> {
            SourceSpec& s = *p.source(id);
            s.import_settings.root =
                s.import_settings.root == RootMotion::along ? RootMotion::left_out : RootMotion::along;
            return {};
        });
    });
    row->addWidget(root_words_, 1);
    row->addWidget(root_switch_);
}

void ArrangePanel::show_sources(const A& a) {
    const Project& p = document_.project();
    clear_layout(variants_);
    for (std::size_t i = 0; i < a.choice.variants.size(); ++i) {
        auto* line = new QWidget;
        auto* row = new QHBoxLayout(line);
        row->setContentsMargins(0, 0, 0, 0);
        row->setSpacing(6);
        const SourceSpec* s = p.source(a.choice.variants[i].source);
        row->addWidget(make_label(tr("or %1").arg(s ? QString::fromStdString(s->name) : tr("missing source"))));
        if (!a.choice.in_turn) {
            auto* weight = make_number(Quantity::plain, 0, 1e6, 2, tr("Weight of this source"),
                                       tr("How often this source among all"));
            weight->set_value(a.choice.variants[i].weight);
            weight->setMaximumWidth(72);
            connect(weight, &NumberField::settled, this, [this, weight, i] {
                const double v = weight->value();
                QMetaObject::invokeMethod(
                    this,
                    [this, i, v] {
                        edit_arrangement(tr("Set the weight of a source"), [&](A& b) {
                            if (i < b.choice.variants.size()) b.choice.variants[i].weight = v;
                        });
                    },
                    Qt::QueuedConnection);
            });
            row->addWidget(make_label(tr("weight")));
            row->addWidget(weight);
        }
        auto* remove = make_button(tr("Remove"), tr("Stop using this source"));
        connect(remove, &QPushButton::clicked, this, [this, i] {
            QMetaObject::invokeMethod(
                this,
                [this, i] {
                    edit_arrangement(tr("Remove a source from the copies"), [&](A& b) {
                        if (i < b.choice.variants.size())
                            b.choice.variants.erase(b.choice.variants.begin() + static_cast<std::ptrdiff_t>(i));
                    });
                },
                Qt::QueuedConnection);
        });
        row->addWidget(remove);
        row->addStretch(1);
        variants_->addWidget(line);
    }
    more_sources_->clear();
    more_sources_->addItem(tr("Add a source …"), QVariant::fromValue<qulonglong>(0));
    for (const SourceSpec& s : p.sources)
        more_sources_->addItem(QString::fromStdString(s.name), QVariant::fromValue<qulonglong>(s.id.value));
    more_sources_->setVisible(p.sources.size() > 1 && !a.single_out);

    const auto open = document_.library().open().find(a.source);
    const SourceSpec* spec = p.source(a.source);
    const bool root = spec && open != document_.library().open().end() && open->second.source->facts().root;
    const bool along = spec && spec->import_settings.root == RootMotion::along;
    root_words_->setText(!root   ? tr("The source has no motion of its own as a whole: copies stay at their places.")
                         : along ? tr("Copies go where the source goes as a whole: its root motion is followed.")
                                 : tr("Copies stay at their places: the source's root motion is left out."));
    root_switch_->setVisible(root);
    root_switch_->setText(along ? tr("Ignore root motion") : tr("Follow root motion"));
}

void ArrangePanel::add_start_card(QVBoxLayout* to) {
    QVBoxLayout* column = add_card(to, tr("When they begin"));
    QHBoxLayout* row = add_row(column);
    fields_.choice(
        row, tr("Start"), {tr("with the shot"), tr("when they are born"), tr("at a frame"), tr("all together")},
        tr("With the shot: follow the timing. At birth: when the carrying point is born. At a frame: the timing starts "
           "there.\nTogether: hold the first pose until that frame, then all start."),
        [](const A& a) { return static_cast<int>(a.begins.kind); },
        [this](A& a, int i) {
            a.begins.kind = static_cast<StartKind>(i);
            if (a.begins.kind == StartKind::at_frame || a.begins.kind == StartKind::together)
                a.begins.frame = viewing_.frame();
        });
    fields_.number(
        row, tr("At frame"), Quantity::output_frames, -frame_limit, frame_limit, 2, 1,
        tr("The output frame at which they begin"), [](const A& a) { return a.begins.frame.value; },
        [](A& a, double v) { a.begins.frame = OutputFrame(v); },
        [](const A& a) { return a.begins.kind == StartKind::at_frame || a.begins.kind == StartKind::together; });
    fields_
        .number(
            row, tr("Total passes"), Quantity::plain, 0, 1e6, 0, 1,
            tr("Total number of passes per copy, then the last pose is held. 0: use the timing's setting"),
            [](const A& a) { return a.begins.passes; }, [](A& a, double v) { a.begins.passes = static_cast<int>(v); })
        ->set_word(0, tr("as timed"));
    close_row(row);
    row = add_row(column);
    fields_.check(
        row, tr("hidden until their motion starts"),
        tr("Hide each copy until its own time reaches the timing's first frame"),
        [](const A& a) { return a.begins.hidden_before; }, [](A& a, bool v) { a.begins.hidden_before = v; });
    fields_.check(
        row, tr("hide the whole arrangement"), tr("None of its copies are shown, checked or written"),
        [](const A& a) { return a.hidden; }, [](A& a, bool v) { a.hidden = v; });
    close_row(row);
    row = add_row(column);
    hidden_words_ = make_label({}, "muted");
    hide_ = make_button(tr("Hide selected copies"), tr("They keep their values and come back as they were"));
    connect(hide_, &QPushButton::clicked, this, [this] {
        const std::vector<CopyId> ids = picked();
        edit_arrangement(tr("Hide %1").arg(QString::fromStdString(counted(ids.size(), "copy", "copies"))), [&](A& a) {
            std::vector<CopyId> all;
            std::set_union(a.hidden_copies.begin(), a.hidden_copies.end(), ids.begin(), ids.end(),
                           std::back_inserter(all));
            a.hidden_copies = all;
        });
    });
    show_all_ = make_button(tr("Show all hidden copies"), tr("Clear all manual hiding"));
    connect(show_all_, &QPushButton::clicked, this,
            [this] { edit_arrangement(tr("Show all copies"), [](A& a) { a.hidden_copies.clear(); }); });
    row->addWidget(hidden_words_);
    row->addWidget(hide_);
    row->addWidget(show_all_);
    close_row(row);
}

void ArrangePanel::add_differences_card(QVBoxLayout* to) {
    QVBoxLayout* column = add_card(to, tr("Jitter"));
    own_.push_back(column->parentWidget());
    QHBoxLayout* row = add_row(column);
    const Quantity m = Quantity::metres;
    fields_.number(
        row, tr("Place x"), m, 0, 1e6, 3, 0.05, tr("Largest random offset, either way"),
        [](const A& a) { return a.jitter.position.x; }, [](A& a, double v) { a.jitter.position.x = v; });
    fields_.number(
        row, tr("y"), m, 0, 1e6, 3, 0.05, tr("The same in height"), [](const A& a) { return a.jitter.position.y; },
        [](A& a, double v) { a.jitter.position.y = v; });
    fields_.number(
        row, tr("z"), m, 0, 1e6, 3, 0.05, tr("The same along z"), [](const A& a) { return a.jitter.position.z; },
        [](A& a, double v) { a.jitter.position.z = v; });
    close_row(row);
    row = add_row(column);
    fields_.number(
        row, tr("Turn ±"), Quantity::degrees, 0, 3600, 1, 5, tr("Copies are turned by up to so much either way"),
        [](const A& a) { return a.jitter.turn; }, [](A& a, double v) { a.jitter.turn = v; });
    fields_.number(
        row, tr("Size ±"), Quantity::per_cent, 0, 99, 1, 1, tr("Copies are up to so much larger or smaller"),
        [](const A& a) { return a.jitter.size * 100; }, [](A& a, double v) { a.jitter.size = v / 100; });
    fields_.number(
        row, tr("Jitter seed"), Quantity::plain, 0, 9e15, 0, 1, tr("Each seed gives other differences"),
        [](const A& a) { return static_cast<double>(a.jitter.seed); },
        [](A& a, double v) { a.jitter.seed = static_cast<std::uint64_t>(v); });
    close_row(row);
    row = add_row(column);
    for (bool wide : {true, false}) {
        auto* edit = new CurveEdit(0, 3, 1, false);
        edit->setAccessibleName(wide ? tr("Width along the order") : tr("Height along the order"));
        connect(edit, &CurveEdit::edited, this, [this, wide](const KeyedCurve& curve) {
            KeyedCurve usable = curve;
            for (CurveKey& k : usable) k.value = std::max(k.value, 0.01); // a copy without width is none
            edit_arrangement(
                wide ? tr("Set the width along the order") : tr("Set the height along the order"),
                [&](A& a) { (wide ? a.stretch.width : a.stretch.height) = usable; },
                wide ? "stretch-width" : "stretch-height");
        });
        connect(edit, &CurveEdit::settled, &document_, &Document::end_merge);
        auto* words = make_label(wide ? tr("Width, first to last") : tr("height"));
        row->addWidget(words);
        row->addWidget(edit);
        fields_.keep({words, edit}, {},
                     [edit, wide](const A& a) { edit->set_curve(wide ? a.stretch.width : a.stretch.height); });
    }
    close_row(row);
    auto* words = make_label(tr("From the first copy to the last, however many there are; up to three times as wide or "
                                "high. The length is kept."),
                             "muted");
    words->setWordWrap(true);
    column->addWidget(words);
}

void ArrangePanel::add_single_card(QVBoxLayout* to) {
    QVBoxLayout* column = add_card(to, tr("Singled out"));
    single_words_ = make_label({}, "muted");
    single_words_->setWordWrap(true);
    column->addWidget(single_words_);
    QHBoxLayout* row = add_row(column);
    single_out_ =
        make_button(tr("Single out selected copies"),
                    tr("Move the selected copies to a new arrangement. Values stay; timing becomes independent."));
    connect(single_out_, &QPushButton::clicked, this, &ArrangePanel::single_out_picked);
    part_ = make_choice(
        {}, tr("Single out a part"),
        tr("One part of every copy into an arrangement of its own: with the same values, and a timing of its own"),
        [this](int i) {
            if (i > 0) single_out_part(part_->itemText(i));
        });
    row->addWidget(single_out_);
    row->addWidget(part_);
    close_row(row);
}

void ArrangePanel::show_single(const A& a) {
    const auto hidden = static_cast<long long>(a.hidden_copies.size());
    const std::size_t chosen = picked().size();
    hidden_words_->setText(
        hidden ? tr("%1 hidden by hand").arg(QString::fromStdString(counted(hidden, "copy", "copies"))) : QString());
    hidden_words_->setVisible(hidden > 0);
    hide_->setEnabled(chosen > 0);
    show_all_->setVisible(hidden > 0);
    single_out_->setVisible(!a.single_out);
    single_out_->setEnabled(chosen > 0);
    QStringList parts;
    if (const auto open = document_.library().open().find(a.source);
        open != document_.library().open().end() && !a.single_out) {
        for (const std::string& name : part_names(*open->second.source)) parts << QString::fromStdString(name);
    }
    part_->clear();
    part_->addItem(tr("Single out a part …"));
    part_->addItems(parts);
    part_->setVisible(parts.size() > 1);
    const A* from = a.single_out ? document_.project().arrangement(a.single_out->from) : nullptr;
    if (from) {
        const QString what = a.single_out->part.empty()
                                 ? QString::fromStdString(counted(a.single_out->copies.size(), "copy", "copies"))
                                 : tr("the part \"%1\"").arg(QString::fromStdString(a.single_out->part));
        single_words_->setText(tr("This is %1 of \"%2\". Places and spreads are that arrangement's, so every copy "
                                  "keeps its values; timing, wobble, start, and spreads added here are its own.")
                                   .arg(what, QString::fromStdString(from->name)));
    } else {
        single_words_->setText(
            chosen ? tr("%1 selected.")
                         .arg(QString::fromStdString(counted(static_cast<long long>(chosen), "copy", "copies")))
                   : tr("Select copies in the Scene, the Lanes or the plan to give them their own timing."));
    }
}

} // namespace garland
