#include "desk/evening/guide_settings.h"

namespace nordstjerna {

GuideSettings::GuideSettings(EveningStore& evening, RigBook& rigs, const ThisNight& night)
    : evening_(evening), rigs_(rigs), night_(night) {
    const auto fromRig = [this] {
        const GuideDefaults& g = rigs_.rig().guiding;
        book_.setFromRig(g.exposure_s, g.pulseLimit_ms);
    };
    fromRig();
    for (const Evening::Setting& s : evening.evening().settings)
        if (const auto key = settingWithId(s.id))
            book_.restore(*key, s.value, s.origin, s.reason);
    connect(&rigs, &RigBook::replaced, this, [this] { handStars_.clear(); });
    connect(&rigs, &RigBook::changed, this, [this, fromRig] {
        if (givesToRig_)
            return;
        fromRig();
        keep();
        Q_EMIT changed();
    });
}

void GuideSettings::change(SettingKey key, double value, const std::string& origin,
                           const std::string& reason) {
    book_.change(key, value, origin, reason, night_.now());
    toRig();
    keep();
    Q_EMIT changed();
}

void GuideSettings::undo(size_t change) {
    book_.undo(change);
    toRig();
    keep();
    Q_EMIT changed();
}

void GuideSettings::toRig() {
    const double exposure = book_.value(SettingKey::exposure);
    if (exposure == rigs_.rig().guiding.exposure_s)
        return;
    Rig rig = rigs_.rig();
    rig.guiding.exposure_s = exposure;
    givesToRig_ = true;
    rigs_.set(rig);
    givesToRig_ = false;
}

// Those that differ from the defaults.
void GuideSettings::keep() {
    evening_.edit([this](Evening& e) {
        e.settings.clear();
        for (int k = 0; k < settingCount; ++k) {
            const auto key = static_cast<SettingKey>(k);
            if (book_.origin(key) != "default" && book_.origin(key) != "rig")
                e.settings.push_back(
                    {settingId(key), book_.value(key), book_.origin(key), book_.reason(key)});
        }
    });
}

} // namespace nordstjerna
