#include "tool/loop_wishes.h"

#include <algorithm>

#include "core/guide/controllers.h"

namespace nordstjerna {

namespace {

std::vector<std::string> controllerIds() {
    std::vector<std::string> ids;
    for (const ControllerDescriptor& c : controllers())
        ids.push_back(c.id);
    return ids;
}

// In the order of DecMode.
const std::vector<std::string> correctionWords{"both-ways", "north-only", "south-only", "none"};

} // namespace

ControllerSettings LoopWishes::over(ControllerSettings s) const {
    for (const auto& [key, value] : values)
        setSetting(s, key, value);
    return s;
}

void addLoopOptions(Arguments& command, LoopWishes& wishes) {
    const auto keep = [&wishes](SettingKey key, auto value) {
        wishes.values[key] = static_cast<double>(value);
    };
    const auto kindIn = [](const std::string& text) {
        mustBeOneOf(text, controllerIds());
        return *controllerFrom(text);
    };
    // Options are taken in this order, so that those of one axis have the last word.
    command.option("controller", "of both axes", [keep, kindIn](const std::string& v) {
        keep(SettingKey::kindRa, kindIn(v));
        keep(SettingKey::kindDec, kindIn(v));
    });
    for (int k = 0; k < settingCount; ++k) {
        const auto key = static_cast<SettingKey>(k);
        Taken taken = [keep, key](const std::string& v) {
            keep(key, boundedNumber(v, settingSpec(key).low, settingSpec(key).high));
        };
        if (key == SettingKey::kindRa || key == SettingKey::kindDec)
            taken = [keep, key, kindIn](const std::string& v) { keep(key, kindIn(v)); };
        else if (key == SettingKey::decMode)
            taken = [keep, key](const std::string& v) {
                mustBeOneOf(v, correctionWords);
                keep(key,
                     std::find(correctionWords.begin(), correctionWords.end(), v) - correctionWords.begin());
            };
        command.option(settingId(key), settingName(key).english(), std::move(taken));
    }
}

Json settingsJson(const ControllerSettings& s) {
    const auto axis = [](const AxisSettings& a) {
        Json json{{"kind", controllerOf(a.kind).id},
                  {"loop_gain", number(a.loopGain, 3)},
                  {"deadband_arcsec", number(a.deadband_arcsec, 3)},
                  {"smoothing", number(a.smoothing, 3)},
                  {"pulse_limit_ms", number(a.pulseLimit_ms, 0)}};
        if (a.pause_s > 0.0)
            json["pause_s"] = number(a.pause_s, 1);
        return json;
    };
    Json dec = axis(s.dec);
    dec["mode"] = decModeName(s.decMode);
    return Json{{"ra", axis(s.ra)}, {"dec", dec}};
}

} // namespace nordstjerna
