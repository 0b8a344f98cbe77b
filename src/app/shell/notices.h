// Errors and hints above the panels, each until it is closed.
#pragma once

#include "core/base/result.h"

#include <QFrame>
#include <QLabel>
#include <QToolButton>
#include <QVBoxLayout>
#include <QWidget>
#include <functional>

namespace garland {

class Notices : public QWidget {
    Q_OBJECT
  public:
    explicit Notices(QWidget* parent = nullptr);
    // action: an optional button ("Find the files…") and what it does.
    void show_error(const Error& error, const QString& action = {}, std::function<void()> run = {});
    void clear();
    QStringList texts() const;

  private:
    QVBoxLayout* column_;
};

} // namespace garland
