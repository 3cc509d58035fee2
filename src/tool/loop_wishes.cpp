#include "tool/loop_wishes.h"

#include <CLI/CLI.hpp>

namespace nordstjerna {

namespace {

const std::map<std::string, ControllerKind> kinds{{"proportional", ControllerKind::proportional},
                                                  {"trend", ControllerKind::trend},
                                                  {"model", ControllerKind::model}};
const std::map<std::string, DecMode> modes{{"both", DecMode::both},
                                           {"north", DecMode::northOnly},
                                           {"south", DecMode::southOnly},
                                           {"off", DecMode::off}};

template <typename T>
const std::string& nameIn(const std::map<std::string, T>& names, T value) {
    for (const auto& [name, v] : names)
        if (v == value)
            return name;
    return names.begin()->first;
}

struct Bounds {
    double low, high;
};
Bounds boundsOf(SettingKey key) {
    switch (key) {
    case SettingKey::exposure:
        return {0.05, 60.0};
    case SettingKey::gainRa:
    case SettingKey::gainDec:
        return {0.0, 2.0};
    case SettingKey::deadbandRa:
    case SettingKey::deadbandDec:
        return {0.0, 60.0};
    case SettingKey::smoothingRa:
    case SettingKey::smoothingDec:
        return {0.0, 0.95};
    default:
        return {5.0, 60000.0};
    }
}

} // namespace

ControllerSettings LoopWishes::over(ControllerSettings s) const {
    if (controller)
        s.ra.kind = s.dec.kind = *controller;
    for (const auto& [key, value] : values)
        setSetting(s, key, value);
    return s;
}

void addLoopOptions(CLI::App& command, LoopWishes& wishes) {
    command.add_option("--controller", wishes.controller, "of both axes: proportional, trend or model")
        ->transform(CLI::CheckedTransformer(kinds));
    for (int k = 0; k < settingCount; ++k) {
        const auto key = static_cast<SettingKey>(k);
        const std::string name = "--" + settingId(key);
        const auto keep = [&wishes, key](double v) { wishes.values[key] = v; };
        if (key == SettingKey::kindRa || key == SettingKey::kindDec) {
            command
                .add_option_function<std::string>(
                    name, [keep](const std::string& v) { keep(static_cast<double>(kinds.at(v))); },
                    settingName(key))
                ->check(CLI::IsMember(kinds));
        } else if (key == SettingKey::decMode) {
            command
                .add_option_function<std::string>(
                    name, [keep](const std::string& v) { keep(static_cast<double>(modes.at(v))); },
                    "both, north, south or off")
                ->check(CLI::IsMember(modes));
        } else {
            const Bounds b = boundsOf(key);
            command.add_option_function<double>(name, keep, settingName(key))
                ->check(CLI::Range(b.low, b.high));
        }
    }
}

Json settingsJson(const ControllerSettings& s) {
    const auto axis = [](const AxisSettings& a) {
        return Json{{"kind", controllerName(a.kind)},
                    {"loop_gain", number(a.loopGain, 3)},
                    {"deadband_arcsec", number(a.deadband_arcsec, 3)},
                    {"smoothing", number(a.smoothing, 3)},
                    {"pulse_limit_ms", number(a.pulseLimit_ms, 0)}};
    };
    Json dec = axis(s.dec);
    dec["mode"] = nameIn(modes, s.decMode);
    return Json{{"ra", axis(s.ra)}, {"dec", dec}};
}

} // namespace nordstjerna
