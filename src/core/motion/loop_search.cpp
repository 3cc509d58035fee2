#include "core/motion/loop_search.h"

#include <algorithm>
#include <cmath>

#include "core/base/statistics.h"
#include "core/guide/controllers.h"
#include "core/guide/proportional_controller.h"

namespace nordstjerna {

namespace {

// One axis under the proportional loop, without all that the whole loop does besides: what a search needs.
double axisRms(const std::vector<double>& place, size_t from, const AxisSettings& settings, double most,
               double gap) {
    ProportionalController controller(settings);
    double motor = 0.0;
    BacklashModel backlash{gap};
    double sum = 0.0;
    double squares = 0.0;
    for (size_t i = 0; i < place.size(); ++i) {
        backlash.follow(motor);
        const double error = place[i] + backlash.load;
        motor -= std::clamp(controller.correction(error), -most, most);
        if (i >= from) {
            sum += error;
            squares += error * error;
        }
    }
    const double n = static_cast<double>(place.size() - from);
    return std::sqrt(std::max(0.0, squares / n - sum * sum / (n * n)));
}

std::vector<double> column(const std::vector<SkyError>& e, double SkyError::*axis, size_t from) {
    std::vector<double> v;
    for (size_t i = from; i < e.size(); ++i)
        v.push_back(e[i].*axis);
    return v;
}

} // namespace

std::optional<Disturbance> withDoubtfulBacklash(const Disturbance& d) {
    constexpr double far = 2.0; // standard deviations
    if (!d.priors.dec.mayHaveBacklash || d.backlash_arcsec.value > far * d.backlash_arcsec.sigma)
        return std::nullopt;
    Disturbance hard = d;
    hard.backlash_arcsec.value += far * d.backlash_arcsec.sigma;
    return hard;
}

SearchResult searchSettings(const Disturbance& d, const LoopSettings& start,
                            const std::function<bool()>& stop, const std::function<void(double)>& progress) {
    constexpr double gains[] = {0.03, 0.06, 0.1, 0.15, 0.2, 0.3, 0.4, 0.5, 0.65, 0.8, 1.0};
    constexpr double deadbands[] = {0.0, 0.15, 0.3, 0.5, 0.8};
    constexpr double smoothings[] = {0.0, 0.1, 0.3, 0.5, 0.7};
    SearchResult result;
    result.best = start;
    const size_t from = d.judgedFrom();
    int done = 0;
    constexpr double all = 2.0 * std::size(gains) * std::size(deadbands) * std::size(smoothings);
    const auto search = [&](const std::vector<double>& place, const AxisSettings& given, double rate,
                            double gap) {
        const double most = std::abs(rate) * std::min(0.001 * given.pulseLimit_ms, d.exposure_s);
        AxisSettings best = given;
        best.kind = ControllerKind::proportional;
        double least = axisRms(place, from, best, most, gap);
        for (double gain : gains)
            for (double deadband : deadbands)
                for (double smoothing : smoothings) {
                    if (stop && done % 50 == 49 && stop()) {
                        result.stopped = true;
                        return best;
                    }
                    AxisSettings s = best;
                    s.loopGain = gain;
                    s.deadband_arcsec = deadband;
                    s.smoothing = smoothing;
                    const double rms = axisRms(place, from, s, most, gap);
                    ++done;
                    ++result.tried;
                    if (rms < least) {
                        least = rms;
                        best = s;
                    }
                }
        if (progress)
            progress(0.9 * done / all);
        return best;
    };
    result.best.controller.ra = search(d.ra_arcsec, start.controller.ra, d.geometry.raRate_arcsec_s(), 0.0);
    result.best.controller.dec =
        search(d.dec_arcsec, start.controller.dec, d.geometry.decRate_arcsec_s(), d.backlash_arcsec.value);
    // The other kinds as the loop has them, whole: each axis keeps what left the least.
    const auto rmsOf = [&](const Disturbance& on, const LoopSettings& s) {
        const std::vector<SkyError> errors = replayLoop(on, s, stop);
        return std::pair{standardDeviation(column(errors, &SkyError::dra_arcsec, from)),
                         standardDeviation(column(errors, &SkyError::ddec_arcsec, from))};
    };
    auto [leastRa, leastDec] = rmsOf(d, result.best);
    const auto hard = withDoubtfulBacklash(d);
    double leastHard = hard ? rmsOf(*hard, result.best).second : 0.0;
    // Those that learn come last: they are held against the best of the others.
    std::vector<ControllerDescriptor> others;
    for (const bool learning : {false, true})
        for (const ControllerDescriptor& c : controllers())
            if (c.kind != ControllerKind::proportional && c.learns == learning)
                others.push_back(c);
    for (const ControllerDescriptor& c : others) {
        if (result.stopped || (stop && stop())) {
            result.stopped = true;
            break;
        }
        LoopSettings other = start;
        other.controller.ra.kind = other.controller.dec.kind = c.kind;
        const auto [ra, dec] = rmsOf(d, other);
        const double decHard = hard ? rmsOf(*hard, other).second : 0.0;
        result.tried += 2;
        // By the measured error alone what learns is hard to tell from a gain chosen afterwards; where they
        // come out alike it has the smaller mount part, and learns what this record did not show.
        constexpr double alike = 1.035;
        if (ra < (c.learns ? alike : 1.0) * leastRa) {
            leastRa = std::min(ra, leastRa);
            result.best.controller.ra.kind = c.kind;
        }
        // What learns stays the choice unless another does clearly better however large the backlash is.
        constexpr double nearlyAlike = 1.08;
        const bool asWell = hard && decHard < (c.learns ? nearlyAlike : 1.0) * leastHard;
        if (c.learns ? dec < alike * leastDec || asWell : dec < leastDec && (!hard || asWell)) {
            leastDec = std::min(dec, leastDec);
            leastHard = std::min(decHard, leastHard);
            result.best.controller.dec.kind = c.kind;
        }
    }
    if (progress)
        progress(1.0);
    return result;
}

} // namespace nordstjerna
