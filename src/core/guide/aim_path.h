// Where the guide star is wanted, against where it stood when it was chosen: moved at once by dithers, and at
// a steady rate where the telescope bends or the target moves among the stars.
#pragma once

#include "core/guide/guide_geometry.h"

namespace nordstjerna {

class AimPath {
public:
    // From the moment it last went on to.
    void moveBy(const SkyError& by) { place_ = place_ + by; }
    void setRate(const SkyError& arcsec_s) { rate_ = arcsec_s; }
    void goTo(double t_s) {
        place_ = at(t_s);
        t_s_ = t_s;
        begun_ = true;
    }

    const SkyError& now() const { return place_; }
    // At a later moment, as things stand.
    SkyError at(double t_s) const { return begun_ ? place_ + (t_s - t_s_) * rate_ : place_; }
    const SkyError& rate_arcsec_s() const { return rate_; }

private:
    SkyError place_, rate_;
    double t_s_ = 0.0;
    bool begun_ = false;
};

} // namespace nordstjerna
