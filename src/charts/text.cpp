#include "charts/text.h"

#include <QCoreApplication>

namespace nordstjerna {

QString qs(const Text& text) {
    // A language has as many forms as it needs; without one the English are still to be chosen from.
    static const Phrasebook installed = [](const char* source, std::optional<int> number) {
        const QByteArray found =
            QCoreApplication::translate("nordstjerna::Text", source, nullptr, number.value_or(-1)).toUtf8();
        return englishForm(found.constData(), number);
    };
    return QString::fromStdString(text.in(installed));
}

} // namespace nordstjerna
