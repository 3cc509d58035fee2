// Why the light of the guide stars fades: dew settles slowly and widens the stars, clouds come and go within
// minutes, haze dims evenly and brightens the sky, twilight and the Moon brighten it alone. Judged against
// the light that the air mass lets expect, from averages of a minute.
#pragma once

#include <optional>
#include <vector>

#include "core/base/measured.h"
#include "core/image/star.h"

namespace nordstjerna {

enum class SkyLight {
    tooSoon, // less than ten minutes are known
    clear,
    brighter, // the sky, not the stars: twilight, the Moon, a lamp
    cloud,
    haze, // dims evenly under a brighter sky
    dew
};

struct LightVerdict {
    SkyLight what = SkyLight::tooSoon;
    Measured lost_mag;        // against the best ten minutes, the air mass allowed for
    Measured pace_mag_h;      // how fast it fades now
    double rough_mag = 0.0;   // scatter about an even change
    double wider = 0.0;       // of the stars since then, share
    double skyBrighter = 0.0; // share
};

class LightWatch {
public:
    // A look at the guide stars, in the order they were chosen in; those not seen are absent. air: of their
    // altitude. Times of a clock that is not set.
    void add(double t_s, const std::vector<std::optional<Star>>& stars, double airMass);
    // Other stars, another exposure: nothing of before can be compared.
    void begin();
    const LightVerdict& verdict() const { return verdict_; }

private:
    struct Minute {
        double t_min = 0.0;
        double faded_mag = 0.0; // against the first looks, air mass allowed for
        double width = 0.0;     // ln of the stars' diameters against the first
        double sky = 0.0;       // ln of the variance of the background against the first
        double air = 0.0;
        double noise_mag = 0.0; // of faded, by the scatter of its looks
    };
    struct Sums {
        std::vector<double> faded, width, sky;
        double air = 0.0;
    };
    void closeMinute();
    void noteBest();
    LightVerdict judged() const;
    struct First { // of one star
        int looks = 0;
        double flux = 0.0, hfd = 0.0;
    };
    std::vector<First> first_;
    std::optional<double> firstNoise2_, firstAir_, began_s_;
    int firstLooks_ = 0;
    long minute_ = -1;
    Sums open_;
    std::vector<Minute> minutes_;
    Minute best_{0.0, 1e9, 0.0, 0.0, 0.0, 0.0};
    double darkest_ = 1e9;                   // sky of ten minutes
    SkyLight candidate_ = SkyLight::tooSoon; // what the last minutes say
    int lasting_ = 0;                        // for so many
    LightVerdict verdict_;
};

} // namespace nordstjerna
