#include "edge/devices/wire/served_mount.h"

#include <cmath>

#include "core/rig/scales.h"
#include "core/sky/observed_frame.h"
#include "edge/devices/wire/wire_names.h"

namespace nordstjerna {

ServedMount::ServedMount(std::string name, Mount& mount, Clock& clock, const Rig& rig)
    : ServedDevice(std::move(name), wire::mountBit | wire::guidePortBit), mount_(mount), clock_(clock),
      rig_(rig) {}

Angle ServedMount::siderealTime() const {
    return ObservedFrame(rig_.site, clock_.now()).siderealTime();
}

std::vector<WireVector> ServedMount::vectors() {
    const auto state = mount_.state();
    tracking_ = state && state->tracking;
    const Site& site = rig_.site;
    std::vector<WireVector> all{
        vector(wire::coordinates, WireKind::number, true,
               {numberElement("RA", 0.0, 0.0, 24.0), numberElement("DEC", 0.0, -90.0, 90.0)}),
        switches(wire::coordinateUse, {"TRACK", "SLEW", "SYNC"}, use_),
        switches(wire::abortMotion, {"ABORT"}, {}),
        switches(wire::trackState, {"TRACK_ON", "TRACK_OFF"}, tracking_ ? "TRACK_ON" : "TRACK_OFF"),
        switches(wire::trackMode, {"TRACK_SIDEREAL", "TRACK_CUSTOM"}, "TRACK_SIDEREAL"),
        vector(wire::trackRate, WireKind::number, true,
               {numberElement("TRACK_RATE_RA", siderealRate_arcsec_s, -200.0, 200.0),
                numberElement("TRACK_RATE_DE", 0.0, 0.0, 0.0)}),
        vector(wire::pulseWestEast, WireKind::number, true,
               {numberElement("TIMED_GUIDE_W", 0.0, 0.0, 60000.0),
                numberElement("TIMED_GUIDE_E", 0.0, 0.0, 60000.0)}),
        vector(wire::pulseNorthSouth, WireKind::number, true,
               {numberElement("TIMED_GUIDE_N", 0.0, 0.0, 60000.0),
                numberElement("TIMED_GUIDE_S", 0.0, 0.0, 60000.0)}),
        switches(wire::pierSide, {"PIER_WEST", "PIER_EAST"}, {}, false),
        vector(wire::guideRate, WireKind::number, false,
               {numberElement("GUIDE_RATE_WE", rig_.mount.guideRateRa, 0.0, 1.0),
                numberElement("GUIDE_RATE_NS", rig_.mount.guideRateDec, 0.0, 1.0)}),
        vector(wire::site, WireKind::number, false,
               {numberElement("LAT", site.latitude.deg(), -90.0, 90.0),
                numberElement("LONG", site.longitude.wrapped().deg(), 0.0, 360.0),
                numberElement("ELEV", site.height_m, -500.0, 9000.0)}),
    };
    if (state && state->parks)
        all.push_back(switches(wire::park, {"PARK", "UNPARK"}, state->parked ? "PARK" : "UNPARK"));
    return all;
}

void ServedMount::look() {
    // Where much time goes by between the place and the sidereal time, as on a busy machine, the place on the
    // sky would be wrong.
    constexpr double together_s = 0.05;
    constexpr int mostTries = 5;
    Expected<MountState> state;
    Angle time;
    for (int i = 0; i < mostTries; ++i) {
        const Angle before = siderealTime();
        state = mount_.state();
        time = siderealTime();
        if ((time - before).wrappedSigned().hours() * 3600.0 < together_s)
            break;
    }
    if (!state) {
        server().update(name(), wire::coordinates, WireState::alert, {}, state.error().why.english());
        return;
    }
    const Angle ra = (time - state->pointing.hourAngle).wrapped();
    const bool moving = state->moving || moves();
    server().select(name(), wire::pierSide, state->side == "east" ? "PIER_WEST" : "PIER_EAST", WireState::ok);
    if (state->tracking != tracking_) {
        tracking_ = state->tracking;
        server().select(name(), wire::trackState, tracking_ ? "TRACK_ON" : "TRACK_OFF", WireState::ok);
    }
    // Last of all: who waits for the end of a slew looks at the others then.
    server().update(name(), wire::coordinates,
                    moving            ? WireState::busy
                    : state->tracking ? WireState::ok
                                      : WireState::idle,
                    {{"RA", ra.hours()}, {"DEC", state->pointing.dec.deg()}});
}

void ServedMount::answer(const std::string& vectorName, const std::string& on, const Expected<void>& done,
                         const std::string& before) {
    server().select(name(), vectorName, done ? on : before, done ? WireState::ok : WireState::alert,
                    done ? std::string() : done.error().briefly().english());
}

void ServedMount::goTo(const WireVector& place) {
    std::string use;
    {
        const std::scoped_lock guard(lock_);
        use = use_;
    }
    const HourAngleDec target{(siderealTime() - Angle::fromHours(place.number("RA"))).wrappedSigned(),
                              Angle::fromDeg(place.number("DEC"))};
    if (use == "SYNC") {
        work([this, target](const StopFlag&) {
            if (const auto done = mount_.sync(target); !done)
                server().update(name(), wire::coordinates, WireState::alert, {},
                                done.error().briefly().english());
            lookNow();
        });
        return;
    }
    move(wire::coordinates, [this, target, use](const StopFlag& stop) {
        auto done = mount_.slew(target, stop);
        return done && use == "TRACK" ? mount_.setTracking(true) : done;
    });
}

void ServedMount::park(bool on) {
    server().select(name(), wire::park, on ? "PARK" : "UNPARK", WireState::busy);
    const auto told = [this, on](const Expected<void>& done) {
        answer(wire::park, on ? "PARK" : "UNPARK", done, on ? "UNPARK" : "PARK");
    };
    const auto what = [this, on](const StopFlag& stop) { return mount_.park(on, stop); };
    if (on)
        return move(wire::coordinates, what, told); // that it stands is told before that it is parked
    work([this, what, told](const StopFlag& stop) {
        const auto done = what(stop);
        lookNow();
        told(done);
    });
}

void ServedMount::pulse(const WireVector& command, bool ra) {
    const double ms = ra ? command.number("TIMED_GUIDE_W") - command.number("TIMED_GUIDE_E")
                         : command.number("TIMED_GUIDE_N") - command.number("TIMED_GUIDE_S");
    constexpr double most_ms = 60000.0;
    if (!(std::abs(ms) <= most_ms)) {
        server().update(name(), command.name, WireState::alert, {}, "A pulse of that length is not taken.");
        return;
    }
    server().update(name(), command.name, WireState::busy);
    work([this, ms, ra, vectorName = command.name](const StopFlag& stop) {
        const auto done = mount_.pulse(ra ? ms : 0.0, ra ? 0.0 : ms, stop);
        server().update(name(), vectorName,
                        done || done.error().userRequested ? WireState::idle : WireState::alert, {},
                        done ? std::string() : done.error().briefly().english());
    });
}

void ServedMount::setRate(const WireVector& command) {
    const bool own = command.on("TRACK_CUSTOM");
    double rate = 0.0;
    {
        const std::scoped_lock guard(lock_);
        rate = own ? ownRate_ : 0.0;
    }
    work([this, rate, own](const StopFlag&) {
        answer(wire::trackMode, own ? "TRACK_CUSTOM" : "TRACK_SIDEREAL", mount_.runRa(rate),
               "TRACK_SIDEREAL");
    });
}

void ServedMount::take(const WireVector& c) {
    if (c.name == wire::coordinateUse) {
        for (const WireElement& e : c.elements)
            if (e.on) {
                const std::scoped_lock guard(lock_);
                use_ = e.name;
            }
        server().select(name(), wire::coordinateUse, use_, WireState::ok);
    } else if (c.name == wire::coordinates) {
        goTo(c);
    } else if (c.name == wire::abortMotion) {
        breakOff();
        work([this](const StopFlag&) {
            answer(wire::abortMotion, {}, mount_.runRa(0.0), {});
            lookNow();
        });
    } else if (c.name == wire::trackState) {
        work([this, on = c.on("TRACK_ON")](const StopFlag&) {
            answer(wire::trackState, on ? "TRACK_ON" : "TRACK_OFF", mount_.setTracking(on),
                   on ? "TRACK_OFF" : "TRACK_ON");
            lookNow();
        });
    } else if (c.name == wire::park) {
        park(c.on("PARK"));
    } else if (c.name == wire::trackRate) {
        {
            const std::scoped_lock guard(lock_);
            ownRate_ = c.number("TRACK_RATE_RA") / siderealRate_arcsec_s - 1.0;
        }
        server().update(name(), wire::trackRate, WireState::ok,
                        {{"TRACK_RATE_RA", c.number("TRACK_RATE_RA")}});
    } else if (c.name == wire::trackMode) {
        setRate(c);
    } else if (c.name == wire::pulseWestEast) {
        pulse(c, true);
    } else if (c.name == wire::pulseNorthSouth) {
        pulse(c, false);
    }
}

} // namespace nordstjerna
