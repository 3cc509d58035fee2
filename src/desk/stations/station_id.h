// The stations in the order of a night.
#pragma once

#include <QKeySequence>
#include <QString>
#include <array>
#include <optional>

namespace nordstjerna {

enum class StationId { rig, focus, pole, centre, rates, freeRun, guide, expose, review };

struct StationInfo {
    StationId id;
    const char* key;   // in files; never shown
    const char* title; // as the source has it: see stationTitle()
    const char* icon;
};

inline constexpr std::array<StationInfo, 9> stationTable{{
    {StationId::rig, "rig", QT_TRANSLATE_NOOP("Station", "Rig"), "telescope"},
    {StationId::focus, "focus", QT_TRANSLATE_NOOP("Station", "Focus"), "focus-2"},
    {StationId::pole, "pole", QT_TRANSLATE_NOOP("Station", "Pole"), "north-star"},
    {StationId::centre, "centre", QT_TRANSLATE_NOOP("Station", "Centre"), "target"},
    {StationId::rates, "rates", QT_TRANSLATE_NOOP("Station", "Rates"), "compass"},
    {StationId::freeRun, "free-run", QT_TRANSLATE_NOOP("Station", "Free run"), "wave-sine"},
    {StationId::guide, "guide", QT_TRANSLATE_NOOP("Station", "Guide"), "crosshair"},
    {StationId::expose, "expose", QT_TRANSLATE_NOOP("Station", "Expose"), "frames"},
    {StationId::review, "review", QT_TRANSLATE_NOOP("Station", "Review"), "notebook"},
}};

const StationInfo& stationInfo(StationId id);
QString stationTitle(StationId id);
// Ctrl and its number on the rail; empty beyond nine.
QKeySequence stationKeys(StationId id);
QString stationNumber(StationId id);
// By its key; absent when there is no such station.
std::optional<StationId> stationWithKey(const std::string& key);

} // namespace nordstjerna
