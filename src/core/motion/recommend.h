// Settings of the guide loop that a free run asks for, each with its reason.
#pragma once

#include "core/guide/settings_book.h"
#include "core/motion/backlash.h"
#include "core/motion/motion_analysis.h"

namespace nordstjerna {

struct Recommendation {
    SettingKey key = SettingKey::exposure;
    double value = 0.0;
    std::string headline; // "RA deadband 0.55″"
    std::string evidence; // the numbers
    std::string reason;   // what it brings
    bool change = true;   // false: it stands so already
};

// now: the settings in use. rates: of the axes under pulses on the sky, ″/s; 0: not known. backlash: of a
// test in the same place, if there was one.
std::vector<Recommendation> recommendSettings(const MotionAnalysis& analysis, const SettingsBook& now,
                                              double raRate_arcsec_s, double decRate_arcsec_s,
                                              const BacklashResult* backlash);

// Amount that `share` of the fast part of a series stays below: its own distribution, no shape assumed.
double fastQuantile(std::span<const double> t_s, std::span<const double> v, double share);

} // namespace nordstjerna
