#include "core/motion/backlash.h"

#include <algorithm>
#include <cmath>

#include "core/base/format.h"
#include "core/base/symmetric.h"

namespace nordstjerna {

namespace {

struct Sample {
    double t, y;         // s, ″
    double north, south; // pulse time so far, s, clearing left out
};

struct Fit {
    Eigen::Vector3d solution; // level, rate (″/s, south positive), drift (″/s)
    Eigen::Matrix3d inverse;
    double squares = 0.0;
};

// How far the axis has followed a pulse time. `soft`: width over which it comes along, s; 0: a plain dead
// zone; negative: it stays, then leaps to where it should be.
double following(double south, double dead, double soft) {
    const double past = south - dead;
    if (soft < 0.0)
        return past > 0.0 ? south : 0.0;
    if (soft == 0.0)
        return std::max(0.0, past);
    const double x = past / soft;
    return x > 30.0 ? past : soft * std::log1p(std::exp(x));
}

Fit solve(const std::vector<Sample>& samples, double dead, double soft) {
    Eigen::Matrix3d normal = Eigen::Matrix3d::Zero();
    Eigen::Vector3d right = Eigen::Vector3d::Zero();
    const auto row = [&](const Sample& s) {
        return Eigen::Vector3d(1.0, following(s.south, dead, soft) - s.north, s.t - samples.front().t);
    };
    for (const Sample& s : samples) {
        const Eigen::Vector3d r = row(s);
        normal += r * r.transpose();
        right += r * s.y;
    }
    Fit f;
    f.inverse = invertSymmetric(normal);
    f.solution = f.inverse * right;
    for (const Sample& s : samples)
        f.squares += std::pow(s.y - row(s).dot(f.solution), 2);
    return f;
}

double bestDead(const std::vector<Sample>& samples, double most, double soft) {
    double best = 0.0;
    double least = 1e300;
    double from = 0.0;
    double step = most / 60.0;
    for (int level = 0; level < 4; ++level) {
        const double to = level == 0 ? most : from + 4.0 * step * 10.0;
        for (double d = from; d <= to + 1e-12; d += step) {
            const double squares = solve(samples, d, soft).squares;
            if (squares < least)
                least = squares, best = d;
        }
        from = std::max(0.0, best - 2.0 * step);
        step /= 10.0;
    }
    return best;
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

// `run`: engaged pulses one way, then pulses the other; north first.
Expected<BacklashReturn> analyseReturn(const std::vector<RunRow>& rows) {
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
    const double dead = bestDead(samples, 0.9 * south, 0.0);
    const Fit fit = solve(samples, dead, 0.0);
    const double freedom = std::max(1.0, static_cast<double>(samples.size()) - 4.0);
    const double sigma = std::sqrt(fit.squares / freedom);
    const double rate = fit.solution[1];
    const double sigmaRate = sigma * std::sqrt(fit.inverse(1, 1));
    if (std::abs(rate) * north < std::max(1.5, 5.0 * sigma))
        return problem("The star did not follow the Dec pulses.",
                       "It moved " + formatNumber(std::abs(rate) * north, 1) + "″ in " +
                           formatNumber(north, 1) + " s of north pulses.",
                       "Check the cable, the Dec clutch and the mount's guide rate.");
    BacklashReturn b;
    b.rate_arcsec_s = {std::abs(rate), sigmaRate};
    // The dead time as a fourth parameter: where the axis follows, a longer one lowers the star by the rate.
    Eigen::Matrix4d normal = Eigen::Matrix4d::Zero();
    for (const Sample& s : samples) {
        const Eigen::Vector4d r(1.0, following(s.south, dead, 0.0) - s.north, s.t - samples.front().t,
                                s.south > dead ? -rate : 0.0);
        normal += r * r.transpose();
    }
    const double sigmaDead = sigma * std::sqrt(std::max(0.0, invertSymmetric(normal)(3, 3)));
    b.dead_ms = {1000.0 * dead, 1000.0 * sigmaDead};
    b.dead_arcsec = {dead * std::abs(rate), sigmaDead * std::abs(rate)};
    const double leap = bestDead(samples, 0.9 * south, -1.0);
    const Fit leaping = solve(samples, leap, -1.0);
    const bool jumps = leap > 0.0 && fit.squares - leaping.squares > 9.0 * sigma * sigma;
    if (jumps) {
        b.dead_ms.value = 1000.0 * leap;
        b.dead_arcsec.value = leap * std::abs(leaping.solution[1]);
        b.dead_ms.sigma = 1000.0 * 0.5 * step; // somewhere between two pulses
        b.dead_arcsec.sigma = 0.5 * step * std::abs(rate);
    }
    const double start = fit.solution[0] - rate * north;
    for (const Sample& s : samples)
        if (s.south > 0.0 || s.north >= north) {
            b.pulsed_ms.push_back(1000.0 * s.south);
            b.moved_arcsec.push_back((s.y - start - fit.solution[2] * (s.t - samples.front().t)) *
                                     (rate > 0 ? 1.0 : -1.0));
            b.ideal_arcsec.push_back(std::abs(rate) * s.south);
        }
    if (jumps) {
        b.shape = BacklashShape::jump;
        return b;
    }
    if (dead < 2.0 * sigmaDead || b.dead_ms.value < 15.0)
        return b;
    b.shape = BacklashShape::gap;
    // Gradual: a soft knee explains the star much better than a sharp one.
    double soft = 0.0;
    double least = fit.squares;
    for (double w : {0.5, 1.0, 2.0, 3.0}) {
        const double squares = solve(samples, bestDead(samples, 0.9 * south, w * step), w * step).squares;
        if (squares < least)
            least = squares, soft = w;
    }
    if (soft >= 0.5 && fit.squares - least > 9.0 * sigma * sigma)
        b.shape = BacklashShape::gradual;
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
        auto one = analyseReturn(pairOf(run.rows, legs[k], legs[k + 1], before_ms));
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
