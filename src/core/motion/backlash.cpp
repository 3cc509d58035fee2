#include "core/motion/backlash.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "core/base/format.h"

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
    f.inverse = normal.ldlt().solve(Eigen::Matrix3d::Identity());
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

Expected<BacklashResult> analyseBacklash(const Run& run) {
    // Pulses stand in the row before their effect. What comes before "north" only clears the gears.
    std::vector<Sample> samples;
    double north = 0.0;
    double south = 0.0;
    const bool marked = std::any_of(run.rows.begin(), run.rows.end(), [](const RunRow& r) {
        return r.event.find("north") != std::string::npos;
    });
    bool counting = !marked;
    double step = 0.0;
    for (const RunRow& r : run.rows) {
        if (!counting && r.event.find("north") != std::string::npos)
            counting = true;
        if (counting && r.measured())
            samples.push_back({r.t_s, r.ddec_arcsec, north, south});
        if (!counting)
            continue;
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
    BacklashResult b;
    b.rate_arcsec_s = {std::abs(rate), sigmaRate};
    // The dead time as a fourth parameter: where the axis follows, a longer one lowers the star by the rate.
    Eigen::Matrix4d normal = Eigen::Matrix4d::Zero();
    for (const Sample& s : samples) {
        const Eigen::Vector4d r(1.0, following(s.south, dead, 0.0) - s.north, s.t - samples.front().t,
                                s.south > dead ? -rate : 0.0);
        normal += r * r.transpose();
    }
    const double sigmaDead = sigma * std::sqrt(std::max(0.0, normal.inverse()(3, 3)));
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

} // namespace nordstjerna
