#include "app/panels/vary/spread_words.h"

#include "app/document/colouring.h"
#include "app/theme/number_text.h"

#include <QObject>

namespace garland {

namespace {

QString heading(const V3d& axis) {
    if (axis.x == 0 && axis.z == 0) return axis.y < 0 ? QObject::tr("downward") : QObject::tr("upward");
    if (axis.y == 0 && axis.z == 0) return axis.x > 0 ? QObject::tr("x") : QObject::tr("−x");
    if (axis.y == 0 && axis.x == 0) return axis.z > 0 ? QObject::tr("z") : QObject::tr("−z");
    return QObject::tr("(%1, %2, %3)").arg(number_text(axis.x, 2), number_text(axis.y, 2), number_text(axis.z, 2));
}

QString how_driven(const Spread& s) {
    switch (s.by.kind) {
    case Driver::chance:
        return s.by.bell ? QObject::tr("by <b>chance</b>, most in the middle,") : QObject::tr("by <b>chance</b>,");
    case Driver::order_step:
    case Driver::order_total: return QObject::tr("by <b>order</b>,");
    case Driver::order_loop: return QObject::tr("by <b>order</b>, round a loop,");
    case Driver::even: return QObject::tr("<b>evenly</b> without clumps,");
    case Driver::even_space: return QObject::tr("<b>evenly</b>, neighbours as different as can be,");
    case Driver::noise:
        return QObject::tr("by <b>noise</b>, patches <b>%1 m</b> wide,").arg(number_text(s.by.noise.patch, 2));
    case Driver::gradient:
        return s.by.gradient.along_path ? QObject::tr("by <b>gradient</b> along the path,")
                                        : QObject::tr("by <b>gradient</b> along %1,").arg(heading(s.by.gradient.axis));
    case Driver::distance:
        return s.by.distance.reach > 0
                   ? QObject::tr("by <b>distance</b>, up to <b>%1 m</b> away,").arg(number_text(s.by.distance.reach, 2))
                   : QObject::tr("by <b>distance</b>, to the farthest copy,");
    case Driver::zone: return QObject::tr("by <b>zones</b>, at every moment,");
    case Driver::sound: return QObject::tr("by <b>sound</b>, band by band,");
    case Driver::attribute:
        return QObject::tr("by the attribute <b>%1</b>,")
            .arg(QString::fromStdString(s.by.carrier.attribute).toHtmlEscaped());
    }
    return {};
}

} // namespace

QString spread_words(const Spread& s, std::int64_t copies) {
    static const char* names[] = {
        QT_TRANSLATE_NOOP("garland", "Delay"),          QT_TRANSLATE_NOOP("garland", "Speed"),
        QT_TRANSLATE_NOOP("garland", "Visibility"),     QT_TRANSLATE_NOOP("garland", "Size"),
        QT_TRANSLATE_NOOP("garland", "Turn"),           QT_TRANSLATE_NOOP("garland", "Variant"),
        QT_TRANSLATE_NOOP("garland", "Wobble strength")};
    QString out = QStringLiteral("<b>%1</b> %2 ").arg(QObject::tr(names[static_cast<int>(s.target)]), how_driven(s));
    if (s.by.kind == Driver::attribute && s.by.carrier.as_it_is) {
        out += QObject::tr("the value unchanged");
    } else if (s.by.kind == Driver::order_step) {
        // Values of a delay, a speed or a size say "later", "slower", "larger" themselves.
        const bool compares = s.target == Target::delay || s.target == Target::speed || s.target == Target::size;
        out += (compares ? QObject::tr("every copy <b>%1</b> than the one before, the first %2")
                         : QObject::tr("every copy <b>%1</b> more than the one before, the first %2"))
                   .arg(value_words(s.target, s.to), value_words(s.target, s.from));
    } else if (s.by.kind == Driver::order_total) {
        out += QObject::tr("from <b>%1</b> at the first to <b>%2</b> at the last of %3 copies")
                   .arg(value_words(s.target, s.from), value_words(s.target, s.to))
                   .arg(copies);
    } else if (s.by.kind == Driver::order_loop) {
        out += QObject::tr("from <b>%1</b>, the one after the last at <b>%2</b>")
                   .arg(value_words(s.target, s.from), value_words(s.target, s.to));
    } else if (s.target == Target::delay && s.from == 0 && s.to > 0) {
        out += QObject::tr("up to <b>%1</b>").arg(value_words(s.target, s.to));
    } else {
        out +=
            QObject::tr("from <b>%1</b> to <b>%2</b>").arg(value_words(s.target, s.from), value_words(s.target, s.to));
    }
    if (s.strength.share < 1) out += QObject::tr(", at %1 % strength").arg(number_text(s.strength.share * 100, 2));
    if (s.meets) out += QObject::tr(", agreeing at frame %1").arg(number_text(s.meets->value, 2));
    if (!s.strength.keys.empty()) out += QObject::tr(", strength keyed");
    return out;
}

} // namespace garland
