#include "core/rates/calibration.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <optional>

#include "core/base/format.h"
#include "core/base/statistics.h"
#include "core/base/symmetric.h"
#include "core/rig/scales.h"

namespace nordstjerna {

const char* legName(Leg leg) {
    static constexpr std::array names{"west", "east", "north", "south"};
    return names[static_cast<size_t>(leg)];
}

const char* verdictName(RatesVerdict v) {
    static constexpr std::array names{"good", "usable", "bad"};
    return names[static_cast<size_t>(v)];
}

double CalibrationSetup::expectedRaPxS() const {
    return guideRateRa * siderealRate_arcsec_s / scale_arcsec_px;
}
double CalibrationSetup::expectedDecPxS() const {
    return guideRateDec * siderealRate_arcsec_s / scale_arcsec_px;
}

SkyOnSensor skyOnSensor(const Rates& r) {
    if (r.setup.east_deg && r.setup.north_deg)
        return {*r.setup.east_deg, *r.setup.north_deg};
    // A west pulse carries the camera west, so the star goes east on it; a north pulse sends it south.
    return {r.ra.angle_deg.value, Angle::fromDeg(r.dec.angle_deg.value + 180.0).wrapped().deg()};
}

namespace {

// Cumulative pulse time of each leg at each sample, seconds, and the sample's time.
struct Row {
    double t = 0.0;
    double x = 0.0;
    double y = 0.0;
    std::array<double, 4> pulsed{};
    Leg leg = Leg::west;
};

struct Linear {
    Eigen::Matrix<double, 4, 2> solution; // rows: start, drift per s, RA vector, Dec vector; columns x, y
    Eigen::Matrix4d inverse;
    double squares = 0.0;
};

Linear solve(const std::vector<Row>& rows, double deadNorth_s, double deadSouth_s) {
    Eigen::Matrix4d normal = Eigen::Matrix4d::Zero();
    Eigen::Matrix<double, 4, 2> right = Eigen::Matrix<double, 4, 2>::Zero();
    const auto design = [&](const Row& r) {
        const double ra = r.pulsed[0] - r.pulsed[1];
        const double dec =
            std::max(0.0, r.pulsed[2] - deadNorth_s) - std::max(0.0, r.pulsed[3] - deadSouth_s);
        return Eigen::Vector4d(1.0, r.t, ra, dec);
    };
    for (const Row& r : rows) {
        const Eigen::Vector4d d = design(r);
        normal += d * d.transpose();
        right += d * Eigen::RowVector2d(r.x, r.y);
    }
    Linear fit;
    fit.inverse = invertSymmetric(normal);
    fit.solution = fit.inverse * right;
    for (const Row& r : rows)
        fit.squares += (Eigen::RowVector2d(r.x, r.y) - design(r).transpose() * fit.solution).squaredNorm();
    return fit;
}

// Dead times of both Dec legs: the smallest sum of squares, by a grid that is refined about its best point.
struct DeadTimes {
    double north_s = 0.0;
    double south_s = 0.0;
};

DeadTimes findDeadTimes(const std::vector<Row>& rows, double longest_s) {
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
                const double squares = solve(rows, d.north_s, d.south_s).squares;
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

Vector polar(const Eigen::Vector2d& v, double sigma) {
    const double angle = std::atan2(v.y(), v.x()) * 180.0 / std::numbers::pi;
    return {{v.norm(), sigma},
            {angle < 0.0 ? angle + 360.0 : angle, sigma / v.norm() * 180.0 / std::numbers::pi}};
}

PulseSense senseOf(const Rates& r) {
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

RatesVerdict judge(const Rates& r) {
    const double ra = std::abs(r.ra.rate_px_s.value / r.setup.expectedRaPxS() - 1.0);
    const double dec = std::abs(r.dec.rate_px_s.value / r.setup.expectedDecPxS() - 1.0);
    const double skew = r.orthogonality_deg.value;
    const int steps = std::min(r.ra.steps, r.dec.steps);
    const double precision =
        std::max(r.ra.rate_px_s.sigma / r.ra.rate_px_s.value, r.dec.rate_px_s.sigma / r.dec.rate_px_s.value);
    // Swapped axes make nonsense of all else. Reversed ones are measured as they are and guide well.
    if (r.sense == PulseSense::swapped)
        return RatesVerdict::bad;
    if (ra > 0.3 || dec > 0.3 || skew > 20.0 || steps < 4 || precision > 0.1)
        return RatesVerdict::bad;
    if (ra > 0.1 || dec > 0.1 || skew > 10.0 || steps < 8 || precision > 0.03)
        return RatesVerdict::usable;
    return RatesVerdict::good;
}

} // namespace

Expected<Rates> fitRates(const std::vector<CalibrationSample>& samples, const CalibrationSetup& setup) {
    std::vector<Row> rows;
    std::array<double, 4> pulsed{};
    std::array<int, 4> steps{};
    for (const CalibrationSample& s : samples) {
        const auto leg = static_cast<size_t>(s.leg);
        if (!std::isfinite(s.x) || !std::isfinite(s.y) || s.pulse_ms < 0.0)
            return problem("The calibration has an unreadable row.",
                           "Places must be numbers, pulses not negative.", "Correct the table.");
        pulsed[leg] += s.pulse_ms / 1000.0;
        steps[leg] += s.pulse_ms > 0.0;
        rows.push_back({s.t_s, s.x, s.y, pulsed, s.leg});
    }
    for (size_t leg = 0; leg < 4; ++leg)
        if (steps[leg] < 2)
            return problem(std::string("The ") + legName(static_cast<Leg>(leg)) + " leg has " +
                               formatCount(steps[leg], "pulse") + ".",
                           "Each of the four legs needs at least two, better twelve.", "Calibrate again.");
    // Time counts from the first sample so that the start is where the star was.
    for (Row& r : rows)
        r.t -= samples.front().t_s;

    const double longest = 0.9 * std::min(pulsed[2], pulsed[3]);
    const DeadTimes dead = findDeadTimes(rows, longest);
    const Linear fit = solve(rows, dead.north_s, dead.south_s);
    const double freedom = std::max(1.0, 2.0 * static_cast<double>(rows.size()) - 10.0);
    const double sigma = std::sqrt(fit.squares / freedom);

    Rates rates;
    rates.setup = setup;
    rates.samples = samples;
    const Eigen::Vector2d ra = fit.solution.row(2);
    const Eigen::Vector2d dec = fit.solution.row(3);
    const double sigmaRa = sigma * std::sqrt(fit.inverse(2, 2));
    const double sigmaDec = sigma * std::sqrt(fit.inverse(3, 3));
    const auto still = [&](const Eigen::Vector2d& v, double s, double seconds, const char* axis) {
        return v.norm() * seconds < std::max(2.0, 5.0 * s * seconds)
                   ? std::optional<Problem>(Problem{
                         std::string("The star does not follow ") + axis + " pulses.",
                         "It moved " + formatNumber(v.norm() * seconds, 1) + " px in " +
                             formatNumber(seconds, 1) + " s of pulses.",
                         "Check the guide cable or link, that the mount is not parked, and its guide rate."})
                   : std::nullopt;
    };
    if (const auto p = still(ra, sigmaRa, pulsed[0], "RA"))
        return tl::unexpected(*p);
    if (const auto p = still(dec, sigmaDec, pulsed[2], "Dec"))
        return tl::unexpected(*p);

    const double cosDec = std::max(cos(setup.dec), 0.02);
    const Vector raPolar = polar(ra, sigmaRa);
    const Vector decPolar = polar(dec, sigmaDec);
    rates.ra = {{raPolar.length.value / cosDec, raPolar.length.sigma / cosDec}, raPolar.angle_deg, steps[0]};
    rates.dec = {decPolar.length, decPolar.angle_deg, steps[2]};
    const double between =
        Angle::fromDeg(decPolar.angle_deg.value - raPolar.angle_deg.value).wrappedSigned().deg();
    rates.mirrored = between < 0.0;
    rates.orthogonality_deg = {std::abs(std::abs(between) - 90.0),
                               std::hypot(raPolar.angle_deg.sigma, decPolar.angle_deg.sigma)};
    rates.decBacklash_ms.value = 1000.0 * dead.south_s;
    // The dead time shifts the whole return leg: its error is that of the leg's mean place over the rate,
    // plus that of the end of the north leg it starts from.
    const double perRow = sigma / dec.norm() * 1000.0;
    rates.decBacklash_ms.sigma =
        perRow * std::sqrt(1.0 / std::max(1, steps[2]) + 2.0 / std::max(1, steps[3]));
    const Eigen::Vector2d drift = 60.0 * fit.solution.row(1).transpose();
    rates.drift_px_min = {drift.norm(), 60.0 * sigma * std::sqrt(fit.inverse(1, 1))};

    for (size_t leg = 0; leg < 4; ++leg) {
        LegFit l;
        l.leg = static_cast<Leg>(leg);
        l.steps = steps[leg];
        double squares = 0.0;
        int count = 0;
        std::optional<Row> first;
        Row last;
        for (const Row& r : rows) {
            if (r.leg != l.leg)
                continue;
            if (!first)
                first = r;
            last = r;
            const double raTime = r.pulsed[0] - r.pulsed[1];
            const double decTime =
                std::max(0.0, r.pulsed[2] - dead.north_s) - std::max(0.0, r.pulsed[3] - dead.south_s);
            const Eigen::Vector4d d(1.0, r.t, raTime, decTime);
            const Eigen::RowVector2d rest = Eigen::RowVector2d(r.x, r.y) - d.transpose() * fit.solution;
            const Eigen::Vector2d way = (leg < 2 ? ra : dec).normalized() * (leg % 2 ? -1.0 : 1.0);
            l.along_px.push_back(rest * way);
            squares += rest.squaredNorm();
            ++count;
        }
        l.travel_px = std::hypot(last.x - first->x, last.y - first->y);
        l.roughness_px = std::sqrt(squares / std::max(1, 2 * count));
        rates.legs.push_back(l);
    }
    rates.sense = senseOf(rates);
    rates.verdict = judge(rates);
    return rates;
}

} // namespace nordstjerna
