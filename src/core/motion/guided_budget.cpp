#include "core/motion/guided_budget.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <tuple>

#include "core/base/statistics.h"
#include "core/motion/periodic.h"

namespace nordstjerna {

namespace {

// Variances of one axis, ″².
struct Split {
    double noise = 0.0, periodic = 0.0, drift = 0.0, backlash = 0.0, over = 0.0, under = 0.0, excursion = 0.0;
};

// What an axis' place is made of, frame by frame: noise about the mount's track, and of the mount's motion
// the periodic part and the drift.
struct AxisMade {
    std::vector<double> noise, periodic, drift;
};

AxisMade madeOf(const Disturbance& d, const std::vector<double>& place, const std::vector<Measured>& track,
                bool worm) {
    AxisMade made;
    const size_t n = place.size();
    for (size_t i = 0; i < n; ++i)
        made.noise.push_back(place[i] - track[i].value);
    made.periodic.assign(n, 0.0);
    made.drift.assign(n, 0.0);
    PeriodicOptions options;
    options.worm = worm;
    options.wormPeriod_s = worm ? d.priors.ra.wormPeriod_s : 0.0;
    if (worm &&
        std::all_of(d.worm_turns.begin(), d.worm_turns.end(), [](double w) { return std::isfinite(w); }))
        options.wormTurns = d.worm_turns;
    const auto found = findPeriodic(d.t_s, place, options);
    if (!found)
        return made;
    const double slope = found->drift_arcsec_min.value / 60.0;
    for (size_t i = 0; i < n; ++i) {
        made.drift[i] = slope * (d.t_s[i] - d.t_s.front());
        made.periodic[i] = place[i] - found->residual[i] - made.drift[i];
    }
    const double level = mean(made.periodic);
    for (double& x : made.periodic)
        x -= level;
    return made;
}

// The mount's motion left in each frame, were the loop at work on these places.
struct Rests {
    std::vector<double> ra, dec;
};

// The run once more with a part of it upside down: what the loop leaves of a part by itself is half the
// difference, for what a loop leaves of a sum is the sum of what it leaves of each.
class Causes {
public:
    Causes(const Disturbance& d, AxisMade ra, AxisMade dec)
        : d_(d), ra_(std::move(ra)), dec_(std::move(dec)), as_(rests(nullptr, d.backlash_arcsec.value)) {}

    using Part = std::vector<double> AxisMade::*;
    // Variance of what is left of a part, RA and Dec.
    std::pair<double, double> leftOf(Part part) const {
        const Rests other = rests(part, d_.backlash_arcsec.value);
        const auto half = [&](const std::vector<double>& as, const std::vector<double>& turned) {
            return counted([&](size_t i) { return 0.5 * (as[i] - turned[i]); });
        };
        return {half(as_.ra, other.ra), half(as_.dec, other.dec)};
    }
    // By how much the variance of Dec falls without backlash.
    double ofTheGap() const {
        if (d_.backlash_arcsec.value <= 0.0)
            return 0.0;
        const Rests tight = rests(nullptr, 0.0);
        return std::max(0.0, counted([&](size_t i) { return as_.dec[i]; }) -
                                 counted([&](size_t i) { return tight.dec[i]; }));
    }

private:
    // Over the rows that count.
    double counted(const std::function<double(size_t)>& value) const {
        std::vector<double> v;
        for (size_t i = 0; i < d_.counts.size(); ++i)
            if (d_.counts[i])
                v.push_back(value(i));
        return meanSquare(v);
    }
    Rests rests(Part reversed, double gap) const {
        Disturbance d = d_;
        d.backlash_arcsec.value = gap;
        const auto turn = [&](std::vector<double>& place, const AxisMade& made) {
            for (size_t i = 0; reversed && i < place.size(); ++i)
                place[i] -= 2.0 * (made.*reversed)[i];
        };
        turn(d.ra_arcsec, ra_);
        turn(d.dec_arcsec, dec_);
        const auto errors = replayAsGuided(d);
        const double noise = reversed == &AxisMade::noise ? -1.0 : 1.0;
        Rests r;
        for (size_t i = 0; i < errors.size(); ++i) {
            r.ra.push_back(errors[i].dra_arcsec - noise * ra_.noise[i]);
            r.dec.push_back(errors[i].ddec_arcsec - noise * dec_.noise[i]);
        }
        return r;
    }

    const Disturbance& d_;
    AxisMade ra_, dec_;
    Rests as_;
};

// The mount part squared and the rest of the variance, and of that what single gusts make.
Split outline(const JudgedAxis& judged, const Measured& mountPart) {
    Split s;
    const double total = meanSquare(judged.error);
    s.under = std::min(mountPart.value * mountPart.value, total);
    s.noise = total - s.under;
    std::vector<double> noise;
    std::vector<double> rest;
    for (size_t i = 0; i < judged.load.size(); ++i) {
        rest.push_back(judged.mount[i].value + judged.load[i]);
        noise.push_back(judged.error[i] - rest.back());
    }
    // What the track does not know is slow noise that looks like the mount, to the loop as well.
    s.over = std::max(0.0, s.under - meanSquare(rest));
    const double usual = robustSigma(noise);
    double gusts = 0.0;
    for (double n : noise)
        if (std::abs(n) > 5.0 * usual)
            gusts += n * n / static_cast<double>(noise.size());
    s.excursion = std::min(gusts, s.noise);
    s.noise -= s.excursion;
    return s;
}

// What is explained twice is shared in proportion; what is not explained came too late.
void share(Split& s) {
    const double explained = s.drift + s.periodic + s.over + s.backlash;
    const double scale = explained > s.under && explained > 0.0 ? s.under / explained : 1.0;
    for (double* part : {&s.drift, &s.periodic, &s.over, &s.backlash})
        *part *= scale;
    s.under = std::max(0.0, s.under - scale * explained);
}

} // namespace

Text remedyFor(Cause cause) {
    switch (cause) {
    case Cause::noise:
        return Text::say(
            "No setting of the loop lowers it; longer exposures and more guide stars average the seeing.");
    case Cause::periodic:
        return Text::say(
            "The model controller predicts the worm; a correction curve in the mount removes part of it.");
    case Cause::drift:
        return Text::say("Better polar alignment; the model controller corrects what is left ahead of time.");
    case Cause::backlash:
        return Text::say(
            "Measure the backlash and let the model take it up, or guide Dec against the drift alone.");
    case Cause::overCorrection:
        return Text::say("A smaller loop gain or a longer exposure: the corrections chase the seeing.");
    case Cause::underCorrection:
        return Text::say("A larger loop gain or a shorter exposure: the corrections come too late.");
    case Cause::excursion:
        break;
    }
    return Text::say("Shelter from wind and cables; single gusts are best left alone.");
}

std::optional<Cause> GuidedBudget::worst() const {
    for (const BudgetShare& s : shares)
        if (s.cause != Cause::noise && s.cause != Cause::excursion && s.share > 0.1)
            return s.cause;
    return std::nullopt;
}

Expected<GuidedBudget> guidedBudget(const Run& run) {
    const auto rebuilt = rebuildDisturbance(run);
    if (!rebuilt)
        return tl::unexpected(rebuilt.error());
    const Disturbance& d = *rebuilt;
    const MountTrack track = trackMount(d);
    const JudgedFrames judged = judgedFrames(d, track, 0);
    const std::vector<double>& t = judged.t_s;
    constexpr size_t fewest = 60;
    if (t.size() < fewest)
        return problem(Text::say("Too little of the run counts for a budget."),
                       Text::say("%1 of at least 60 rows are settled.").arg(t.size()),
                       Text::say("Guide for longer."));
    GuidedBudget b;
    b.span_s = t.back() - t.front();
    b.recorded = figuresFrom(track, judged);
    b.bound = loopBound(d, track);
    b.bound.holdTo(b.recorded);
    b.flank = flankChange(d.t_s, d.ra_arcsec, d.dec_arcsec, {}, d.knownWormPhases());
    b.wormTold_s = run.meta.loop ? run.meta.loop->priors.ra.wormPeriod_s : 0.0;
    // Before the worm is told from the rest, a small difference says nothing.
    constexpr double doubt = 0.02;
    b.wormFound_s = {d.ra.wormPeriod_s,
                     d.ra.wormWeight > 0.5 ? d.ra.wormPeriodSigma_s : doubt * d.ra.wormPeriod_s};
    b.wormToldNonsense = d.wormToldNonsense();
    b.late = d.late;
    Split r = outline(judged.ra, b.recorded.mountRa_arcsec);
    Split e = outline(judged.dec, b.recorded.mountDec_arcsec);
    const Causes causes(d, madeOf(d, d.ra_arcsec, track.ra, true), madeOf(d, d.dec_arcsec, track.dec, false));
    const auto [overRa, overDec] = causes.leftOf(&AxisMade::noise);
    r.over += overRa;
    e.over += overDec;
    std::tie(r.periodic, e.periodic) = causes.leftOf(&AxisMade::periodic);
    std::tie(r.drift, e.drift) = causes.leftOf(&AxisMade::drift);
    e.backlash = causes.ofTheGap();
    share(r);
    share(e);
    const std::pair<Cause, double> parts[] = {{Cause::noise, r.noise + e.noise},
                                              {Cause::periodic, r.periodic + e.periodic},
                                              {Cause::drift, r.drift + e.drift},
                                              {Cause::backlash, r.backlash + e.backlash},
                                              {Cause::overCorrection, r.over + e.over},
                                              {Cause::underCorrection, r.under + e.under},
                                              {Cause::excursion, r.excursion + e.excursion}};
    double total = 0.0;
    for (const auto& [cause, part] : parts)
        total += part;
    for (const auto& [cause, part] : parts)
        if (part > 0.0 && total > 0.0)
            b.shares.push_back({cause, part / total, std::sqrt(part)});
    std::sort(b.shares.begin(), b.shares.end(),
              [](const BudgetShare& x, const BudgetShare& y) { return x.share > y.share; });
    return b;
}

} // namespace nordstjerna
