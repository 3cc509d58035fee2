#include "core/findings/motion_findings.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"

namespace nordstjerna {

std::vector<Finding> periodicFindings(const PeriodicResult& ra, double span_s, double wormPeriod_s,
                                      double image) {
    std::vector<Finding> list;
    if (ra.worm) {
        const WormError& w = *ra.worm;
        const bool large = image > 0.0 && w.rms_arcsec > 0.5 * image;
        list.push_back({"periodic-error", large ? Weight::look : Weight::know,
                        "Periodic error " + formatNumber(w.peakToPeak_arcsec, 1) + "″ peak to peak",
                        "Worm turn " + formatMeasured(w.period_s, " s", 1) +
                            (w.given ? " by the rig, " : " found, ") + formatNumber(w.cycles, 1) +
                            " turns recorded; rms " + formatNumber(w.rms_arcsec, 2) + "″, fastest " +
                            formatNumber(w.maxRate_arcsec_s, 3) + " ″/s.",
                        "Guiding takes out what is slow; correct in time: the star moves 0.3″ in " +
                            formatDuration(0.3 / std::max(w.maxRate_arcsec_s, 1e-4)) + ".",
                        "", ""});
        if (w.cycles < 2.0)
            list.push_back({"worm-once", Weight::know,
                            "The worm turned " + formatNumber(w.cycles, 1) + " times only",
                            "What repeats cannot be told from what happened once.",
                            "Record two or three turns.", "", ""});
    } else if (wormPeriod_s > 0.0) {
        list.push_back({"worm-too-short", Weight::look, "Too short for the worm",
                        formatDuration(span_s) + " recorded, one turn takes " + formatDuration(wormPeriod_s) +
                            ". Drift and noise can be told, the periodic error cannot.",
                        "Record two or three turns.", "", ""});
    } else if (ra.lines.empty()) {
        list.push_back({"no-period", Weight::know, "No period stands out",
                        "Nothing between a few frames and " + formatDuration(ra.longestPeriod_s) +
                            " rises above the noise (false alarm below 1 %).",
                        span_s < 900.0 ? "Record longer to see slower periods." : "", "", ""});
    }
    for (const PeriodicLine& l : ra.lines)
        if (l.harmonic == 0 && ra.worm)
            list.push_back(
                {"gear-line", Weight::know,
                 "A period of " + formatNumber(l.period_s.value, 1) + " s that is not the worm's",
                 formatMeasured(l.amplitude_arcsec, "″", 2) +
                     " amplitude: another gear, a belt or the motor.",
                 "A periodic-error curve of the worm cannot take it out; guiding can if it is slow.", "",
                 ""});
    return list;
}

std::vector<Finding> backlashFindings(const BacklashResult& b) {
    const std::string measured = formatMeasured(b.dead_ms, " ms", 0) + ", " +
                                 formatMeasured(b.dead_arcsec, "″", 1) +
                                 " until the star follows; shape: " + backlashShapeName(b.shape) + ".";
    const double ms = b.dead_ms.value;
    if (b.shape == BacklashShape::none || ms < 100.0)
        return {{"backlash-harmless", Weight::know, "Dec backlash is harmless", measured,
                 "Nothing need be done.", "", ""}};
    if (ms <= 1000.0)
        return {{"backlash-compensate", Weight::look, "Dec backlash " + formatNumber(ms, 0) + " ms", measured,
                 "Compensate it in the mount if it can, and keep a little polar drift so that Dec is pushed "
                 "one way.",
                 "", ""}};
    if (ms <= 3000.0)
        return {{"backlash-large", Weight::look, "Dec backlash " + formatNumber(ms / 1000.0, 1) + " s",
                 measured,
                 "Adjust the gears when there is time; guide Dec one-sided against the drift until then.", "",
                 ""}};
    return {{"backlash-repair", Weight::act, "Dec backlash " + formatNumber(ms / 1000.0, 1) + " s", measured,
             "Have the Dec gears adjusted; guide Dec one-sided against the drift.", "", ""}};
}

std::vector<Finding> settingsFindings(const RunSummary& s, const std::optional<WormError>& worm) {
    std::vector<Finding> list;
    const auto band = [](double noise) { return formatNumber(1.4 * noise, 2) + "″"; };
    list.push_back({"deadband", Weight::know,
                    "Deadband " + band(s.ra.noise_arcsec.value) + " in RA, " +
                        band(s.dec.noise_arcsec.value) + " in Dec",
                    "The star jumps by " + formatMeasured(s.ra.noise_arcsec, "″", 2) + " and " +
                        formatMeasured(s.dec.noise_arcsec, "″", 2) +
                        " a frame, faster than any loop follows.",
                    "1.4 σ of that keeps the loop from chasing the air.", "", ""});
    if (worm && worm->maxRate_arcsec_s > 0.0) {
        const double allowed = std::max(s.ra.noise_arcsec.value, 0.05) / 3.0 / worm->maxRate_arcsec_s;
        const double exposure = std::clamp(allowed, 1.0, 8.0);
        list.push_back({"exposure", Weight::know, "Expose " + formatNumber(exposure, 1) + " s",
                        "The worm moves the star by a third of the noise in " + formatNumber(allowed, 1) +
                            " s" +
                            (allowed < 1.0   ? "; the lower bound of 1 s binds."
                             : allowed > 8.0 ? "; the upper bound of 8 s binds."
                                             : "."),
                        "Longer averages the air, but lets the worm show.", "", ""});
    }
    return list;
}

} // namespace nordstjerna
