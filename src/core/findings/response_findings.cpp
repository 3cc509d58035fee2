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

namespace {
constexpr double unlike = 0.05, certainly = 3.0; // share, σ

Finding waysFinding(const char* id, const Text& axis, const Text& plusName, const Measured& plus,
                    const Text& minusName, const Measured& minus, const Measured& difference) {
    const Text evidence = Text::say("%1 pulses do %2 of what the calibration says, %3 pulses %4.")
                              .arg(plusName)
                              .arg(formatMeasured(plus, "", 2))
                              .arg(minusName)
                              .arg(formatMeasured(minus, "", 2));
    if (std::abs(difference.value) < std::max(unlike, certainly * difference.sigma))
        return {id, Weight::know, Text::say("%1 answers alike both ways").arg(axis), evidence, ""};
    return {
        id, Weight::look,
        Text::say("%1 answers less to the %2").arg(axis).arg(difference.value > 0.0 ? minusName : plusName),
        evidence,
        Text::say("The axis is out of balance, or something drags: balance it, look at the cables and at "
                  "the mesh of the gears.")};
}
} // namespace

std::vector<Finding> gearFindings(const GearAnswer& a, double decRate_arcsec_s) {
    std::vector<Finding> list{waysFinding("gears-ra", Text::say("RA"), Text::say("west"), a.west,
                                          Text::say("east"), a.east, a.westOverEast)};
    if (!a.decTried)
        return list;
    list.push_back(waysFinding("gears-dec", Text::say("Dec"), Text::say("north"), a.north, Text::say("south"),
                               a.south, a.northOverSouth));
    if (a.backlash_arcsec.size() < 2 || !(decRate_arcsec_s > 0.0))
        return list;
    const Measured& south = a.backlash_arcsec[0];
    const Measured& north = a.backlash_arcsec[1];
    const auto ms = [&](const Measured& m) {
        return formatMeasured({1000.0 * m.value / decRate_arcsec_s, 1000.0 * m.sigma / decRate_arcsec_s},
                              " ms", 0);
    };
    const double apart = std::abs(south.value - north.value);
    constexpr double leastApart_arcsec = 1.0;
    const bool lopsided =
        apart > std::max(leastApart_arcsec, certainly * std::hypot(south.sigma, north.sigma));
    list.push_back(
        {"gears-backlash", lopsided ? Weight::look : Weight::know,
         lopsided ? Text::say("Dec loses more one way than the other")
                  : Text::say("Dec loses %1 at a reversal").arg(formatMeasured(south, "″", 1)),
         Text::say("Turning south it loses %1 (%2), turning north %3 (%4).")
             .arg(formatMeasured(south, "″", 1))
             .arg(ms(south))
             .arg(formatMeasured(north, "″", 1))
             .arg(ms(north)),
         lopsided ? Text::say("Dec is out of balance: its weight closes the gap one way. Balance it, and "
                              "check again.")
                  : Text()});
    return list;
}

} // namespace nordstjerna
