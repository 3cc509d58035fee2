// A figure as a person reads it, wherever it is shown.
#pragma once

#include <QString>

namespace nordstjerna {

struct FigureText {
    QString title, value, unit, note;

    QString spoken() const { return (title + ": " + value + " " + unit + ", " + note).simplified(); }
};

} // namespace nordstjerna
