#include "core/series/oval.h"

#include <algorithm>
#include <cmath>

#include "core/base/statistics.h"

namespace nordstjerna {

namespace {
constexpr double degreesEach = 57.29577951308232;
constexpr size_t framesAsked = 20;
constexpr double visible = 0.06; // elongation from which on an eye sees it

// A difference of variances on the sky: along Dec less along RA, and twice the covariance.
struct Excess {
    double dec = 0.0, diagonal = 0.0;
    double size() const { return std::hypot(dec, diagonal); }
};

// What an even motion during the exposure makes of it.
Excess drawnOut(double east, double north) {
    return {(north * north - east * east) / 12.0, 2.0 * east * north / 12.0};
}
} // namespace

const char* ovalCauseName(OvalCause cause) {
    switch (cause) {
    case OvalCause::guidedRa:
        return "guiding_ra";
    case OvalCause::guidedDec:
        return "guiding_dec";
    case OvalCause::creep:
        return "flexure";
    case OvalCause::rotation:
        return "field_rotation";
    case OvalCause::unseen:
        break;
    }
    return "unseen";
}

std::optional<OvalReport> whyOval(const std::vector<SeriesFrame>& frames, const TangentPlane& plane,
                                  const std::optional<Creep>& creep, double scale) {
    std::vector<double> dec;
    std::vector<double> diagonal;
    std::vector<double> squares;
    std::vector<double> guided;
    std::vector<double> across;
    double exposure_s = 0.0;
    for (size_t i = frames.size(); i-- > 0 && dec.size() < framesAsked;) {
        const SeriesFrame& f = frames[i];
        if (f.look.shaped < 5 || (f.remark != Remark::none && f.remark != Remark::unsharp))
            continue;
        // Twice the position angle of the longer axis; half a turn of the sensor changes nothing.
        const double twice = 2.0 * plane.positionAngle_deg(f.look.angle_deg()) / degreesEach;
        const double sigma2 = std::pow(f.look.fwhm_px.value * scale / fwhmPerSigma, 2);
        const double e = std::hypot(f.look.e1.value, f.look.e2.value);
        // A moving target draws every star out, on purpose.
        const Excess streak = drawnOut(f.streak.dra_arcsec, f.streak.ddec_arcsec);
        dec.push_back(2.0 * sigma2 * e * std::cos(twice) - streak.dec);
        diagonal.push_back(2.0 * sigma2 * e * std::sin(twice) - streak.diagonal);
        squares.push_back(2.0 * sigma2);
        guided.push_back(f.guide.dec_arcsec * f.guide.dec_arcsec - f.guide.ra_arcsec * f.guide.ra_arcsec);
        across.push_back(f.look.tangential.value);
        exposure_s = f.exposure_s;
    }
    constexpr size_t fewest = 3;
    if (dec.size() < fewest)
        return std::nullopt;
    OvalReport report;
    report.frames = static_cast<int>(dec.size());
    const double root = std::sqrt(static_cast<double>(dec.size()));
    report.excessDec_arcsec2 = {mean(dec), standardDeviation(dec) / root};
    report.excessDiagonal_arcsec2 = {mean(diagonal), standardDeviation(diagonal) / root};
    const Excess seen{report.excessDec_arcsec2.value, report.excessDiagonal_arcsec2.value};
    report.elongation = elongationOf(seen.size() / mean(squares));
    const double angle = 0.5 * std::atan2(seen.diagonal, seen.dec) * degreesEach;
    report.positionAngle_deg = angle < 0.0 ? angle + 180.0 : angle;
    const double sigma = std::max(report.excessDec_arcsec2.sigma, report.excessDiagonal_arcsec2.sigma);
    const double turning = mean(across);
    const double turningSigma = standardDeviation(across) / root;
    const bool turns = turning > 2.0 * visible && turning > 4.0 * turningSigma;
    report.oval = (report.elongation > visible && seen.size() > 4.0 * sigma) || turns;
    if (!report.oval)
        return report;
    const double whole = std::max(seen.size(), turns ? turning * mean(squares) : 0.0);
    const auto along = [&](const Excess& x) {
        return seen.size() > 0.0 ? (x.dec * seen.dec + x.diagonal * seen.diagonal) / (seen.size() * whole)
                                 : 0.0;
    };
    const Excess loop{mean(guided), 0.0};
    report.causes.push_back({loop.dec < 0.0 ? OvalCause::guidedRa : OvalCause::guidedDec, along(loop)});
    double explained = std::max(0.0, report.causes.back().share);
    if (creep && creep->certain()) {
        const double way = exposure_s / 60.0;
        report.causes.push_back({OvalCause::creep, along(drawnOut(way * creep->east_arcsec_min.value,
                                                                  way * creep->north_arcsec_min.value))});
        explained += std::max(0.0, report.causes.back().share);
    }
    if (turns) {
        report.causes.push_back({OvalCause::rotation, turning * mean(squares) / whole});
        explained += report.causes.back().share;
    }
    report.causes.push_back({OvalCause::unseen, std::max(0.0, 1.0 - explained)});
    std::stable_sort(report.causes.begin(), report.causes.end(),
                     [](const OvalShare& a, const OvalShare& b) { return a.share > b.share; });
    constexpr double noticeable = 0.15;
    std::erase_if(report.causes, [](const OvalShare& s) { return s.share < noticeable; });
    return report;
}

} // namespace nordstjerna
