#include "edge/devices/wire/wire_kinds.h"

#include "edge/devices/devices.h"
#include "edge/devices/wire/served_focuser.h"
#include "edge/devices/wire/served_rotator.h"
#include "edge/devices/wire/served_wheel.h"
#include "edge/devices/wire/wire_focuser.h"
#include "edge/devices/wire/wire_names.h"
#include "edge/devices/wire/wire_rotator.h"
#include "edge/devices/wire/wire_wheel.h"

namespace nordstjerna {

namespace {
template <typename Wired, auto member>
class JoinedPart final : public WirePart {
public:
    JoinedPart(WireLink& link, const std::string& device) : device_(link, device) {}
    void greet() const override { device_.greet(); }
    void join(Devices& devices) override { devices.*member = &device_; }

private:
    Wired device_;
};

template <typename Wired, typename Served, auto member>
constexpr WirePartKind partKind(std::string WireRoles::*role, const char* servedName) {
    return {role,
            [](WireLink& link, const std::string& device) -> std::unique_ptr<WirePart> {
                return std::make_unique<JoinedPart<Wired, member>>(link, device);
            },
            servedName,
            [](const char* name, const Devices& devices) -> std::unique_ptr<ServedDevice> {
                return devices.*member ? std::make_unique<Served>(name, *(devices.*member)) : nullptr;
            }};
}
} // namespace

std::span<const WireSign> wireSigns() {
    static constexpr WireSign signs[] = {
        {WireRole::mount, "mount", wire::mountBit, wire::coordinates},
        {WireRole::camera, "camera", wire::cameraBit, wire::exposure},
        {WireRole::guidePort, "guide_port", wire::guidePortBit, wire::pulseWestEast},
        {WireRole::focuser, "focuser", wire::focuserBit, wire::focusBy},
        {WireRole::wheel, "filter_wheel", wire::wheelBit, wire::filterSlot},
        {WireRole::rotator, "rotator", wire::rotatorBit, wire::rotatorPlace}};
    return signs;
}

const char* wireRoleKey(WireRole role) {
    for (const WireSign& sign : wireSigns())
        if (sign.role == role)
            return sign.key;
    return "";
}

std::span<const WirePlace> wirePlaces() {
    static constexpr const char* none = Text::mark("none");
    static constexpr WirePlace places[] = {
        {&WireRoles::mount, "mount", Text::mark("Mount"), none, WireRole::mount, true},
        {&WireRoles::guideCamera, "guide_camera", Text::mark("Guide camera"), none, WireRole::camera, false},
        {&WireRoles::imagingCamera, "imaging_camera", Text::mark("Imaging camera"), none, WireRole::camera,
         false},
        {&WireRoles::guideFocuser, "guide_focuser", Text::mark("Guide focuser"), none, WireRole::focuser,
         false},
        {&WireRoles::imagingFocuser, "imaging_focuser", Text::mark("Imaging focuser"), none,
         WireRole::focuser, false},
        {&WireRoles::wheel, "filter_wheel", Text::mark("Filter wheel"), none, WireRole::wheel, true},
        {&WireRoles::rotator, "rotator", Text::mark("Rotator"), none, WireRole::rotator, true},
        {&WireRoles::guidePort, "guide_port", Text::mark("Guide pulses"), Text::mark("to the mount itself"),
         WireRole::guidePort, false}};
    return places;
}

std::span<const WirePartKind> wirePartKinds() {
    static constexpr WirePartKind kinds[] = {
        partKind<WireFocuser, ServedFocuser, &Devices::guideFocuser>(&WireRoles::guideFocuser,
                                                                     "Night Guide Focuser"),
        partKind<WireFocuser, ServedFocuser, &Devices::imagingFocuser>(&WireRoles::imagingFocuser,
                                                                       "Night Imaging Focuser"),
        partKind<WireWheel, ServedWheel, &Devices::wheel>(&WireRoles::wheel, "Night Filter Wheel"),
        partKind<WireRotator, ServedRotator, &Devices::rotator>(&WireRoles::rotator, "Night Rotator")};
    return kinds;
}

} // namespace nordstjerna
