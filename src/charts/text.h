// UTF-8 text of core as QString, and text for people outside of a QObject.
#pragma once

#include <QObject>
#include <QString>
#include <string>

namespace nordstjerna {

inline QString qs(const std::string& s) {
    return QString::fromStdString(s);
}

inline QString tr(const char* text) {
    return QObject::tr(text);
}

} // namespace nordstjerna
