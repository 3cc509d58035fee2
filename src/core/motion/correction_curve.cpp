#include "core/motion/correction_curve.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"

namespace nordstjerna {

double CorrectionCurve::peakToPeak_arcsec() const {
    if (error_arcsec.empty())
        return 0.0;
    const auto [low, high] = std::minmax_element(error_arcsec.begin(), error_arcsec.end());
    return *high - *low;
}

Expected<CorrectionCurve> curveFrom(const WormError& w, const RunMeta& meta) {
    if (meta.kind != RunKind::free)
        return problem(Text::say("This run shows no curve."),
                       Text::say("Corrections were given meanwhile: what is periodic in it is what they "
                                 "left, not what the mount does."),
                       Text::say("Record a free run."));
    if (meta.ra_deg == 0.0 && meta.dec_deg == 0.0)
        return problem(Text::say("The run does not say where the telescope pointed."),
                       Text::say("Stars show the RA axis' motion times the cosine of their declination, "
                                 "which is not in its header."),
                       Text::say("Add pointing.ra and pointing.dec to the header."));
    const double c = std::cos(Angle::fromDeg(meta.dec_deg).rad());
    if (c < 0.15)
        return problem(Text::say("The stars of this run are too near the pole for a curve."),
                       Text::say("At declination %1° they show only %2 % of the RA axis' motion.")
                           .arg(formatNumber(meta.dec_deg, 0))
                           .arg(formatNumber(100.0 * c, 0)),
                       Text::say("Record a free run below 80° declination, best near the equator."));
    if (!(w.peakToPeak_arcsec.value > 0.0))
        return problem(Text::say("There is no periodic error to correct."),
                       Text::say("No harmonic of the worm stands out of the noise of this run."),
                       Text::say("Record two or three turns in good seeing, or leave the mount as it is."));
    CorrectionCurve curve;
    curve.wormPeriod_s = w.period_s.value;
    curve.byMount = w.byMount;
    curve.start = meta.start;
    for (size_t i = 0; i < w.curve_arcsec.size(); ++i) {
        curve.error_arcsec.push_back(w.curve_arcsec[i] / c);
        curve.sigma_arcsec.push_back(w.sigma_arcsec[i] / c);
        curve.rate_arcsec_s.push_back(w.rate_arcsec_s[i] / c);
    }
    return curve;
}

double curveAt(const std::vector<double>& steps, double phase) {
    if (steps.empty())
        return 0.0;
    const auto n = static_cast<double>(steps.size());
    double at = (phase - std::floor(phase)) * n - 0.5;
    if (at < 0.0)
        at += n;
    const auto i = static_cast<size_t>(at) % steps.size();
    const double part = at - std::floor(at);
    return (1.0 - part) * steps[i] + part * steps[(i + 1) % steps.size()];
}

CorrectionCurve sumOfCurves(const CorrectionCurve& first, const CorrectionCurve& second) {
    CorrectionCurve sum = second;
    for (size_t i = 0; i < sum.error_arcsec.size(); ++i) {
        const double phase = sum.phase(i);
        sum.error_arcsec[i] += curveAt(first.error_arcsec, phase);
        sum.sigma_arcsec[i] = std::hypot(sum.sigma_arcsec[i], curveAt(first.sigma_arcsec, phase));
        sum.rate_arcsec_s[i] += curveAt(first.rate_arcsec_s, phase);
    }
    return sum;
}

} // namespace nordstjerna
