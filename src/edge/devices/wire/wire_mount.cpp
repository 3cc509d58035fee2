#include "edge/devices/wire/wire_mount.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"
#include "core/rig/scales.h"
#include "core/sky/observed_frame.h"
#include "edge/devices/wire/wire_names.h"
#include "edge/runner.h"

namespace nordstjerna {

namespace {
using namespace std::chrono_literals;
// A place that was told longer ago is asked for.
constexpr auto freshPlace = 1500ms;
constexpr double answer_s = 2.5;
constexpr double arrived_deg = 1.0; // the mount is where it was sent to
// So near before it was seen to move: most of the way is behind it.
constexpr double mostOfTheWay = 0.3, finest_deg = 3.0 / 3600.0;

Vec3 directionTold(const WireVector& told) {
    return vectorFrom(Equatorial{Angle::fromHours(told.number("RA")), Angle::fromDeg(told.number("DEC"))});
}
} // namespace

WireMount::WireMount(WireLink& link, const std::string& device, Clock& clock, const Site& site)
    : mount_(link, device, Text::say("mount")), clock_(clock), site_(site) {}

void WireMount::setSite(const Site& site) {
    const std::scoped_lock guard(lock_);
    site_ = site;
}

void WireMount::setPulsesBy(const std::string& device) {
    pulses_ = device.empty() ? nullptr
                             : std::make_unique<WireDevice>(mount_.link(), device, Text::say("guide port"));
}

WireMount::Hour WireMount::hour() const {
    Site site;
    {
        const std::scoped_lock guard(lock_);
        site = site_;
    }
    Hour hour;
    // A driver that was never given its place tells zeros.
    if (const auto told = mount_.link().told(mount_.device(), wire::site))
        if (told->vector.number("LAT") != 0.0 || told->vector.number("LONG") != 0.0) {
            site.longitude = Angle::fromDeg(told->vector.number("LONG"));
            hour.byMount = true;
        }
    hour.siderealTime = ObservedFrame(site, clock_.now()).siderealTime();
    return hour;
}

Expected<WireVector> WireMount::coordinates() const {
    auto there = mount_.need(wire::coordinates);
    if (!there)
        return there;
    const auto told = mount_.link().told(mount_.device(), wire::coordinates);
    if (told && std::chrono::steady_clock::now() - told->when < freshPlace)
        return told->vector;
    const std::uint64_t before = mount_.link().serial();
    if (auto asked = mount_.link().send(wireAsk(mount_.device(), wire::coordinates)); !asked)
        return tl::unexpected(asked.error());
    const bool came = mount_.link().await(
        [&](const WireLink::Known& known) {
            const auto* t = known.find(mount_.device(), wire::coordinates);
            return t && t->serial > before;
        },
        answer_s, neverHalted);
    if (!came)
        return transientProblem(Text::say("The mount does not answer."),
                                Text::say("Its driver has not told its place for a while."),
                                Text::say("Check its cable and its power."));
    return mount_.need(wire::coordinates);
}

Expected<MountState> WireMount::state() const {
    mount_.greet();
    const auto told = coordinates();
    if (!told)
        return tl::unexpected(told.error());
    if (told->state == WireState::alert)
        return tl::unexpected(
            mount_.lied(Text::say("The %1 does not answer."),
                        Text::say("Its driver says: %1").arg(mount_.link().remark(mount_.device())),
                        Text::say("Check its cable and its power.")));
    const Hour now = hour();
    MountState s;
    s.pointing = {(now.siderealTime - Angle::fromHours(told->number("RA"))).wrappedSigned(),
                  Angle::fromDeg(told->number("DEC"))};
    s.moving = told->state == WireState::busy;
    if (now.byMount)
        s.siderealTime = now.siderealTime;
    const WireLink& link = mount_.link();
    const auto tracking = link.told(mount_.device(), wire::trackState);
    s.tracking = tracking ? tracking->vector.on("TRACK_ON") : told->state != WireState::idle;
    const auto parked = link.told(mount_.device(), wire::park);
    s.parks = parked.has_value();
    s.parked = parked && parked->vector.on("PARK") && parked->vector.state != WireState::busy;
    if (s.parked)
        s.tracking = false;
    if (const auto rate = link.told(mount_.device(), wire::guideRate)) {
        const auto told_x = [&](const char* element) {
            const double x = rate->vector.number(element);
            return x > 0.0 ? std::optional(x) : std::nullopt;
        };
        s.guideRateRa = told_x("GUIDE_RATE_WE");
        s.guideRateDec = told_x("GUIDE_RATE_NS");
    }
    // Named after the side of the pier on which the telescope hangs; here after where it looks.
    const auto pier = link.told(mount_.device(), wire::pierSide);
    if (pier && pier->vector.on("PIER_WEST"))
        s.side = "east";
    else if (pier && pier->vector.on("PIER_EAST"))
        s.side = "west";
    else
        s.side = s.pointing.hourAngle.rad() < 0.0 ? "east" : "west";
    return s;
}

Expected<WireMessage> WireMount::to(const HourAngleDec& place) const {
    if (!std::isfinite(place.hourAngle.rad()) || std::abs(place.dec.deg()) > 90.0)
        return problem(Text::say("The mount was not sent there."), Text::say("The place is none of the sky."),
                       Text::say("Correct the target."));
    const Angle ra = (hour().siderealTime - place.hourAngle).wrapped();
    return wireCommand(mount_.device(), wire::coordinates, {{"RA", ra.hours()}, {"DEC", place.dec.deg()}});
}

Expected<void> WireMount::setUse(const std::string& use) {
    const auto uses = mount_.link().told(mount_.device(), wire::coordinateUse);
    if (!uses)
        return {}; // it has one use for them alone
    if (uses->vector.on(use))
        return {};
    if (!uses->vector.find(use))
        return tl::unexpected(mount_.refused(Text::say("The %1 has no such command.")));
    const auto set = mount_.carryOut({{wireSwitch(mount_.device(), wire::coordinateUse, use)},
                                      wire::coordinateUse,
                                      [use](const WireVector& v) { return v.on(use); },
                                      5.0,
                                      Text::say("The %1 does not take the command.")},
                                     neverHalted);
    return set;
}

Expected<void> WireMount::slewOn(const HourAngleDec& place, const std::string& side, const StopFlag& halt) {
    if (!side.empty())
        return problem(Text::say("The mount refused the slew."), Text::say("It does not accept a pier side."),
                       Text::say("Let it choose the side itself."));
    if (auto there = coordinates(); !there)
        return tl::unexpected(there.error());
    const auto parked = mount_.link().told(mount_.device(), wire::park);
    if (parked && parked->vector.on("PARK"))
        return problem(Text::say("The mount refused the slew."), Text::say("It is parked."),
                       Text::say("Unpark it: the button is in the deck, and in the menu Night."));
    const auto target = to(place);
    if (!target)
        return tl::unexpected(target.error());
    if (auto use = setUse("TRACK"); !use)
        return use;
    const Vec3 wanted = directionTold(target->vector);
    const auto stood = coordinates();
    if (!stood)
        return tl::unexpected(stood.error());
    const double near_deg =
        std::clamp(mostOfTheWay * separation(directionTold(*stood), wanted).deg(), finest_deg, arrived_deg);
    const std::uint64_t before = mount_.link().serial();
    if (auto sent = mount_.link().send(*target); !sent)
        return sent;
    // Between the command and its answer the driver may still tell the state before it: an end counts once
    // it was seen to move, or where it stands at the target.
    bool moved = false, atTarget = false, refusal = false;
    const auto over = [&](const WireLink::Known& known) {
        const auto* told = known.find(mount_.device(), wire::coordinates);
        if (!told || told->serial <= before)
            return false;
        moved = told->busy > before;
        refusal = told->alert > before;
        atTarget = separation(directionTold(told->vector), wanted).deg() < (moved ? arrived_deg : near_deg);
        return refusal || (told->vector.state != WireState::busy && (moved || atTarget));
    };
    constexpr double start_s = 10.0; // so long it may take to begin
    const auto begins = [&](const WireLink::Known& known) { return over(known) || moved; };
    const bool begun = mount_.link().await(begins, start_s, halt);
    // Some say for a moment that it is over, before it begins or between two parts of the way.
    const auto goesOn = [&](const WireLink::Known& known) {
        return (!over(known) && moved) || refusal || atTarget;
    };
    constexpr double glance_s = 5.0, standing_s = 1.5;
    bool done = false;
    // A way that is too short to be seen.
    const auto now = begun || halt ? stood : coordinates();
    if (!begun && !halt && now && now->state != WireState::busy)
        done = atTarget = separation(directionTold(*stood), wanted).deg() < arrived_deg &&
                          separation(directionTold(*now), wanted).deg() < arrived_deg;
    while (begun && !done && !halt && mount_.link().connected()) {
        done = mount_.link().await(over, glance_s, halt);
        if (!done)
            (void)mount_.link().send(
                wireAsk(mount_.device(), wire::coordinates)); // it may tell only when asked
        else if (!refusal && !atTarget)
            done = !mount_.link().await(goesOn, standing_s, halt);
    }
    if (halt) {
        (void)mount_.link().send(wireSwitch(mount_.device(), wire::abortMotion, "ABORT"));
        return tl::unexpected(haltedProblem());
    }
    if (!mount_.link().connected())
        return tl::unexpected(mount_.link().absent());
    if (refusal)
        return tl::unexpected(mount_.refused(Text::say("The %1 refused the slew.")));
    if (!done)
        return tl::unexpected(mount_.lied(Text::say("The %1 does not slew."),
                                          Text::say("It took the command and did not begin to move.")));
    if (!atTarget)
        return tl::unexpected(
            mount_.lied(Text::say("The %1 did not reach its target."),
                        Text::say("Its driver says that the slew is over, but it stands elsewhere."),
                        Text::say("Check that nothing holds it, and its limits.")));
    return {};
}

Expected<void> WireMount::park(bool on, const StopFlag& halt) {
    const std::string wanted = on ? "PARK" : "UNPARK";
    const auto now = mount_.need(wire::park);
    if (!now)
        return tl::unexpected(now.error());
    if (now->on("PARK") == on && now->state != WireState::busy && now->state != WireState::alert)
        return {};
    constexpr double way_s = 290.0;
    const auto done =
        mount_.carryOut({{wireSwitch(mount_.device(), wire::park, wanted)},
                         wire::park,
                         [on](const WireVector& v) { return v.on("PARK") == on; },
                         way_s,
                         on ? Text::say("The %1 does not park.") : Text::say("The %1 does not unpark.")},
                        halt);
    if (halt) {
        (void)mount_.link().send(wireSwitch(mount_.device(), wire::abortMotion, "ABORT"));
        return tl::unexpected(haltedProblem());
    }
    return done;
}

Expected<void> WireMount::setTracking(bool on) {
    const std::string wanted = on ? "TRACK_ON" : "TRACK_OFF";
    const auto now = mount_.need(wire::trackState);
    if (!now)
        return tl::unexpected(now.error());
    if (now->on(wanted) && now->state != WireState::alert)
        return {};
    const auto set = mount_.carryOut(
        {{wireSwitch(mount_.device(), wire::trackState, wanted)},
         wire::trackState,
         [wanted](const WireVector& v) { return v.on(wanted); },
         8.0,
         on ? Text::say("The %1 does not track.") : Text::say("The %1 does not stop tracking."),
         true}, // many drivers are busy as long as they track
        neverHalted);
    return set;
}

Expected<void> WireMount::pulse(double ra_ms, double dec_ms, const StopFlag& halt) {
    const WireDevice& by = pulses_ ? *pulses_ : mount_;
    struct Direction {
        const char *vector, *positive, *negative;
        double ms;
    };
    const Direction axes[] = {{wire::pulseWestEast, "TIMED_GUIDE_W", "TIMED_GUIDE_E", ra_ms},
                              {wire::pulseNorthSouth, "TIMED_GUIDE_N", "TIMED_GUIDE_S", dec_ms}};
    std::vector<WireMessage> messages;
    double longest_ms = 0.0;
    for (const Direction& a : axes) {
        // Less than half a millisecond is nothing that can be told.
        const double ms = std::round(std::abs(a.ms));
        if (ms < 1.0)
            continue;
        if (auto there = by.need(a.vector); !there)
            return tl::unexpected(there.error());
        messages.push_back(
            wireCommand(by.device(), a.vector,
                        {{a.positive, a.ms > 0.0 ? ms : 0.0}, {a.negative, a.ms < 0.0 ? ms : 0.0}}));
        longest_ms = std::max(longest_ms, ms);
    }
    if (messages.empty())
        return {};
    const std::uint64_t before = by.link().serial();
    if (auto sent = by.link().send(messages); !sent)
        return sent;
    if (!clock_.sleep(longest_ms / 1000.0, halt))
        return tl::unexpected(haltedProblem());
    // Many drivers never say that a pulse runs; what says so must come to its end.
    bool refused = false;
    const bool over = by.link().await(
        [&](const WireLink::Known& known) {
            bool runs = false;
            for (const WireMessage& m : messages) {
                const auto* told = known.find(by.device(), m.vector.name);
                if (!told)
                    continue;
                refused = refused || told->alert > before;
                runs = runs || told->vector.state == WireState::busy;
            }
            return refused || !runs;
        },
        5.0, halt);
    if (refused)
        return tl::unexpected(by.refused(Text::say("The %1 refused a guide pulse."), true));
    if (halt)
        return tl::unexpected(haltedProblem());
    if (!by.link().connected())
        return tl::unexpected(by.link().absent());
    if (!over)
        return tl::unexpected(by.lied(Text::say("The %1 does not end a guide pulse."),
                                      Text::say("Its driver says that a pulse of %1 ms is still under way.")
                                          .arg(formatNumber(longest_ms, 0))));
    return {};
}

Expected<void> WireMount::runRa(double sidereal) {
    const std::string& device = mount_.device();
    if (auto calibration = mount_.need(wire::trackRate); !calibration)
        return tl::unexpected(calibration.error());
    const bool own = sidereal != 0.0;
    const std::string mode = own ? "TRACK_CUSTOM" : "TRACK_SIDEREAL";
    const auto modes = mount_.need(wire::trackMode);
    if (!modes)
        return tl::unexpected(modes.error());
    if (!modes->find(mode))
        return problem(Text::say("The mount runs at no rate of its own."),
                       Text::say("Its driver has no %1 among its tracking rates.").arg(mode),
                       Text::say("Use another way to measure; this one needs such a rate."));
    std::vector<WireMessage> messages;
    if (own)
        messages.push_back(wireCommand(
            device, wire::trackRate,
            {{"TRACK_RATE_RA", siderealRate_arcsec_s * (1.0 + sidereal)}, {"TRACK_RATE_DE", 0.0}}));
    messages.push_back(wireSwitch(device, wire::trackMode, mode));
    const auto set =
        mount_.carryOut({messages, wire::trackMode, [mode](const WireVector& v) { return v.on(mode); }, 8.0,
                         own ? Text::say("The %1 does not take a rate of its own.")
                             : Text::say("The %1 keeps a rate of its own.")},
                        neverHalted);
    return set;
}

Expected<void> WireMount::sync(const HourAngleDec& truth) {
    if (auto there = coordinates(); !there)
        return tl::unexpected(there.error());
    const auto target = to(truth);
    if (!target)
        return tl::unexpected(target.error());
    if (auto use = setUse("SYNC"); !use)
        return use;
    const Vec3 wanted = directionTold(target->vector);
    const auto synced = mount_.carryOut(
        {{*target},
         wire::coordinates,
         [&](const WireVector& v) { return separation(directionTold(v), wanted).deg() < 0.05; },
         8.0,
         Text::say("The %1 did not take the sync.")},
        neverHalted);
    // Whatever came of it: the next place is one to go to.
    const auto back = setUse("TRACK");
    return synced ? back : synced;
}

Expected<void> WireMount::setCurve(const std::vector<double>& error_arcsec) {
    if (error_arcsec.empty())
        return {};
    return problem(Text::say("The mount takes no correction curve."),
                   Text::say("The device server has no way to hand one over."),
                   Text::say("Export the curve and load it with the mount's own software, or guide."));
}

Expected<void> WireMount::halt() {
    // Also to one that has not told yet what it can do.
    const std::string& device = mount_.device();
    const std::vector<WireMessage> messages{wireSwitch(device, wire::abortMotion, "ABORT"),
                                            wireSwitch(device, wire::trackState, "TRACK_OFF"),
                                            wireAsk(device, wire::coordinates)};
    const std::uint64_t before = mount_.link().serial();
    if (auto sent = mount_.link().send(messages); !sent)
        return sent;
    const bool stands = mount_.link().await(
        [&](const WireLink::Known& known) {
            const auto* at = known.find(device, wire::coordinates);
            const auto* track = known.find(device, wire::trackState);
            return at && at->serial > before && at->vector.state != WireState::busy &&
                   (!track || track->vector.on("TRACK_OFF"));
        },
        8.0, neverHalted);
    if (stands)
        return {};
    if (!mount_.link().connected())
        return tl::unexpected(mount_.link().absent());
    return tl::unexpected(mount_.lied(Text::say("The %1 has not confirmed the halt."),
                                      Text::say("Its driver does not say that it stands."),
                                      Text::say("If it still moves, cut its power.")));
}

} // namespace nordstjerna
