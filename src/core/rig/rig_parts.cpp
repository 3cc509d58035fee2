#include "core/rig/rig_parts.h"

namespace nordstjerna {

Text partNoun(RigPart part) {
    return part == RigPart::mount    ? Text::say("mount")
           : part == RigPart::optics ? Text::say("set of optics")
                                     : Text::say("site");
}

namespace {
// The same places to read and to write.
template <typename R>
auto& idIn(R& rig, RigPart part) {
    return part == RigPart::mount ? rig.mount.id : part == RigPart::optics ? rig.opticsId : rig.siteId;
}
template <typename R>
auto& nameIn(R& rig, RigPart part) {
    return part == RigPart::mount ? rig.mount.name : part == RigPart::optics ? rig.opticsName : rig.siteName;
}
} // namespace

const std::string& partId(const Rig& rig, RigPart part) {
    return idIn(rig, part);
}

const std::string& partName(const Rig& rig, RigPart part) {
    return nameIn(rig, part);
}

void setPartIdentity(Rig& rig, RigPart part, const std::string& id, const std::string& name) {
    idIn(rig, part) = id;
    nameIn(rig, part) = name;
    nameWhole(rig);
}

void takePart(Rig& to, const Rig& from, RigPart part) {
    switch (part) {
    case RigPart::mount:
        to.mount = from.mount;
        break;
    case RigPart::optics:
        to.opticsId = from.opticsId;
        to.opticsName = from.opticsName;
        to.imagingCamera = from.imagingCamera;
        to.imagingOptics = from.imagingOptics;
        to.imagingFocuser = from.imagingFocuser;
        to.guideCamera = from.guideCamera;
        to.guideOptics = from.guideOptics;
        to.guideFocuser = from.guideFocuser;
        to.filters = from.filters;
        to.guideOffset = from.guideOffset;
        to.offAxis = from.offAxis;
        to.solveWithImaging = from.solveWithImaging;
        break;
    case RigPart::site:
        to.siteId = from.siteId;
        to.siteName = from.siteName;
        to.site = from.site;
        to.timeZone = from.timeZone;
        to.horizon = from.horizon;
        break;
    }
    nameWhole(to);
}

void nameWhole(Rig& rig) {
    // A rig that was never put together otherwise keeps the identity its parts came from.
    const bool born = rig.mount.id == rig.opticsId;
    rig.id = born ? rig.mount.id : rig.mount.id + "+" + rig.opticsId;
    rig.name = born ? rig.opticsName : rig.opticsName + " on " + rig.mount.name;
}

void takeApart(Rig& rig) {
    for (std::string* id : {&rig.opticsId, &rig.mount.id, &rig.siteId})
        if (id->empty())
            *id = rig.id;
    if (rig.opticsName.empty())
        rig.opticsName = rig.name;
    if (rig.mount.name.empty())
        rig.mount.name = "Mount of " + rig.name;
    if (rig.siteName.empty())
        rig.siteName = "Site of " + rig.name;
}

void describePart(Rig& rig, RigPart part, RigVisitor& v) {
    switch (part) {
    case RigPart::mount:
        describeMount(rig, v);
        break;
    case RigPart::optics:
        describeOptics(rig, v);
        break;
    case RigPart::site:
        describeSite(rig, v);
        break;
    }
}

} // namespace nordstjerna
