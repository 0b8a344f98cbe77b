// Whether the desktop is dark or light, as it says over the session bus (XDG Desktop Portal, interface
// org.freedesktop.portal.Settings, org.freedesktop.appearance color-scheme), and when that changes.
#pragma once

#include <QDBusVariant>
#include <QObject>
#include <QVariant>
#include <optional>

namespace garland {

class DesktopScheme : public QObject {
    Q_OBJECT
  public:
    static DesktopScheme& instance(); // asks at its first use; the answer comes later, by changed()
    // Nothing: there is no such service, it has not answered yet, or it has no preference.
    std::optional<bool> dark() const { return dark_; }
    // What a value of color-scheme means: 1 dark, 2 light, 0 and everything else no preference; wrapped any number of
    // times, as versions of the interface differ in it.
    static std::optional<bool> dark_of(QVariant value);

  signals:
    void changed();

  private slots:
    void setting_changed(const QString& space, const QString& key, const QDBusVariant& value);

  private:
    DesktopScheme();
    void take(const QVariant& value);
    std::optional<bool> dark_;
};

} // namespace garland
