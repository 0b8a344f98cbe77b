// The fields of the Hand off step: what, as what, where to, which frames, in which space.
#include "app/panels/handoff/handoff_panel.h"

#include <QFileDialog>
#include <QHash>
#include <QSettings>
#include <algorithm>

namespace garland {

namespace {

QString ending_words(const QString& ending) {
    static const QHash<QString, QString> words{
        {".ply", "PLY, a file for each frame"},
        {".usda", "USD text"},
        {".usdc", "USD binary"},
        {".glb", "glTF binary"},
        {".gltf", "glTF"},
        {".csv", "CSV table"},
        {".obj", "OBJ, a file for each frame"},
        {".npy", "NumPy array"},
        {".vdb", "OpenVDB, a file for each frame"},
        {".json", "JSON, everything about a timing"},
        {".otio", "OpenTimelineIO clips of phrases"},
    };
    return words.value(ending, ending);
}

} // namespace

void HandoffPanel::lay_out(QWidget* browse, QHBoxLayout* range) {
    grid_ = new QGridLayout;
    grid_->setHorizontalSpacing(8);
    grid_->setVerticalSpacing(6);
    auto row = [this, at = 0](const QString& text, QWidget* field) mutable {
        auto* label = make_label(text);
        grid_->addWidget(label, at, 0);
        grid_->addWidget(field, at++, 1);
        return label;
    };
    row(tr("What"), what_);
    row({}, about_);
    as_label_ = row(tr("As"), as_);
    source_label_ = row(tr("Source"), source_);
    poses_label_ = row(tr("Poses per frame"), poses_);
    tolerance_label_ = row(tr("Tolerance"), tolerance_);
    row(tr("Folder"), folder_);
    grid_->addWidget(browse, 6, 2);
    row(tr("Name"), name_);
    grid_->addWidget(make_label(tr("Frames")), 8, 0);
    grid_->addLayout(range, 8, 1, 1, 2);
    make_form(9, range);
    existing_->setCurrentIndex(1);
    existing_label_ = make_label(tr("Existing files"));
    make_shutter(10);
    grid_->addWidget(existing_label_, 11, 0);
    grid_->addWidget(existing_, 11, 1);
    grid_->setColumnStretch(1, 1);
    body()->addLayout(grid_);
}

void HandoffPanel::make_fields() {
    QStringList labels;
    for (const HandoffOutput& o : outputs()) labels << tr(o.label);
    labels << tr("preview");
    what_ = make_choice(labels, tr("What to hand off"), tr("What is written"), [this](int) {
        list_endings();
        refresh();
    });
    about_ = make_label({}, "muted");
    about_->setWordWrap(true);
    as_ = make_choice({}, tr("Kind of file"), tr("The kind of file that is written"), [this](int) {
        offer_form();
        estimate_size();
    });
    folder_ = new QLineEdit;
    folder_->setAccessibleName(tr("Folder"));
    folder_->setToolTip(tr("The folder to write into; made if it is not there"));
    folder_->setPlaceholderText(tr("a folder to write into"));
    auto* browse = make_button(tr("Browse…"), tr("Choose the folder"));
    name_ = new QLineEdit(tr("copies"));
    name_->setAccessibleName(tr("Name"));
    name_->setToolTip(tr("What files are called, before their number. #### is the place of the number, with as many "
                         "digits: lantern_####"));
    first_ = make_number(Quantity::output_frames, -1e9, 1e9, 0, tr("First frame to write"),
                         tr("The first output frame to write"));
    last_ = make_number(Quantity::output_frames, -1e9, 1e9, 0, tr("Last frame to write"),
                        tr("The last output frame to write"));
    auto* range = new QHBoxLayout;
    range->setSpacing(8);
    range->addWidget(first_);
    range->addWidget(make_label(tr("to")));
    range->addWidget(last_);
    existing_ =
        make_choice({tr("leave them alone"), tr("keep complete ones"), tr("replace them")}, tr("Existing files"),
                    tr("What happens to files that are there: nothing is written; what the same hand-off "
                       "completed is kept, and the rest is written; or all are replaced"),
                    [this](int) { estimate_size(); });
    source_ =
        make_choice({}, tr("Source"), tr("The source to write, in the timing of the first arrangement that shows it"),
                    [this](int) { estimate_size(); });
    poses_ = make_number(Quantity::plain, 1, 1000, 0, tr("Poses per frame"),
                         tr("File frames are rounded to one of so many parts: more is more exact, and larger"));
    poses_->set_value(8);
    tolerance_ = make_number(Quantity::source_frames, 0.00001, 1, 5, tr("Tolerance"),
                             tr("How far straight pieces may leave a curved clock"));
    tolerance_->set_value(0.001);
    lay_out(browse, range);
    connect(browse, &QPushButton::clicked, this, [this] {
        const QString folder = QFileDialog::getExistingDirectory(this, tr("Write into"), folder_->text());
        if (!folder.isEmpty()) set_folder(folder);
    });
    for (NumberField* f : {first_, last_}) {
        connect(f, &NumberField::edited, this, [this] {
            own_range_ = true;
            estimate_size();
        });
    }
    for (NumberField* f : {poses_, tolerance_}) connect(f, &NumberField::edited, this, &HandoffPanel::estimate_size);
    for (QLineEdit* e : {folder_, name_}) connect(e, &QLineEdit::editingFinished, this, &HandoffPanel::estimate_size);
}

void HandoffPanel::make_form(int row, QHBoxLayout* range) {
    const QSettings kept;
    handles_ = make_number(Quantity::output_frames, 0, 1e6, 0, tr("Handles"),
                           tr("So many frames more are written before the first and after the last one"));
    handles_label_ = make_label(tr("handles"));
    range->addWidget(handles_label_);
    range->addWidget(handles_);
    range->addStretch(1);
    up_ = make_choice({tr("y up"), tr("z up")}, tr("Up axis of what is written"),
                      tr("Which axis points up in the files: y as here, or z"), [this](int i) {
                          QSettings().setValue("handoff_up", i);
                          estimate_size();
                      });
    up_->setCurrentIndex(std::clamp(kept.value("handoff_up").toInt(), 0, 1));
    QStringList units;
    for (const auto& [name, metres] : units_of_length()) units << QString(name);
    unit_ = make_choice(units, tr("Unit of what is written"), tr("What a length of 1 in the files is"), [this](int i) {
        QSettings().setValue("handoff_unit", i);
        estimate_size();
    });
    unit_->setCurrentIndex(std::clamp(kept.value("handoff_unit").toInt(), 0, static_cast<int>(units.size()) - 1));
    space_label_ = make_label(tr("Axis and unit"));
    velocities_ = new QCheckBox(tr("velocities"));
    velocities_->setToolTip(tr("Velocities of points, for motion blur elsewhere"));
    attributes_ = new QCheckBox(tr("attributes"));
    attributes_->setToolTip(tr("Named numbers of points and faces; colours and normals are always written"));
    each_copy_ = new QCheckBox(tr("a file a copy"));
    each_copy_->setToolTip(
        tr("A file for each copy and frame, with the copy's number in its name; not one for each frame"));
    connect(each_copy_, &QCheckBox::toggled, this, &HandoffPanel::estimate_size);
    for (QCheckBox* box : {velocities_, attributes_}) {
        box->setChecked(true);
        connect(box, &QCheckBox::toggled, this, &HandoffPanel::estimate_size);
    }
    keep_label_ = make_label(tr("with"));
    auto* line = new QHBoxLayout;
    line->setSpacing(8);
    for (QWidget* w : std::initializer_list<QWidget*>{up_, unit_, keep_label_, velocities_, attributes_, each_copy_})
        line->addWidget(w);
    line->addStretch(1);
    grid_->addWidget(space_label_, row, 0);
    grid_->addLayout(line, row, 1, 1, 2);
    connect(handles_, &NumberField::edited, this, &HandoffPanel::estimate_size);
}

// Moments about each frame while the shutter is open.
void HandoffPanel::make_shutter(int row) {
    moments_label_ = make_label(tr("Moments"));
    moments_ = make_choice({}, tr("Moments about each frame"),
                           tr("How many moments are written about each frame while the shutter is open, for motion "
                              "blur elsewhere: extra times in USD, files numbered between frames in a series"),
                           [this](int) {
                               offer_form();
                               estimate_size();
                           });
    moments_->addItem(tr("whole frames alone"), 1);
    for (int count = 3; count <= 15; count += 2) moments_->addItem(tr("%1 for each frame").arg(count), count);
    shutter_label_ = make_label(tr("while the shutter is open,"));
    shutter_ = make_number(Quantity::degrees, 1, 359, 0, tr("Shutter of the moments"),
                           tr("How long of a frame the shutter is open, about the frame: 180° is half of it"));
    shutter_->set_value(180);
    connect(shutter_, &NumberField::edited, this, &HandoffPanel::estimate_size);
    auto* line = new QHBoxLayout;
    line->setSpacing(8);
    for (QWidget* w : std::initializer_list<QWidget*>{moments_, shutter_label_, shutter_}) line->addWidget(w);
    line->addStretch(1);
    grid_->addWidget(moments_label_, row, 0);
    grid_->addLayout(line, row, 1, 1, 2);
}

void HandoffPanel::offer_form() {
    const HandoffOutput* o = output();
    const std::string ending = as_->currentData().toString().toStdString(), word = o ? o->word : "";
    const bool geometry = o && word != "timing" && word != "curves" && word != "camera" && ending != ".glb";
    for (QWidget* w : {static_cast<QWidget*>(up_), static_cast<QWidget*>(unit_), static_cast<QWidget*>(space_label_)})
        w->setVisible(o && HandoffOutput::in_any_space(ending));
    const bool both = geometry && ending != ".obj" && ending != ".npy" && ending != ".vdb";
    for (QWidget* w :
         {static_cast<QWidget*>(velocities_), static_cast<QWidget*>(attributes_), static_cast<QWidget*>(keep_label_)})
        w->setVisible(both);
    each_copy_->setVisible(o && o->by_copy(ending));
    const bool between = o && o->in_shutter(ending);
    for (QWidget* w : std::initializer_list<QWidget*>{moments_, moments_label_}) w->setVisible(between);
    for (QWidget* w : std::initializer_list<QWidget*>{shutter_, shutter_label_})
        w->setVisible(between && moments_->currentIndex() > 0);
    for (QWidget* w : {static_cast<QWidget*>(handles_), static_cast<QWidget*>(handles_label_)}) w->setVisible(o);
}

void HandoffPanel::list_endings() {
    as_->clear();
    if (!output()) return;
    for (const char* ending : output()->endings) as_->addItem(ending_words(ending), QString(ending));
}

} // namespace garland
