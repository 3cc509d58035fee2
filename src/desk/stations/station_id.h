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
    const char* purpose; // likewise: what one does there
    bool everyNight;     // an evening cannot do without
};

inline constexpr std::array<StationInfo, 9> stationTable{{
    {StationId::rig, "rig", QT_TRANSLATE_NOOP("Station", "Rig"), "telescope",
     QT_TRANSLATE_NOOP("Station", "say what you use"), true},
    {StationId::focus, "focus", QT_TRANSLATE_NOOP("Station", "Focus"), "focus-2",
     QT_TRANSLATE_NOOP("Station", "make the stars sharp"), true},
    {StationId::pole, "pole", QT_TRANSLATE_NOOP("Station", "Pole"), "north-star",
     QT_TRANSLATE_NOOP("Station", "point the axis at the pole"), true},
    {StationId::centre, "centre", QT_TRANSLATE_NOOP("Station", "Centre"), "target",
     QT_TRANSLATE_NOOP("Station", "put the target where you want it"), true},
    {StationId::rates, "rates", QT_TRANSLATE_NOOP("Station", "Rates"), "compass",
     QT_TRANSLATE_NOOP("Station", "measure what a pulse does"), true},
    {StationId::freeRun, "free-run", QT_TRANSLATE_NOOP("Station", "Free run"), "wave-sine",
     QT_TRANSLATE_NOOP("Station", "see what the mount does alone; once a season will do"), false},
    {StationId::guide, "guide", QT_TRANSLATE_NOOP("Station", "Guide"), "crosshair",
     QT_TRANSLATE_NOOP("Station", "hold the star"), true},
    {StationId::expose, "expose", QT_TRANSLATE_NOOP("Station", "Expose"), "frames",
     QT_TRANSLATE_NOOP("Station", "take the frames"), true},
    {StationId::review, "review", QT_TRANSLATE_NOOP("Station", "Review"), "notebook",
     QT_TRANSLATE_NOOP("Station", "look back, and find what to change"), false},
}};

const StationInfo& stationInfo(StationId id);
QString stationTitle(StationId id);
QString stationPurpose(StationId id);
// Ctrl and its number on the rail; empty beyond nine.
QKeySequence stationKeys(StationId id);
QString stationNumber(StationId id);
// By its key; absent when there is no such station.
std::optional<StationId> stationWithKey(const std::string& key);

} // namespace nordstjerna
