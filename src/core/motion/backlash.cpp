#include "core/motion/backlash.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"
#include "core/base/statistics.h"
#include "core/base/symmetric.h"

namespace nordstjerna {

namespace {

struct Sample {
    double t, y;         // s, ″
    double north, south; // pulse time so far, s, clearing left out
};

// How the load follows the motor after a change of direction.
struct Law {
    double dead = 0.0;      // s of pulse until it follows
    double soft = 0.0;      // width over which it comes along, s; 0: a plain gap
    bool leaps = false;     // it stays, then leaps to where it should be
    double deadNorth = 0.0; // what the first leg still had to take up
};

double following(double south, const Law& law) {
    const double past = south - law.dead;
    if (law.leaps)
        return past > 0.0 ? south : 0.0;
    if (law.soft == 0.0)
        return std::max(0.0, past);
    const double x = past / law.soft;
    return x > 30.0 ? past : law.soft * std::log1p(std::exp(x));
}

double moved(const Sample& s, const Law& law) {
    return following(s.south, law) - std::max(0.0, s.north - law.deadNorth);
}

struct Fit {
    Law law;
    Eigen::Vector3d solution; // level, rate (″/s, south positive), drift (″/s)
    Eigen::Matrix3d inverse;
    double squares = 1e300;
};

// A star drifts by less than some 0.1 ″/s: else an axis that stays after a reversal would be one that obeys,
// in a drift that is as fast as its pulses. For a scatter of 0.3″.
constexpr double driftHold = 0.3 * 0.3 / (0.1 * 0.1);

Fit solve(const std::vector<Sample>& samples, const Law& law) {
    Eigen::Matrix3d normal = Eigen::Matrix3d::Zero();
    Eigen::Vector3d right = Eigen::Vector3d::Zero();
    const auto row = [&](const Sample& s) {
        return Eigen::Vector3d(1.0, moved(s, law), s.t - samples.front().t);
    };
    for (const Sample& s : samples) {
        const Eigen::Vector3d r = row(s);
        normal += r * r.transpose();
        right += r * s.y;
    }
    normal(2, 2) += driftHold;
    Fit f;
    f.law = law;
    f.inverse = invertSymmetric(normal);
    f.solution = f.inverse * right;
    f.squares = driftHold * f.solution[2] * f.solution[2];
    for (const Sample& s : samples)
        f.squares += std::pow(s.y - row(s).dot(f.solution), 2);
    return f;
}

// Least squares over both dead times: a grid, refined about its best point.
Fit bestOf(const std::vector<Sample>& samples, Law law, double mostSouth, double mostNorth) {
    Fit best;
    double south0 = 0.0;
    double south1 = mostSouth;
    double north0 = 0.0;
    double north1 = mostNorth;
    for (int level = 0; level < 5; ++level) {
        const int ns = level == 0 ? 48 : 12;
        const int nn = north1 > north0 ? (level == 0 ? 24 : 8) : 0;
        for (int i = 0; i <= ns; ++i)
            for (int j = 0; j <= nn; ++j) {
                law.dead = south0 + (south1 - south0) * i / ns;
                law.deadNorth = nn ? north0 + (north1 - north0) * j / nn : law.deadNorth;
                const Fit f = solve(samples, law);
                if (f.squares < best.squares)
                    best = f;
            }
        const double ds = 1.5 * (south1 - south0) / ns;
        const double dn = nn ? 1.5 * (north1 - north0) / nn : 0.0;
        south0 = std::max(0.0, best.law.dead - ds);
        south1 = std::min(mostSouth, best.law.dead + ds);
        if (nn) {
            north0 = std::max(0.0, best.law.deadNorth - dn);
            north1 = std::min(mostNorth, best.law.deadNorth + dn);
        }
        law.deadNorth = best.law.deadNorth;
    }
    return best;
}

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
        return "none";
    case BacklashShape::gap:
        return "gap";
    case BacklashShape::gradual:
        return "gradual";
    case BacklashShape::jump:
        break;
    }
    return "jump";
}

namespace {

// Rows: pulses one way, then the other; north first. `cleared`: the gears were engaged when they began.
Expected<BacklashReturn> analyseReturn(const std::vector<RunRow>& rows, bool cleared) {
    // Pulses stand in the row before their effect.
    std::vector<Sample> samples;
    double north = 0.0;
    double south = 0.0;
    double step = 0.0;
    for (const RunRow& r : rows) {
        if (r.measured())
            samples.push_back({r.t_s, r.ddec_arcsec, north, south});
        if (r.pulseDec_ms > 0.0 && south == 0.0)
            north += r.pulseDec_ms / 1000.0;
        else if (r.pulseDec_ms < 0.0)
            south -= r.pulseDec_ms / 1000.0;
        step = std::max(step, std::abs(r.pulseDec_ms) / 1000.0);
    }
    if (north <= 0.0 || south <= 0.0 || samples.size() < 8)
        return problem("This is no complete backlash test.",
                       "Pulses north and then south are needed, with the star measured after each.",
                       "Record a backlash test.");
    const auto freedom = [&](int parameters) {
        return std::max(1.0, static_cast<double>(samples.size()) - parameters);
    };
    // Without a shape, with a gap, coming along softly, leaping: told apart by likelihood, each parameter at
    // the price of Schwarz's criterion (Schwarz 1978, Ann. Stat. 6).
    const double mostNorth = cleared ? 0.0 : 0.8 * north;
    const Fit plain = bestOf(samples, {}, 0.0, mostNorth);
    const Fit gap = bestOf(samples, {}, south, mostNorth);
    Law leaping;
    leaping.leaps = true;
    leaping.deadNorth = gap.law.deadNorth;
    const Fit leap = bestOf(samples, leaping, south - 0.5 * step, 0.0);
    Fit soft;
    for (double w : {0.5, 1.0, 2.0, 3.0, 4.0}) {
        Law gradual;
        gradual.soft = w * step;
        gradual.deadNorth = gap.law.deadNorth;
        const Fit f = bestOf(samples, gradual, south, 0.0);
        if (f.squares < soft.squares)
            soft = f;
    }
    const double n = static_cast<double>(samples.size());
    const auto cost = [&](const Fit& f, int parameters) {
        return n * std::log(std::max(f.squares, 1e-12) / n) + parameters * std::log(n);
    };
    const struct {
        BacklashShape shape;
        const Fit& fit;
        double cost;
        int parameters;
    } laws[] = {{BacklashShape::none, plain, cost(plain, 3), 3},
                {BacklashShape::gap, gap, cost(gap, 4), 4},
                {BacklashShape::jump, leap, cost(leap, 4), 4},
                {BacklashShape::gradual, soft, cost(soft, 5), 5}};
    const auto* chosen = std::min_element(std::begin(laws), std::end(laws),
                                          [](const auto& x, const auto& y) { return x.cost < y.cost; });
    const Fit& fit = chosen->fit;
    const double rate = fit.solution[1];
    std::vector<double> rest;
    std::vector<double> gaps;
    for (size_t i = 0; i < samples.size(); ++i) {
        const Sample& s = samples[i];
        rest.push_back(s.y - fit.solution[0] - rate * moved(s, fit.law) -
                       fit.solution[2] * (s.t - samples.front().t));
        if (i > 0)
            gaps.push_back(s.t - samples[i - 1].t);
    }
    const double white = std::sqrt(fit.squares / freedom(chosen->parameters));
    const double sigma = white * airInflation(rest, std::max(median(gaps), 0.1));
    const double sigmaRate = sigma * std::sqrt(fit.inverse(1, 1));
    if (std::abs(rate) * north < std::max(1.5, 5.0 * sigma))
        return problem("The star did not follow the Dec pulses.",
                       "It moved " + formatNumber(std::abs(rate) * north, 1) + "″ in " +
                           formatNumber(north, 1) + " s of north pulses.",
                       "Check the cable, the Dec clutch and the mount's guide rate.");
    BacklashReturn b;
    b.shape = chosen->shape;
    b.rate_arcsec_s = {std::abs(rate), sigmaRate};
    // The dead times as further parameters: where the axis follows, a longer one lowers the star by the rate.
    const Fit& told = b.shape == BacklashShape::gradual ? soft : gap;
    Eigen::Matrix<double, 5, 5> normal = Eigen::Matrix<double, 5, 5>::Zero();
    for (const Sample& s : samples) {
        Eigen::Matrix<double, 5, 1> r;
        r << 1.0, moved(s, told.law), s.t - samples.front().t,
            s.south > told.law.dead ? -told.solution[1] : 0.0,
            !cleared && s.north > told.law.deadNorth ? told.solution[1] : 0.0;
        normal += r * r.transpose();
    }
    if (cleared)
        normal(4, 4) = 1.0;
    const double sigmaDead = sigma * std::sqrt(std::max(0.0, invertSymmetric(normal)(3, 3)));
    double dead = b.shape == BacklashShape::none ? gap.law.dead : fit.law.dead;
    double sigmaOwn = std::min(sigmaDead, south);
    if (b.shape == BacklashShape::jump) {
        // Somewhere between the last place where it stayed and the first one where it had leapt.
        double stayed = 0.0;
        double leapt = south;
        for (const Sample& s : samples)
            if (s.south > 0.0)
                (s.south > fit.law.dead ? leapt : stayed) =
                    s.south > fit.law.dead ? std::min(leapt, s.south) : std::max(stayed, s.south);
        dead = 0.5 * (stayed + leapt);
        sigmaOwn = (leapt - stayed) / std::sqrt(12.0);
    }
    // A star that hardly followed before the leg was over shows the least of it only.
    b.atLeast = b.shape != BacklashShape::none && dead > south - 2.0 * step;
    if (b.atLeast)
        dead = std::max(0.0, south - 2.0 * step);
    b.dead_ms = {1000.0 * dead, 1000.0 * sigmaOwn};
    b.dead_arcsec = {dead * std::abs(rate), sigmaOwn * std::abs(rate)};
    const double start = fit.solution[0] - rate * std::max(0.0, north - fit.law.deadNorth);
    for (const Sample& s : samples)
        if (s.south > 0.0 || s.north >= north) {
            b.pulsed_ms.push_back(1000.0 * s.south);
            b.moved_arcsec.push_back((s.y - start - fit.solution[2] * (s.t - samples.front().t)) *
                                     (rate > 0 ? 1.0 : -1.0));
            b.ideal_arcsec.push_back(std::abs(rate) * s.south);
        }
    if (dead < 2.0 * sigmaOwn && !b.atLeast)
        b.shape = BacklashShape::none;
    return b;
}

// A stretch of pulses the same way: first row and one behind the last.
struct PulseLeg {
    size_t from, to;
    bool south;
};

std::vector<PulseLeg> pulseLegs(const std::vector<RunRow>& rows) {
    // What comes before "north" only clears the gears.
    size_t start = 0;
    for (size_t i = 0; i < rows.size(); ++i)
        if (rows[i].event.find("north") != std::string::npos) {
            start = i;
            break;
        }
    std::vector<PulseLeg> legs;
    for (size_t i = start; i < rows.size(); ++i) {
        if (rows[i].pulseDec_ms == 0.0)
            continue;
        const bool south = rows[i].pulseDec_ms < 0.0;
        if (legs.empty() || legs.back().south != south)
            legs.push_back({i, i + 1, south});
        legs.back().to = i + 1;
    }
    return legs;
}

// Rows of two legs as if the first went north, without the part of it that was still taking up the gap.
std::vector<RunRow> pairOf(const std::vector<RunRow>& rows, const PulseLeg& first, const PulseLeg& second,
                           double dead_ms) {
    std::vector<RunRow> pair;
    double pulsed = 0.0;
    double step = 0.0;
    for (size_t i = first.from; i < first.to; ++i)
        step = std::max(step, std::abs(rows[i].pulseDec_ms));
    for (size_t i = first.from; i < std::min(second.to + 1, rows.size()); ++i) {
        const bool engaged = i >= first.to || dead_ms <= 0.0 || pulsed > 1.15 * dead_ms + step;
        if (i < first.to)
            pulsed += std::abs(rows[i].pulseDec_ms);
        if (!engaged)
            continue;
        RunRow r = rows[i];
        if (i >= second.to)
            r.pulseDec_ms = 0.0; // belongs to the next leg
        if (first.south) {
            r.ddec_arcsec = -r.ddec_arcsec;
            r.pulseDec_ms = -r.pulseDec_ms;
        }
        pair.push_back(r);
    }
    return pair;
}

bool clearedFirst(const std::vector<RunRow>& rows) {
    for (const RunRow& r : rows) {
        if (r.event.find("clearing") != std::string::npos)
            return true;
        if (r.event.find("north") != std::string::npos)
            return false;
    }
    return false;
}

} // namespace

Expected<BacklashResult> analyseBacklash(const Run& run) {
    const auto legs = pulseLegs(run.rows);
    if (legs.size() < 2)
        return problem("This is no complete backlash test.",
                       "Pulses north and then south are needed, with the star measured after each.",
                       "Record a backlash test.");
    BacklashResult result;
    double before_ms = 0.0;
    for (size_t k = 0; k + 1 < legs.size(); ++k) {
        // Later legs begin where the return before them was followed to its end; the first one is engaged
        // only where clearing was recorded before it.
        auto one =
            analyseReturn(pairOf(run.rows, legs[k], legs[k + 1], before_ms), k > 0 || clearedFirst(run.rows));
        if (!one) {
            // A leg cut short by stopping costs that return only.
            if (result.returns.empty())
                return tl::unexpected(one.error());
            break;
        }
        one->south = legs[k + 1].south;
        before_ms = one->dead_ms.value;
        result.returns.push_back(std::move(*one));
    }
    const auto combine = [&](Measured BacklashReturn::*part) {
        double weights = 0.0;
        double sum = 0.0;
        for (const BacklashReturn& r : result.returns) {
            const double w = 1.0 / std::max((r.*part).sigma * (r.*part).sigma, 1e-12);
            weights += w;
            sum += w * (r.*part).value;
        }
        return Measured{sum / weights, 1.0 / std::sqrt(weights)};
    };
    result.dead_ms = combine(&BacklashReturn::dead_ms);
    result.dead_arcsec = combine(&BacklashReturn::dead_arcsec);
    result.rate_arcsec_s = combine(&BacklashReturn::rate_arcsec_s);
    int votes[4] = {};
    double chi = 0.0;
    for (const BacklashReturn& r : result.returns) {
        result.atLeast |= r.atLeast;
        ++votes[static_cast<int>(r.shape)];
        chi += std::pow((r.dead_ms.value - result.dead_ms.value) / std::max(r.dead_ms.sigma, 1e-9), 2);
        for (const BacklashReturn& other : result.returns)
            result.disagreement_sigma =
                std::max(result.disagreement_sigma,
                         std::abs(r.dead_ms.value - other.dead_ms.value) /
                             std::max(std::hypot(r.dead_ms.sigma, other.dead_ms.sigma), 1e-9));
    }
    result.shape = static_cast<BacklashShape>(std::max_element(votes, votes + 4) - votes);
    // Returns that scatter more than they should make the figure less certain, not the scatter less true.
    const double excess =
        result.returns.size() > 1 ? chi / static_cast<double>(result.returns.size() - 1) : 1.0;
    if (excess > 4.0) {
        result.dead_ms.sigma *= std::sqrt(excess);
        result.dead_arcsec.sigma *= std::sqrt(excess);
    }
    return result;
}

} // namespace nordstjerna
