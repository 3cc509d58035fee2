#include "desk/night_actions.h"

namespace nordstjerna {

namespace {
constexpr NightAction nightTable[] = {
    {ActionId::focusStart, StationId::focus, QT_TRANSLATE_NOOP("NightAction", "Focus frames"), "Ctrl+U"},
    {ActionId::focusRun, StationId::focus, QT_TRANSLATE_NOOP("NightAction", "Focus run"), "Ctrl+Shift+U"},
    {ActionId::focusMask, StationId::focus, QT_TRANSLATE_NOOP("NightAction", "Focus by a mask"), ""},
    {ActionId::focusDarks, StationId::focus, QT_TRANSLATE_NOOP("NightAction", "Take darks…"), "Ctrl+D"},
    {ActionId::focusNoise, StationId::focus,
     QT_TRANSLATE_NOOP("NightAction", "Test the guide camera's gain or exposure"), ""},
    {ActionId::poleMeasure, StationId::pole, QT_TRANSLATE_NOOP("NightAction", "Measure the pole"), "Ctrl+M"},
    {ActionId::poleAdjust, StationId::pole, QT_TRANSLATE_NOOP("NightAction", "Adjust the pole live"),
     "Ctrl+J"},
    {ActionId::poleFrames, StationId::pole, QT_TRANSLATE_NOOP("NightAction", "Axis from frames…"), ""},
    {ActionId::centreSearch, StationId::centre, QT_TRANSLATE_NOOP("NightAction", "Choose a target"),
     "Ctrl+T"},
    {ActionId::centreGo, StationId::centre, QT_TRANSLATE_NOOP("NightAction", "Centre the target"), "Ctrl+E"},
    {ActionId::syncHere, StationId::centre, QT_TRANSLATE_NOOP("NightAction", "Solve here and sync"),
     "Ctrl+Shift+S"},
    {ActionId::centreByHand, StationId::centre,
     QT_TRANSLATE_NOOP("NightAction", "Move the telescope by hand"), "Ctrl+Shift+M"},
    {ActionId::centreFraming, StationId::centre, QT_TRANSLATE_NOOP("NightAction", "Frame the target"), ""},
    {ActionId::centreTurn, StationId::centre, QT_TRANSLATE_NOOP("NightAction", "Turn the camera"), ""},
    {ActionId::centreBoth, StationId::centre, QT_TRANSLATE_NOOP("NightAction", "Both cameras on the sky"),
     ""},
    {ActionId::ratesMeasure, StationId::rates, QT_TRANSLATE_NOOP("NightAction", "Measure guide rates"),
     "Ctrl+R"},
    {ActionId::ratesResponse, StationId::rates,
     QT_TRANSLATE_NOOP("NightAction", "Test how the mount answers pulses"), ""},
    {ActionId::ratesGears, StationId::rates, QT_TRANSLATE_NOOP("NightAction", "Check the gears on a star"),
     ""},
    {ActionId::freeRecord, StationId::freeRun, QT_TRANSLATE_NOOP("NightAction", "Record a free run"),
     "Ctrl+Shift+R"},
    {ActionId::freeBacklash, StationId::freeRun, QT_TRANSLATE_NOOP("NightAction", "Test the Dec backlash"),
     "Ctrl+B"},
    {ActionId::freeOpen, StationId::freeRun, QT_TRANSLATE_NOOP("NightAction", "Open a run…"), ""},
    {ActionId::guideToggle, StationId::guide, QT_TRANSLATE_NOOP("NightAction", "Guide, or stop guiding"),
     "Ctrl+G"},
    {ActionId::exposeStart, StationId::expose,
     QT_TRANSLATE_NOOP("NightAction", "Start the series, or stop it"), "Ctrl+Shift+E"},
    {ActionId::exposeTest, StationId::expose, QT_TRANSLATE_NOOP("NightAction", "Test exposure"), ""},
    {ActionId::exposeFlip, StationId::expose, QT_TRANSLATE_NOOP("NightAction", "Flip over the meridian now"),
     ""},
    {ActionId::exposeLadder, StationId::expose, QT_TRANSLATE_NOOP("NightAction", "Unguided ladder"), ""},
    {ActionId::reviewSearch, StationId::review, QT_TRANSLATE_NOOP("NightAction", "Search all nights"),
     "Ctrl+F"},
    {ActionId::reviewRebuild, StationId::review,
     QT_TRANSLATE_NOOP("NightAction", "Rebuild the night log from records and tables"), ""},
};
} // namespace

std::span<const NightAction> nightActions() {
    return nightTable;
}

} // namespace nordstjerna
