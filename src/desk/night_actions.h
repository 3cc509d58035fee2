// What a person can have done by a menu, a key or the search of actions, beside what windows usually offer.
#pragma once

#include <QStringList>
#include <span>

#include "core/findings/action.h"
#include "desk/stations/station_id.h"

namespace nordstjerna {

struct NightAction {
    ActionId id;
    StationId station; // is shown, and does it
    const char* text;  // as the source has it, for translation in the context "NightAction"
    const char* keys;  // may be empty
};

// In the order of the menu.
std::span<const NightAction> nightActions();

} // namespace nordstjerna
