#include "app/theme/desktop_scheme.h"

#include <QDBusConnection>
#include <QDBusMessage>
#include <QDBusPendingCallWatcher>
#include <QDBusPendingReply>

namespace garland {

namespace {
constexpr auto service = "org.freedesktop.portal.Desktop", path = "/org/freedesktop/portal/desktop",
               interface = "org.freedesktop.portal.Settings", space_name = "org.freedesktop.appearance",
               key_name = "color-scheme";
} // namespace

DesktopScheme& DesktopScheme::instance() {
    static DesktopScheme one;
    return one;
}

DesktopScheme::DesktopScheme() {
    QDBusConnection bus = QDBusConnection::sessionBus();
    if (!bus.isConnected()) return;
    bus.connect(service, path, interface, "SettingChanged", this,
                SLOT(setting_changed(QString, QString, QDBusVariant)));
    QDBusMessage ask = QDBusMessage::createMethodCall(service, path, interface, "Read");
    ask << QString(space_name) << QString(key_name);
    auto* answer = new QDBusPendingCallWatcher(bus.asyncCall(ask), this);
    connect(answer, &QDBusPendingCallWatcher::finished, this, [this, answer] {
        const QDBusPendingReply<QDBusVariant> reply = *answer;
        if (!reply.isError()) take(QVariant::fromValue(reply.value()));
        answer->deleteLater();
    });
}

std::optional<bool> DesktopScheme::dark_of(QVariant value) {
    for (int depth = 0; depth < 4 && value.canConvert<QDBusVariant>(); ++depth)
        value = value.value<QDBusVariant>().variant();
    bool is_number = false;
    const uint scheme = value.toUInt(&is_number);
    if (!is_number || scheme < 1 || scheme > 2) return {};
    return scheme == 1;
}

void DesktopScheme::setting_changed(const QString& space, const QString& key, const QDBusVariant& value) {
    if (space == space_name && key == key_name) take(QVariant::fromValue(value));
}

void DesktopScheme::take(const QVariant& value) {
    const std::optional<bool> now = dark_of(value);
    if (now == dark_) return;
    dark_ = now;
    emit changed();
}

} // namespace garland
