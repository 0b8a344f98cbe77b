#include "app/panels/retime/sections.h"

#include "app/theme/number_text.h"

#include <QGridLayout>

namespace garland {

BeatsSection::BeatsSection(Document& document, Viewing& viewing, TimeMapView& map)
    : RetimeSection(document, viewing, map) {
    auto* column = rows(this);
    add_tempo(column);
    add_markers(column);
}

void BeatsSection::add_tempo(QVBoxLayout* column) {
    auto* row = new QHBoxLayout;
    row->setSpacing(5);
    on_ = new QCheckBox(tr("Beats"));
    on_->setToolTip(tr("Draw a tempo grid on the time map and the Lanes, and hold phrases against it"));
    bpm_ = number(Quantity::plain, 1, 1000, 3, tr("Beats per minute"), tr("The tempo"), 58);
    offset_ = number(Quantity::output_frames, -frame_limit, frame_limit, 3, tr("Frame of the first beat"),
                     tr("Where bar 1 beat 1 falls"), 58);
    bar_ = number(Quantity::plain, 1, 64, 0, tr("Beats in a bar"), tr("How many beats make a bar"), 44);
    row->addWidget(on_);
    row->addWidget(bpm_);
    row->addWidget(make_label(tr("beats per minute, the first at frame")));
    row->addWidget(offset_);
    row->addWidget(bar_);
    row->addWidget(make_label(tr("beats per bar")));
    row->addStretch(1);
    column->addLayout(row);
    words_ = make_label({}, "muted");
    column->addWidget(words_);
    auto set = [this](const QString& words, auto change, const QString& merge) {
        edit_project(
            words,
            [&](Project& p) -> Result<void> {
                change(p.settings.tempo);
                return {};
            },
            merge);
    };
    connect(on_, &QCheckBox::clicked, this,
            [set](bool on) { set(on ? tr("Beats on") : tr("Beats off"), [on](Tempo& t) { t.on = on; }, {}); });
    connect(bpm_, &NumberField::edited, this, [set](double v) {
        set(
            tr("Set the tempo"), [v](Tempo& t) { t.beats_per_minute = v, t.on = true; }, "tempo");
    });
    connect(offset_, &NumberField::edited, this, [set](double v) {
        set(
            tr("Set the first beat"), [v](Tempo& t) { t.offset = OutputFrame(v); }, "offset");
    });
    connect(bar_, &NumberField::edited, this, [set](double v) {
        set(
            tr("Set the beats of a bar"), [v](Tempo& t) { t.beats_per_bar = static_cast<int>(v); }, "bar");
    });
}

void BeatsSection::add_markers(QVBoxLayout* column) {
    auto* markers = new QHBoxLayout;
    markers->setSpacing(5);
    name_ = new QLineEdit;
    name_->setPlaceholderText(tr("marker name"));
    name_->setAccessibleName(tr("Marker name"));
    name_->setMaximumWidth(170);
    auto* add = make_button(tr("Add marker"), tr("Set a marker of that name at the playhead"));
    auto* rename = make_button(tr("Rename"), tr("Give the selected marker that name"));
    auto* here = make_button(tr("Move here"), tr("Move the selected marker to the playhead"));
    auto* remove = make_button(tr("Remove"), tr("Remove the selected marker"));
    for (QWidget* w : std::initializer_list<QWidget*>{name_, add, rename, here, remove}) markers->addWidget(w);
    markers->addStretch(1);
    column->addLayout(markers);
    list_ = new QListWidget;
    list_->setAccessibleName(tr("Markers"));
    list_->setToolTip(tr("Double-click to go there"));
    list_->setMinimumHeight(40);
    column->addWidget(list_, 1);
    auto sort = [](std::vector<Marker>& all) {
        std::stable_sort(all.begin(), all.end(), [](const Marker& a, const Marker& b) { return a.at < b.at; });
    };
    auto mark = [this, sort] {
        const Marker m{viewing_.frame(), name_->text().toStdString()};
        edit_project(tr("Marker “%1” at output frame %2").arg(name_->text(), number_text(m.at.value)),
                     [&](Project& p) -> Result<void> {
                         p.settings.markers.push_back(m);
                         sort(p.settings.markers);
                         return {};
                     });
    };
    connect(add, &QPushButton::clicked, this, mark);
    connect(name_, &QLineEdit::returnPressed, this, mark);
    auto picked = [this](const QString& words, auto change) {
        const int i = list_->currentRow();
        if (i < 0) return;
        edit_project(words, [&](Project& p) -> Result<void> {
            if (i < static_cast<int>(p.settings.markers.size()))
                change(p.settings.markers, static_cast<std::size_t>(i));
            return {};
        });
    };
    connect(rename, &QPushButton::clicked, this, [this, picked] {
        picked(tr("Rename a marker"),
               [&](std::vector<Marker>& all, std::size_t i) { all[i].name = name_->text().toStdString(); });
    });
    connect(here, &QPushButton::clicked, this, [this, picked, sort] {
        picked(tr("Move a marker"), [&](std::vector<Marker>& all, std::size_t i) {
            all[i].at = viewing_.frame();
            sort(all);
        });
    });
    connect(remove, &QPushButton::clicked, this, [picked] {
        picked(tr("Remove a marker"), [](std::vector<Marker>& all, std::size_t i) {
            all.erase(all.begin() + static_cast<std::ptrdiff_t>(i));
        });
    });
    connect(list_, &QListWidget::itemDoubleClicked, this,
            [this](QListWidgetItem* item) { viewing_.set_frame(item->data(Qt::UserRole).toDouble()); });
}

void BeatsSection::refresh() {
    take_units();
    const Settings& s = document_.project().settings;
    on_->setChecked(s.tempo.on);
    bpm_->set_value(s.tempo.beats_per_minute);
    offset_->set_value(s.tempo.offset.value);
    bar_->set_value(s.tempo.beats_per_bar);
    const double beat = frames_per_beat(s.tempo, s.rate);
    words_->setText(tr("A beat lasts %1 output frames, a bar %2. The playhead is at %3.")
                        .arg(number_text(beat), number_text(beat * s.tempo.beats_per_bar),
                             words_text(bar_words(s.tempo, s.rate, viewing_.frame()))));
    words_->setVisible(s.tempo.on);
    const int now = list_->currentRow();
    list_->clear();
    for (const Marker& m : s.markers) {
        QString words = tr("%1 · “%2”").arg(number_text(m.at.value), QString::fromStdString(m.name));
        if (s.tempo.on) words += QStringLiteral(" · ") + words_text(bar_words(s.tempo, s.rate, m.at));
        auto* item = new QListWidgetItem(words, list_);
        item->setData(Qt::UserRole, m.at.value);
    }
    list_->setCurrentRow(std::min(now, list_->count() - 1));
}

} // namespace garland
