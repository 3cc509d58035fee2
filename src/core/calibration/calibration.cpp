#include "core/calibration/calibration.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <optional>

#include "core/base/angle.h"
#include "core/base/format.h"
#include "core/base/statistics.h"
#include "core/base/symmetric.h"
#include "core/calibration/leg_motion.h"
#include "core/rig/scales.h"

namespace nordstjerna {

const char* legName(Leg leg) {
    static constexpr std::array names{Text::mark("west"), Text::mark("east"), Text::mark("north"),
                                      Text::mark("south")};
    return names[static_cast<size_t>(leg)];
}

const char* verdictName(CalibrationVerdict v) {
    static constexpr std::array names{Text::mark("good"), Text::mark("usable"), Text::mark("bad")};
    return names[static_cast<size_t>(v)];
}

double CalibrationSetup::expectedRaPxS() const {
    return guideRateRa * siderealRate_arcsec_s / scale_arcsec_px;
}
double CalibrationSetup::expectedDecPxS() const {
    return guideRateDec * siderealRate_arcsec_s / scale_arcsec_px;
}

SkyOnSensor skyOnSensor(const Calibration& r) {
    if (r.setup.east_deg && r.setup.north_deg)
        return {*r.setup.east_deg, *r.setup.north_deg};
    // A west pulse carries the camera west, so the star goes east on it; a north pulse sends it south.
    return {r.ra.angle_deg.value, Angle::fromDeg(r.dec.angle_deg.value + 180.0).wrapped().deg()};
}

namespace {

struct Linear {
    Eigen::Matrix<double, 4, 2> solution; // rows: start, drift per s, RA vector, Dec vector; columns x, y
    Eigen::Matrix4d inverse;
    double squares = 0.0;
};

// What moves the star: it was there, drift, pulses in RA, pulses in Dec that took hold.
Eigen::Vector4d motionDesign(const LegRow& row, const DeadTimes& deadTime) {
    return {1.0, row.t, row.pulsed[0] - row.pulsed[1], deadTime.moving_s(row)};
}

Linear solve(const std::vector<LegRow>& rows, const DeadTimes& deadTime) {
    Eigen::Matrix4d normal = Eigen::Matrix4d::Zero();
    Eigen::Matrix<double, 4, 2> right = Eigen::Matrix<double, 4, 2>::Zero();
    for (const LegRow& r : rows) {
        const Eigen::Vector4d d = motionDesign(r, deadTime);
        normal += d * d.transpose();
        right += d * Eigen::RowVector2d(r.x, r.y);
    }
    if (normal(3, 3) == 0.0) // no Dec pulses: nothing is known of it
        normal(3, 3) = 1.0;
    Linear fit;
    fit.inverse = invertSymmetric(normal);
    fit.solution = fit.inverse * right;
    for (const LegRow& r : rows)
        fit.squares += (Eigen::RowVector2d(r.x, r.y) - motionDesign(r, deadTime).transpose() * fit.solution)
                           .squaredNorm();
    return fit;
}

// Dead times of both Dec legs: the smallest sum of squares, by a grid that is refined about its best point.
DeadTimes findDeadTimes(const std::vector<LegRow>& rows, double longest_s) {
    DeadTimes best;
    double least = 1e300;
    double reach = longest_s;
    DeadTimes centre{0.5 * longest_s, 0.5 * longest_s};
    for (int level = 0; level < 9; ++level) {
        const int n = level == 0 ? 24 : 4;
        const DeadTimes around = level == 0 ? centre : best;
        const double half = level == 0 ? 0.5 * longest_s : reach;
        for (int i = -n; i <= n; ++i)
            for (int j = -n; j <= n; ++j) {
                const DeadTimes d{std::clamp(around.north_s + half * i / n, 0.0, longest_s),
                                  std::clamp(around.south_s + half * j / n, 0.0, longest_s)};
                const double squares = solve(rows, d).squares;
                if (squares < least)
                    least = squares, best = d;
            }
        reach = half / n * 1.5;
    }
    return best;
}

struct Vector {
    Measured length;
    Measured angle_deg;
};

// From its parts along two directions at a right angle.
Vector polar(const Eigen::Vector2d& u, const Measured& along, const Eigen::Vector2d& v,
             const Measured& across) {
    const Eigen::Vector2d sum = along.value * u + across.value * v;
    const double size = std::max(sum.norm(), 1e-12);
    const double cu = along.value / size;
    const double cv = across.value / size;
    const double angle = std::atan2(sum.y(), sum.x()) * 180.0 / std::numbers::pi;
    return {{size, std::hypot(cu * along.sigma, cv * across.sigma)},
            {angle < 0.0 ? angle + 360.0 : angle,
             std::hypot(cv * along.sigma, cu * across.sigma) / size * 180.0 / std::numbers::pi}};
}

PulseSense senseOf(const Calibration& r) {
    if (!r.setup.east_deg || !r.setup.north_deg)
        return PulseSense::unknown;
    const auto along = [](double a, double b) { return cos(Angle::fromDeg(a - b)); };
    // A west pulse carries the camera west, so the star goes east on it; a north pulse sends it south.
    const double ra = along(r.ra.angle_deg.value, *r.setup.east_deg);
    const double dec = -along(r.dec.angle_deg.value, *r.setup.north_deg);
    const double cross = along(r.ra.angle_deg.value, *r.setup.north_deg);
    if (std::abs(ra) < 0.5 && std::abs(dec) < 0.5 && std::abs(cross) > 0.7)
        return PulseSense::swapped;
    if (ra < -0.5)
        return dec < -0.5 ? PulseSense::bothReversed : PulseSense::raReversed;
    return dec < -0.5 ? PulseSense::decReversed : PulseSense::right;
}

CalibrationVerdict judge(const Calibration& r) {
    const double ra = std::abs(r.ra.rate_px_s.value / r.setup.expectedRaPxS() - 1.0);
    const double dec = std::abs(r.dec.rate_px_s.value / r.setup.expectedDecPxS() - 1.0);
    const double skew = r.orthogonality_deg.value;
    const int steps = shortestLeg(r);
    double precision = r.ra.rate_px_s.sigma / r.ra.rate_px_s.value;
    if (r.setup.decMotor)
        precision = std::max(precision, r.dec.rate_px_s.sigma / r.dec.rate_px_s.value);
    // Swapped axes make nonsense of all else. Reversed ones are measured as they are and guide well.
    if (r.sense == PulseSense::swapped)
        return CalibrationVerdict::bad;
    if (ra > 0.3 || dec > 0.3 || skew > 20.0 || steps < 4 || precision > 0.1)
        return CalibrationVerdict::bad;
    if (ra > 0.1 || dec > 0.1 || skew > 10.0 || steps < 8 || precision > 0.03)
        return CalibrationVerdict::usable;
    return CalibrationVerdict::good;
}

// Of an axis that cannot be tried: what the rig promises, at a right angle to RA, on the side that the sky
// has it on where a solved frame told.
AxisRate promisedDec(const CalibrationSetup& setup, double ra_deg) {
    constexpr double anyRate = 0.1, anyAngle_deg = 5.0;
    const double side =
        setup.east_deg && setup.north_deg && sin(Angle::fromDeg(*setup.north_deg + 180.0 - ra_deg)) < 0.0
            ? -90.0
            : 90.0;
    AxisRate dec;
    dec.rate_px_s = {setup.expectedDecPxS(), anyRate * setup.expectedDecPxS()};
    dec.angle_deg = {Angle::fromDeg(ra_deg + side).wrapped().deg(), anyAngle_deg};
    return dec;
}

} // namespace

int shortestLeg(const Calibration& r) {
    return r.setup.decMotor ? std::min(r.ra.steps, r.dec.steps) : r.ra.steps;
}

Expected<Calibration> fitCalibration(const std::vector<CalibrationSample>& samples,
                                     const CalibrationSetup& setup) {
    std::vector<LegRow> rows;
    std::array<double, 4> pulsed{};
    std::array<int, 4> steps{};
    for (const CalibrationSample& s : samples) {
        const auto leg = static_cast<size_t>(s.leg);
        if (!std::isfinite(s.x) || !std::isfinite(s.y) || s.pulse_ms < 0.0)
            return problem(Text::say("The calibration has an unreadable row."),
                           Text::say("Places must be numbers, pulses not negative."),
                           Text::say("Correct the table."));
        pulsed[leg] += s.pulse_ms / 1000.0;
        steps[leg] += s.pulse_ms > 0.0;
        rows.push_back({s.t_s, s.x, s.y, pulsed, s.leg});
    }
    const size_t legs = setup.decMotor ? 4 : 2;
    for (size_t leg = 0; leg < legs; ++leg)
        if (steps[leg] < 2)
            return problem(Text::say("The %1 leg has %2.")
                               .arg(Text::say(legName(static_cast<Leg>(leg))))
                               .arg(Text::say("%n pulse|%n pulses", "", steps[leg])),
                           Text::say("Each leg needs at least two, better twelve."),
                           Text::say("Calibrate again."));
    // Time counts from the first sample so that the start is where the star was.
    for (LegRow& r : rows)
        r.t -= samples.front().t_s;

    const double longest = 0.9 * std::max(pulsed[2], pulsed[3]);
    const DeadTimes deadTime = findDeadTimes(rows, longest);
    const Linear fit = solve(rows, deadTime);
    const double freedom = std::max(1.0, 2.0 * static_cast<double>(rows.size()) - 10.0);
    const double sigma = std::sqrt(fit.squares / freedom);

    Calibration calibration;
    calibration.setup = setup;
    calibration.samples = samples;
    const Eigen::Vector2d ra = fit.solution.row(2);
    const Eigen::Vector2d dec = fit.solution.row(3);
    const double sigmaRa = sigma * std::sqrt(fit.inverse(2, 2));
    const double sigmaDec = sigma * std::sqrt(fit.inverse(3, 3));
    const auto still = [&](const Eigen::Vector2d& v, double s, double seconds, double expected,
                           const char* axis) {
        const double went = v.norm() * seconds;
        // What moved as the rig promises moved, however short the way was.
        const bool asPromised =
            went > 0.3 * expected * seconds && went < 3.0 * expected * seconds && went > 3.0 * s * seconds;
        return !asPromised && went < std::max(2.0, 5.0 * s * seconds)
                   ? std::optional<Problem>(
                         Problem{Text::say("The star does not follow %1 pulses.").arg(axis),
                                 Text::say("It moved %1 px in %2 s of pulses.")
                                     .arg(formatNumber(went, 1))
                                     .arg(formatNumber(seconds, 1)),
                                 Text::say("Check the guide cable or link, that the mount is not parked, and "
                                           "its guide rate.")})
                   : std::nullopt;
    };
    if (const auto p = still(ra, sigmaRa, pulsed[0], setup.expectedRaPxS() * cos(setup.dec), "RA"))
        return tl::unexpected(*p);
    if (const auto p =
            !setup.decMotor ? std::nullopt : still(dec, sigmaDec, pulsed[2], setup.expectedDecPxS(), "Dec"))
        return tl::unexpected(*p);

    const double cosDec = std::max(cos(setup.dec), 0.02);
    const Eigen::Vector2d u = ra.normalized();
    const Eigen::Vector2d v(-u.y(), u.x());
    constexpr double usualWorm_s = 480.0;    // where the rig does not tell
    constexpr double usualSway_arcsec = 8.0; // amplitude
    const double worm_s = setup.wormPeriod_s > 0.0 ? setup.wormPeriod_s : usualWorm_s;
    const double sway_px = usualSway_arcsec * cosDec / setup.scale_arcsec_px;
    const LegMotion across = acrossGears(rows, v, deadTime, dec.dot(v));
    // Air moves a star alike in both directions.
    const LegMotion along = alongGears(rows, u, deadTime, dec.dot(u), {across.variance, sway_px, worm_s});
    const Vector raPolar = polar(u, along.ra, v, across.ra);
    const Vector decPolar = polar(u, along.dec, v, across.dec);
    calibration.ra = {
        {raPolar.length.value / cosDec, raPolar.length.sigma / cosDec}, raPolar.angle_deg, steps[0]};
    calibration.dec = setup.decMotor ? AxisRate{decPolar.length, decPolar.angle_deg, steps[2]}
                                     : promisedDec(setup, raPolar.angle_deg.value);
    const double between =
        Angle::fromDeg(calibration.dec.angle_deg.value - raPolar.angle_deg.value).wrappedSigned().deg();
    calibration.mirrored = between < 0.0;
    calibration.orthogonality_deg = {std::abs(std::abs(between) - 90.0),
                                     std::hypot(raPolar.angle_deg.sigma, calibration.dec.angle_deg.sigma)};
    if (setup.decMotor)
        calibration.decBacklash_ms = {1000.0 * deadTime.south_s, 1000.0 * across.deadTimeSouth_s.sigma};
    calibration.drift_px_min = {60.0 * std::hypot(along.drift.value, across.drift.value),
                                60.0 * std::hypot(along.drift.sigma, across.drift.sigma)};

    for (size_t leg = 0; leg < legs; ++leg) {
        LegFit l;
        l.leg = static_cast<Leg>(leg);
        l.steps = steps[leg];
        double squares = 0.0;
        int count = 0;
        std::optional<LegRow> first;
        LegRow last;
        for (const LegRow& r : rows) {
            if (r.leg != l.leg)
                continue;
            if (!first)
                first = r;
            last = r;
            const Eigen::RowVector2d rest =
                Eigen::RowVector2d(r.x, r.y) - motionDesign(r, deadTime).transpose() * fit.solution;
            const Eigen::Vector2d way = (leg < 2 ? ra : dec).normalized() * (leg % 2 ? -1.0 : 1.0);
            l.along_px.push_back(rest * way);
            squares += rest.squaredNorm();
            ++count;
        }
        l.travel_px = std::hypot(last.x - first->x, last.y - first->y);
        l.roughness_px = std::sqrt(squares / std::max(1, 2 * count));
        calibration.legs.push_back(l);
    }
    calibration.sense = senseOf(calibration);
    calibration.verdict = judge(calibration);
    return calibration;
}

} // namespace nordstjerna
