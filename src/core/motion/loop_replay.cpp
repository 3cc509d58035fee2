#include "core/motion/loop_replay.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"
#include "core/base/statistics.h"

namespace nordstjerna {

namespace {

GuideGeometry geometryOf(const RunMeta& m) {
    if (m.loop)
        return {m.loop->response, m.loop->raReach_arcsec_s, m.loop->decReach_arcsec_s};
    // A table of another maker, or an older one: axes square to each other.
    const double ra = m.raRate_arcsec_s != 0.0 ? m.raRate_arcsec_s : 7.5;
    const double dec = m.decRate_arcsec_s != 0.0 ? m.decRate_arcsec_s : 7.5;
    return {std::array<double, 4>{ra, 0.0, 0.0, -dec}, ra, dec};
}

// The motion that pulses have shown so far.
class ShownMotor {
public:
    explicit ShownMotor(const LateMotion& late) : late_(late) {}
    void sent(double frame_s, double exposure_s, const SkyError& motion) {
        if (late_.plain()) {
            motor.dra_arcsec += motion.dra_arcsec;
            motor.ddec_arcsec += motion.ddec_arcsec;
            return;
        }
        ra_.sent(frame_s, exposure_s, motion.dra_arcsec);
        dec_.sent(frame_s, exposure_s, motion.ddec_arcsec);
        motor.dra_arcsec += late_.raGain * ra_.shown_arcsec(late_.delay_s.value);
        motor.ddec_arcsec += late_.decGain * dec_.shown_arcsec(late_.delay_s.value);
    }
    SkyError motor;

private:
    LateMotion late_;
    ResponseMeter ra_, dec_;
};

// What became of the aim before this row.
void tellAim(GuideLoop& loop, const RunEvents& events, const SettleRule& settle) {
    if (const auto by = events.aimMove())
        loop.moveAim(*by, settle);
    if (const auto rate = events.aimRate())
        loop.setAimRate(rate->arcsec_s());
}

std::optional<double> told(double worm_turns) {
    return std::isfinite(worm_turns) ? std::optional(worm_turns) : std::nullopt;
}

} // namespace

LoopInput loopInput(const RunRow& row, const PulsePair& sent, double exposure_s) {
    LoopInput in;
    in.t_s = row.t_s;
    if (row.measured())
        in.error = SkyError{row.dra_arcsec, row.ddec_arcsec};
    in.noise_arcsec = row.centroid_arcsec;
    in.untilNext_s = exposure_s;
    in.sent = sent;
    in.worm_turns = told(row.worm_turns);
    return in;
}

Expected<std::vector<PulsePair>> pulsesAgain(const Run& run) {
    if (!run.meta.loop || !run.meta.controller)
        return problem(Text::say("The table does not say how the guide loop was set up."),
                       Text::say("Its header has no \"loop\" or no \"controller\"."),
                       Text::say("Replay other settings on it instead."));
    LoopSettings settings{*run.meta.controller, run.meta.loop->settle};
    GuideLoop loop(geometryOf(run.meta), settings, run.meta.loop->priors);
    double exposure = run.meta.loop->exposure_s;
    std::vector<PulsePair> pulses;
    PulsePair before;
    for (const RunRow& row : run.rows) {
        for (const ChangedSetting& c : row.events.changedSettings()) {
            if (c.key == SettingKey::exposure)
                exposure = c.value;
            setSetting(settings.controller, c.key, c.value);
            loop.setController(settings.controller);
        }
        tellAim(loop, row.events, settings.settle);
        pulses.push_back(row.events.noFrame() ? PulsePair{}
                                              : loop.step(loopInput(row, before, exposure)).pulse);
        if (!row.events.noFrame())
            before = {row.pulseRa_ms, row.pulseDec_ms};
    }
    return pulses;
}

size_t Disturbance::judgedFrom() const {
    if (t_s.empty())
        return 0;
    const double worm = 1.5 * priors.ra.wormPeriod_s;
    const double learning = std::min(0.4 * span_s(), std::max(120.0, worm));
    return static_cast<size_t>(std::lower_bound(t_s.begin(), t_s.end(), t_s.front() + learning) -
                               t_s.begin());
}

std::vector<double> Disturbance::wormPhases() const {
    WormPhase worm(priors.ra.wormPeriod_s);
    std::vector<double> phases;
    for (size_t i = 0; i < t_s.size(); ++i) {
        worm.feed(t_s[i], told(worm_turns[i]));
        phases.push_back(worm.turns());
    }
    return phases;
}

std::vector<double> Disturbance::knownWormPhases() const {
    return priors.ra.wormPeriod_s > 0.0 ? wormPhases() : std::vector<double>();
}

bool Disturbance::wormToldNonsense() const {
    WormPhase worm(priors.ra.wormPeriod_s);
    for (size_t i = 0; i < t_s.size(); ++i)
        if (const auto turns = told(worm_turns[i]))
            worm.feed(t_s[i], turns);
    return worm.toldNonsense();
}

Expected<Disturbance> rebuildDisturbance(const Run& run, const std::optional<Measured>& gap) {
    Disturbance d;
    d.geometry = geometryOf(run.meta);
    d.priors = run.meta.loop ? run.meta.loop->priors : LoopPriors{};
    if (!run.meta.loop)
        d.priors.dec.mayHaveBacklash = true; // nobody said that it has none
    if (gap)
        d.priors.dec.backlash_arcsec = gap;
    d.exposure_s = run.meta.loop ? run.meta.loop->exposure_s : 0.0;
    if (run.meta.controller)
        d.settings.controller = *run.meta.controller;
    if (run.meta.loop)
        d.settings.settle = run.meta.loop->settle;
    d.asGuided.push_back({0, d.settings.controller});
    // A loop looks on, told of each frame and each pulse, and its models learn what there is to be learnt.
    GuideLoop loop(d.geometry, d.settings, d.priors);
    PulsePair before;
    struct Given {
        double t_s, exposure_s;
        SkyError motion;
        bool measured;
    };
    std::vector<Given> given; // by the pulses before each frame
    for (size_t i = 0; i < run.rows.size(); ++i) {
        const RunRow& row = run.rows[i];
        for (const ChangedSetting& c : row.events.changedSettings()) {
            setSetting(d.settings.controller, c.key, c.value);
            if (c.key == SettingKey::exposure)
                d.exposure_s = c.value;
            d.asGuided.push_back({d.t_s.size(), d.settings.controller});
        }
        if (row.events.noFrame())
            continue;
        tellAim(loop, row.events, d.settings.settle);
        const SkyError aim = loop.aimAt(row.t_s);
        given.push_back({row.t_s, d.exposure_s, d.geometry.motionOf(before), row.measured()});
        loop.step(loopInput(row, before, d.exposure_s));
        before = {row.pulseRa_ms, row.pulseDec_ms};
        if (!row.measured())
            continue;
        d.t_s.push_back(row.t_s);
        d.ra_arcsec.push_back(row.dra_arcsec + aim.dra_arcsec);
        d.dec_arcsec.push_back(row.ddec_arcsec + aim.ddec_arcsec);
        d.centroid_arcsec.push_back(row.centroid_arcsec);
        d.worm_turns.push_back(row.worm_turns);
        d.row.push_back(i);
        d.recorded.push_back({row.dra_arcsec, row.ddec_arcsec});
        d.counts.push_back(countsForRms(row));
    }
    constexpr size_t fewest = 30;
    if (d.t_s.size() < fewest)
        return problem(
            Text::say("The run is too short to replay."),
            Text::say("%1 of at least 30.")
                .arg(Text::say("%n measured row|%n measured rows", "", static_cast<int>(d.t_s.size()))),
            Text::say("Record for longer."));
    if (d.exposure_s <= 0.0)
        d.exposure_s = std::max(0.5, medianStep(d.t_s) - 0.5);
    d.ra = loop.belief(Axis::ra);
    d.dec = loop.belief(Axis::dec);
    d.raModel = loop.ruling(Axis::ra).model();
    d.decModel = loop.ruling(Axis::dec).model();
    d.raModel.turnDoubt_rad_s = 0.0; // phases are counted by the period that was found
    d.backlash_arcsec = d.dec.backlash_arcsec.value_or(Measured{});
    d.priors.ra.wormPeriod_s = d.ra.wormPeriod_s;
    d.late = {loop.gainUsed(Axis::ra), loop.gainUsed(Axis::dec), loop.delayUsed_s(Axis::ra)};
    ShownMotor motor(d.late);
    BacklashModel backlash{d.backlash_arcsec.value};
    size_t i = 0;
    for (const Given& g : given) {
        motor.sent(g.t_s, g.exposure_s, g.motion);
        if (!g.measured)
            continue;
        backlash.follow(motor.motor.ddec_arcsec);
        d.ra_arcsec[i] -= motor.motor.dra_arcsec;
        d.dec_arcsec[i] -= backlash.load;
        ++i;
    }
    return d;
}

LoopPriors taughtBy(const Run& run) {
    LoopPriors taught;
    const auto d = rebuildDisturbance(run);
    if (!d)
        return taught;
    // Phases counted from the start of a run say nothing to the next one.
    if (run.meta.wormReported && d->ra.wormWeight > 0.9 && !run.meta.correctionOn) {
        taught.ra.wormPeriod_s = d->ra.wormPeriod_s;
        taught.ra.worm.emplace();
        const double shrunk = std::max(cos(Angle::fromDeg(run.meta.dec_deg)), 0.05);
        for (const Measured& c : d->ra.worm)
            // A worm does not run quite alike every night, nor at every declination.
            taught.ra.worm->coefficient.push_back(
                {c.value / shrunk, std::hypot(1.5 * c.sigma, 0.1 + 0.1 * std::abs(c.value)) / shrunk});
    }
    if (run.meta.kind == RunKind::guided && d->backlash_arcsec.sigma < 0.5 * d->backlash_arcsec.value)
        taught.dec.backlash_arcsec = d->backlash_arcsec;
    return taught;
}

namespace {
// before: called ahead of each frame; false ends it there.
template <typename Before>
std::vector<SkyError> replay(const Disturbance& d, GuideLoop& loop, Before&& before) {
    std::vector<SkyError> errors;
    ShownMotor motor(d.late);
    BacklashModel backlash{d.backlash_arcsec.value};
    PulsePair sent;
    for (size_t i = 0; i < d.t_s.size() && before(i, loop); ++i) {
        motor.sent(d.t_s[i], d.exposure_s, d.geometry.motionOf(sent));
        backlash.follow(motor.motor.ddec_arcsec);
        LoopInput in;
        in.t_s = d.t_s[i];
        in.error = SkyError{d.ra_arcsec[i] + motor.motor.dra_arcsec, d.dec_arcsec[i] + backlash.load};
        in.noise_arcsec = d.centroid_arcsec[i];
        in.untilNext_s = d.exposure_s;
        in.sent = sent;
        in.worm_turns = told(d.worm_turns[i]);
        sent = loop.step(in).pulse;
        errors.push_back(*in.error);
    }
    return errors;
}
} // namespace

std::vector<SkyError> replayLoop(const Disturbance& d, const LoopSettings& settings,
                                 const std::function<bool()>& stop) {
    GuideLoop loop(d.geometry, settings, d.priors);
    loop.letModelsRest();
    return replay(d, loop, [&](size_t i, GuideLoop&) { return !stop || i % 1000 != 999 || !stop(); });
}

std::vector<SkyError> replayAsGuided(const Disturbance& d) {
    LoopSettings first = d.settings;
    auto next = d.asGuided.begin();
    for (; next != d.asGuided.end() && next->frame == 0; ++next)
        first.controller = next->controller;
    // Its models looked on: one that was given an axis later had learnt by then.
    GuideLoop loop(d.geometry, first, d.priors);
    return replay(d, loop, [&](size_t i, GuideLoop& at) {
        for (; next != d.asGuided.end() && next->frame <= i; ++next)
            at.setController(next->controller);
        return true;
    });
}

} // namespace nordstjerna
