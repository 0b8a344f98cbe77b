// The two looks as named colours; nothing else in the application names a colour of its own.
#pragma once

#include <QColor>
#include <QFont>
#include <QIcon>
#include <QString>

namespace garland {

enum class Look { night, paper };

struct Tokens {
    QColor ground, panel, raised, line, text, muted, accent, on_accent, rose, ok, alert;
    QColor sky, floor; // Scene
    bool dark = true;
};

const Tokens& tokens_of(Look look);

// The look in use. Changing it restyles the whole application; widgets that paint themselves read tokens() anew.
const Tokens& tokens();
Look current_look();
void apply_look(Look look);
// What the desktop prefers: Paper where its palette is light, Night canal otherwise.
Look system_look();

// The size of text that stands for 9 points in every other size; 7 … 18. Counts with the next apply_look.
void set_text_points(double points);

// Loads the bundled typeface; false when its file cannot be used (the system's is taken then).
bool load_fonts();
QFont text_font(double points, bool strong = false);

// A line icon of src/app/theme/icons by name, drawn in the colours of the look.
QIcon line_icon(const QString& name);
QPixmap line_pixmap(const QString& name, const QColor& colour, int size, double ratio);

QString style_sheet(const Tokens& t);

} // namespace garland
