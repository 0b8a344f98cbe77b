// One zone: its sentence, its shape and edge, and its place at the playhead with its keys.
#pragma once

#include "app/document/viewing.h"
#include "app/panels/common/fields.h"
#include "app/panels/vary/card_menu.h"
#include "app/panels/vary/together.h"
#include "app/widgets/curve_edit.h"

#include <QLineEdit>
#include <QPointer>

namespace garland {

class ZoneCard : public QFrame {
    Q_OBJECT
  public:
    // together: those that are changed with each other, of all cards.
    ZoneCard(Document& document, Viewing& viewing, ZoneId id, Together<ZoneId>& together, QWidget* parent = nullptr);
    ZoneId id() const { return id_; }
    void refresh();

  private:
    void edit(const QString& words, const std::function<void(Zone&)>& change, const QString& merge = {});
    // Changes the key at the playhead; a zone with one key has that everywhere.
    void edit_key(const QString& words, const std::function<void(ZoneKey&)>& change, const QString& merge);
    void edit_list(const QString& words, const ChangeEntry<Zone>& change);
    void remove();
    std::optional<CardMenu> menu();
    void add_head(QVBoxLayout* column);
    void add_shape(QVBoxLayout* column);
    void add_edges(QVBoxLayout* column);
    void add_motion(QVBoxLayout* column); // its place and what moves it
    void add_keys(QVBoxLayout* column);
    void add_ride(QVBoxLayout* column);
    void add_path(QHBoxLayout* row);
    QComboBox* source_choice(QBoxLayout* row, const QString& label, const QString& tip, SourceId Zone::*member,
                             std::function<bool(const Zone&)> shown);
    void start_ride(Zone& z, ZoneRide ride);
    Document& document_;
    Viewing& viewing_;
    ZoneId id_;
    Together<ZoneId>& together_;
    Fields<Zone> fields_;
    QCheckBox* on_;
    QToolButton* joined_;
    QLabel *words_, *keys_;
    QLineEdit* name_;
    CurveEdit* curve_;
    QPushButton *key_here_, *drop_key_;
    QComboBox *path_, *part_, *ride_source_;
};

} // namespace garland
