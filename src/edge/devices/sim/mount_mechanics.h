// The body of the simulated mount: axes, gears and levers as functions of time. No locks, no waiting.
#pragma once

#include <optional>
#include <vector>

#include "core/sky/directions.h"
#include "edge/devices/sim/pulse_motor.h"
#include "edge/devices/sim/scenario.h"
#include "edge/devices/sim/time_noise.h"

namespace nordstjerna {

class MountMechanics {
public:
    explicit MountMechanics(const Scenario& scenario);

    // Moves on to the given moment; commands below act from there on.
    void advance(Instant to);
    Instant when() const { return when_; }

    // side: "east" or "west" as told; empty: by the hour angle.
    void startSlew(const HourAngleDec& target, const std::string& side = {});
    bool slewing() const { return slew_.has_value(); }
    Instant slewEnd() const;
    void startPulse(double ra_ms, double dec_ms);
    void setTracking(bool on) { tracking_ = on; }
    void runRa(double sidereal) { raRun_ = sidereal; }
    void sync(const HourAngleDec& truth);
    bool tracking() const { return tracking_; }
    void stopMotion();
    bool atLimit() const { return atLimit_; }

    // Where the worm stands, 0…1, when the mount tells; and the curve it plays back against its own error.
    std::optional<double> reportedWorm() const;
    void play(std::vector<double> curve_arcsec) { curve_ = std::move(curve_arcsec); }
    bool playing() const { return !curve_.empty(); }

    HourAngleDec believed() const; // what the mount reads off its own axes
    bool flipped() const { return flipped_; }

    // Camera attitude at a moment from now on while nothing but tracking moves: columns x, y and optical
    // axis, ENU. `roll`: of the sensor's +y against the declination direction of the unflipped mount. bends:
    // with the flexure of the imaging telescope against the guide scope.
    Mat3 attitude(Instant at, Angle roll, bool bends = false) const;

    Vec3 axis() const; // towards the elevated pole, ENU: the truth
    // Moves a lever by turns of its knob; positive: axis to the east, axis up.
    void turnAzimuthLever(double turns);
    void turnAltitudeLever(double turns);
    // Clutch loosened, the RA axis turned by a hand, west positive, clutch closed: the mount knows nothing.
    void turnRaByHand(Angle by);
    void bump(double east_arcmin, double high_arcmin);

private:
    struct Axes {
        double h = 0.0; // rad, motor side
        double d = 0.0;
    };
    Axes motorAt(Instant t) const;
    double periodicError(double h) const; // rad
    double decGearError(double d) const;  // rad
    double flankChange(double h) const;   // rad
    double hourAngle_h(double h) const;   // of the motor side, signed
    double wormStrength(double h) const;  // of this turn, near 1
    // Load sides of both axes at a moment, gaps and stiction allowed for, without what shakes them.
    Axes loadAt(const Axes& motor) const;
    Axes shaken(Instant at) const; // by bearings and wind, rad
    Mat3 basis() const;            // columns: equator at hour angle 0, west, north pole of the mount

    double wormPeriod_s() const;
    double wormTurns(double h) const;
    double sinceStart(Instant t) const { return t - scenario_.start; }
    const Scenario& scenario_;
    std::vector<double> curve_; // ″ over one turn of the worm
    RandomWalk walkRa_, walkDec_;
    SlowNoise windRa_, windDec_;
    Instant when_;
    Axes motor_;
    Axes backlash_; // load side, within the backlash of the motor side
    bool tracking_ = true;
    double raRun_ = 0.0; // on top of tracking, fraction of the sidereal rate
    double syncH_ = 0.0; // rad: what the mount believes minus what its axes say
    double syncD_ = 0.0;
    bool flipped_ = false;
    int flipsIgnored_ = 0;
    bool atLimit_ = false;
    double azimuth_rad_ = 0.0; // of the levers, from the true pole; on the horizon circle
    double altitude_rad_ = 0.0;
    double startAzimuth_rad_ = 0.0;
    double startAltitude_rad_ = 0.0;
    double azimuthStuck_ = 0.0; // lever motion swallowed so far since the last reversal, arcmin
    double altitudeStuck_ = 0.0;
    double azimuthSense_ = 0.0;
    double altitudeSense_ = 0.0;

    struct Slew {
        Instant start;
        Axes from, to;
        double duration_s;
        bool flippedAfter;
    };
    std::optional<Slew> slew_;
    std::optional<Instant> settleStart_;
    PulseMotor raPulses_, decPulses_; // west and north positive
};

} // namespace nordstjerna
