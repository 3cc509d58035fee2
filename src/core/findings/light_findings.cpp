#include "core/findings/light_findings.h"

#include <cmath>

#include "core/base/format.h"

namespace nordstjerna {

Text lightEvidence(const LightVerdict& v) {
    const std::string lost = formatMeasured(v.lost_mag, " mag", 2);
    Text text = v.what == SkyLight::cloud
                    ? Text::say("The light of the guide stars comes and goes; they have lost %1.").arg(lost)
                    : Text::say("The guide stars have lost %1, evenly, and lose %2 an hour.")
                          .arg(lost)
                          .arg(formatMeasured(v.pace_mag_h, " mag", 1));
    const double wider = 100.0 * v.wider.value;
    if (v.what == SkyLight::dew)
        text += wider > 2.0 ? Text::say("They are %1 % wider.").arg(formatNumber(wider, 0))
                            : Text::say("They have not grown wider.");
    const double brighter = 100.0 * v.skyBrighter;
    text += std::abs(brighter) < 12.0 ? Text::say("The sky is as dark as before.")
            : brighter > 0.0          ? Text::say("The sky is %1 % brighter.").arg(formatNumber(brighter, 0))
                                      : Text::say("The sky is darker.");
    return text;
}

std::vector<Finding> lightFindings(const LightVerdict& v) {
    switch (v.what) {
    case SkyLight::dew:
        return {
            {"guide.dew", Weight::act, Text::say("Dew seems to settle on the optics"), lightEvidence(v),
             Text::say("Look at the front lens with a lamp. Switch the dew heaters on or up; do not wipe.")}};
    case SkyLight::cloud:
        return {
            {"guide.cloud", Weight::look, Text::say("Clouds pass before the guide stars"), lightEvidence(v),
             Text::say("Nothing need be done: guiding waits for stars that are lost. Frames of this time are "
                       "worth a look.")}};
    case SkyLight::haze:
        return {{"guide.haze", Weight::look, Text::say("Haze dims the stars"), lightEvidence(v),
                 Text::say("Expose for longer, or choose a higher target.")}};
    case SkyLight::brighter:
        return {{"guide.brighter", Weight::know, Text::say("The sky grows brighter"),
                 Text::say(
                     "Its noise has grown by %1 %, the stars are as bright as before: twilight, the Moon or "
                     "a lamp.")
                     .arg(formatNumber(50.0 * v.skyBrighter, 0)),
                 Text::say("Guide stars that are faint may be lost in it.")}};
    case SkyLight::tooSoon:
    case SkyLight::clear:
        break;
    }
    return {};
}

} // namespace nordstjerna
