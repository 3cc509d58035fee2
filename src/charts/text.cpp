#include "charts/text.h"

#include <QCoreApplication>

namespace nordstjerna {

QString qs(const Text& text) {
    // Of "one|many" a language file has the forms of its own; where there is none, the English one is chosen.
    static const Phrasebook installed = [](const char* source, std::optional<int> number) {
        const QString found =
            QCoreApplication::translate("nordstjerna::Text", source, nullptr, number.value_or(-1));
        if (number && found == QString::fromUtf8(source).replace("%n", QString::number(*number)))
            return englishForm(source, number);
        return found.toStdString();
    };
    return QString::fromStdString(text.in(installed));
}

} // namespace nordstjerna
