#include "core/motion/backlash.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"
#include "core/base/statistics.h"
#include "core/motion/backlash_fit.h"

namespace nordstjerna {

namespace {

// Slow air makes a fit of some thirty places less certain than white noise would. What these places
// themselves tell of it is little, so half of it is what air usually does at this pace (a fifth of the
// variance outlasting 6 s).
double airInflation(const std::vector<double>& rest, double pace_s) {
    const double r = std::exp(-pace_s / 6.0);
    const double usual = 1.0 + 2.0 * 0.2 * r / (1.0 - r);
    const double own = std::clamp(autocorrelation(rest, 1), 0.0, 0.8);
    return std::sqrt(0.5 * usual + 0.5 * (1.0 + own) / (1.0 - own));
}

} // namespace

const char* backlashShapeName(BacklashShape shape) {
    switch (shape) {
    case BacklashShape::none:
        return Text::mark("none");
    case BacklashShape::gap:
        return Text::mark("gap");
    case BacklashShape::gradual:
        return Text::mark("gradual");
    case BacklashShape::jump:
        break;
    }
    return Text::mark("jump");
}

namespace {

// A stretch of pulses the same way: first row and one behind the last.
struct PulseLeg {
    size_t from, to;
    bool south;
    double pulsed_s;
};

std::vector<PulseLeg> pulseLegs(const std::vector<RunRow>& rows) {
    // What comes before "north" only clears the gears.
    size_t start = 0;
    for (size_t i = 0; i < rows.size(); ++i)
        if (rows[i].events.has(Happening::north)) {
            start = i;
            break;
        }
    std::vector<PulseLeg> legs;
    for (size_t i = start; i < rows.size(); ++i) {
        if (rows[i].pulseDec_ms == 0.0)
            continue;
        const bool south = rows[i].pulseDec_ms < 0.0;
        if (legs.empty() || legs.back().south != south)
            legs.push_back({i, i + 1, south, 0.0});
        legs.back().to = i + 1;
        legs.back().pulsed_s += std::abs(rows[i].pulseDec_ms) / 1000.0;
    }
    // A return cut short by stopping shows nothing of the gap.
    const auto shorter = [](const PulseLeg& a, const PulseLeg& b) { return a.pulsed_s < b.pulsed_s; };
    if (legs.size() > 2 &&
        legs.back().pulsed_s < 0.5 * std::min_element(legs.begin(), legs.end() - 1, shorter)->pulsed_s)
        legs.pop_back();
    return legs;
}

bool clearedFirst(const std::vector<RunRow>& rows) {
    for (const RunRow& r : rows) {
        if (r.events.has(Happening::clearing))
            return true;
        if (r.events.has(Happening::north))
            return false;
    }
    return false;
}

// The measured places of these legs, by the pulses before them.
BacklashRecord recordOf(const std::vector<RunRow>& rows, const std::vector<PulseLeg>& legs) {
    BacklashRecord record;
    record.firstGoesSouth = legs.front().south;
    record.cleared = clearedFirst(rows);
    for (size_t k = 0; k < legs.size(); ++k) {
        // The row of the next change is the last place of this leg: its pulse acts after it.
        const size_t end = k + 1 < legs.size() ? legs[k + 1].from + 1 : std::min(legs[k].to + 1, rows.size());
        double pulsed = 0.0;
        for (size_t i = legs[k].from; i < end; ++i) {
            if (rows[i].measured() && (i > legs[k].from || k == 0))
                record.samples.push_back({rows[i].t_s, rows[i].ddec_arcsec, k, pulsed});
            if (i < legs[k].to) {
                pulsed += std::abs(rows[i].pulseDec_ms) / 1000.0;
                record.step_s = std::max(record.step_s, std::abs(rows[i].pulseDec_ms) / 1000.0);
            }
        }
        record.legs_s.push_back(legs[k].pulsed_s);
    }
    return record;
}

// A leap happened somewhere between the last place where the star stayed and the first one where it had
// leapt.
Measured leapOf(const BacklashRecord& record, size_t leg, double deadTime_s) {
    double stayed = 0.0;
    double leapt = record.legs_s[leg];
    for (const BacklashSample& s : record.samples) {
        if (s.leg != leg)
            continue;
        if (s.pulsed_s > deadTime_s)
            leapt = std::min(leapt, s.pulsed_s);
        else
            stayed = std::max(stayed, s.pulsed_s);
    }
    return {0.5 * (stayed + leapt), (leapt - stayed) / std::sqrt(12.0)};
}

// The star of one return, as it came along.
void addPicture(BacklashReturn& b, const BacklashRecord& record, const BacklashFit& fit, size_t leg) {
    const double start = record.samples.front().t_s;
    const double way = record.sign(leg) * (fit.rate_arcsec_s > 0.0 ? 1.0 : -1.0);
    const double from = fit.level_arcsec + fit.rate_arcsec_s * loadAt(record, fit.law, {0.0, 0.0, leg, 0.0});
    for (const BacklashSample& s : record.samples) {
        const bool turn = s.leg + 1 == leg && s.pulsed_s >= record.legs_s[s.leg];
        if (s.leg != leg && !turn)
            continue;
        const double pulsed = turn ? 0.0 : s.pulsed_s;
        b.pulsed_ms.push_back(1000.0 * pulsed);
        b.moved_arcsec.push_back(way * (s.place_arcsec - from - fit.drift_arcsec_s * (s.t_s - start)));
        b.ideal_arcsec.push_back(std::abs(fit.rate_arcsec_s) * pulsed);
    }
}

// The mean of the returns, each by how well it is known, and how far they disagree. In the fit the errors of
// neighbours pull against each other, which would make the mean better known than by its parts; air that
// changes slowly undoes that, so it is not counted on.
void combine(BacklashResult& result, const Eigen::MatrixXd& covariance_s2) {
    double weights = 0.0;
    double sum = 0.0;
    for (const BacklashReturn& r : result.returns) {
        const double w = 1.0 / std::max(r.deadTime_ms.sigma * r.deadTime_ms.sigma, 1e-12);
        weights += w;
        sum += w * r.deadTime_ms.value;
    }
    result.deadTime_ms = {sum / weights, 1.0 / std::sqrt(weights)};
    double chi = 0.0;
    for (size_t i = 0; i < result.returns.size(); ++i) {
        const Measured own = result.returns[i].deadTime_ms;
        chi += std::pow((own.value - result.deadTime_ms.value) / std::max(own.sigma, 1e-9), 2);
        for (size_t j = 0; j < i; ++j) {
            const double other = result.returns[j].deadTime_ms.value;
            const auto k = static_cast<Eigen::Index>(i);
            const auto l = static_cast<Eigen::Index>(j);
            const double between_ms2 =
                1e6 * (covariance_s2(k, k) + covariance_s2(l, l) - 2.0 * covariance_s2(k, l));
            result.disagreement_sigma =
                std::max(result.disagreement_sigma,
                         std::abs(own.value - other) / std::sqrt(std::max(between_ms2, 1e-12)));
        }
    }
    // Returns that scatter more than they should make the figure less certain, not the scatter less true.
    const auto n = static_cast<double>(result.returns.size());
    const double excess = n > 1.0 ? chi / (n - 1.0) : 1.0;
    if (excess > 4.0)
        result.deadTime_ms.sigma *= std::sqrt(excess);
}

} // namespace

Expected<BacklashResult> analyseBacklash(const Run& run) {
    const auto legs = pulseLegs(run.rows);
    const BacklashRecord record = legs.size() < 2 ? BacklashRecord{} : recordOf(run.rows, legs);
    if (record.samples.size() < 8)
        return problem(
            Text::say("This is no complete backlash test."),
            Text::say("Pulses north and then south are needed, with the star measured after each."),
            Text::say("Record a backlash test."));
    // Without a shape, with a gap, leaping, coming along softly: told apart by likelihood.
    const BacklashFit fits[] = {
        fitBacklash(record, BacklashShape::none), fitBacklash(record, BacklashShape::gap),
        fitBacklash(record, BacklashShape::jump), fitBacklash(record, BacklashShape::gradual)};
    const BacklashFit& gap = fits[1];
    const BacklashFit& fit =
        *std::min_element(std::begin(fits), std::end(fits), [&](const BacklashFit& x, const BacklashFit& y) {
            return x.cost(record.samples.size()) < y.cost(record.samples.size());
        });
    std::vector<double> rest;
    std::vector<double> gaps;
    for (size_t i = 0; i < record.samples.size(); ++i) {
        const BacklashSample& s = record.samples[i];
        rest.push_back(s.place_arcsec - fit.level_arcsec - fit.rate_arcsec_s * loadAt(record, fit.law, s) -
                       fit.drift_arcsec_s * (s.t_s - record.samples.front().t_s));
        if (i > 0)
            gaps.push_back(s.t_s - record.samples[i - 1].t_s);
    }
    const double freedom = std::max(1.0, static_cast<double>(record.samples.size()) - fit.parameters);
    const double sigma = std::sqrt(fit.squares / freedom) * airInflation(rest, std::max(median(gaps), 0.1));
    const double rate = std::abs(fit.rate_arcsec_s);
    const double first = record.legs_s.front();
    if (rate * first < std::max(1.5, 5.0 * sigma))
        return problem(Text::say("The star did not follow the Dec pulses."),
                       (legs.front().south ? Text::say("It moved %1″ in %2 s of south pulses.")
                                           : Text::say("It moved %1″ in %2 s of north pulses."))
                           .arg(formatNumber(rate * first, 1))
                           .arg(formatNumber(first, 1)),
                       Text::say("Check the cable, the Dec clutch and the mount's guide rate."));
    // Where no gap is seen, how large one could hide is told by the fit that has one.
    const BacklashFit& told = fit.law.shape == BacklashShape::none ? gap : fit;
    const Eigen::MatrixXd covariance = sigma * sigma * backlashCovariance(record, told);
    BacklashResult result;
    result.shape = shapeOf(fit.law);
    result.rate_arcsec_s = {rate, std::sqrt(covariance(1, 1))};
    const auto returns = static_cast<Eigen::Index>(legs.size()) - 1;
    Eigen::MatrixXd ofDeadTime = covariance.bottomRightCorner(returns, returns);
    for (size_t leg = 1; leg < legs.size(); ++leg) {
        const auto own = static_cast<Eigen::Index>(leg) - 1;
        const double length = record.legs_s[leg];
        BacklashReturn b;
        b.south = legs[leg].south;
        b.shape = result.shape;
        b.rate_arcsec_s = result.rate_arcsec_s;
        Measured deadTime{lostTime(told.law, leg), std::sqrt(std::max(0.0, ofDeadTime(own, own)))};
        if (fit.law.shape == BacklashShape::jump) {
            deadTime = leapOf(record, leg, told.law.deadTime_s[leg]);
            ofDeadTime(own, own) = deadTime.sigma * deadTime.sigma;
        }
        deadTime.sigma = std::min(deadTime.sigma, length);
        // A star that hardly followed before the leg was over shows the least of it only.
        b.atLeast = b.shape != BacklashShape::none && deadTime.value > length - 2.0 * record.step_s;
        if (b.atLeast)
            deadTime.value = std::max(0.0, length - 2.0 * record.step_s);
        b.deadTime_ms = {1000.0 * deadTime.value, 1000.0 * deadTime.sigma};
        b.deadAngle_arcsec = {deadTime.value * rate, deadTime.sigma * rate};
        addPicture(b, record, fit, leg);
        if (deadTime.value < 2.0 * deadTime.sigma && !b.atLeast)
            b.shape = BacklashShape::none;
        result.atLeast |= b.atLeast;
        result.returns.push_back(std::move(b));
    }
    combine(result, ofDeadTime);
    if (result.deadTime_ms.value < 2.0 * result.deadTime_ms.sigma && !result.atLeast)
        result.shape = BacklashShape::none;
    result.deadAngle_arcsec = {0.001 * result.deadTime_ms.value * rate,
                               0.001 * result.deadTime_ms.sigma * rate};
    return result;
}

} // namespace nordstjerna
