// Painted views say what they show to assistive technology: their descriptions follow the playhead, the selection and
// the keys of the time map; while it plays, they wait.
#pragma once

#include "app/document/viewing.h"

#include <QPointer>

namespace garland {

class Speaking : public QObject {
    Q_OBJECT
  public:
    struct Views {
        QWidget *lanes, *scene, *map, *plan;
    };
    Speaking(Document& document, Viewing& viewing, Views views, QObject* parent = nullptr);
    void say_key(const QString& words); // of the time map: what a key is, while it is dragged or selected

  private:
    void refresh();
    static void say(QWidget* view, const QString& words);
    QString lanes_words() const;
    QString scene_words() const;
    QString plan_words() const;
    Document& document_;
    Viewing& viewing_;
    Views views_;
    QTimer soon_; // many changes at once are said once
};

} // namespace garland
