#include "charts/zone.h"

#include <QTimeZone>

namespace nordstjerna {

std::string computersZone() {
    return QTimeZone::systemTimeZoneId().toStdString();
}

Expected<CivilTime> civilTimeOf(const std::string& id) {
    const QTimeZone zone =
        id.empty() ? QTimeZone::systemTimeZone() : QTimeZone(QByteArray::fromStdString(id));
    if (!zone.isValid())
        return problem(
            Text::say("The time zone \"%1\" is not known.").arg(id),
            Text::say("The system's time-zone database has no zone of that name."),
            Text::say("Names are such as Europe/Stockholm; leave it empty for the computer's own."));
    const QDateTime from(QDate(1990, 1, 1), QTime(0, 0), Qt::UTC),
        to(QDate(2100, 1, 1), QTime(0, 0), Qt::UTC);
    const auto stepAt = [&zone](const QDateTime& t) {
        return CivilTime::Step{Instant{static_cast<double>(t.toSecsSinceEpoch())}, zone.offsetFromUtc(t),
                               zone.abbreviation(t).toStdString()};
    };
    std::vector<CivilTime::Step> steps{stepAt(from)};
    for (const QTimeZone::OffsetData& change : zone.transitions(from, to))
        steps.push_back(stepAt(change.atUtc));
    return CivilTime(std::move(steps));
}

} // namespace nordstjerna
