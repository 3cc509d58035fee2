// The one place for colours and typefaces, of the window and of reports.
#pragma once

#include <QColor>
#include <QFont>
#include <QString>
#include <QStringList>

namespace nordstjerna {

struct Theme {
    QString name;
    QColor base, panel, raised, line, text, muted, accent, onAccent;
    QColor ra, dec; // these two mean the axes, everywhere
    QColor good, attention;
    QColor sky[4]; // night band: day, civil, nautical, astronomical twilight
};

const Theme& theme();
QStringList themeNames();
// False when there is no such theme; the former stays.
bool setTheme(const QString& name);
// Registers the shipped typefaces, once.
void loadTypefaces();

QFont textFont(double px, bool bold = false);

} // namespace nordstjerna
