// The settings of the guide loop, where each came from, and every change with a way back.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/base/text.h"
#include "core/guide/controller.h"
#include "core/sky/instant.h"

namespace nordstjerna {

enum class SettingKey {
    exposure,
    gainRa,
    deadbandRa,
    smoothingRa,
    limitRa,
    gainDec,
    deadbandDec,
    smoothingDec,
    limitDec,
    decMode,
    kindRa,
    kindDec,
    pauseRa,
    pauseDec
};
inline constexpr int settingCount = 14;

// What there is to know of a setting, once for window, command line and files.
struct SettingSpec {
    const char* name; // "RA deadband"
    const char* id;   // "deadband-ra", for commands and files
    const char* unit; // "s", "″"
    int decimals;
    double low, high; // what a command may ask for; equal: one of a few
    double widest;    // what a field of the window offers
    const char* help; // a sentence: what it does

    bool isChoice() const { return low == high; }
};
const SettingSpec& settingSpec(SettingKey key);
Text settingName(SettingKey key);
std::string settingId(SettingKey key);
std::optional<SettingKey> settingWithId(const std::string& id);
// "default", "measured", "yours" …: where a value comes from, as it is kept in files, for people.
Text originText(const std::string& origin);
Text settingText(SettingKey key, double value); // "0.55″", "south only"

double settingValue(const ControllerSettings& settings, SettingKey key); // the exposure is none of them
void setSetting(ControllerSettings& settings, SettingKey key, double value);

// Those of the controllers in which the two are apart by more than the tolerance.
std::vector<SettingKey> settingsThatDiffer(const ControllerSettings& a, const ControllerSettings& b,
                                           double tolerance = 0.0);

struct SettingChange {
    SettingKey key = SettingKey::exposure;
    double before = 0.0;
    double after = 0.0;
    std::string originBefore;
    std::string origin; // "measured", "yours"
    std::string reason; // the sentence behind it, may be empty
    Instant when;
    bool undone = false;
};

class SettingsBook {
public:
    explicit SettingsBook(const ControllerSettings& start = {}, const std::string& origin = "default");

    // Values are in the unit of the setting; the Dec mode is the number of its DecMode.
    double value(SettingKey key) const { return now_[index(key)].value; }
    const std::string& origin(SettingKey key) const { return now_[index(key)].origin; }
    // Why it stands as it does; empty for defaults.
    const std::string& reason(SettingKey key) const { return now_[index(key)].reason; }
    ControllerSettings controller() const;

    // Not a change to be undone: what the rig says. What was changed here stays until the rig says something
    // new.
    void setFromRig(double exposure_s, double pulseLimit_ms);
    // As it stood on an earlier evening; no change to be undone.
    void restore(SettingKey key, double value, const std::string& origin, const std::string& reason);
    // A further change by the same hand to the same setting continues the last one. The same value is no
    // change.
    void change(SettingKey key, double value, const std::string& origin, const std::string& reason,
                Instant when);
    // Only the latest standing change of a setting can be undone.
    bool canUndo(size_t change) const;
    void undo(size_t change);
    const std::vector<SettingChange>& changes() const { return changes_; }

private:
    struct Entry {
        double value = 0.0;
        std::string origin;
        std::string reason;
    };
    static size_t index(SettingKey key) { return static_cast<size_t>(key); }
    std::vector<Entry> now_;
    double rigExposure_s_ = 0.0;
    double rigLimit_ms_ = 0.0;
    std::vector<SettingChange> changes_;
};

} // namespace nordstjerna
