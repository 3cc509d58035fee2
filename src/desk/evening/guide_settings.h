// What the guide loop goes by: its settings, of which exposure and pulse limits are the rig's too, and the
// guide stars that were chosen by hand.
#pragma once

#include "core/guide/settings_book.h"
#include "core/sky/tangent_plane.h"
#include "desk/evening/this_night.h"

namespace nordstjerna {

class GuideSettings : public QObject {
    Q_OBJECT
public:
    GuideSettings(EveningStore& evening, RigBook& rigs, const ThisNight& night);

    const SettingsBook& book() const { return book_; }
    void change(SettingKey key, double value, const std::string& origin, const std::string& reason = "");
    void undo(size_t change);

    // Empty: guide stars are chosen by merit.
    const std::vector<Pixel>& handStars() const { return handStars_; }
    void setHandStars(std::vector<Pixel> stars) { handStars_ = std::move(stars); }

Q_SIGNALS:
    void changed();

private:
    void fromRig();
    void restore();
    void keep();
    void toRig();
    EveningStore& evening_;
    RigBook& rigs_;
    const ThisNight& night_;
    SettingsBook book_;
    std::vector<Pixel> handStars_;
    bool givesToRig_ = false; // what it hears of the rig then is its own
};

} // namespace nordstjerna
