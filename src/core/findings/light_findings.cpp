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
    constexpr double grown = 0.02, otherSky = 0.12; // shares that are more than chance
    if (v.what == SkyLight::dew)
        text +=
            v.wider > grown ? Text::say("They have grown wider.") : Text::say("They have not grown wider.");
    text += std::abs(v.skyBrighter) < otherSky ? Text::say("The sky is as dark as before.")
            : v.skyBrighter > 0.0              ? Text::say("The sky is brighter.")
                                               : Text::say("The sky is darker.");
    return text;
}

namespace {
// Of the picture, its first row below.
Text sideWords(int x, int y) {
    if (y == 0)
        return x > 0 ? Text::say("on the right") : Text::say("on the left");
    if (x == 0)
        return y > 0 ? Text::say("at the top") : Text::say("at the bottom");
    return y > 0 ? (x > 0 ? Text::say("at the upper right") : Text::say("at the upper left"))
                 : (x > 0 ? Text::say("at the lower right") : Text::say("at the lower left"));
}
} // namespace

Finding unevenFinding(const UnevenLight& light) {
    return {
        "light-uneven", Weight::look,
        Text::say("The guide frame is brighter %1").arg(sideWords(light.sideX, light.sideY)),
        Text::say("The background there is %1 counts above the opposite edge, and each pixel %2 times as "
                  "noisy. Corners that are all darker alike are not counted.")
            .arg(formatMeasured(light.excess_adu, "", 0))
            .arg(formatNumber(light.noiseRatio, 1)),
        Text::say("Light falls in from one side: close gaps around the camera, switch off lamps, keep the "
                  "Moon out of the dew shield. Until then choose stars on the darker side.")};
}

Problem dewProblem(const LightVerdict& v) {
    return {Text::say("Dew seems to settle on the optics."), lightEvidence(v),
            Text::say("Look at the front lens with a lamp. Switch the dew heaters on or up.")};
}

std::vector<Finding> lightFindings(const LightVerdict& v) {
    switch (v.what) {
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
                 Text::say("The stars are as bright as before: it is twilight, the Moon or a lamp."),
                 Text::say("Guide stars that are faint may be lost in it.")}};
    case SkyLight::dew:
    case SkyLight::tooSoon:
    case SkyLight::clear:
        break;
    }
    return {};
}

} // namespace nordstjerna
