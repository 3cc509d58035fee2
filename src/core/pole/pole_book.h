// What is known of the axis so far: its path from measurement to measurement and through live adjusting, and
// what other methods said since it was last moved.
#pragma once

#include <optional>
#include <vector>

#include "core/pole/agreement.h"
#include "core/pole/referee.h"

namespace nordstjerna {

struct AxisPoint {
    AxisFit fit;
    bool measured = false; // by sightings; otherwise followed live
    Instant when;
};

// What something else said of the axis: another program, a polar scope.
struct AxisElsewhere {
    Measured east_arcmin, high_arcmin;
    PoleReference reference = PoleReference::refracted; // the pole that it was told against
};

class PoleBook {
public:
    // A fresh measurement; other methods stay unless the axis was moved since the last one.
    void measured(const AxisFit& fit, Instant when);
    // The live path since the last measurement, as far as it goes now.
    void follow(const std::vector<AxisPoint>& live);
    void watched(const DriftWatch& watch) { drifts_.push_back(watch); }
    void trailed(const DriftWatch& watch) { trail_ = watch; }
    // Typed by the person; absent: nothing is.
    void saidElsewhere(const std::optional<AxisElsewhere>& said) { elsewhere_ = said; }

    const std::vector<AxisPoint>& path() const { return path_; }
    std::optional<AxisPoint> present() const;
    // The axis was followed away from where it was last measured: measure again to be sure.
    bool movedSinceMeasured() const;
    const std::vector<DriftWatch>& drifts() const { return drifts_; }

    // Sightings first, then drift, the trail check, and what was said elsewhere; only the components each
    // shows.
    std::vector<MethodResult> methods(const Site& site, PoleReference reference) const;

private:
    void forgetOthers();
    std::vector<AxisPoint> path_;
    size_t liveFrom_ = 0; // live points of the present adjusting begin here
    std::vector<DriftWatch> drifts_;
    std::optional<DriftWatch> trail_;
    std::optional<AxisElsewhere> elsewhere_;
};

} // namespace nordstjerna
