#include "core/series/ladder.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

#include "core/base/angle.h"
#include "core/base/statistics.h"
#include "core/image/frame_look.h"
#include "core/pole/drift_meaning.h"
#include "core/rig/scales.h"
#include "core/series/dither_pattern.h"

namespace nordstjerna {

namespace {
constexpr int exposurePieces = 33; // of an exposure
constexpr int beginnings = 64;
constexpr std::array primes{2, 3, 5, 7, 11, 13, 17, 19};
constexpr size_t mostSwings = primes.size();

// Elongation of a star that was carried along during the exposure, by second pieces: exact for the pieces,
// and close to what a measurement weighted by the star's own shape gives.
double carried(const LadderMount& m, double exposure_s, int beginning, double ra_arcsec_min,
               double dec_arcsec_min) {
    double sumX = 0.0;
    double sumY = 0.0;
    double xx = 0.0;
    double yy = 0.0;
    double xy = 0.0;
    const auto swing = [&](const std::vector<LadderSwing>& list, size_t first, double t) {
        double at = 0.0;
        for (size_t i = 0; i < list.size() && first + i < mostSwings; ++i) {
            // Phases spread evenly and independent of each other.
            const double phase = radicalInverse(primes[first + i], static_cast<std::uint64_t>(beginning));
            at += list[i].amplitude_arcsec * std::sin(tau * (t / list[i].period_s + phase));
        }
        return at;
    };
    for (int k = 0; k < exposurePieces; ++k) {
        const double t = exposure_s * (k + 0.5) / exposurePieces;
        const double x = ra_arcsec_min * t / 60.0 + swing(m.ra, 0, t);
        const double y = dec_arcsec_min * t / 60.0 + swing(m.dec, m.ra.size(), t);
        sumX += x;
        sumY += y;
        xx += x * x;
        yy += y * y;
        xy += x * y;
    }
    const double n = exposurePieces;
    const double round = std::pow(m.fwhm_arcsec / fwhmPerSigma, 2);
    Moments star;
    star.xx = round + xx / n - sumX * sumX / (n * n);
    star.yy = round + yy / n - sumY * sumY / (n * n);
    star.xy = xy / n - sumX * sumY / (n * n);
    return elongationOf(std::hypot(star.e1(), star.e2()));
}

Measured overBeginnings(const LadderMount& m, double exposure_s, double ra, double dec) {
    const int n = m.ra.empty() && m.dec.empty() ? 1 : beginnings;
    std::vector<double> all;
    for (int i = 0; i < n; ++i)
        all.push_back(carried(m, exposure_s, i, ra, dec));
    return {mean(all), n > 1 ? standardDeviation(all) : 0.0};
}

// Drift of a star over the axis, with what the axis' own ± makes of it.
void driftOfAxis(LadderMount& m, const AxisFit& fit, const Site& site, const Vec3& target, Instant now) {
    const AxisBasis b = axisBasis(fit.axis);
    const double h = Angle::fromArcmin(0.5).rad();
    const auto at = [&](const Vec3& a) { return predictedDrift(site, now, target, a.normalized()); };
    const Eigen::Vector2d drift = at(fit.axis); // north, east
    Eigen::Matrix2d per;                        // arcmin
    per.col(0) = at(fit.axis + h * b.east) - at(fit.axis - h * b.east);
    per.col(1) = at(fit.axis + h * b.up) - at(fit.axis - h * b.up);
    const Eigen::Matrix2d spread = per * fit.covariance * per.transpose() / 3600.0;
    m.dec_arcsec_min = {drift.x(), std::sqrt(std::max(0.0, spread(0, 0)))};
    m.ra_arcsec_min = {drift.y(), std::sqrt(std::max(0.0, spread(1, 1)))};
    m.driftKnown = true;
}

std::vector<LadderSwing> strongest(const std::vector<PeriodicLine>& lines, double factor, size_t most) {
    std::vector<LadderSwing> list;
    for (const PeriodicLine& l : lines)
        if (list.size() < most)
            list.push_back({l.period_s.value, factor * l.amplitude_arcsec.value});
    return list;
}

// A star drawn out so far, and on top of it at random, in all directions alike: second moments that scatter
// by m make both components of the ellipticity scatter by m / 2s², s² being the star's own variance. The mean
// of such a length (Rice) is close to the root of the sum of squares.
Measured withSway(const LadderMount& m, double exposure_s, const Measured& e) {
    const double moment = swayOver(m.sway, exposure_s);
    if (moment <= 0.0)
        return e;
    const double own = std::pow(m.fwhm_arcsec / fwhmPerSigma, 2);
    const double scatter = 0.5 * moment / std::max(own, 1e-6);
    const double steady = ellipticityOf(std::clamp(e.value, 0.0, 0.99));
    const double typical = std::sqrt(steady * steady + 0.5 * std::numbers::pi * scatter * scatter);
    // A random length about nothing scatters by 0.655 of its components, about a long one by one of them.
    const double share = steady * steady / (steady * steady + scatter * scatter);
    return {elongationOf(std::min(typical, 0.99)), std::hypot(e.sigma, (0.655 + 0.345 * share) * scatter)};
}
} // namespace

LadderMount ladderMount(const LadderSources& known, const Site& site, const Vec3& target, Instant now,
                        double fwhm_arcsec) {
    LadderMount m;
    m.fwhm_arcsec = fwhm_arcsec;
    if (known.axis)
        driftOfAxis(m, *known.axis, site, target, now);
    if (!known.free || !known.freeMeta)
        return m;
    const MotionAnalysis& free = *known.free;
    // What turns with the RA axis is smaller on the sky near the pole.
    const double here = std::max(0.05, cos(equatorialFrom(target).dec));
    const double there = std::max(0.05, cos(Angle::fromDeg(known.freeMeta->dec_deg)));
    const double factor = here / there;
    m.ra = strongest(free.ra.periodic.lines, factor, mostSwings - 2);
    m.dec = strongest(free.dec.periodic.lines, 1.0, 2);
    m.periodicKnown = true;
    m.sway = free.sway;
    if (!known.axis) {
        m.ra_arcsec_min = free.ra.drift_arcsec_min;
        m.dec_arcsec_min = free.dec.drift_arcsec_min;
        m.driftKnown = m.trackingKnown = true;
        return m;
    }
    DriftWatch watch;
    watch.middle = known.freeMeta->start + 0.5 * (free.clean.t_s.front() + free.clean.t_s.back());
    watch.star = vectorFrom(
        Equatorial{Angle::fromDeg(known.freeMeta->ra_deg), Angle::fromDeg(known.freeMeta->dec_deg)});
    watch.place = ObservedFrame(site, watch.middle).hourAngleDec(watch.star);
    watch.dec_arcsec_min = free.dec.drift_arcsec_min;
    const Measured rate =
        meaningOfDrift(watch, free.ra.drift_arcsec_min, site, *known.axis).tracking_arcsec_min;
    m.ra_arcsec_min.value += factor * rate.value;
    m.ra_arcsec_min.sigma = std::hypot(m.ra_arcsec_min.sigma, factor * rate.sigma);
    m.trackingKnown = true;
    return m;
}

Measured expectedElongation(const LadderMount& m, double exposure_s) {
    const double ra = m.ra_arcsec_min.value;
    const double dec = m.dec_arcsec_min.value;
    const Measured e = withSway(m, exposure_s, overBeginnings(m, exposure_s, ra, dec));
    const auto slope = [&](double dRa, double dDec) {
        return 0.5 * (overBeginnings(m, exposure_s, ra + dRa, dec + dDec).value -
                      overBeginnings(m, exposure_s, ra - dRa, dec - dDec).value);
    };
    return {e.value,
            std::hypot(e.sigma, slope(m.ra_arcsec_min.sigma, 0.0), slope(0.0, m.dec_arcsec_min.sigma))};
}

double roundUpTo_s(const LadderMount& m, double limit) {
    const auto oval = [&](double t) {
        return overBeginnings(m, t, m.ra_arcsec_min.value, m.dec_arcsec_min.value).value >= limit;
    };
    constexpr double least = 1.0;
    constexpr double most = 3600.0;
    // It need not grow steadily with the periodic error: the first length that fails, then between it and the
    // one before.
    double low = least;
    double high = least;
    while (high < most && !oval(high)) {
        low = high;
        high *= 1.1;
    }
    if (high >= most)
        return most;
    while (high - low > 0.01 * high) {
        const double middle = 0.5 * (low + high);
        (oval(middle) ? high : low) = middle;
    }
    return low;
}

double roundSeenUpTo_s(const std::vector<LadderRung>& rungs, double limit) {
    std::vector<LadderRung> byLength = rungs;
    std::sort(byLength.begin(), byLength.end(),
              [](const LadderRung& a, const LadderRung& b) { return a.exposure_s < b.exposure_s; });
    double seen = 0.0;
    for (const LadderRung& r : byLength) {
        if (r.stars == 0 || r.elongation.value >= limit)
            break;
        seen = r.exposure_s;
    }
    return seen;
}

} // namespace nordstjerna
