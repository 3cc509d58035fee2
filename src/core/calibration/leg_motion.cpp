#include "core/calibration/leg_motion.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <iterator>

#include "core/base/angle.h"
#include "core/base/likely_answer.h"
#include "core/base/symmetric.h"

namespace nordstjerna {

namespace {

constexpr double slowAirShare = 0.17; // of the variance, which outlasts an exposure
constexpr double slowAir_s = 6.0;
constexpr double usualBacklash_s = 5.0; // of pulses, before anything is seen of it
// Waves of the worm: once, twice and three times a turn, each with a sine and a cosine; how large they are
// to be expected beside the first.
constexpr std::array wormWaves{1.0, 0.3, 0.09};

// Start, drift, pulses of RA and Dec, errors of both dead times; then the waves of the worm.
enum Column : Eigen::Index { start, driftRate, raPulses, decPulses, northDead, southDead, waves };

struct LegDesign {
    Eigen::MatrixXd x;
    Eigen::VectorXd y;
    std::vector<double> t_s;
};

LegDesign legDesign(const std::vector<LegRow>& rows, const Eigen::Vector2d& way, const DeadTimes& deadTime,
                    double decRate, double worm_s) {
    const auto n = static_cast<Eigen::Index>(rows.size());
    const bool sways = worm_s > 0.0;
    LegDesign d{
        Eigen::MatrixXd::Zero(n, waves + (sways ? 2 * std::ssize(wormWaves) : 0)), Eigen::VectorXd(n), {}};
    for (Eigen::Index i = 0; i < n; ++i) {
        const LegRow& r = rows[static_cast<size_t>(i)];
        d.t_s.push_back(r.t);
        d.y[i] = (r.x - rows.front().x) * way.x() + (r.y - rows.front().y) * way.y();
        d.x(i, start) = 1.0;
        d.x(i, driftRate) = r.t;
        d.x(i, raPulses) = r.pulsed[0] - r.pulsed[1];
        d.x(i, decPulses) = deadTime.moving_s(r);
        // A longer dead time holds the star back from where it follows on.
        d.x(i, northDead) = r.pulsed[2] > deadTime.north_s ? -decRate : 0.0;
        d.x(i, southDead) = r.pulsed[3] > deadTime.south_s ? decRate : 0.0;
        for (int h = 0; sways && h < std::ssize(wormWaves); ++h) {
            const double a = tau * (h + 1) * r.t / worm_s;
            d.x(i, waves + 2 * h) = std::sin(a);
            d.x(i, waves + 2 * h + 1) = std::cos(a);
        }
    }
    return d;
}

// What hangs together of what the design does not hold: variance against that of a place in still air.
struct OtherGears {
    double variance = 0.0;
    double length_s = 30.0;
};

Eigen::MatrixXd covarianceOf(const std::vector<double>& t_s, const OtherGears& gears) {
    const auto n = static_cast<Eigen::Index>(t_s.size());
    Eigen::MatrixXd c(n, n);
    for (Eigen::Index i = 0; i < n; ++i)
        for (Eigen::Index j = 0; j < n; ++j) {
            const double apart = std::abs(t_s[static_cast<size_t>(i)] - t_s[static_cast<size_t>(j)]);
            // Gears move evenly: Matérn's covariance of smoothness 3/2.
            const double far = std::sqrt(3.0) * apart / gears.length_s;
            c(i, j) = (i == j ? 1.0 - slowAirShare : 0.0) + slowAirShare * std::exp(-apart / slowAir_s) +
                      gears.variance * (1.0 + far) * std::exp(-far);
        }
    return c;
}

struct LegAnswer {
    Eigen::VectorXd solution;
    Eigen::MatrixXd covariance;
    double chiSquare = 0.0;   // of what is left, by the covariance of a place
    double logEvidence = 0.0; // but for what all answers share
};

// Generalised least squares with the covariance known but for its scale, and priors of some coefficients.
class LegFitting {
public:
    LegFitting(const LegDesign& design, const OtherGears& gears)
        : design_(design), solver_(covarianceOf(design.t_s, gears)),
          normal_(design.x.cols(), design.x.cols()), right_(design.x.cols()) {
        weighted_ = Eigen::MatrixXd(design.x.rows(), design.x.cols());
        for (Eigen::Index c = 0; c < design.x.cols(); ++c)
            weighted_.col(c) = solver_.solve(Eigen::VectorXd(design.x.col(c)));
        for (Eigen::Index a = 0; a < design.x.cols(); ++a) {
            right_[a] = weighted_.col(a).dot(design.y);
            for (Eigen::Index b = 0; b < design.x.cols(); ++b)
                normal_(a, b) = weighted_.col(a).dot(design.x.col(b));
        }
        squares_ = design.y.dot(solver_.solve(design.y));
    }

    // variance: of a place; sway: amplitude of the worm to be expected.
    LegAnswer answer(double variance, double sway) const {
        Eigen::MatrixXd bayes = normal_ / variance;
        double logPriors = 0.0;
        const auto expect = [&](Eigen::Index k, double sigma) {
            bayes(k, k) += 1.0 / (sigma * sigma);
            logPriors -= 2.0 * std::log(sigma);
        };
        if (normal_(decPulses, decPulses) == 0.0)
            bayes(decPulses, decPulses) = 1.0;
        expect(northDead, usualBacklash_s);
        expect(southDead, usualBacklash_s);
        for (Eigen::Index k = waves; k < bayes.rows(); ++k)
            expect(k, wormWaves[static_cast<size_t>(k - waves) / 2] * sway);
        const SymmetricSolver<Eigen::Dynamic> solver(bayes);
        const Eigen::VectorXd right = right_ / variance;
        LegAnswer a{solver.solve(right), solver.inverse(), 0.0, 0.0};
        const Eigen::VectorXd rest = design_.y - timesVector(design_.x, a.solution);
        a.chiSquare = rest.dot(solver_.solve(rest));
        a.logEvidence =
            -0.5 * (static_cast<double>(design_.y.size()) * std::log(variance) + solver_.logDeterminant() +
                    solver.logDeterminant() - logPriors + squares_ / variance - right.dot(a.solution));
        return a;
    }

private:
    const LegDesign& design_;
    SymmetricSolver<Eigen::Dynamic> solver_;
    Eigen::MatrixXd weighted_, normal_;
    Eigen::VectorXd right_;
    double squares_ = 0.0;
};

Measured at(const LegAnswer& a, Eigen::Index k) {
    return {a.solution[k], std::sqrt(std::max(0.0, a.covariance(k, k)))};
}

LegMotion averagedByEvidence(const std::vector<LegAnswer>& answers, double variance) {
    const auto averaged = [&](Eigen::Index k) {
        std::vector<LikelyAnswer> each;
        for (const LegAnswer& a : answers)
            each.push_back({a.logEvidence, at(a, k)});
        return averagedByLikelihood(each);
    };
    return {averaged(raPulses), averaged(decPulses), averaged(southDead), averaged(driftRate), variance};
}

} // namespace

double DeadTimes::moving_s(const LegRow& row) const {
    return std::max(0.0, row.pulsed[2] - north_s) - std::max(0.0, row.pulsed[3] - south_s);
}

LegMotion acrossGears(const std::vector<LegRow>& rows, const Eigen::Vector2d& way, const DeadTimes& deadTime,
                      double decRate) {
    const LegDesign design = legDesign(rows, way, deadTime, decRate, 0.0);
    const LegFitting weighted(design, {});
    const double freedom = std::max(1.0, static_cast<double>(rows.size()) - 7.0);
    double variance = 0.05;
    LegAnswer a;
    constexpr int legRounds = 8;
    for (int i = 0; i < legRounds; ++i) {
        a = weighted.answer(variance, 1.0);
        variance = std::max(a.chiSquare / freedom, 1e-10);
    }
    return {at(a, raPulses), at(a, decPulses), at(a, southDead), at(a, driftRate), variance};
}

LegMotion alongGears(const std::vector<LegRow>& rows, const Eigen::Vector2d& way, const DeadTimes& deadTime,
                     double decRate, const GearPriors& priors) {
    const LegDesign design = legDesign(rows, way, deadTime, decRate, priors.worm_s);
    std::vector<LegAnswer> answers;
    const auto with = [&](const OtherGears& gears, double prior) {
        const LegFitting weighted(design, gears);
        for (const double air : {0.7, 1.0, 1.4}) // it is known to a fifth or so
            for (const double sway : {0.03, 0.1, 0.35, 1.0}) {
                answers.push_back(weighted.answer(air * priors.airVariance_px2, sway * priors.sway_px));
                answers.back().logEvidence += std::log(prior);
            }
    };
    constexpr double noOtherGears = 0.6; // so many mounts have none that matter
    with({}, noOtherGears);
    constexpr std::array variances{0.6, 2.0, 6.0};
    constexpr std::array lengths_s{12.0, 35.0};
    for (const double variance : variances)
        for (const double length_s : lengths_s)
            with({variance, length_s}, (1.0 - noOtherGears) / (variances.size() * lengths_s.size()));
    return averagedByEvidence(answers, priors.airVariance_px2);
}

} // namespace nordstjerna
