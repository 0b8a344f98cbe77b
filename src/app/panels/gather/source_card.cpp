#include "app/panels/gather/source_card.h"

#include "app/panels/gather/pose_strip.h"
#include "core/base/numbers.h"

#include <QFileDialog>
#include <QMenu>
#include <algorithm>

namespace garland {

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
    add_import_settings(spec);
}

void SourceCard::change(const QString& words, const std::function<Result<void>(SourceSpec&)>& with,
                        const QString& merge) {
    if (!document_.project().source(id_)) return; // a card that is about to go
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
        auto* replace = make_button(tr("Replace…"), tr("Use other files; all settings are kept"));
        connect(replace, &QPushButton::clicked, this, &SourceCard::find_asked);
        head->addWidget(replace);
        add_fast_copy(head);
    }
    auto* remove =
        make_button(tr("Remove"), tr("Remove this source and its copies from the project; files on disk are kept"));
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
    if (!f || !can_copy(*f)) return;
    const bool grids = f->kind == SourceKind::volume, dots = f->kind == SourceKind::particles;
    auto* fast = make_button(
        tr("Fast copy"), grids ? tr("Rewrite the grids unpacked, for faster reading, and use the new files")
                               : tr("Write the source again as arrays that are mapped into memory, and use the copy"));
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
    const QString ending = grids ? ".vdb" : dots ? ".npy" : ".ply";
    const QString filter = grids  ? tr("OpenVDB series (*.vdb)")
                           : dots ? tr("Arrays (*.npy)")
                                  : tr("Mesh and arrays (*.ply)");
    auto add = [&](const QString& words, NpyType type, bool velocities) {
        const double bytes = fast_copy_bytes(*f, {{}, type, velocities});
        menu->addAction(
            (grids ? tr("%1, at most %2…") : tr("%1, %2…")).arg(words, QString::fromStdString(byte_count(bytes))), this,
            [this, type, velocities, kept, ending, filter] {
                QString path = QFileDialog::getSaveFileName(this, tr("Write the fast copy"), {}, filter);
                if (path.endsWith(ending, Qt::CaseInsensitive)) path.chop(4);
                if (!path.isEmpty())
                    document_.library().fast_copy(id_,
                                                  {path.toStdString(), type, velocities, Existing::replace, kept()});
            });
    };
    add(tr("Full floats"), NpyType::f32, true);
    add(tr("Half floats"), NpyType::f16, true);
    if (f->carries.velocities && !grids) {
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
    if (f->carries.velocities && f->kind != SourceKind::volume) has << tr("velocities");
    if (f->carries.normals) has << (f->carries.normal_corners > 0 ? tr("normals of corners") : tr("normals"));
    if (f->carries.uvs) has << tr("texture coordinates");
    if (f->carries.colours) has << tr("colours");
    if (f->kind != SourceKind::volume) {
        for (const auto& a : f->carries.attributes) has << QString::fromStdString(a);
    }
    line(tr("%1 · %2 · frames %3–%4 (%5)")
             .arg(QString::fromUtf8(to_text(f->kind)), QString::fromStdString(f->format))
             .arg(f->first)
             .arg(f->last)
             .arg(f->frames()),
         nullptr);
    const QString points = f->kind == SourceKind::particles
                               ? tr("up to %1")
                                     .arg(QString::fromStdString(counted(static_cast<long long>(f->varies.most_points),
                                                                         "particle", "particles")))
                           : f->kind == SourceKind::volume
                               ? tr("up to %1")
                                     .arg(QString::fromStdString(
                                         counted(static_cast<long long>(f->varies.most_points), "voxel", "voxels")))
                               : QString::fromStdString(counted(static_cast<long long>(f->points), "point", "points"));
    QString more = points;
    if (f->faces > 0)
        more += " · " + QString::fromStdString(counted(static_cast<long long>(f->faces), "face", "faces"));
    if (f->pieces > 0)
        more += " · " + QString::fromStdString(counted(static_cast<long long>(f->pieces), "part", "parts"));
    if (!spec.water) more += tr(" · %1 on disk").arg(QString::fromStdString(byte_count(f->bytes_on_disk)));
    if (!has.isEmpty()) more += tr(" · with %1").arg(has.join(", "));
    line(more, "muted");
    if (exact_at_any_time(*f)) line(tr("Exact at any time: in-between poses are computed, not blended."), "muted");
    if (spec.changes_from) line(tr("Points or faces may change from frame %1 on.").arg(*spec.changes_from), "muted");
}

void SourceCard::offer_to_leave_out(QHBoxLayout* row, std::int64_t frame) {
    auto* drop = make_button(tr("Leave frame %1 out").arg(frame), tr("Treat it as missing; the file stays as it is"));
    connect(drop, &QPushButton::clicked, this, [this, frame] {
        change(tr("Leave frame %1 out").arg(frame), [&](SourceSpec& s) -> Result<void> {
            s.import_settings.dropped.insert(
                std::lower_bound(s.import_settings.dropped.begin(), s.import_settings.dropped.end(), frame), frame);
            return {};
        });
    });
    row->addWidget(drop);
}

void SourceCard::add_left_out(const SourceSpec& spec) {
    if (spec.import_settings.dropped.empty()) return;
    auto* row = new QHBoxLayout;
    row->addWidget(
        make_label(tr("Left out: %1").arg(QString::fromStdString(frame_list(spec.import_settings.dropped))), "muted"),
        1);
    auto* back = make_button(tr("Restore"), tr("Use all frames again"));
    connect(back, &QPushButton::clicked, this, [this] {
        change(tr("Use left-out frames again"), [](SourceSpec& s) -> Result<void> {
            s.import_settings.dropped.clear();
            return {};
        });
    });
    row->addWidget(back);
    column_->addLayout(row);
}

void SourceCard::add_problems(const SourceSpec& spec) {
    for (const MissingSource& m : document_.library().missing()) {
        if (m.id != id_) continue;
        line(QString::fromStdString(describe(m.error)), "alert");
        auto* find = make_button(tr("Find the files…"), tr("Say where this source's files are now"));
        find->setObjectName("primary");
        connect(find, &QPushButton::clicked, this, &SourceCard::find_asked);
        column_->addWidget(find, 0, Qt::AlignLeft);
    }
    const SourceFacts* f = facts();
    if (!f) return;
    if (f->varies.faces_change_at && !spec.changes_from) {
        const std::int64_t frame = *f->varies.faces_change_at;
        auto* row =
            mend_line(tr("• Points or faces change at frame %1; poses cannot be blended from there on.").arg(frame));
        auto* treat =
            make_button(tr("Treat as changing faces"),
                        tr("They are meant to change: show the nearest frame, or carry it along its velocities"));
        connect(treat, &QPushButton::clicked, this, [this, frame, carries = f->carries.velocities] {
            change(tr("Treat as changing faces from frame %1").arg(frame), [&](SourceSpec& s) -> Result<void> {
                s.changes_from = frame;
                if (s.import_settings.how == SubFrame::linear || s.import_settings.how == SubFrame::smooth)
                    s.import_settings.how = carries ? SubFrame::carried : SubFrame::nearest;
                return {};
            });
        });
        row->addWidget(treat);
        if (frame > f->first) offer_to_leave_out(row, frame);
    }
    for (const SourceProblem& problem : f->problems) {
        const bool gap = problem.frame && std::binary_search(f->missing.begin(), f->missing.end(), *problem.frame);
        const std::string advice =
            gap && spec.import_settings.gaps == GapFix::blend ? "poses are blended across" : problem.advice;
        auto* row = mend_line(QString::fromStdString("• " + problem.what + "; " + advice + "."));
        if (gap) {
            const bool blends = spec.import_settings.gaps == GapFix::blend;
            auto* mend = make_button(blends ? tr("Hold instead") : tr("Blend across"),
                                     tr("What stands in for frames that are not there"));
            connect(mend, &QPushButton::clicked, this, [this, blends] {
                change(tr("Set how gaps are bridged"), [&](SourceSpec& s) -> Result<void> {
                    s.import_settings.gaps = blends ? GapFix::hold : GapFix::blend;
                    return {};
                });
            });
            row->addWidget(mend);
        } else if (problem.frame && *problem.frame > f->first) {
            offer_to_leave_out(row, *problem.frame);
        }
    }
    add_left_out(spec);
}

} // namespace garland
