#include "app/panels/vary/drive_words.h"

#include "app/theme/number_text.h"
#include "core/base/numbers.h"

#include <QObject>
#include <QStringList>
#include <algorithm>
#include <cmath>

namespace garland {

namespace {

QString bold(const std::string& name) {
    return QStringLiteral("<b>%1</b>").arg(QString::fromStdString(name).toHtmlEscaped());
}
QString frames(double n) {
    return QString::fromStdString(counted_number(n, "frame", "frames"));
}

// Who gives the level: "Breeze", "Breeze or Glow", "any zone", "a pulse", "the tune".
QString giver(const LevelRule& rule, const Project& project) {
    switch (rule.kind) {
    case LevelKind::pulse:
        return QObject::tr("<b>A pulse</b> of %1 from frame %2")
            .arg(frames(rule.wave.frames), number_text(rule.wave.start.value, 2));
    case LevelKind::sound: {
        const SoundSpec* sound = project.sound(rule.hearing.sound);
        return sound ? QObject::tr("The sound %1").arg(bold(sound->name)) : QObject::tr("A sound that is not there");
    }
    case LevelKind::zones: break;
    }
    if (rule.zones.empty()) return QObject::tr("<b>Any zone</b>");
    QStringList names;
    for (ZoneId id : rule.zones) {
        if (const Zone* zone = project.zone(id)) names << bold(zone->name);
    }
    const QString with = rule.join == ZoneJoin::product ? QObject::tr(" with ")
                         : rule.join == ZoneJoin::sum   ? QObject::tr(" plus ")
                                                        : QObject::tr(" or ");
    return names.join(with);
}

} // namespace

QString zone_words(const Zone& z) {
    QString shape;
    switch (z.shape) {
    case ZoneShape::ball: shape = QObject::tr("a ball <b>%1 m</b> wide").arg(number_text(z.size.x, 2)); break;
    case ZoneShape::box:
        shape = QObject::tr("a box of <b>%1 × %2 × %3 m</b>")
                    .arg(number_text(z.size.x, 2), number_text(z.size.y, 2), number_text(z.size.z, 2));
        break;
    case ZoneShape::cylinder:
        shape = QObject::tr("a cylinder <b>%1 m</b> wide and %2 m high")
                    .arg(number_text(z.size.x, 2), number_text(z.size.y, 2));
        break;
    case ZoneShape::wall: shape = QObject::tr("a wall: everything behind it"); break;
    case ZoneShape::tube:
        shape = QObject::tr("a tube <b>%1 m</b> wide along a path").arg(number_text(z.size.x, 2));
        break;
    case ZoneShape::mesh: shape = QObject::tr("the shape of a source"); break;
    }
    QString out = QStringLiteral("%1, %2").arg(bold(z.name), shape);
    const double edge = z.outer - z.inner;
    out += edge > 0 ? QObject::tr(" with a soft edge of <b>%1 m</b>").arg(number_text(edge, 2))
                    : QObject::tr(" with a hard edge");
    if (z.inverted) out += QObject::tr(", inverted");
    if (z.ride == ZoneRide::path)
        out += QObject::tr(", along its path from frame %1 to %2")
                   .arg(number_text(z.ride_first.value, 2), number_text(z.ride_last.value, 2));
    if (z.ride == ZoneRide::part) out += QObject::tr(", riding on the part %1").arg(bold(z.ride_part));
    if (z.ride == ZoneRide::particle) out += QObject::tr(", riding on particle %1").arg(z.ride_particle);
    return out;
}

QString how_played(const Arrangement& a, const Project& project) {
    const Play& p = a.play;
    const QString copies = QStringLiteral("<i>%1</i>").arg(QString::fromStdString(a.name).toHtmlEscaped()),
                  by = giver(p.level, project);
    const bool several = p.level.kind == LevelKind::zones && p.level.zones.size() > 1 && p.level.join == ZoneJoin::sum;
    switch (p.by) {
    case PlayBy::clock:
        return QObject::tr("%1 play by their own clock: no zone, pulse or sound drives them.").arg(copies);
    case PlayBy::level:
        return QObject::tr("%1 %2 %3 through %4: no level shows the start, full level the end.")
            .arg(by, several ? QObject::tr("play") : QObject::tr("plays"), copies,
                 p.from == 0 && p.to == 1 ? QObject::tr("their whole motion")
                                          : QObject::tr("%1 to %2 % of their motion")
                                                .arg(number_text(p.from * 100, 2), number_text(p.to * 100, 2)));
    case PlayBy::furthest:
        return QObject::tr("%1 plays %2 as far as the level has come, and never back.").arg(by, copies);
    case PlayBy::starts: {
        QString leaving;
        switch (p.leaving) {
        case Leaving::stop: leaving = QObject::tr("they stop when it is gone"); break;
        case Leaving::back_to_start:
            leaving =
                p.leaving_frames > 0
                    ? QObject::tr("they go back to the start over %1 when it is gone").arg(frames(p.leaving_frames))
                    : QObject::tr("they are back at the start when it is gone");
            break;
        case Leaving::go_on: leaving = QObject::tr("they go on by themselves"); break;
        case Leaving::finish_pass: leaving = QObject::tr("they finish the pass when it is gone"); break;
        case Leaving::fade_out:
            leaving = QObject::tr("they come to rest over %1 when it is gone").arg(frames(p.leaving_frames));
            break;
        }
        return QObject::tr("%1 <b>starts</b> %2%3; %4.")
            .arg(by, copies,
                 p.threshold > 0 ? QObject::tr(" above a level of %1 %").arg(number_text(p.threshold * 100, 2))
                                 : QString(),
                 leaving);
    }
    case PlayBy::speed: {
        const QString what =
            p.speed == 0  ? QObject::tr("<b>holds</b> %1").arg(copies)
            : p.speed < 0 ? QObject::tr("runs %1 <b>backward</b> at %2×").arg(copies, number_text(-p.speed, 2))
            : p.speed < 1 ? QObject::tr("<b>slows</b> %1 to <b>%2×</b>").arg(copies, number_text(p.speed, 2))
                          : QObject::tr("<b>speeds</b> %1 up to <b>%2×</b>").arg(copies, number_text(p.speed, 2));
        return QObject::tr("%1 %2.").arg(by, what);
    }
    }
    return {};
}

QString played_words(const Show& show, ArrangementId arrangement) {
    std::int64_t copies = 0, looked = 0, reached = 0;
    double low = 1e300, high = -1e300;
    for (const ArrangementShow& a : show.arrangements) {
        if (a.id != arrangement || !a.clocks.playing()) continue;
        copies += static_cast<std::int64_t>(a.clocks.size());
        const std::size_t step = std::max<std::size_t>(a.clocks.size() / 200, 1); // looked at: a few hundred copies
        for (std::size_t i = 0; i < a.clocks.size(); i += step) {
            ++looked;
            reached += a.clocks.playing()->reached(a.clocks.played(i));
            for (int k = 0; k <= 24; ++k) {
                const double t = static_cast<double>(show.settings.range.first) +
                                 static_cast<double>(show.settings.range.count() - 1) * k / 24;
                const double rate = a.clocks.at(a.plan, i, a.clocks.now(t)).rate;
                low = std::min(low, rate), high = std::max(high, rate);
            }
        }
    }
    if (looked == 0) return {};
    const QString who = looked < copies ? QObject::tr("of %1 copies looked at, ").arg(looked) : QString();
    return QObject::tr("%1%2 of %3 reached; plays at %4× to %5× of its speed")
        .arg(who)
        .arg(reached)
        .arg(looked)
        .arg(number_text(low, 2), number_text(high, 2));
}

QString pulse_words(const Pulse& p) {
    QStringList gives;
    if (p.lift != V3d(0)) gives << QObject::tr("lifts copies by <b>%1 m</b>").arg(number_text(p.lift.length(), 2));
    if (p.turn != 0) gives << QObject::tr("turns them by <b>%1°</b>").arg(number_text(p.turn, 2));
    if (p.size != 1) gives << QObject::tr("sizes them to <b>%1×</b>").arg(number_text(p.size, 2));
    if (p.hides) gives << QObject::tr("shows them only while it is above 0");
    const QString then = p.wave.after == WaveAfter::hold     ? QObject::tr("and stays")
                         : p.wave.after == WaveAfter::repeat ? QObject::tr("and repeats")
                                                             : QObject::tr("there and back");
    return QObject::tr("<b>Pulse</b> of %1 from frame %2, %3%4: %5.")
        .arg(frames(p.wave.frames), number_text(p.wave.start.value, 2), then,
             p.wave.after != WaveAfter::hold && p.wave.passes > 0 ? QObject::tr(", %1 passes").arg(p.wave.passes)
                                                                  : QString(),
             gives.isEmpty() ? QObject::tr("it gives nothing yet") : gives.join(QObject::tr(", ")));
}

QString sound_words(const SoundSpec& s) {
    const std::size_t bands = bands_of(s.bands).size();
    return QObject::tr("%1 from frame %2, %3 from %4 to %5 Hz, %6 to %7 dB.")
        .arg(bold(s.name), number_text(s.start.value, 2),
             QString::fromStdString(counted(static_cast<long long>(bands), "band", "bands")),
             number_text(s.bands.low, 0), number_text(s.bands.high, 0), number_text(s.bands.floor, 1),
             number_text(s.bands.ceiling, 1));
}

} // namespace garland
