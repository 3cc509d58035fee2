#include "core/guide/gentle.h"

namespace nordstjerna {

std::vector<ProposedSetting> guideGently(const MountSpec& mount) {
    constexpr double exposure_s = 5.0;
    constexpr double pause_s = 5.0;
    std::vector<ProposedSetting> list;
    if (!mount.encoderRa && !mount.encoderDec)
        return list;
    list.push_back(
        {SettingKey::exposure, exposure_s,
         Text::say("An axis with an encoder needs no quick corrections; longer frames average the seeing.")});
    const auto axis = [&](SettingKey pause, SettingKey kind) {
        list.push_back(
            {pause, pause_s, Text::say("A correction each 8 to 12 s leaves the encoder to do its work.")});
        list.push_back(
            {kind, static_cast<double>(ControllerKind::trend),
             Text::say("The axis moves so smoothly that its course over the last minutes is enough.")});
    };
    if (mount.encoderRa)
        axis(SettingKey::pauseRa, SettingKey::kindRa);
    if (mount.encoderDec)
        axis(SettingKey::pauseDec, SettingKey::kindDec);
    return list;
}

} // namespace nordstjerna
