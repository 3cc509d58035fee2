// The one place for colours and typefaces.
#pragma once

#include <QColor>
#include <QFont>
#include <QIcon>
#include <QObject>
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

// Announces a change of theme; everything that paints by itself listens.
class ThemeSwitch : public QObject {
    Q_OBJECT
public:
    static ThemeSwitch& instance();
    void use(const QString& name);
Q_SIGNALS:
    void changed();
};

const Theme& theme();
QStringList themeNames();
// Registers the shipped typefaces, once.
void loadTypefaces();

QFont textFont(double px, bool bold = false);
// Shipped line icon in the given colour.
QIcon tintedIcon(const QString& name, const QColor& colour);

} // namespace nordstjerna
