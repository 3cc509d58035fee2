#include "core/rig/rig_changes.h"

#include "core/base/format.h"

namespace nordstjerna {

std::vector<std::string> rigChanges(const Rig& then, const Rig& now) {
    std::vector<std::string> list;
    const auto number = [&](const char* what, double a, double b, const char* unit, int decimals) {
        const std::string before = formatNumber(a, decimals);
        const std::string after = formatNumber(b, decimals);
        if (before != after)
            list.push_back(std::string(what) + " " + before + unit + ", now " + after + unit);
    };
    // A number the rig does not know is none.
    const auto known = [&](const char* what, double a, double b, const char* unit, int decimals) {
        if (a > 0.0 && b > 0.0)
            number(what, a, b, unit, decimals);
        else if (a > 0.0 || b > 0.0)
            list.push_back(std::string(what) + (a > 0.0 ? " known, now not" : " not known, now it is"));
    };
    const auto word = [&](const char* what, bool a, bool b) {
        if (a != b)
            list.push_back(std::string(what) + (a ? ", now none" : ": none, now there"));
    };
    number("telescope", then.imagingOptics.effectiveFocal_mm(), now.imagingOptics.effectiveFocal_mm(), " mm",
           0);
    number("imaging pixels", then.imagingCamera.pixel_um, now.imagingCamera.pixel_um, " µm", 2);
    number("imaging binning", then.imagingCamera.bin, now.imagingCamera.bin, "", 0);
    word("off-axis guider", then.offAxis, now.offAxis);
    if (!then.offAxis && !now.offAxis)
        number("guide scope", then.guideOptics.effectiveFocal_mm(), now.guideOptics.effectiveFocal_mm(),
               " mm", 0);
    number("guide pixels", then.guideCamera.pixel_um, now.guideCamera.pixel_um, " µm", 2);
    number("guide binning", then.guideCamera.bin, now.guideCamera.bin, "", 0);
    number("guide rate in RA", then.mount.guideRateRa, now.mount.guideRateRa, "", 2);
    number("guide rate in Dec", then.mount.guideRateDec, now.mount.guideRateDec, "", 2);
    known("worm period", then.mount.wormPeriod_s, now.mount.wormPeriod_s, " s", 1);
    word("encoders", then.mount.encoders, now.mount.encoders);
    number("latitude", then.site.latitude.deg(), now.site.latitude.deg(), "°", 1);
    number("longitude", then.site.longitude.deg(), now.site.longitude.deg(), "°", 1);
    return list;
}

} // namespace nordstjerna
