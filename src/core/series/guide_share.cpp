#include "core/series/guide_share.h"

#include <algorithm>
#include <cmath>

#include "core/base/statistics.h"

namespace nordstjerna {

GuideGlance glanceOf(double start_s, const RunRow& row) {
    GuideGlance g;
    g.at_s = start_s + row.t_s;
    g.dra_arcsec = static_cast<float>(row.dra_arcsec);
    g.ddec_arcsec = static_cast<float>(row.ddec_arcsec);
    g.measured = row.measured();
    g.aimMoved = row.events.aimMove().has_value();
    g.steady = countsForRms(row);
    return g;
}

double GuideShare::total_arcsec() const {
    return std::hypot(ra_arcsec, dec_arcsec);
}

GuideShare guideShare(const std::vector<GuideGlance>& glances, double from_s, double to_s) {
    GuideShare share;
    std::vector<double> ra;
    std::vector<double> dec;
    auto at = std::lower_bound(glances.begin(), glances.end(), from_s,
                               [](const GuideGlance& g, double t) { return g.at_s < t; });
    int unsteady = 0;
    for (; at != glances.end() && at->at_s < to_s; ++at) {
        if (at->aimMoved) // as the exposure ended: the star had not gone there yet
            continue;
        if (!at->measured) {
            ++share.lost;
            continue;
        }
        ++share.looks;
        unsteady += !at->steady;
        ra.push_back(at->dra_arcsec);
        dec.push_back(at->ddec_arcsec);
    }
    if (ra.empty())
        return share;
    share.steady = unsteady == 0 && share.lost < std::max(2, share.looks / 10);
    const double meanRa = mean(ra);
    const double meanDec = mean(dec);
    const auto rms = [](const std::vector<double>& v) { return std::sqrt(meanSquare(v)); };
    share.ra_arcsec = rms(ra);
    share.dec_arcsec = rms(dec);
    for (size_t i = 0; i < ra.size(); ++i)
        share.peak_arcsec = std::max(share.peak_arcsec, std::hypot(ra[i] - meanRa, dec[i] - meanDec));
    return share;
}

} // namespace nordstjerna
