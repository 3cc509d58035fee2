// The theme of the window: style sheet, palette, icons.
#pragma once

#include <QIcon>
#include <QObject>

#include "charts/palette.h"

namespace nordstjerna {

// Announces a change of theme; everything that paints by itself listens.
class ThemeSwitch : public QObject {
    Q_OBJECT
public:
    static ThemeSwitch& instance();
    void use(const QString& name);
    const QString& current() const { return current_; }
Q_SIGNALS:
    void changed();

private:
    QString current_;
};

// Shipped line icon in the given colour.
QIcon tintedIcon(const QString& name, const QColor& colour);

} // namespace nordstjerna
