#include "core/guide/settings_book.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"
#include "core/guide/controllers.h"

namespace nordstjerna {

namespace {

// Of both axes.
constexpr const char* gainHelp = Text::mark("Share of the error corrected at once.");
constexpr const char* deadbandHelp = Text::mark("Smaller errors are left alone.");
constexpr const char* smoothingHelp = Text::mark("Share of the previous error kept: damps single gusts.");
constexpr const char* limitHelp = Text::mark(
    "Longest pulse; keep it shorter than the exposure, or it still runs when the next frame begins.");
constexpr const char* pauseHelp = Text::mark(
    "After a correction the axis is left alone so long, while frames go on; 0: each frame may correct.");
constexpr const char* kindHelp = Text::mark("How the corrections of this axis are worked out.");
constexpr SettingSpec specs[settingCount] = {
    {Text::mark("Exposure"), "exposure", "s", 1, 0.05, 60, 60, Text::mark("Of one guide frame.")},
    {Text::mark("RA loop gain"), "gain-ra", "", 2, 0, 2, 1.5, gainHelp},
    {Text::mark("RA deadband"), "deadband-ra", "″", 2, 0, 60, 5, deadbandHelp},
    {Text::mark("RA smoothing"), "smoothing-ra", "", 2, 0, 0.95, 0.95, smoothingHelp},
    {Text::mark("RA pulse limit"), "limit-ra", "ms", 0, 5, 60000, 20000, limitHelp},
    {Text::mark("Dec loop gain"), "gain-dec", "", 2, 0, 2, 1.5, gainHelp},
    {Text::mark("Dec deadband"), "deadband-dec", "″", 2, 0, 60, 5, deadbandHelp},
    {Text::mark("Dec smoothing"), "smoothing-dec", "", 2, 0, 0.95, 0.95, smoothingHelp},
    {Text::mark("Dec pulse limit"), "limit-dec", "ms", 0, 5, 60000, 20000, limitHelp},
    {Text::mark("Dec corrections"), "dec-corrections", "", 0, 0, 0, 0,
     Text::mark("Correcting only against the drift never crosses a large backlash.")},
    {Text::mark("RA controller"), "controller-ra", "", 0, 0, 0, 0, kindHelp},
    {Text::mark("Dec controller"), "controller-dec", "", 0, 0, 0, 0, kindHelp},
    {Text::mark("RA pause"), "pause-ra", "s", 1, 0, 120, 60, pauseHelp},
    {Text::mark("Dec pause"), "pause-dec", "s", 1, 0, 120, 60, pauseHelp},
};
constexpr const char* decModes[] = {Text::mark("both ways"), Text::mark("north only"),
                                    Text::mark("south only"), Text::mark("off")};

DecMode decModeOf(double value) {
    return static_cast<DecMode>(std::clamp(std::lround(value), 0L, 3L));
}

ControllerKind kindOf(double value) {
    return controllerOf(static_cast<ControllerKind>(std::lround(value))).kind;
}

} // namespace

const SettingSpec& settingSpec(SettingKey key) {
    return specs[static_cast<size_t>(key)];
}

Text settingName(SettingKey key) {
    return Text::say(settingSpec(key).name);
}

std::string settingId(SettingKey key) {
    return settingSpec(key).id;
}

std::optional<SettingKey> settingWithId(const std::string& id) {
    if (id == "dec-mode") // as earlier versions wrote it into evenings and logs
        return SettingKey::decMode;
    for (int k = 0; k < settingCount; ++k)
        if (specs[k].id == id)
            return static_cast<SettingKey>(k);
    return std::nullopt;
}

Text originText(const std::string& origin) {
    for (const char* known :
         {Text::mark("default"), Text::mark("rig"), Text::mark("measured"), Text::mark("yours"),
          Text::mark("tune"), Text::mark("replay"), Text::mark("trial"), Text::mark("proposed")})
        if (origin == known)
            return Text::say(known);
    return origin;
}

Text settingText(SettingKey key, double value) {
    if (key == SettingKey::decMode)
        return Text::say(decModes[static_cast<size_t>(decModeOf(value))]);
    if (key == SettingKey::kindRa || key == SettingKey::kindDec)
        return Text(controllerOf(kindOf(value)).id);
    return formatNumber(value, settingSpec(key).decimals) + formatUnit(settingSpec(key).unit);
}

namespace {
// Where the plain figures stand; nullptr: kinds, modes and the exposure. The settings may be const.
template <typename Settings>
auto* figureOf(Settings& c, SettingKey key) {
    switch (key) {
    case SettingKey::gainRa:
        return &c.ra.loopGain;
    case SettingKey::deadbandRa:
        return &c.ra.deadband_arcsec;
    case SettingKey::smoothingRa:
        return &c.ra.smoothing;
    case SettingKey::limitRa:
        return &c.ra.pulseLimit_ms;
    case SettingKey::gainDec:
        return &c.dec.loopGain;
    case SettingKey::deadbandDec:
        return &c.dec.deadband_arcsec;
    case SettingKey::smoothingDec:
        return &c.dec.smoothing;
    case SettingKey::limitDec:
        return &c.dec.pulseLimit_ms;
    case SettingKey::pauseRa:
        return &c.ra.pause_s;
    case SettingKey::pauseDec:
        return &c.dec.pause_s;
    default:
        return static_cast<decltype(&c.ra.loopGain)>(nullptr);
    }
}
} // namespace

double settingValue(const ControllerSettings& c, SettingKey key) {
    if (const double* figure = figureOf(c, key))
        return *figure;
    return key == SettingKey::decMode   ? static_cast<double>(c.decMode)
           : key == SettingKey::kindRa  ? static_cast<double>(c.ra.kind)
           : key == SettingKey::kindDec ? static_cast<double>(c.dec.kind)
                                        : 0.0;
}

std::vector<SettingKey> settingsThatDiffer(const ControllerSettings& a, const ControllerSettings& b,
                                           double tolerance) {
    std::vector<SettingKey> list;
    for (int k = 0; k < settingCount; ++k) {
        const auto key = static_cast<SettingKey>(k);
        if (std::abs(settingValue(a, key) - settingValue(b, key)) > tolerance)
            list.push_back(key);
    }
    return list;
}

void setSetting(ControllerSettings& c, SettingKey key, double v) {
    if (double* figure = figureOf(c, key))
        *figure = v;
    else if (key == SettingKey::decMode)
        c.decMode = decModeOf(v);
    else if (key == SettingKey::kindRa)
        c.ra.kind = kindOf(v);
    else if (key == SettingKey::kindDec)
        c.dec.kind = kindOf(v);
}

SettingsBook::SettingsBook(const ControllerSettings& start, const std::string& origin)
    : now_(settingCount, {0.0, origin, ""}) {
    for (int k = 0; k < settingCount; ++k)
        now_[static_cast<size_t>(k)].value = settingValue(start, static_cast<SettingKey>(k));
    now_[index(SettingKey::exposure)].value = 2.0;
}

ControllerSettings SettingsBook::controller() const {
    ControllerSettings c;
    for (int k = 0; k < settingCount; ++k)
        setSetting(c, static_cast<SettingKey>(k), now_[static_cast<size_t>(k)].value);
    return c;
}

void SettingsBook::setFromRig(double exposure_s, double pulseLimit_ms) {
    const auto set = [&](SettingKey key, double v) {
        if (v != value(key))
            now_[index(key)] = {v, "rig", ""};
    };
    if (exposure_s != rigExposure_s_)
        set(SettingKey::exposure, exposure_s);
    if (pulseLimit_ms != rigLimit_ms_) {
        set(SettingKey::limitRa, pulseLimit_ms);
        set(SettingKey::limitDec, pulseLimit_ms);
    }
    rigExposure_s_ = exposure_s;
    rigLimit_ms_ = pulseLimit_ms;
}

void SettingsBook::restore(SettingKey key, double value, const std::string& origin,
                           const std::string& reason) {
    now_[index(key)] = {value, origin, reason};
}

void SettingsBook::change(SettingKey key, double v, const std::string& origin, const std::string& reason,
                          Instant when) {
    Entry& entry = now_[index(key)];
    if (v == entry.value)
        return;
    SettingChange* last = changes_.empty() ? nullptr : &changes_.back();
    if (last && last->key == key && last->origin == origin && !last->undone && origin == "yours") {
        last->after = v;
        last->when = when;
    } else {
        changes_.push_back({key, entry.value, v, entry.origin, origin, reason, when, false});
    }
    entry = {v, origin, reason};
}

bool SettingsBook::canUndo(size_t change) const {
    if (change >= changes_.size() || changes_[change].undone)
        return false;
    for (size_t later = change + 1; later < changes_.size(); ++later)
        if (changes_[later].key == changes_[change].key && !changes_[later].undone)
            return false;
    return true;
}

void SettingsBook::undo(size_t change) {
    if (!canUndo(change))
        return;
    SettingChange& c = changes_[change];
    c.undone = true;
    now_[index(c.key)] = {c.before, c.originBefore, ""};
}

} // namespace nordstjerna
