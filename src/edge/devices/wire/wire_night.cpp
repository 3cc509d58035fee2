#include "edge/devices/wire/wire_night.h"

#include <chrono>

#include "core/rig/scales.h"
#include "edge/devices/solve_by_index.h"
#include "edge/devices/wire/served_clock.h"
#include "edge/devices/wire/wire_offer.h"

namespace nordstjerna {

namespace {
constexpr double firstAnswer_s = 3.0;

// The computer's own time, unless the server lives in another night and says so.
PacedClock clockOf(const WireLink& link) {
    (void)awaitOffers(link, firstAnswer_s);
    if (const auto told = link.told(servedClock::device, servedClock::vector))
        return {Instant{told->vector.number(servedClock::now)} +
                    told->vector.number(servedClock::pace) *
                        std::chrono::duration<double>(std::chrono::steady_clock::now() - told->when).count(),
                told->vector.number(servedClock::pace)};
    const auto now = std::chrono::system_clock::now().time_since_epoch();
    return {Instant{std::chrono::duration<double>(now).count()}, 1.0};
}

WireCamera::Setup guideSetup(const Rig& rig) {
    return {rig.guideCamera, rig.guidingOptics().effectiveFocal_mm()};
}
WireCamera::Setup imagingSetup(const Rig& rig) {
    return {rig.imagingCamera, rig.imagingOptics.effectiveFocal_mm()};
}
} // namespace

WireNight::WireNight(const WireAddress& server, WireRoles roles, const Rig& rig,
                     std::shared_ptr<StarIndex> index)
    : link_(server, {}), clock_(clockOf(link_)), index_(std::move(index)),
      mount_(link_, roles.mount, clock_, rig.site),
      guide_(link_, roles.guideCamera, Text::say("guide camera"), clock_, guideSetup(rig)) {
    mount_.setPulsesBy(roles.guidePort);
    if (!roles.imagingCamera.empty())
        imaging_ = std::make_unique<WireCamera>(link_, roles.imagingCamera, Text::say("imaging camera"),
                                                clock_, imagingSetup(rig));
    for (const WirePartKind& kind : wirePartKinds())
        if (const std::string& device = roles.*kind.role; !device.empty())
            parts_.push_back(kind.wired(link_, device));
    if (imaging_)
        cooler_ = std::make_unique<WireCooler>(link_, roles.imagingCamera);
    // One after the other, so that the first use of a camera does not wait for its driver.
    guide_.greet();
    if (imaging_)
        imaging_->greet();
    for (const auto& part : parts_)
        part->greet();
}

void WireNight::setRecord(const std::shared_ptr<WireRecord>& record) {
    link_.setRecord(record);
    guide_.setRecord(record);
    if (imaging_)
        imaging_->setRecord(record);
    if (record)
        static_cast<void>(link_.send(wireAsk({}, {})));
}

Devices WireNight::devices() {
    Devices d;
    d.mount = &mount_;
    d.guideCamera = &guide_;
    d.imagingCamera = imaging_.get();
    for (const auto& part : parts_)
        part->join(d);
    d.imagingCooler = cooler_.get();
    d.clock = &clock_;
    d.track = trackByCamera(guide_);
    if (imaging_)
        d.image = imageByCamera(*imaging_);
    d.solve = solveByIndex(index_);
    return d;
}

void WireNight::setRig(const Rig& rig) {
    mount_.setSite(rig.site);
    guide_.setSetup(guideSetup(rig));
    if (imaging_)
        imaging_->setSetup(imagingSetup(rig));
}

} // namespace nordstjerna
