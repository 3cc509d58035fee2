// Texts of core as QString, in the reader's language, and text for people outside of a QObject.
#pragma once

#include <QObject>
#include <QString>
#include <string>

#include "core/base/text.h"

namespace nordstjerna {

// UTF-8.
inline QString qs(const std::string& s) {
    return QString::fromStdString(s);
}
// In the language that is installed; without one, in English.
QString qs(const Text& text);

inline QString tr(const char* text) {
    return QObject::tr(text);
}

} // namespace nordstjerna
