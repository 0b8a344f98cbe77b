#include "app/theme/tokens.h"

#include "app/theme/desktop_scheme.h"

#include <QApplication>
#include <QFile>
#include <QFontDatabase>
#include <QPainter>
#include <QPalette>
#include <QStyleFactory>
#include <QSvgRenderer>

namespace garland {

namespace {
Look look_in_use = Look::night;
double text_scale = 1;
QString family = QStringLiteral("Open Sans");

const Tokens night{QColor("#10232A"), QColor("#173039"),
                   QColor("#1F3E48"), QColor("#2F5560"),
                   QColor("#F1EAD8"), QColor("#9DB3B3"),
                   QColor("#F6A821"), QColor("#10232A"),
                   QColor("#E86A8A"), QColor("#7CCB7A"),
                   QColor("#FF7D5C"), QColor("#0B191F"),
                   QColor("#16303A"), true};
const Tokens paper{QColor("#F7F2E7"), QColor("#FFFDF7"),
                   QColor("#EFE7D6"), QColor("#D5C9B1"),
                   QColor("#2A2F33"), QColor("#6B675E"),
                   QColor("#9F5400"), QColor("#FFFDF7"),
                   QColor("#B23A62"), QColor("#2C754A"),
                   QColor("#BF3516"), QColor("#EAE2D0"),
                   QColor("#DDD2BC"), false};
} // namespace

const Tokens& tokens_of(Look look) {
    return look == Look::night ? night : paper;
}
const Tokens& tokens() {
    return tokens_of(look_in_use);
}
Look current_look() {
    return look_in_use;
}

Look system_look() {
    // Without a desktop there is nobody who prefers anything, and the palette is only Qt's own.
    if (const auto dark = DesktopScheme::instance().dark()) return *dark ? Look::night : Look::paper;
    if (qEnvironmentVariableIsEmpty("XDG_CURRENT_DESKTOP")) return Look::night;
    // As the desktop's palette was before the program had its own.
    static const bool light = qApp->palette().color(QPalette::Window).lightness() > 150;
    return light ? Look::paper : Look::night;
}

void apply_look(Look look) {
    system_look();
    look_in_use = look;
    const Tokens& t = tokens();
    qApp->setStyle(QStyleFactory::create("Fusion"));
    QPalette p;
    p.setColor(QPalette::Window, t.ground);
    p.setColor(QPalette::Base, t.raised);
    p.setColor(QPalette::AlternateBase, t.panel);
    p.setColor(QPalette::Button, t.raised);
    p.setColor(QPalette::WindowText, t.text);
    p.setColor(QPalette::Text, t.text);
    p.setColor(QPalette::ButtonText, t.text);
    p.setColor(QPalette::ToolTipBase, t.raised);
    p.setColor(QPalette::ToolTipText, t.text);
    p.setColor(QPalette::PlaceholderText, t.muted);
    p.setColor(QPalette::Highlight, t.accent);
    p.setColor(QPalette::HighlightedText, t.on_accent);
    p.setColor(QPalette::Link, t.accent);
    for (auto role : {QPalette::WindowText, QPalette::Text, QPalette::ButtonText}) {
        p.setColor(QPalette::Disabled, role, t.muted);
    }
    qApp->setPalette(p);
    qApp->setFont(text_font(9));
    qApp->setStyleSheet(style_sheet(t));
}

bool load_fonts() {
    bool all = true;
    for (const char* name : {"OpenSans-Regular.ttf", "OpenSans-Semibold.ttf"}) {
        const int id = QFontDatabase::addApplicationFont(QStringLiteral(":/fonts/") + name);
        all = all && id >= 0;
        if (id >= 0 && !QFontDatabase::applicationFontFamilies(id).isEmpty()) {
            family = QStringLiteral("Open Sans");
        }
    }
    return all;
}

void set_text_points(double points) {
    text_scale = points / 9;
}

QFont text_font(double points, bool strong) {
    QFont font(family);
    font.setPointSizeF(points * text_scale);
    if (strong) font.setWeight(QFont::DemiBold);
    return font;
}

QPixmap line_pixmap(const QString& name, const QColor& colour, int size, double ratio) {
    QFile file(":/icons/" + name + ".svg");
    QByteArray svg = file.open(QIODevice::ReadOnly) ? file.readAll() : QByteArray();
    svg.replace("currentColor", colour.name().toUtf8());
    QPixmap pixmap(QSize(size, size) * ratio);
    pixmap.fill(Qt::transparent);
    QSvgRenderer renderer(svg);
    QPainter painter(&pixmap);
    renderer.render(&painter);
    painter.end();
    pixmap.setDevicePixelRatio(ratio);
    return pixmap;
}

QIcon line_icon(const QString& name) {
    const Tokens& t = tokens();
    QIcon icon;
    for (double ratio : {1.0, 2.0}) {
        icon.addPixmap(line_pixmap(name, t.text, 20, ratio), QIcon::Normal);
        icon.addPixmap(line_pixmap(name, t.muted, 20, ratio), QIcon::Disabled);
        icon.addPixmap(line_pixmap(name, t.accent, 20, ratio), QIcon::Normal, QIcon::On);
    }
    return icon;
}

namespace {

// What starts with @ are the tokens of the theme, put in by style_sheet.
constexpr char sheet[] = R"(
* { outline: 0; }
QMainWindow, QDialog { background: @ground; }
QWidget#pane { background: @panel; border-radius: 6px; }
QWidget#strip { background: @panel; }
QMenuBar { background: @ground; padding: 2px 6px; }
QMenuBar::item { padding: 5px 10px; border-radius: 6px; background: transparent; }
QMenuBar::item:selected, QMenu::item:selected { background: @raised; color: @text; }
QMenu { background: @panel; border: 1px solid @line; padding: 6px; }
QMenu::item { padding: 5px 26px 5px 14px; border-radius: 6px; }
QMenu::item:disabled { color: @muted; }
QMenu::separator { height: 1px; background: @line; margin: 5px 8px; }
QLabel#title { font-size: @titlept; font-weight: 600; }
QLabel#heading { font-weight: 600; }
QLabel#muted, QLabel#note { color: @muted; }
QLabel#ok { color: @ok; }
QLabel#alert { color: @alert; }
QLabel#readout { background: @ground; border-radius: 6px; padding: 5px 10px; }
QPushButton, QToolButton { background: @raised; border: 1px solid transparent; border-radius: 6px; padding: 5px 12px; }
QPushButton[opens="true"] { padding-right: 24px; }
QPushButton::menu-indicator { image: url(:/icons/down-@kind.svg); width: 10px; height: 10px; right: 7px;
  subcontrol-origin: padding; subcontrol-position: center right; }
QPushButton[tight="true"] { padding: 5px 7px; }
QPushButton:checked { background: @accent; color: @onaccent; }
QPushButton:hover, QToolButton:hover { border-color: @line; }
QPushButton:focus, QToolButton:focus, QComboBox:focus, QLineEdit:focus, QListView:focus { border: 1px solid @accent; }
QPushButton:pressed, QToolButton:pressed { background: @line; }
QPushButton:disabled, QToolButton:disabled { color: @muted; }
QPushButton#primary { background: @accent; color: @onaccent; font-weight: 600; }
QPushButton#primary:disabled { background: @raised; color: @muted; }
QPushButton#primary:focus { border: 1px solid @text; }
QToolButton#flat { background: transparent; padding: 4px; }
QToolButton#flat:hover { background: @raised; }
QToolButton#segment { background: transparent; padding: 4px 9px; color: @muted; }
QToolButton#segment:hover { color: @text; }
QToolButton#segment:checked { background: @raised; color: @accent; font-weight: 600; }
QToolButton#segment:focus { text-decoration: underline; }
QFrame#segments { background: @ground; border-radius: 6px; }
QFrame#card { background: @raised; border-radius: 6px; }
QFrame#card QComboBox, QFrame#card QLineEdit, QFrame#card QAbstractSpinBox { background: @panel; }
QFrame#card QPushButton { background: @panel; }
QFrame#card QPushButton#primary { background: @accent; }
QFrame#card QPushButton#primary:disabled { background: @panel; }
QFrame#rule { background: @line; max-height: 1px; border: 0; }
QFrame#banner { background: @raised; border: 1px solid @alert; border-radius: 6px; }
QLineEdit, QAbstractSpinBox { background: @raised; border: 1px solid transparent; border-radius: 6px; padding: 4px 8px;
  selection-background-color: @accent; selection-color: @onaccent; }
QAbstractSpinBox:focus { border: 1px solid @accent; }
QComboBox { background: @raised; border: 1px solid transparent; border-radius: 6px; padding: 4px 8px;
    min-height: 18px; }
QComboBox::drop-down { border: 0; width: 18px; }
QComboBox::down-arrow { image: url(:/icons/down-@kind.svg); width: 10px; height: 10px; }
QComboBox QAbstractItemView { background: @panel; border: 1px solid @line; selection-background-color: @raised;
  selection-color: @text; padding: 4px; }
QCheckBox { spacing: 7px; }
QCheckBox::indicator { width: 15px; height: 15px; border: 1px solid @muted; border-radius: 4px; background: @ground; }
QCheckBox::indicator:checked { background: @accent; border-color: @accent; image: url(:/icons/tick-@kind.svg); }
QCheckBox:focus { color: @accent; }
QScrollArea, QScrollArea > QWidget > QWidget { background: transparent; border: 0; }
QScrollBar:vertical { background: transparent; width: 10px; margin: 0; }
QScrollBar:horizontal { background: transparent; height: 10px; margin: 0; }
QScrollBar::handle { background: @line; border-radius: 4px; min-height: 26px; min-width: 26px; margin: 1px; }
QScrollBar::handle:hover { background: @muted; }
QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page { background: transparent;
  width: 0; height: 0; }
QProgressBar { background: @ground; border: 0; border-radius: 5px; min-height: 10px; max-height: 10px; }
QProgressBar::chunk { background: @accent; border-radius: 5px; }
QProgressBar#cache::chunk { background: @ok; }
QListWidget { background: @ground; border: 1px solid transparent; border-radius: 6px; padding: 4px; }
QListWidget::item { padding: 1px 6px; border-radius: 4px; }
QListWidget::item:selected { background: @raised; color: @text; }
QTableWidget { background: @ground; border: 0; border-radius: 6px; gridline-color: @line; }
QTableWidget::item { padding: 2px 6px; }
QTableWidget::item:selected { background: @raised; color: @text; }
QHeaderView::section { background: @panel; color: @muted; border: 0; padding: 3px 6px; }
QTreeWidget { background: @ground; border: 0; border-radius: 6px; alternate-background-color: @panel; }
QTreeWidget::item { padding: 3px 0; }
QTreeWidget#numbers::item { padding: 2px 8px 2px 0; border: 1px solid transparent; }
QTreeWidget#numbers QHeaderView::section { padding: 3px 8px 3px 12px; }
QTreeWidget::item:selected { background: @raised; color: @text; }
QTreeWidget::item:disabled { color: @muted; }
QTextBrowser { background: @panel; border: 0; border-radius: 6px; padding: 12px; }
QTabWidget::pane { border: 0; background: @panel; border-radius: 6px; }
QTabBar::tab { background: @ground; color: @muted; padding: 6px 14px; border-radius: 6px; margin: 0 4px 4px 0; }
QTabBar::tab:selected { background: @raised; color: @text; }
QUndoView { background: @ground; border: 0; border-radius: 6px; padding: 4px; }
QUndoView::item { padding: 4px 8px; }
QUndoView::item:selected { background: @raised; color: @text; }
QFrame#drop { background: transparent; border: 1px dashed @muted; border-radius: 6px; }
QToolButton#recent { background: transparent; border: 1px solid transparent; border-radius: 6px; padding: 4px;
    text-align: left; }
QToolButton#recent:hover, QToolButton#recent:focus { background: @raised; border: 1px solid @line; }
QToolButton#recent[gone="true"] { color: @muted; }
QTableCornerButton::section { background: @panel; border: 0; }
QSplitter::handle { background: @ground; }
QSplitter::handle:hover { background: @line; }
QToolTip { background: @raised; color: @text; border: 1px solid @line; padding: 4px; }
QStatusBar { background: @ground; color: @muted; }
)";

} // namespace

QString style_sheet(const Tokens& t) {
    QString css = QString::fromUtf8(sheet);
    const std::pair<const char*, QColor> names[] = {
        {"@onaccent", t.on_accent}, {"@ground", t.ground}, {"@panel", t.panel}, {"@raised", t.raised},
        {"@line", t.line},          {"@text", t.text},     {"@muted", t.muted}, {"@accent", t.accent},
        {"@rose", t.rose},          {"@ok", t.ok},         {"@alert", t.alert}};
    for (const auto& [name, colour] : names) css.replace(name, colour.name());
    css.replace("@kind", t.dark ? "night" : "paper");
    css.replace("@titlept", QString::number(13 * text_scale) + "pt");
    return css;
}

} // namespace garland
