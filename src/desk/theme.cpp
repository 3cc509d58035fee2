#include "desk/theme.h"

#include <QApplication>
#include <QFile>
#include <QPainter>
#include <QPalette>
#include <QSvgRenderer>
#include <QTemporaryDir>
#include <tuple>

// Resources of a static library are linked in by name; the macro must stand outside every namespace.
static void useResources() {
    Q_INIT_RESOURCE(desk);
}

namespace nordstjerna {

namespace {

// Style sheets take pictures from files alone: the small signs on controls, in the colours of the theme.
QString markFile(const QString& name, const QColor& colour) {
    static const QTemporaryDir folder;
    const QString path = folder.filePath(name + "-" + colour.name().mid(1) + ".png");
    if (!QFile::exists(path)) {
        QPixmap picture(56, 56);
        picture.fill(Qt::transparent);
        QPainter painter(&picture);
        painter.setRenderHint(QPainter::Antialiasing);
        painter.setPen(QPen(colour, 8.0, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
        if (name == "tick") {
            painter.drawPolyline(QPolygonF{{14.0, 30.0}, {24.0, 40.0}, {43.0, 17.0}});
        } else if (name == "caret") {
            painter.drawPolyline(QPolygonF{{8.0, 18.0}, {28.0, 40.0}, {48.0, 18.0}});
        } else {
            painter.setPen(Qt::NoPen);
            painter.setBrush(colour);
            painter.drawEllipse(QPointF(28.0, 28.0), 16.0, 16.0);
        }
        painter.end();
        picture.save(path);
    }
    return path;
}

QString styleSheet(const Theme& t) {
    QString css = R"(
QWidget { color: @text; background: transparent; }
QMainWindow, QDialog, #frame { background: @base; }
#panel, #rail, #deck, #band { background: @panel; }
#card, #problem { background: @panel; border: 1px solid @line; border-radius: 4px; }
#raised { background: @raised; border: 1px solid @line; border-radius: 4px; }
#alarmBar { background: @attention; }
#alarmBar QLabel { color: @base; }
QLabel#muted { color: @muted; }
QLabel#links { color: @attention; }
QPushButton { background: @base; border: 1px solid @line; border-radius: 4px; padding: 7px 16px; min-height: 20px; }
QPushButton:hover { border-color: @accent; }
QPushButton:focus { border: 2px solid @accent; padding: 6px 15px; }
QPushButton:disabled { color: @muted; border-color: @line; }
QPushButton[compact="true"] { padding: 3px 10px; min-height: 16px; }
QPushButton[compact="true"]:focus { padding: 2px 9px; }
QPushButton#primary { background: @accent; color: @onAccent; border: 1px solid @accent; font-weight: bold; padding: 9px 26px; }
QPushButton#primary:focus { border: 2px solid @text; padding: 8px 25px; }
QPushButton#primary:disabled { background: @raised; color: @muted; border-color: @line; }
QPushButton#halt { border: 1px solid @attention; color: @attention; font-weight: bold; padding: 3px 20px; min-height: 16px; }
QPushButton#halt:focus { border: 2px solid @text; padding: 2px 19px; }
QPushButton#halt:hover { background: @attention; color: @base; }
QPushButton#do { border: 1px solid @accent; color: @accent; padding: 4px 12px; min-height: 14px; }
QPushButton#do:focus { border: 2px solid @text; padding: 3px 11px; }
QPushButton#phase { background: transparent; border: none; border-bottom: 2px solid @line; border-radius: 0; color: @muted; padding: 4px 14px; min-height: 16px; }
QPushButton#phase[tight="true"] { padding: 4px 9px; }
QPushButton#phase:hover { color: @text; }
QPushButton#phase:checked { color: @text; border-bottom: 2px solid @accent; font-weight: bold; }
QPushButton#phase:focus { border: 2px solid @accent; border-radius: 4px; padding: 2px 12px 4px 12px; }
QPushButton#phase[tight="true"]:focus { padding: 2px 7px 4px 7px; }
QPushButton#phase:disabled { color: @muted; }
QPushButton#later { background: transparent; border: none; color: @muted; padding: 4px 8px; min-height: 14px; }
QPushButton#later:focus { border: 2px solid @accent; border-radius: 4px; padding: 2px 6px; }
QPushButton#later:hover { color: @text; }
QPushButton#later:checked { color: @accent ; border-bottom: 2px solid @accent ; }
QDoubleSpinBox, QSpinBox, QDateEdit, QLineEdit, QComboBox, QPlainTextEdit { background: @base; border: 1px solid @line; border-radius: 4px; padding: 3px 6px; selection-background-color: @accent; selection-color: @onAccent; }
QDoubleSpinBox:focus, QSpinBox:focus, QDateEdit:focus, QLineEdit:focus, QComboBox:focus, QPlainTextEdit:focus { border: 2px solid @accent; padding: 2px 5px; }
QDoubleSpinBox:disabled, QSpinBox:disabled, QDateEdit:disabled, QLineEdit:disabled, QComboBox:disabled { color: @muted; }
QAbstractSpinBox::up-button, QAbstractSpinBox::down-button { width: 0px; border: none; }
QCheckBox::indicator { width: 14px; height: 14px; border: 1px solid @muted; border-radius: 3px; background: @base; }
QCheckBox::indicator:checked { background: @accent; border-color: @accent; image: url(@tick); }
QRadioButton::indicator { width: 14px; height: 14px; border: 1px solid @muted; border-radius: 8px; background: @base; }
QRadioButton::indicator:checked { border-color: @accent; image: url(@dot); }
QCheckBox::indicator:focus, QRadioButton::indicator:focus { border: 2px solid @accent; width: 12px; height: 12px; }
QComboBox { padding-right: 2px; }
QComboBox::drop-down { border: none; width: 16px; }
QComboBox::down-arrow { image: url(@caret); width: 10px; height: 6px; }
QComboBox QAbstractItemView, QListWidget, QTableWidget { background: @panel; border: 1px solid @line; selection-background-color: @raised; selection-color: @text; outline: none; }
QListWidget:focus, QTableWidget:focus { border: 2px solid @accent; }
QHeaderView::section { background: @panel; color: @muted; border: none; border-bottom: 1px solid @line; padding: 4px; }
QMenuBar { background: @panel; border-bottom: 1px solid @line; }
QMenuBar::item { padding: 4px 10px; background: transparent; }
QMenuBar::item:selected { background: @raised; }
QMenu { background: @raised; border: 1px solid @line; }
QMenu::item { padding: 5px 28px 5px 18px; }
QMenu::item:selected { background: @line; }
QMenu::item:disabled { color: @muted; }
QMenu::separator { height: 1px; background: @line; margin: 4px 8px; }
QToolTip { background: @raised; color: @text; border: 1px solid @line; padding: 4px; }
QScrollArea { border: none; }
QSlider::groove:horizontal { height: 4px; background: @line; border-radius: 2px; }
QSlider::handle:horizontal { width: 14px; margin: -6px 0; background: @muted; border-radius: 7px; }
QSlider::handle:horizontal:focus { background: @accent; border: 2px solid @text; }
QScrollBar:vertical { background: transparent; width: 8px; }
QScrollBar::handle:vertical { background: @line; border-radius: 4px; min-height: 24px; }
QScrollBar::add-line, QScrollBar::sub-line { height: 0; width: 0; }
QScrollBar:horizontal { background: transparent; height: 8px; }
QScrollBar::handle:horizontal { background: @line; border-radius: 4px; }
)";
    const std::pair<const char*, QColor> names[] = {
        {"@base", t.base},     {"@panel", t.panel},       {"@raised", t.raised},
        {"@line", t.line},     {"@text", t.text},         {"@muted", t.muted},
        {"@accent", t.accent}, {"@onAccent", t.onAccent}, {"@attention", t.attention},
    };
    for (const auto& [key, name, colour] :
         {std::tuple("@tick", "tick", t.onAccent), std::tuple("@dot", "dot", t.accent),
          std::tuple("@caret", "caret", t.muted)})
        css.replace(key, markFile(name, colour));
    // Longer names first, so that @accent does not eat the start of another.
    for (const auto& [key, colour] : names)
        css.replace(QString(key) + ";", colour.name() + ";").replace(QString(key) + " ", colour.name() + " ");
    return css;
}

} // namespace

ThemeSwitch& ThemeSwitch::instance() {
    static ThemeSwitch s;
    static const bool registered = [] {
        useResources();
        return true;
    }();
    Q_UNUSED(registered);
    return s;
}

void ThemeSwitch::use(const QString& name) {
    setTheme(name);
    current_ = name;
    const Theme& t = theme();
    QPalette p;
    p.setColor(QPalette::Window, t.base);
    p.setColor(QPalette::Base, t.base);
    p.setColor(QPalette::AlternateBase, t.panel);
    p.setColor(QPalette::Button, t.raised);
    for (auto role : {QPalette::WindowText, QPalette::Text, QPalette::ButtonText, QPalette::ToolTipText})
        p.setColor(role, t.text);
    p.setColor(QPalette::PlaceholderText, t.muted);
    p.setColor(QPalette::Highlight, t.accent);
    p.setColor(QPalette::HighlightedText, t.onAccent);
    p.setColor(QPalette::ToolTipBase, t.raised);
    qApp->setPalette(p);
    qApp->setFont(textFont(13));
    qApp->setStyleSheet(styleSheet(t));
    Q_EMIT changed();
}

QIcon tintedIcon(const QString& name, const QColor& colour) {
    QFile file(":/icons/" + name + ".svg");
    if (!file.open(QIODevice::ReadOnly))
        return {};
    QSvgRenderer svg(file.readAll().replace("currentColor", colour.name().toUtf8()));
    QPixmap pixmap(48, 48);
    pixmap.fill(Qt::transparent);
    QPainter painter(&pixmap);
    svg.render(&painter);
    return QIcon(pixmap);
}

} // namespace nordstjerna
