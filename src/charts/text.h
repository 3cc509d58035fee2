// UTF-8 text of core as QString.
#pragma once

#include <QString>
#include <string>

namespace nordstjerna {

inline QString qs(const std::string& s) {
    return QString::fromStdString(s);
}

} // namespace nordstjerna
