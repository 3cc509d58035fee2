#include "desk/stations/station_id.h"

#include <QCoreApplication>
#include <algorithm>

#include "core/base/lower_case.h"

namespace nordstjerna {

const StationInfo& stationInfo(StationId id) {
    return stationTable[static_cast<size_t>(id)];
}

QString stationTitle(StationId id) {
    return QCoreApplication::translate("Station", stationInfo(id).title);
}

QString stationPurpose(StationId id) {
    return QCoreApplication::translate("Station", stationInfo(id).purpose);
}

QString stationNumber(StationId id) {
    return QString::number(static_cast<int>(id) + 1);
}

QKeySequence stationKeys(StationId id) {
    const QString number = stationNumber(id);
    return number.size() == 1 ? QKeySequence("Ctrl+" + number) : QKeySequence();
}

std::optional<StationId> stationWithKey(const std::string& key) {
    // Earlier evenings hold the title.
    std::string wanted = lowerCase(key);
    std::replace(wanted.begin(), wanted.end(), ' ', '-');
    for (const StationInfo& s : stationTable)
        if (wanted == s.key)
            return s.id;
    return std::nullopt;
}

} // namespace nordstjerna
