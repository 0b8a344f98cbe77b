#include "app/shell/preferences.h"

#include <QSettings>
#include <algorithm>

namespace garland {

namespace {

double within(const QSettings& settings, const char* key, double usual, double low, double high) {
    bool is_number = false;
    const double value = settings.value(key, usual).toDouble(&is_number);
    return is_number && value >= low && value <= high ? value : usual;
}

} // namespace

Preferences Preferences::load() {
    const QSettings settings;
    Preferences p;
    p.theme = static_cast<Theme>(static_cast<int>(
        within(settings, "look", static_cast<double>(Theme::as_desktop), 0, static_cast<double>(Theme::as_desktop))));
    p.text_points = within(settings, "text_points", p.text_points, 7, 18);
    p.cache_gb = within(settings, "cache_gb", 0, 0, 1e6);
    p.autosave_seconds = static_cast<int>(within(settings, "autosave_seconds", p.autosave_seconds, 5, 600));
    p.undo_steps = static_cast<int>(within(settings, "undo_steps", 0, 0, 1e6));
    if (const auto rate = parse_rate(settings.value("rate", "24").toString().toStdString())) p.rate = *rate;
    p.sound_device = settings.value("sound/device").toString();
    p.start_page = settings.value("start_page", true).toBool();
    return p;
}

void Preferences::save() const {
    QSettings settings;
    settings.setValue("look", static_cast<int>(theme));
    settings.setValue("text_points", text_points);
    settings.setValue("cache_gb", cache_gb);
    settings.setValue("autosave_seconds", autosave_seconds);
    settings.setValue("undo_steps", undo_steps);
    settings.setValue("rate", QString::fromStdString(to_text(rate)));
    settings.setValue("sound/device", sound_device);
    settings.setValue("start_page", start_page);
}

Look Preferences::look() const {
    switch (theme) {
    case Theme::dark: return Look::night;
    case Theme::light: return Look::paper;
    case Theme::as_desktop: return system_look();
    }
    return Look::night;
}

QString Preferences::file() {
    return QSettings().fileName();
}

} // namespace garland
