#include "edge/devices/sim/mount_mechanics.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/base/angle.h"
#include "core/base/random.h"
#include "core/motion/correction_curve.h"
#include "core/rig/scales.h"

namespace nordstjerna {

namespace {
constexpr double sidereal_rad_s = siderealRate_arcsec_s / arcsecPerRad;
constexpr double halfTurn = std::numbers::pi;
constexpr double flankChange_h = 0.05; // of hour angle, until all the weight lies on the other flank

// Of terms with their period at the sidereal rate, rad, at an angle of the axis.
double sumOf(const std::vector<PeriodicTerm>& terms, double angle) {
    double sum_arcsec = 0.0;
    for (const PeriodicTerm& t : terms)
        sum_arcsec += t.amplitude_arcsec * std::sin(tau * angle / (sidereal_rad_s * t.period_s) +
                                                    Angle::fromDeg(t.phase_deg).rad());
    return sum_arcsec / arcsecPerRad;
}

// Load side of a gear with backlash: it stays until the motor side has taken up the gap.
double follow(double load, double motor, double gap) {
    return std::clamp(load, motor - gap, motor);
}
} // namespace

MountMechanics::MountMechanics(const Scenario& s)
    : scenario_(s), walkRa_(mixBits(s.seed ^ 0xb1)), walkDec_(mixBits(s.seed ^ 0xb2)),
      windRa_(mixBits(s.seed ^ 0xb3), s.wind_s), windDec_(mixBits(s.seed ^ 0xb4), s.wind_s), when_(s.start),
      raPulses_(s.pulses, s.pulseAsymmetryRa, mixBits(s.seed ^ 0xb5)),
      decPulses_(s.pulses, s.pulseAsymmetryDec, mixBits(s.seed ^ 0xb6)) {
    azimuth_rad_ = Angle::fromArcmin(s.axisEast_arcmin).rad() / cos(s.rig.site.latitude);
    altitude_rad_ = Angle::fromArcmin(s.axisHigh_arcmin).rad();
    startAzimuth_rad_ = azimuth_rad_;
    startAltitude_rad_ = altitude_rad_;
    syncH_ = Angle::fromArcmin(s.syncRa_arcmin).rad();
    syncD_ = Angle::fromArcmin(s.syncDec_arcmin).rad();
    flipped_ = s.parked.hourAngle.rad() > 0.0;
    motor_ = {s.parked.hourAngle.rad() - (flipped_ ? halfTurn : 0.0),
              flipped_ ? halfTurn - s.parked.dec.rad() : s.parked.dec.rad()};
    backlash_ = motor_;
}

double MountMechanics::periodicError(double h) const {
    const double curve_arcsec = playing() ? curveAt(curve_, wormTurns(h)) : 0.0;
    return wormStrength(h) * sumOf(scenario_.periodic, h) - curve_arcsec / arcsecPerRad;
}

// How far the RA axis has fallen back to the other flank of its gear.
double MountMechanics::flankChange(double h) const {
    const double past_h = hourAngle_h(h) - scenario_.balance_h;
    return scenario_.balance_arcsec / arcsecPerRad * std::clamp(past_h / flankChange_h, 0.0, 1.0);
}

double MountMechanics::decGearError(double d) const {
    return sumOf(scenario_.decPeriodic, d);
}

double MountMechanics::hourAngle_h(double h) const {
    return Angle::fromRad(h + (flipped_ ? halfTurn : 0.0)).wrappedSigned().hours();
}

double MountMechanics::wormPeriod_s() const {
    return scenario_.wormPeriod_s > 0.0 ? scenario_.wormPeriod_s : scenario_.rig.mount.wormPeriod_s;
}

// A worm does not run quite alike from turn to turn: each turn has its own strength, passing into the next.
double MountMechanics::wormStrength(double h) const {
    if (scenario_.wormVariation <= 0.0)
        return 1.0;
    const double turns = h / (sidereal_rad_s * std::max(wormPeriod_s(), 1.0)) + 1000.0; // positive all night
    const auto of = [&](double turn) {
        return Random(mixBits(scenario_.seed ^ mixBits(static_cast<std::uint64_t>(turn)))).gaussian();
    };
    const double turn = std::floor(turns);
    const double part = turns - turn;
    return 1.0 + scenario_.wormVariation * ((1.0 - part) * of(turn) + part * of(turn + 1.0));
}

MountMechanics::Axes MountMechanics::loadAt(const Axes& motor) const {
    Axes load{follow(backlash_.h, motor.h, scenario_.raBacklash_arcsec / arcsecPerRad),
              follow(backlash_.d, motor.d, scenario_.decBacklash_arcsec / arcsecPerRad)};
    if (std::abs(load.d - backlash_.d) < scenario_.decStiction_arcsec / arcsecPerRad && !slew_)
        load.d = backlash_.d;
    return load;
}

MountMechanics::Axes MountMechanics::shaken(Instant at) const {
    const double t = at - scenario_.start;
    const double minutes = std::sqrt(1.0 / 60.0);
    Axes a;
    if (scenario_.walkRa_arcsec > 0.0)
        a.h += scenario_.walkRa_arcsec * minutes * walkRa_.at(t);
    if (scenario_.walkDec_arcsec > 0.0)
        a.d += scenario_.walkDec_arcsec * minutes * walkDec_.at(t);
    if (scenario_.wind_arcsec > 0.0) {
        a.h += scenario_.wind_arcsec * windRa_.at(t);
        a.d += scenario_.wind_arcsec * windDec_.at(t);
    }
    return {a.h / arcsecPerRad, a.d / arcsecPerRad};
}

double MountMechanics::wormTurns(double h) const {
    const double turns = h / (sidereal_rad_s * wormPeriod_s());
    return turns - std::floor(turns);
}

std::optional<double> MountMechanics::reportedWorm() const {
    if (!scenario_.reportsWorm || wormPeriod_s() <= 0.0)
        return std::nullopt;
    const double told =
        (scenario_.wormPhaseBackwards ? -1.0 : 1.0) * wormTurns(motor_.h) + scenario_.wormPhaseError_turns;
    return told - std::floor(told);
}

MountMechanics::Axes MountMechanics::motorAt(Instant t) const {
    if (slew_) {
        const double elapsed = std::clamp(t - slew_->start, 0.0, slew_->duration_s);
        const double rate = Angle::fromDeg(scenario_.rig.mount.slewRate_deg_s).rad();
        const auto along = [&](double from, double to) {
            return from + std::copysign(std::min(std::abs(to - from), rate * elapsed), to - from);
        };
        return {along(slew_->from.h, slew_->to.h), along(slew_->from.d, slew_->to.d)};
    }
    Axes a = motor_;
    const double dt = t - when_;
    if (tracking_)
        a.h += sidereal_rad_s * (1.0 + 1e-6 * scenario_.trackingError_ppm) * dt;
    a.h += sidereal_rad_s * raRun_ * dt;
    const auto pulsed = [&](const PulseMotor& pulses, double guideRate) {
        return (pulses.moved(sinceStart(t)) - pulses.moved(sinceStart(when_))) * guideRate * sidereal_rad_s *
               (1.0 + scenario_.guideRateError);
    };
    a.h += pulsed(raPulses_, scenario_.rig.mount.guideRateRa);
    if (scenario_.rig.mount.decMotor) {
        const double dec = pulsed(decPulses_, scenario_.rig.mount.guideRateDec);
        a.d += flipped_ && scenario_.decReversedAfterFlip ? -dec : dec;
    }
    return a;
}

void MountMechanics::advance(Instant to) {
    while (when_ < to) {
        Instant next = to;
        if (slew_) {
            const Instant end = slewEnd();
            next = std::min(next, end);
            motor_ = motorAt(next);
            when_ = next;
            if (next >= end) {
                // The mount arrives where the target is then: the sky went on turning meanwhile.
                flipped_ = slew_->flippedAfter;
                slew_.reset();
                settleStart_ = when_;
            }
            backlash_ = loadAt(motor_);
            continue;
        }
        // Evenly until the speed of a pulse motor changes, then on.
        for (const PulseMotor* pulses : {&raPulses_, &decPulses_})
            if (const auto change = pulses->nextChange(sinceStart(when_)))
                next = std::min(next, scenario_.start + *change);
        if (next <= when_) // below the clock's resolution
            next = to;
        motor_ = motorAt(next);
        when_ = next;
        raPulses_.settle(sinceStart(when_));
        decPulses_.settle(sinceStart(when_));
        backlash_ = loadAt(motor_);
        const double past = motor_.h + (flipped_ ? halfTurn : 0.0);
        const bool limit = flipped_ ? past > Angle::fromHours(9.0).rad()
                                    : past > scenario_.rig.mount.meridianLimitEast.rad();
        if (limit && tracking_ && scenario_.stopsAtLimit) {
            tracking_ = false;
            atLimit_ = true;
        }
    }
}

void MountMechanics::startSlew(const HourAngleDec& target, const std::string& side) {
    raPulses_.stop(sinceStart(when_));
    decPulses_.stop(sinceStart(when_));
    Slew s;
    s.start = when_;
    s.from = motor_;
    // East of the meridian the telescope hangs unflipped, west of it flipped.
    const double h = target.hourAngle.wrappedSigned().rad() - syncH_;
    const double d = target.dec.rad() - syncD_;
    // By the mount's own clock, which may be late; and some want to be told more than once.
    const double late = Angle::fromHours(scenario_.flipLate_min / 60.0).rad();
    s.flippedAfter =
        side.empty() ? target.hourAngle.wrappedSigned().rad() > (flipped_ ? 0.0 : late) : side == "west";
    if (s.flippedAfter && !flipped_ && flipsIgnored_ < scenario_.flipsIgnored) {
        ++flipsIgnored_;
        s.flippedAfter = false;
    }
    s.to = s.flippedAfter ? Axes{h - halfTurn, halfTurn - d} : Axes{h, d};
    const double rate = Angle::fromDeg(scenario_.rig.mount.slewRate_deg_s).rad();
    s.duration_s = std::max(std::abs(s.to.h - s.from.h), std::abs(s.to.d - s.from.d)) / rate;
    slew_ = s;
    atLimit_ = false;
}

Instant MountMechanics::slewEnd() const {
    return slew_ ? slew_->start + slew_->duration_s : when_;
}

void MountMechanics::startPulse(double ra_ms, double dec_ms) {
    const auto resolved = [this](double ms) {
        const double step = scenario_.pulseResolution_ms;
        return (step > 0.0 ? step * std::round(ms / step) : ms) / 1000.0;
    };
    // An axis that gets none goes on with what it has.
    const double now_s = sinceStart(when_);
    double raDone_s = now_s;
    if (ra_ms != 0.0)
        raDone_s = raPulses_.send(now_s, resolved(ra_ms), now_s);
    if (dec_ms != 0.0)
        decPulses_.send(now_s, resolved(dec_ms), scenario_.pulses.oneAxis ? raDone_s : now_s);
}

void MountMechanics::stopMotion() {
    if (slew_) {
        motor_ = motorAt(when_);
        // Halfway over, the side is decided by the Dec axis: beyond the pole is flipped.
        flipped_ = motor_.d > 0.5 * halfTurn;
        slew_.reset();
        settleStart_ = when_;
    }
    raPulses_.stop(sinceStart(when_));
    decPulses_.stop(sinceStart(when_));
    raRun_ = 0.0;
}

HourAngleDec MountMechanics::believed() const {
    const double h = motor_.h + (flipped_ ? halfTurn : 0.0) + syncH_;
    const double d = (flipped_ ? halfTurn - motor_.d : motor_.d) + syncD_;
    return {Angle::fromRad(h).wrappedSigned(), Angle::fromRad(d)};
}

void MountMechanics::sync(const HourAngleDec& truth) {
    const HourAngleDec now = believed();
    syncH_ += (truth.hourAngle - now.hourAngle).wrappedSigned().rad();
    syncD_ += (truth.dec - now.dec).rad();
}

Mat3 MountMechanics::basis() const {
    const Angle latitude = scenario_.rig.site.latitude;
    const double south = scenario_.rig.site.southern() ? -1.0 : 1.0;
    const Vec3 pole(0.0, cos(latitude), sin(latitude));
    const Vec3 meridian(0.0, -sin(latitude), cos(latitude));
    Mat3 nominal;
    nominal << meridian, Vec3(-1.0, 0.0, 0.0), pole;
    const auto levers = [&](double azimuth, double altitude, const Vec3& wedge) {
        return Mat3(Eigen::AngleAxisd(-south * azimuth, Vec3::UnitZ()).toRotationMatrix() *
                    Eigen::AngleAxisd(south * altitude, wedge).toRotationMatrix());
    };
    const Mat3 start = levers(startAzimuth_rad_, startAltitude_rad_, Vec3::UnitX());
    // The levers turn about the axes of a base that need not be level.
    const Vec3 lean(Angle::fromDeg(scenario_.baseTiltNorth_deg).rad(),
                    Angle::fromDeg(scenario_.baseTiltEast_deg).rad(), 0.0);
    const Mat3 tilt = lean.norm() > 0.0 ? Eigen::AngleAxisd(lean.norm(), lean.normalized()).toRotationMatrix()
                                        : Mat3(Mat3::Identity());
    const Vec3 wedge = Eigen::AngleAxisd(-south * startAzimuth_rad_, Vec3::UnitZ()) * Vec3::UnitX();
    const Mat3 moved = levers(azimuth_rad_ - startAzimuth_rad_, altitude_rad_ - startAltitude_rad_, wedge);
    return tilt * moved * tilt.transpose() * start * nominal;
}

Vec3 MountMechanics::axis() const {
    const Vec3 north = basis().col(2);
    return scenario_.rig.site.southern() ? Vec3(-north) : north;
}

Mat3 MountMechanics::attitude(Instant at, Angle roll, bool bends) const {
    const Axes motor = motorAt(at);
    const Axes load = loadAt(motor);
    const Axes shake = shaken(at);
    double h = load.h + periodicError(motor.h) - flankChange(motor.h) + shake.h;
    double d = load.d + decGearError(motor.d) + shake.d;
    if (settleStart_ && scenario_.settle_arcsec > 0.0) {
        const double since = at - *settleStart_;
        const double swing = scenario_.settle_arcsec / arcsecPerRad * std::exp(-since / scenario_.settle_s) *
                             std::cos(tau * since / 0.9);
        h += swing;
        d += 0.6 * swing;
    }
    if (bends) {
        double hours = hourAngle_h(motor.h);
        if (scenario_.mirrorFlop_arcsec != 0.0 && hours > scenario_.mirrorFlop_h)
            d += scenario_.mirrorFlop_arcsec / arcsecPerRad;
        if (scenario_.flexureTurn_h > 0.0)
            hours = std::sin(tau * hours / scenario_.flexureTurn_h) * scenario_.flexureTurn_h / tau;
        h += scenario_.flexureRa_arcsec_h * hours / arcsecPerRad / std::max(std::abs(std::cos(d)), 0.05);
        d += (flipped_ ? -1.0 : 1.0) * scenario_.flexureDec_arcsec_h * hours / arcsecPerRad;
    }
    // Mount frame: x equator at hour angle 0, y west, z pole.
    const Vec3 across(-std::sin(h), std::cos(h), 0.0); // of growing hour angle: the declination axis
    const Vec3 out(std::cos(d) * std::cos(h), std::cos(d) * std::sin(h), std::sin(d));
    const Vec3 up(-std::sin(d) * std::cos(h), -std::sin(d) * std::sin(h), std::cos(d));
    // The telescope is not quite square to the declination axis.
    const double cone = Angle::fromArcmin(scenario_.cone_arcmin).rad();
    const Vec3 z = out * std::cos(cone) + across * std::sin(cone);
    // The mount frame is left-handed (hour angle grows westwards), so the camera's axes are made in ENU.
    const Mat3 enu = basis();
    const Vec3 axisZ = (enu * z).normalized();
    const Vec3 y = enu * (up * cos(roll) - across * sin(roll));
    const Vec3 axisY = (y - axisZ * y.dot(axisZ)).normalized();
    Mat3 camera;
    camera << axisY.cross(axisZ), axisY, axisZ;
    return camera;
}

void MountMechanics::turnAzimuthLever(double turns) {
    const double sense = turns >= 0.0 ? 1.0 : -1.0;
    if (sense != azimuthSense_)
        azimuthStuck_ = scenario_.leverStick_arcmin;
    azimuthSense_ = sense;
    const double wanted = std::abs(turns) * scenario_.azimuthLever_arcmin_turn;
    const double moved = std::max(0.0, wanted - azimuthStuck_);
    azimuthStuck_ = std::max(0.0, azimuthStuck_ - wanted);
    azimuth_rad_ += Angle::fromArcmin(sense * moved).rad() / cos(scenario_.rig.site.latitude);
    altitude_rad_ += Angle::fromArcmin(sense * moved * scenario_.leverCoupling).rad();
}

void MountMechanics::turnAltitudeLever(double turns) {
    const double sense = turns >= 0.0 ? 1.0 : -1.0;
    if (sense != altitudeSense_)
        altitudeStuck_ = scenario_.leverStick_arcmin;
    altitudeSense_ = sense;
    const double wanted = std::abs(turns) * scenario_.altitudeLever_arcmin_turn;
    const double moved = std::max(0.0, wanted - altitudeStuck_);
    altitudeStuck_ = std::max(0.0, altitudeStuck_ - wanted);
    altitude_rad_ += Angle::fromArcmin(sense * moved).rad();
    azimuth_rad_ +=
        Angle::fromArcmin(sense * moved * scenario_.leverCoupling).rad() / cos(scenario_.rig.site.latitude);
}

void MountMechanics::turnRaByHand(Angle by) {
    motor_.h += by.rad();
    backlash_.h += by.rad();
    syncH_ -= by.rad();
}

void MountMechanics::bump(double east_arcmin, double high_arcmin) {
    azimuth_rad_ += Angle::fromArcmin(east_arcmin).rad() / cos(scenario_.rig.site.latitude);
    altitude_rad_ += Angle::fromArcmin(high_arcmin).rad();
}

} // namespace nordstjerna
