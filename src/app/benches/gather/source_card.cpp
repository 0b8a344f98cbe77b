#include "app/benches/gather/source_card.h"

#include "app/benches/gather/pose_strip.h"
#include "core/base/numbers.h"

#include <QFileDialog>
#include <QMenu>
#include <algorithm>

namespace garland {

namespace {

struct Way {
    SubFrame how;
    QString words;
};

// What can be asked of each kind between its frames; none: it has its own pose at any time.
std::vector<Way> ways_of(const SourceFacts& f) {
    const Way nearest{SubFrame::nearest, SourceCard::tr("nearest")}, linear{SubFrame::linear, SourceCard::tr("linear")},
        smooth{SubFrame::smooth, SourceCard::tr("smooth")}, carried{SubFrame::carried, SourceCard::tr("carried along velocities")};
    switch (f.kind) {
    case SourceKind::mesh_sequence:
        if (f.velocities) return {nearest, carried, {SubFrame::level_set, SourceCard::tr("through a level set (slow)")}};
        return {nearest, {SubFrame::level_set, SourceCard::tr("through a level set (slow)")}};
    case SourceKind::volume:
        if (f.velocities) return {nearest, {SubFrame::linear, SourceCard::tr("mixed")}, {SubFrame::carried, SourceCard::tr("carried along velocity, mixed")}};
        return {nearest, {SubFrame::linear, SourceCard::tr("mixed")}};
    case SourceKind::shapes:
        return {{SubFrame::nearest, SourceCard::tr("stepped")}, {SubFrame::linear, SourceCard::tr("blended straight")}, {SubFrame::smooth, SourceCard::tr("blended smoothly")}};
    case SourceKind::particles: return {nearest, linear, smooth};
    case SourceKind::keyed_parts:
    case SourceKind::water: return {};
    case SourceKind::mesh_cache:
    case SourceKind::pieces: return {nearest, linear, smooth};
    }
    return {nearest, linear, smooth};
}

} // namespace

PairForm::PairForm() {
    setHorizontalSpacing(8);
    setVerticalSpacing(6);
    setColumnStretch(4, 1);
}

void PairForm::put(const QString& label, QWidget* field) {
    addWidget(make_label(label), place_ / 2, place_ % 2 * 2);
    addWidget(field, place_ / 2, place_ % 2 * 2 + 1);
    ++place_;
}

SourceCard::SourceCard(Document& document, PosePictures& pictures, const SourceSpec& spec, QWidget* parent)
    : QFrame(parent), document_(document), id_(spec.id) {
    setObjectName("card");
    column_ = new QVBoxLayout(this);
    column_->setContentsMargins(12, 10, 12, 10);
    column_->setSpacing(7);
    add_head(spec);
    column_->addWidget(new PoseStrip(document_, pictures, id_));
    add_facts(spec);
    add_problems(spec);
    if (spec.water) add_water(spec);
    add_taking(spec);
}

void SourceCard::change(const QString& words, const std::function<Result<void>(SourceSpec&)>& with, const QString& merge) {
    document_.edit(
        words, [&](Project& p) -> Result<void> { return with(*p.source(id_)); },
        merge.isEmpty() ? merge : QString("%1-%2").arg(merge).arg(id_.value));
}

const SourceFacts* SourceCard::facts() const {
    const auto sampler = document_.show()->samplers.find(id_);
    return sampler == document_.show()->samplers.end() ? nullptr : &sampler->second.source()->facts();
}

void SourceCard::line(const QString& text, const char* role) {
    auto* label = make_label(text, role);
    label->setWordWrap(true);
    label->setTextInteractionFlags(Qt::TextSelectableByMouse);
    column_->addWidget(label);
}

QHBoxLayout* SourceCard::mend_line(const QString& text) {
    auto* row = new QHBoxLayout;
    auto* label = make_label(text, "alert");
    label->setWordWrap(true);
    row->addWidget(label, 1);
    column_->addLayout(row);
    return row;
}

void SourceCard::add_head(const SourceSpec& spec) {
    auto* head = new QHBoxLayout;
    auto* name = new QLineEdit(QString::fromStdString(spec.name));
    name->setAccessibleName(tr("Name of the source"));
    name->setToolTip(tr("What the source is called in this project"));
    connect(name, &QLineEdit::editingFinished, this, [this, name] {
        change(tr("Rename the source"), [&](SourceSpec& s) -> Result<void> {
            s.name = name->text().toStdString();
            return {};
        });
    });
    head->addWidget(name, 1);
    if (!spec.water) {
        auto* replace = make_button(tr("Replace…"), tr("Take other files for this source and keep all its rules"));
        connect(replace, &QPushButton::clicked, this, &SourceCard::find_asked);
        head->addWidget(replace);
        add_fast_copy(head);
    }
    auto* remove = make_button(tr("Remove"), tr("Take this source and its copies out of the project; files stay"));
    connect(remove, &QPushButton::clicked, this, [this] {
        document_.edit(tr("Remove the source"), [&](Project& p) -> Result<void> {
            remove_source(p, id_);
            return {};
        });
    });
    head->addWidget(remove);
    column_->addLayout(head);
}

void SourceCard::add_fast_copy(QHBoxLayout* head) {
    const SourceFacts* f = facts();
    if (!f || f->faces_change_at || f->points == 0 || f->kind == SourceKind::volume || f->kind == SourceKind::particles) return;
    auto* fast = make_button(tr("Fast copy"), tr("Write the source again as arrays that are mapped into memory, and use the copy"));
    auto* menu = new QMenu(fast);
    // What is kept is ticked; nothing ticked is a bare mesh.
    const std::vector<std::string> all = can_keep(*f);
    QList<QAction*> ticks;
    auto* keep = new QMenu(tr("Keep"), menu);
    for (const std::string& name : all) {
        auto* tick = keep->addAction(QString::fromStdString(name));
        tick->setCheckable(true);
        tick->setChecked(true);
        ticks << tick;
    }
    auto kept = [ticks, all] {
        std::vector<std::string> names;
        for (int i = 0; i < ticks.size(); ++i) {
            if (ticks[i]->isChecked()) names.push_back(all[static_cast<std::size_t>(i)]);
        }
        return names;
    };
    auto add = [&](const QString& words, NpyType type, bool velocities) {
        const double bytes = fast_copy_bytes(*f, {{}, type, velocities});
        menu->addAction(tr("%1, %2…").arg(words, QString::fromStdString(byte_count(bytes))), this, [this, type, velocities, kept] {
            QString path = QFileDialog::getSaveFileName(this, tr("Write the fast copy"), {}, tr("Mesh and arrays (*.ply)"));
            if (path.endsWith(".ply", Qt::CaseInsensitive)) path.chop(4);
            if (!path.isEmpty()) document_.fast_copy(id_, {path.toStdString(), type, velocities, Existing::replace, kept()});
        });
    };
    add(tr("Full floats"), NpyType::f32, true);
    add(tr("Half floats"), NpyType::f16, true);
    if (f->velocities) {
        add(tr("Full floats without velocities"), NpyType::f32, false);
        add(tr("Half floats without velocities"), NpyType::f16, false);
    }
    if (!all.empty()) menu->addMenu(keep);
    fast->setProperty("opens", true); // room for its arrow
    fast->setMenu(menu);
    head->addWidget(fast);
}

void SourceCard::add_facts(const SourceSpec& spec) {
    const SourceFacts* f = facts();
    if (!f) return;
    QStringList has;
    if (f->velocities && f->kind != SourceKind::volume) has << tr("velocities");
    if (f->normals) has << tr("normals");
    if (f->uvs) has << tr("texture coordinates");
    if (f->colours) has << tr("colours");
    if (f->kind != SourceKind::volume) {
        for (const auto& a : f->attributes) has << QString::fromStdString(a);
    }
    line(tr("%1 · %2 · frames %3–%4 (%5)")
             .arg(QString::fromUtf8(to_text(f->kind)), QString::fromStdString(f->format))
             .arg(f->first)
             .arg(f->last)
             .arg(f->frames()),
         nullptr);
    const QString points = f->kind == SourceKind::particles ? tr("up to %1").arg(QString::fromStdString(counted(static_cast<long long>(f->most_points), "particle", "particles")))
                           : f->kind == SourceKind::volume ? tr("up to %1").arg(QString::fromStdString(counted(static_cast<long long>(f->most_points), "voxel", "voxels")))
                                                           : QString::fromStdString(counted(static_cast<long long>(f->points), "point", "points"));
    QString more = points;
    if (f->faces > 0) more += " · " + QString::fromStdString(counted(static_cast<long long>(f->faces), "face", "faces"));
    if (f->pieces > 0) more += " · " + QString::fromStdString(counted(static_cast<long long>(f->pieces), "part", "parts"));
    if (!spec.water) more += tr(" · %1 on disk").arg(QString::fromStdString(byte_count(f->bytes_on_disk)));
    if (!has.isEmpty()) more += tr(" · with %1").arg(has.join(", "));
    line(more, "muted");
    if (ways_of(*f).empty()) line(tr("Exact at any time: a pose between frames is its own, not a mix."), "muted");
    if (spec.changes_from) line(tr("Points or faces may change from frame %1 on.").arg(*spec.changes_from), "muted");
}

void SourceCard::add_problems(const SourceSpec& spec) {
    for (const MissingSource& m : document_.missing()) {
        if (m.id != id_) continue;
        line(QString::fromStdString(describe(m.error)), "alert");
        auto* find = make_button(tr("Find the files…"), tr("Say where this source's files are now"));
        find->setObjectName("primary");
        connect(find, &QPushButton::clicked, this, &SourceCard::find_asked);
        column_->addWidget(find, 0, Qt::AlignLeft);
    }
    const SourceFacts* f = facts();
    if (!f) return;
    auto leave_out = [this](QHBoxLayout* row, std::int64_t frame) {
        auto* drop = make_button(tr("Leave frame %1 out").arg(frame), tr("Treat it as missing; the file stays as it is"));
        connect(drop, &QPushButton::clicked, this, [this, frame] {
            change(tr("Leave frame %1 out").arg(frame), [&](SourceSpec& s) -> Result<void> {
                s.dropped.insert(std::lower_bound(s.dropped.begin(), s.dropped.end(), frame), frame);
                return {};
            });
        });
        row->addWidget(drop);
    };
    if (f->faces_change_at && !spec.changes_from) {
        const std::int64_t frame = *f->faces_change_at;
        auto* row = mend_line(tr("• Points or faces change at frame %1; poses between frames cannot be mixed from there on.").arg(frame));
        auto* treat = make_button(tr("Treat as changing faces"), tr("They are meant to change: show the nearest frame, or carry it along its velocities"));
        connect(treat, &QPushButton::clicked, this, [this, frame, carries = f->velocities] {
            change(tr("Treat as changing faces from frame %1").arg(frame), [&](SourceSpec& s) -> Result<void> {
                s.changes_from = frame;
                if (s.sub_frame == SubFrame::linear || s.sub_frame == SubFrame::smooth) s.sub_frame = carries ? SubFrame::carried : SubFrame::nearest;
                return {};
            });
        });
        row->addWidget(treat);
        if (frame > f->first) leave_out(row, frame);
    }
    for (const SourceProblem& problem : f->problems) {
        const bool gap = problem.frame && std::binary_search(f->missing.begin(), f->missing.end(), *problem.frame);
        const std::string advice = gap && spec.gaps == GapMend::blend ? "poses are blended across" : problem.advice;
        auto* row = mend_line(QString::fromStdString("• " + problem.what + "; " + advice + "."));
        if (gap) {
            const bool blends = spec.gaps == GapMend::blend;
            auto* mend = make_button(blends ? tr("Hold instead") : tr("Blend across"), tr("What stands in for frames that are not there"));
            connect(mend, &QPushButton::clicked, this, [this, blends] {
                change(tr("Set how gaps are bridged"), [&](SourceSpec& s) -> Result<void> {
                    s.gaps = blends ? GapMend::hold : GapMend::blend;
                    return {};
                });
            });
            row->addWidget(mend);
        } else if (problem.frame && *problem.frame > f->first) {
            leave_out(row, *problem.frame);
        }
    }
    if (!spec.dropped.empty()) {
        auto* row = new QHBoxLayout;
        row->addWidget(make_label(tr("Left out: %1").arg(QString::fromStdString(frame_list(spec.dropped))), "muted"), 1);
        auto* back = make_button(tr("Take back"), tr("Use all frames again"));
        connect(back, &QPushButton::clicked, this, [this] {
            change(tr("Take left-out frames back"), [](SourceSpec& s) -> Result<void> {
                s.dropped.clear();
                return {};
            });
        });
        row->addWidget(back);
        column_->addLayout(row);
    }
}

void SourceCard::add_taking(const SourceSpec& spec) {
    const SourceFacts* f = facts();
    auto* form = new PairForm;
    auto put = [form](const QString& label, QWidget* field) { form->put(label, field); };
    auto* rate = new QLineEdit(QString::fromStdString(to_text(spec.rate)));
    rate->setMaximumWidth(110);
    rate->setAccessibleName(tr("Frame rate of the files"));
    rate->setToolTip(tr("Frames a second in the files: 24, 23.976, 24000/1001"));
    connect(rate, &QLineEdit::editingFinished, this, [this, rate] {
        change(tr("Set the source's frame rate"), [&](SourceSpec& s) -> Result<void> {
            GARLAND_TRY(r, parse_rate(rate->text().toStdString()));
            s.rate = r;
            return {};
        });
        if (const auto* s = document_.project().source(id_)) rate->setText(QString::fromStdString(to_text(s->rate)));
    });
    put(tr("Rate"), rate);
    auto* first = make_number(Quantity::source_frames, -1e9, 1e9, 0, tr("First frame"), tr("What the first frame is called here"));
    first->set_value(static_cast<double>(spec.first.value_or(f ? f->first : 0)));
    connect(first, &NumberField::edited, this, [this](double v) {
        change(
            tr("Set the source's first frame"),
            [&](SourceSpec& s) -> Result<void> {
                s.first = static_cast<std::int64_t>(v);
                return {};
            },
            "first-frame");
    });
    put(tr("First frame"), first);
    // A choice that sets one value.
    auto choose = [&](const QStringList& texts, int now, const QString& name, const QString& tip, const QString& words, auto set) {
        auto* box = make_choice(texts, name, tip, [this, words, set](int i) {
            change(words, [&](SourceSpec& s) -> Result<void> {
                set(s, i);
                return {};
            });
        });
        box->setCurrentIndex(now);
        return box;
    };
    put(tr("Joins"), choose({tr("by clock"), tr("frame for frame")}, static_cast<int>(spec.join), tr("Joins the project"),
                            tr("By clock: seconds agree. Frame for frame: every frame lasts one output frame."), tr("Set how the source joins"),
                            [](SourceSpec& s, int i) { s.join = static_cast<Join>(i); }));
    std::vector<Way> ways = ways_of(f ? *f : SourceFacts{});
    if (!ways.empty()) {
        auto now = std::find_if(ways.begin(), ways.end(), [&](const Way& w) { return w.how == spec.sub_frame; });
        if (now == ways.end()) { // set before the source changed its kind: still said, so that nothing is hidden
            ways.push_back({spec.sub_frame, tr("%1 (shows the nearest)").arg(to_text(spec.sub_frame))});
            now = std::prev(ways.end());
        }
        QStringList texts;
        for (const Way& way : ways) texts << way.words;
        put(tr("Between frames"), choose(texts, static_cast<int>(now - ways.begin()), tr("Between frames"),
                                         tr("How a pose between two frames is made. Smooth follows the velocities, or goes through the frames on both sides where there are none."),
                                         tr("Set poses between frames"), [ways](SourceSpec& s, int i) { s.sub_frame = ways[static_cast<std::size_t>(i)].how; }));
    }
    if (!spec.water) {
        put(tr("Files have"), choose({tr("y up"), tr("z up")}, static_cast<int>(spec.up), tr("Up axis"), tr("Which way is up in the files; scenes have y up"),
                                     tr("Set the source's up axis"), [](SourceSpec& s, int i) { s.up = static_cast<UpAxis>(i); }));
        auto* scale = make_number(Quantity::plain, 1e-6, 1e6, 6, tr("Scale"), tr("Metres in one unit of the files: 0.01 for centimetres"));
        scale->set_step(0.1);
        scale->set_value(spec.scale);
        connect(scale, &NumberField::edited, this, [this](double v) {
            change(
                tr("Set the source's scale"),
                [&](SourceSpec& s) -> Result<void> {
                    s.scale = v;
                    return {};
                },
                "source-scale");
        });
        put(tr("Scale"), scale);
    }
    if (f && !f->missing.empty()) {
        put(tr("Missing frames"), choose({tr("hold the frame before"), tr("blend across")}, static_cast<int>(spec.gaps), tr("Missing frames"),
                                         tr("What stands in for frames that are not there"), tr("Set how gaps are bridged"),
                                         [](SourceSpec& s, int i) { s.gaps = static_cast<GapMend>(i); }));
    }
    if (f && f->root) {
        put(tr("Root motion"), choose({tr("taken along"), tr("left out")}, static_cast<int>(spec.root), tr("Root motion"),
                                      tr("Taken along: copies travel as the root does. Left out: the root stays where it is at the first frame."), tr("Set the root motion"),
                                      [](SourceSpec& s, int i) { s.root = static_cast<RootMotion>(i); }));
    }
    if (f && f->kind == SourceKind::mesh_cache && f->faces > 0) {
        put(tr("Normals between"), choose({tr("blended"), tr("made anew")}, spec.fresh_normals ? 1 : 0, tr("Normals of poses between frames"),
                                          tr("Blended from both frames, or made anew from the faces"), tr("Set the normals between frames"),
                                          [](SourceSpec& s, int i) { s.fresh_normals = i == 1; }));
    }
    if (spec.sub_frame == SubFrame::level_set) {
        auto* voxel = make_number(Quantity::plain, 0, 1e6, 6, tr("Voxel size"), tr("Of the level set, in units of the files: smaller is finer and slower. 0: a hundredth of the longest side"));
        voxel->set_step(0.01);
        voxel->set_value(spec.voxel);
        connect(voxel, &NumberField::edited, this, [this](double v) {
            change(
                tr("Set the voxel size"),
                [&](SourceSpec& s) -> Result<void> {
                    s.voxel = v;
                    return {};
                },
                "voxel");
        });
        put(tr("Voxel size"), voxel);
    }
    if (!spec.shapes.empty()) {
        auto* each = make_number(Quantity::source_frames, 1, 100'000, 0, tr("Frames a shape"), tr("How many frames each shape is shown"));
        each->set_value(static_cast<double>(spec.shape_frames));
        connect(each, &NumberField::edited, this, [this](double v) {
            change(
                tr("Set how long a shape is shown"),
                [&](SourceSpec& s) -> Result<void> {
                    s.shape_frames = static_cast<std::int64_t>(v);
                    return {};
                },
                "shape-frames");
        });
        put(tr("Frames a shape"), each);
    }
    column_->addLayout(form);
}

} // namespace garland
