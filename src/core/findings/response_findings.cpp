#include "core/findings/response_findings.h"

#include <cmath>

#include "core/base/format.h"

namespace nordstjerna {

Finding pulsesLate(const Measured& delay_s, const Text& how) {
    return {
        "pulses-late", Weight::look,
        Text::say("Pulses take effect %1 late").arg(formatMeasured(delay_s, " s", 1)), how,
        Text::say("A slow link, driver or download delays them. A faster one lets the loop correct sooner.")};
}

Finding ratesOff(bool dec, const Text& gain, const Text& how) {
    return {dec ? "rates-off-dec" : "rates-off-ra",
            Weight::look,
            Text::say("%1 pulses do %2 × what the calibration says").arg(dec ? "Dec" : "RA").arg(gain),
            how,
            Text::say("Measure the guide rates again."),
            ActionId::goToRates,
            Text::say("Go to Rates")};
}

std::vector<Finding> responseFindings(const std::optional<Response>& ra, const std::optional<Response>& dec,
                                      bool decMotor) {
    std::vector<Finding> list;
    constexpr double certain = 3.0; // σ
    // Beyond what a loop allows for without noticing (common practice).
    constexpr double gainOff = 0.15, late_s = 0.7;
    const Measured* latest = nullptr;
    for (const auto& [response, isDec] : {std::pair(&ra, false), std::pair(&dec, true)}) {
        if (!*response)
            continue;
        const Response& r = **response;
        const double off = r.gain.value - 1.0;
        if (std::abs(off) > gainOff && std::abs(off) > certain * r.gain.sigma) {
            Finding f =
                ratesOff(isDec, formatMeasured(r.gain, "", 2),
                         off < 0.0 ? Text::say("Pulses get lost on the way, or the guide rate was changed "
                                               "in the mount since the rates were measured.")
                                   : Text::say("The guide rate was changed in the mount since the rates "
                                               "were measured, or another program gives pulses as well."));
            f.weight = Weight::act;
            f.action = ActionId::ratesMeasure;
            f.actionLabel = Text::say("Measure rates");
            list.push_back(std::move(f));
        }
        const bool late = r.delay_s.value > late_s && r.delay_s.value > certain * r.delay_s.sigma;
        if (late && (!latest || r.delay_s.value > latest->value))
            latest = &r.delay_s;
    }
    if (latest)
        list.push_back(
            pulsesLate(*latest, Text::say("Measured by the response test; the loop allows for it.")));
    if (!ra || (decMotor && !dec))
        list.push_back(
            {"response-none", Weight::act,
             (ra ? Text::say("Dec did not answer its pulses") : Text::say("RA did not answer its pulses")),
             Text::say("The star did not follow them in the frames of the test."),
             Text::say("See that pulses reach the mount, and that the axis is clamped.")});
    return list;
}

} // namespace nordstjerna
