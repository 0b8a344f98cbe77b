// How a source is taken into the scene: the fields below its facts.
#include "app/panels/gather/source_card.h"

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
        smooth{SubFrame::smooth, SourceCard::tr("smooth")},
        carried{SubFrame::carried, SourceCard::tr("carried along velocities")};
    switch (f.kind) {
    case SourceKind::mesh_sequence:
        if (f.carries.velocities)
            return {nearest, carried, {SubFrame::level_set, SourceCard::tr("through a level set (slow)")}};
        return {nearest, {SubFrame::level_set, SourceCard::tr("through a level set (slow)")}};
    case SourceKind::volume:
        if (f.carries.velocities)
            return {nearest,
                    {SubFrame::linear, SourceCard::tr("mixed")},
                    {SubFrame::carried, SourceCard::tr("carried along velocity, mixed")}};
        return {nearest, {SubFrame::linear, SourceCard::tr("mixed")}};
    case SourceKind::shapes:
        return {{SubFrame::nearest, SourceCard::tr("stepped")},
                {SubFrame::linear, SourceCard::tr("blended straight")},
                {SubFrame::smooth, SourceCard::tr("blended smoothly")}};
    case SourceKind::particles: return {nearest, linear, smooth};
    case SourceKind::keyed_parts:
    case SourceKind::water: return {};
    case SourceKind::mesh_cache:
    case SourceKind::pieces: return {nearest, linear, smooth};
    }
    return {nearest, linear, smooth};
}

} // namespace

bool SourceCard::exact_at_any_time(const SourceFacts& facts) {
    return ways_of(facts).empty();
}

void SourceCard::add_import_settings(const SourceSpec& spec) {
    auto* form = new PairForm;
    add_time_settings(form, spec);
    add_ways_between(form, spec);
    add_space_settings(form, spec);
    const std::size_t more = add_choices(form, spec);
    add_pose_settings(form, spec);
    column_->addLayout(form);
    if (more > 0) line(tr("%1 more variants can be chosen from the command line.").arg(more), "muted");
}

// A choice that sets one value.
QComboBox* SourceCard::choice(const QStringList& texts, int now, const QString& name, const QString& tip,
                              const QString& words, std::function<void(SourceSpec&, int)> set) {
    auto* box = make_choice(texts, name, tip, [this, words, set = std::move(set)](int i) {
        change(words, [&](SourceSpec& s) -> Result<void> {
            set(s, i);
            return {};
        });
    });
    box->setCurrentIndex(now);
    return box;
}

// A number that sets one value; steps of one `merge` become one edit.
void SourceCard::bind(NumberField* field, const QString& words, const char* merge,
                      std::function<void(SourceSpec&, double)> set) {
    connect(field, &NumberField::edited, this, [this, words, merge, set = std::move(set)](double v) {
        change(
            words,
            [&](SourceSpec& s) -> Result<void> {
                set(s, v);
                return {};
            },
            merge);
    });
}

void SourceCard::add_time_settings(PairForm* form, const SourceSpec& spec) {
    const SourceFacts* f = facts();
    auto* rate = new QLineEdit(QString::fromStdString(to_text(spec.rate)));
    rate->setAlignment(Qt::AlignRight); // as all numbers
    rate->setMaximumWidth(110);
    rate->setAccessibleName(tr("Frame rate of the files"));
    rate->setToolTip(tr("Frames per second in the files: 24, 23.976, 24000/1001"));
    connect(rate, &QLineEdit::editingFinished, this, [this, rate] {
        change(tr("Set the source's frame rate"), [&](SourceSpec& s) -> Result<void> {
            GARLAND_TRY(r, parse_rate(rate->text().toStdString()));
            s.rate = r;
            return {};
        });
        if (const auto* s = document_.project().source(id_)) rate->setText(QString::fromStdString(to_text(s->rate)));
    });
    form->put(tr("Rate (fps)"), rate);
    auto* first = make_number(Quantity::source_frames, -1e9, 1e9, 0, tr("First frame"),
                              tr("Number given to the first frame in this project"));
    first->set_value(static_cast<double>(spec.first.value_or(f ? f->first : 0)));
    bind(first, tr("Set the source's first frame"), "first-frame",
         [](SourceSpec& s, double v) { s.first = static_cast<std::int64_t>(v); });
    form->put(tr("First frame"), first);
    form->put(tr("Match by"),
              choice({tr("by clock"), tr("frame for frame")}, static_cast<int>(spec.join), tr("Joins the project"),
                     tr("By clock: one second of the source lasts one second. Frame for frame: every frame lasts one "
                        "output frame."),
                     tr("Set how the source joins"), [](SourceSpec& s, int i) { s.join = static_cast<Join>(i); }));
}

void SourceCard::add_ways_between(PairForm* form, const SourceSpec& spec) {
    const SourceFacts* f = facts();
    std::vector<Way> ways = ways_of(f ? *f : SourceFacts{});
    if (!ways.empty()) {
        auto now =
            std::find_if(ways.begin(), ways.end(), [&](const Way& w) { return w.how == spec.import_settings.how; });
        if (now == ways.end()) { // set before the source changed its kind: still said, so that nothing is hidden
            ways.push_back(
                {spec.import_settings.how, tr("%1 (shows the nearest)").arg(to_text(spec.import_settings.how))});
            now = std::prev(ways.end());
        }
        QStringList texts;
        for (const Way& way : ways) texts << way.words;
        form->put(tr("Between frames"),
                  choice(texts, static_cast<int>(now - ways.begin()), tr("Between frames"),
                         tr("How a pose between two frames is made. Smooth follows the velocities, or "
                            "goes through the frames on both sides where there are none."),
                         tr("Set poses between frames"), [ways](SourceSpec& s, int i) {
                             s.import_settings.how = ways[static_cast<std::size_t>(i)].how;
                         }));
    }
}

void SourceCard::add_space_settings(PairForm* form, const SourceSpec& spec) {
    const SourceFacts* f = facts();
    if (!spec.water) {
        form->put(tr("Up axis"),
                  choice({tr("y up"), tr("z up")}, static_cast<int>(spec.import_settings.up), tr("Up axis"),
                         tr("Which way is up in the files; scenes have y up"), tr("Set the source's up axis"),
                         [](SourceSpec& s, int i) { s.import_settings.up = static_cast<UpAxis>(i); }));
        auto* scale = make_number(Quantity::plain, 1e-6, 1e6, 6, tr("Scale"),
                                  tr("Metres in one unit of the files: 0.01 for centimetres"));
        scale->set_step(0.1);
        scale->set_value(spec.import_settings.scale);
        bind(scale, tr("Set the source's scale"), "source-scale",
             [](SourceSpec& s, double v) { s.import_settings.scale = v; });
        form->put(tr("Scale (m per unit)"), scale);
    }
    if (f && !f->missing.empty()) {
        form->put(tr("Missing frames"),
                  choice({tr("hold the frame before"), tr("blend across")}, static_cast<int>(spec.import_settings.gaps),
                         tr("Missing frames"), tr("What stands in for frames that are not there"),
                         tr("Set how gaps are bridged"),
                         [](SourceSpec& s, int i) { s.import_settings.gaps = static_cast<GapFix>(i); }));
    }
}

// Variants and animations; how many are not shown.
std::size_t SourceCard::add_choices(PairForm* form, const SourceSpec& spec) {
    const SourceFacts* f = facts();
    constexpr std::size_t most_choices = 24;
    std::size_t choices = 0;
    for (const SourceChoice& c : f ? f->choices : std::vector<SourceChoice>{}) {
        if (++choices > most_choices && !spec.choices.count(c.name)) continue;
        QStringList texts{
            spec.choices.count(c.name)
                ? tr("as the file says")
                : tr("as the file says (%1)").arg(c.chosen.empty() ? tr("none") : QString::fromStdString(c.chosen))};
        for (const std::string& option : c.options) texts << QString::fromStdString(option);
        const auto own = spec.choices.find(c.name);
        const auto now =
            own == spec.choices.end() ? c.options.end() : std::find(c.options.begin(), c.options.end(), own->second);
        auto* box = make_choice(texts, QString::fromStdString(c.title),
                                tr("The file holds several: which one is shown. Its own word for it is %1")
                                    .arg(QString::fromStdString(c.name)),
                                [this, c, was = own == spec.choices.end() ? std::string() : own->second](int i) {
                                    SourceChoice from = c;
                                    from.chosen = was;
                                    document_.library().choose(
                                        id_, from, i <= 0 ? std::string() : c.options[static_cast<std::size_t>(i) - 1]);
                                });
        box->setCurrentIndex(now == c.options.end() ? 0 : static_cast<int>(now - c.options.begin()) + 1);
        form->put(QString::fromStdString(c.title), box);
    }
    return choices > most_choices ? choices - most_choices : 0;
}

void SourceCard::add_pose_settings(PairForm* form, const SourceSpec& spec) {
    const SourceFacts* f = facts();
    if (f && f->root) {
        form->put(
            tr("Root motion"),
            choice({tr("followed"), tr("left out")}, static_cast<int>(spec.import_settings.root), tr("Root motion"),
                   tr("Taken along: copies travel as the root does. Left out: the root stays where it is at the first "
                      "frame."),
                   tr("Set the root motion"),
                   [](SourceSpec& s, int i) { s.import_settings.root = static_cast<RootMotion>(i); }));
    }
    if (f && f->kind == SourceKind::mesh_cache && f->faces > 0) {
        form->put(tr("In-between normals"),
                  choice({tr("blended"), tr("recomputed")}, spec.import_settings.fresh_normals ? 1 : 0,
                         tr("Normals of poses between frames"),
                         tr("Blended from both frames, or recomputed from the faces"),
                         tr("Set the normals between frames"),
                         [](SourceSpec& s, int i) { s.import_settings.fresh_normals = i == 1; }));
    }
    if (spec.import_settings.how == SubFrame::level_set) {
        auto* voxel = make_number(Quantity::plain, 0, 1e6, 6, tr("Voxel size"),
                                  tr("Of the level set, in units of the files: smaller is finer and slower. 0: a "
                                     "hundredth of the longest side"));
        voxel->set_step(0.01);
        voxel->set_word(0, tr("automatic"));
        voxel->set_value(spec.import_settings.voxel);
        bind(voxel, tr("Set the voxel size"), "voxel", [](SourceSpec& s, double v) { s.import_settings.voxel = v; });
        form->put(tr("Voxel (file units)"), voxel);
    }
    if (!spec.shapes.empty()) {
        auto* each = make_number(Quantity::source_frames, 1, 100'000, 0, tr("Frames per shape"),
                                 tr("How many frames each shape is shown"));
        each->set_value(static_cast<double>(spec.shape_frames));
        bind(each, tr("Set how long a shape is shown"), "shape-frames",
             [](SourceSpec& s, double v) { s.shape_frames = static_cast<std::int64_t>(v); });
        form->put(tr("Frames per shape"), each);
    }
}

} // namespace garland
