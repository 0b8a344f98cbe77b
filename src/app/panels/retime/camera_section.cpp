#include "app/panels/retime/sections.h"

#include "app/theme/number_text.h"
#include "io/tables/camera_file.h"

#include <QFileDialog>

namespace garland {

CameraSection::CameraSection(Document& document, Viewing& viewing, TimeMapView& map)
    : RetimeSection(document, viewing, map) {
    auto* column = rows(this);
    make_key_row(column);
    list_ = new QListWidget;
    list_->setAccessibleName(tr("Camera keys"));
    list_->setToolTip(tr("Select a key to go to its frame"));
    list_->setMinimumHeight(40);
    column->addWidget(list_, 1);
    connect(list_, &QListWidget::itemClicked, this,
            [this](QListWidgetItem* item) { viewing_.set_frame(item->data(Qt::UserRole).toDouble()); });
    connect(list_, &QListWidget::currentRowChanged, this, [this](int i) {
        const auto& keys = document_.project().settings.camera_keys;
        if (i >= 0 && i < static_cast<int>(keys.size()))
            toward_->setCurrentIndex(static_cast<int>(keys[static_cast<std::size_t>(i)].toward));
    });

    make_move_row(column);
    connect(&viewing_, &Viewing::view_changed, this, &CameraSection::refresh);
    // Two picked keys of the map say between which frames: a hold is circled that way.
    connect(&map_, &TimeMapView::keys_picked, this, [this] {
        if (map_.picked().size() < 2 || map_.view() != MapView::position) return;
        from_->set_value(map_.keys().keys[map_.picked().front()].at.value);
        to_->set_value(map_.keys().keys[map_.picked().back()].at.value);
    });
}

void CameraSection::make_key_row(QVBoxLayout* column) {
    auto* top = new QHBoxLayout;
    top->setSpacing(5);
    through_ = new QCheckBox(tr("Look through the camera"));
    through_->setToolTip(tr("The Scene follows the camera's keys; turning the view by hand leaves them"));
    connect(through_, &QCheckBox::clicked, this, [this](bool on) { viewing_.look_through_camera(on); });
    auto* key =
        make_button(tr("Key this view"), tr("Set a camera key at the playhead from the Scene's view (Shift+C)"));
    toward_ = make_choice({tr("step"), tr("linear"), tr("smooth")}, tr("Towards the next camera key"),
                          tr("How the camera goes from the selected key to the next"), [this](int i) {
                              const int at = list_->currentRow();
                              edit_project(tr("Set the camera's way to its next key"), [&](Project& p) -> Result<void> {
                                  auto& keys = p.settings.camera_keys;
                                  if (at >= 0 && at < static_cast<int>(keys.size()))
                                      keys[static_cast<std::size_t>(at)].toward = static_cast<Toward>(i);
                                  return {};
                              });
                          });
    remove_ = make_button(tr("Remove"), tr("Remove the selected camera key"));
    clear_ = make_button(tr("Remove all"), tr("Remove all camera keys; the camera stands still again"));
    auto* save =
        make_button(tr("Export…"), tr("The camera with its keys and field of view, as USD text, glTF or a table"));
    connect(save, &QPushButton::clicked, this, &CameraSection::export_camera);
    connect(key, &QPushButton::clicked, this, &CameraSection::key_view);
    connect(remove_, &QPushButton::clicked, this, &CameraSection::remove_key);
    connect(clear_, &QPushButton::clicked, this, [this] {
        edit_project(tr("Remove all camera keys"), [](Project& p) -> Result<void> {
            p.settings.camera_keys.clear();
            return {};
        });
    });
    for (QWidget* w : std::initializer_list<QWidget*>{through_, key}) top->addWidget(w);
    top->addStretch(1);
    for (QWidget* w : std::initializer_list<QWidget*>{toward_, remove_, clear_, save}) top->addWidget(w);
    column->addLayout(top);
}

void CameraSection::make_move_row(QVBoxLayout* column) {
    auto* move = new QHBoxLayout;
    move->setSpacing(4);
    from_ = number(Quantity::output_frames, -frame_limit, frame_limit, 3, tr("Move from output frame"),
                   tr("Where the move starts"), 52);
    to_ = number(Quantity::output_frames, -frame_limit, frame_limit, 3, tr("Move to output frame"), tr("Where it ends"),
                 52);
    turn_ = number(Quantity::degrees, -36000, 36000, 2, tr("Turn around the target"),
                   tr("Degrees around what the camera looks at; 360 is once round"), 52);
    rise_ = number(Quantity::degrees, -180, 180, 2, tr("Rise"),
                   tr("Degrees up; with a turn the camera goes along an arc"), 46);
    dolly_ = number(Quantity::per_cent, 1, 10000, 1, tr("Dolly"),
                    tr("The distance at the end, in per cent of that at the start: 50 % halves the distance"), 52);
    turn_->set_value(360);
    rise_->set_value(0);
    dolly_->set_value(100);
    turn_->set_step(5);
    move_toward_ = make_choice({tr("linear"), tr("smooth")}, tr("How the camera moves"),
                               tr("Evenly, or easing in and out"), [](int) {});
    auto* apply = make_button(tr("Move"), tr("Set the keys of this move"));
    connect(apply, &QPushButton::clicked, this, &CameraSection::apply_move);
    move->addWidget(make_label(tr("From")));
    move->addWidget(from_);
    move->addWidget(make_label(tr("to")));
    move->addWidget(to_);
    move->addWidget(make_label(tr("turn")));
    move->addWidget(turn_);
    move->addWidget(make_label(tr("rise")));
    move->addWidget(rise_);
    move->addWidget(make_label(tr("dolly")));
    move->addWidget(dolly_);
    move->addWidget(move_toward_);
    move->addStretch(1);
    move->addWidget(apply);
    column->addLayout(move);
    from_->set_value(1);
    to_->set_value(25);
}

void CameraSection::export_camera() {
    const QString path = QFileDialog::getSaveFileName(this, tr("Export the camera"), "camera.usda",
                                                      tr("USD text (*.usda);;glTF (*.gltf);;Table (*.csv)"));
    if (path.isEmpty()) return;
    const Project& p = document_.project();
    const auto done = write_camera(p, {path.toStdString(), {p.settings.range, 1}, 16.0 / 9.0, Existing::replace});
    if (done) {
        emit document_.hint(tr("%1 written").arg(path));
    } else {
        emit document_.problem(done.error());
    }
}

void CameraSection::key_view() {
    const OutputFrame at = viewing_.frame();
    const Camera camera = viewing_.view();
    edit_project(tr("Camera key at output frame %1").arg(number_text(at.value)), [&](Project& p) -> Result<void> {
        p.settings.camera_keys = with_view(p.settings.camera_keys, at, camera);
        return {};
    });
    viewing_.look_through_camera(true);
}

void CameraSection::remove_key() {
    const int at = list_->currentRow();
    edit_project(tr("Remove a camera key"), [&](Project& p) -> Result<void> {
        auto& keys = p.settings.camera_keys;
        if (at >= 0 && at < static_cast<int>(keys.size())) keys.erase(keys.begin() + at);
        return {};
    });
}

void CameraSection::apply_move() {
    CameraMove m;
    m.turn = turn_->value();
    m.rise = rise_->value();
    m.dolly = dolly_->value() / 100;
    m.toward = move_toward_->currentIndex() == 0 ? Toward::linear : Toward::smooth;
    const OutputFrame p(from_->value()), q(to_->value());
    const Camera view = viewing_.view();
    const bool done = edit_project(
        tr("Move the camera between output frames %1 and %2").arg(number_text(p.value), number_text(q.value)),
        [&](Project& project) -> Result<void> {
            auto& keys = project.settings.camera_keys;
            if (keys.empty()) keys = {{p, view, m.toward}}; // it starts from what is seen
            GARLAND_TRY(next, moved(keys, project.settings.camera, p, q, m));
            keys = std::move(next);
            return {};
        });
    if (done) viewing_.look_through_camera(true);
}

void CameraSection::refresh() {
    take_units();
    const auto& keys = document_.project().settings.camera_keys;
    through_->setChecked(viewing_.through_camera());
    through_->setEnabled(!keys.empty());
    remove_->setEnabled(!keys.empty());
    clear_->setEnabled(!keys.empty());
    toward_->setEnabled(!keys.empty());
    const int now = std::max(0, list_->currentRow());
    const QSignalBlocker quiet(list_);
    list_->clear();
    auto text = [](double v, int decimals = 1) { return number_text(v, decimals); };
    for (const CameraKey& k : keys) {
        auto* item = new QListWidgetItem(tr("%1 · %2° round, %3° up, %4 m away · then %5")
                                             .arg(text(k.at.value), text(k.camera.azimuth), text(k.camera.elevation),
                                                  text(k.camera.distance, 2), QString::fromUtf8(to_text(k.toward))),
                                         list_);
        item->setData(Qt::UserRole, k.at.value);
    }
    list_->setCurrentRow(std::min(now, list_->count() - 1));
    if (const int i = list_->currentRow(); i >= 0)
        toward_->setCurrentIndex(static_cast<int>(keys[static_cast<std::size_t>(i)].toward));
}

} // namespace garland
