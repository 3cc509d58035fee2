#include "desk/evening/guide_settings.h"

namespace nordstjerna {

GuideSettings::GuideSettings(EveningStore& evening, RigBook& rigs, const ThisNight& night)
    : evening_(evening), rigs_(rigs), night_(night) {
    restore();
    connect(&rigs, &RigBook::replaced, this, [this] {
        handStars_.clear();
        restore();
    });
    connect(&rigs, &RigBook::changed, this, [this] {
        if (givesToRig_)
            return;
        fromRig();
        keep();
        Q_EMIT changed();
    });
}

void GuideSettings::fromRig() {
    const GuideDefaults& g = rigs_.rig().guiding;
    book_.setFromRig(g.exposure_s, g.pulseLimit_ms);
}

// As they were left with this mount and these optics.
void GuideSettings::restore() {
    book_ = SettingsBook();
    fromRig();
    const auto& all = evening_.evening().settings;
    if (const auto kept = all.find(rigs_.rig().id); kept != all.end())
        for (const Evening::Setting& s : kept->second)
            if (const auto key = settingWithId(s.id))
                book_.restore(*key, s.value, s.origin, s.reason);
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
        std::vector<Evening::Setting>& kept = e.settings[rigs_.rig().id];
        kept.clear();
        for (int k = 0; k < settingCount; ++k) {
            const auto key = static_cast<SettingKey>(k);
            if (book_.origin(key) != "default" && book_.origin(key) != "rig")
                kept.push_back({settingId(key), book_.value(key), book_.origin(key), book_.reason(key)});
        }
    });
}

} // namespace nordstjerna
