// What a button beside a finding or a problem can have done, and what a menu can. Who does it is the window's
// affair.
#pragma once

#include "core/guide/settings_book.h"

namespace nordstjerna {

enum class ActionId {
    none, // a person must
    halt,
    takeEvening,
    settleDispute,
    saveRunElsewhere,
    goToRig,
    goToFocus,
    goToPole,
    goToRates,
    shortenPulseLimit,
    takeGuideRates,
    takeFilters,
    takeCameraFigures,
    focusStart,
    focusRun,
    focusFollow,
    focusMask,
    focusNoise,
    focusDarks,
    focusMerit,
    poleMeasure,
    poleRepeat,
    poleByHand,
    poleAdjust,
    poleElsewhere,
    poleTrail,
    poleFrames,
    poleStop,
    centreSearch,
    centreGo,
    centreFraming,
    centreCentring,
    centreTurn,
    centreBoth,
    centreAdopt,
    centreByHand,
    syncHere,
    ratesMeasure,
    ratesFormer,
    ratesForce,
    ratesLook,
    ratesResponse,
    ratesGears,
    freeRecord,
    freeBacklash,
    freeOpen,
    useSetting,
    enterWormPeriod,
    guideToggle,
    guideGently,
    exposeStart,
    exposeTest,
    exposeFlip,
    exposeSettle,
    exposeLadder,
    exposeFolder,
    exposeFollow,
    exposeGoOn,
    reviewSearch,
    reviewRebuild,
    reviewUse
};

struct Action {
    ActionId id = ActionId::none;
    SettingKey setting = SettingKey::exposure; // of useSetting
    double period_s = 0.0;                     // of enterWormPeriod

    Action() = default;
    Action(ActionId what) : id(what) {} // an identity is an action of its own
    static Action use(SettingKey key) {
        Action a(ActionId::useSetting);
        a.setting = key;
        return a;
    }
    static Action enterWormPeriod(double period_s) {
        Action a(ActionId::enterWormPeriod);
        a.period_s = period_s;
        return a;
    }
    explicit operator bool() const { return id != ActionId::none; }
    bool operator==(const Action&) const = default;
};

} // namespace nordstjerna
