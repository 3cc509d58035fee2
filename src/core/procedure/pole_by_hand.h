// Measures the polar error on a mount that cannot point by itself: the person turns the RA axis by hand,
// frames are solved all the while, and whenever the camera has come to rest far enough from the sightings
// before, it is a sighting.
#pragma once

#include "core/procedure/pole_measurement.h"

namespace nordstjerna {

struct PoleByHandSetup {
    Rig rig;
    double exposure_s = 3.0;
    double step_deg = 15.0;   // from one sighting to the next, at least
    double enough_deg = 40.0; // turned in all
    int sightings = 3;        // at least, then it ends by itself
    int most = 6;
    double wanted_arcmin = 0.5; // ± of the axis, worse direction; more sightings until then
    PoleReference reference = PoleReference::refracted;
    double dut1_s = 0.0;
};

class PoleByHand : public Procedure {
public:
    explicit PoleByHand(PoleByHandSetup setup) : setup_(std::move(setup)) {}
    Progress progress() const override;
    Text name() const override { return Text::say("Sightings by hand"); }

    // What the person is to do now, or why nothing is seen.
    Text ask() const;
    // How far the axis was turned since the last sighting, and between the outermost ones; ° of hour angle,
    // without sign. Absent while it moves, or before the first sighting.
    std::optional<double> sinceLast_deg() const { return sinceLast_deg_; }
    double span_deg() const { return span_deg_; }
    const std::vector<TakenSighting>& taken() const { return taken_; }
    // Of the sightings so far; absent with fewer than two.
    const std::optional<PoleResult>& result() const { return result_; }
    bool moving() const { return moving_; }
    const PoleByHandSetup& setup() const { return setup_; }

protected:
    Step advance(const Event& event) override;

private:
    Step look() const;
    Step afterSolve(const Event& event, const FrameSolved& solved);
    void keep(const TakenSighting& sighting, Instant now);
    bool enough() const;
    PoleByHandSetup setup_;
    std::shared_ptr<const Frame> frame_;
    std::optional<Sighting> before_; // of the frame before
    std::optional<Vec3> lastSeen_;   // where that looked, ICRS
    std::vector<TakenSighting> taken_;
    std::optional<PoleResult> result_;
    std::optional<Problem> unsolved_; // of the last frame
    std::optional<Text> wrong_;       // how it was turned
    std::optional<double> sinceLast_deg_;
    double span_deg_ = 0.0;
    bool moving_ = false;
};

// By how much a camera was turned, and about which direction (ENU); the first sighting to the second.
struct Turned {
    double angle_deg = 0.0;
    Vec3 about = Vec3::UnitZ();
};
Turned turnedBetween(const Sighting& first, const Sighting& second);

} // namespace nordstjerna
