#include "desk/catalogue.h"

#include <QFile>

namespace nordstjerna {

namespace {
const Expected<ObjectCatalogue>& shipped() {
    static const Expected<ObjectCatalogue> read = [] {
        QFile file(":/catalogues/objects.tsv");
        const QByteArray lines = file.open(QIODevice::ReadOnly) ? file.readAll() : QByteArray();
        return ObjectCatalogue::parse({lines.constData(), static_cast<size_t>(lines.size())});
    }();
    return read;
}
} // namespace

const ObjectCatalogue& catalogue() {
    static const ObjectCatalogue none;
    return shipped() ? *shipped() : none;
}

std::optional<Problem> catalogueProblem() {
    return shipped() ? std::nullopt : std::optional(shipped().error());
}

} // namespace nordstjerna
