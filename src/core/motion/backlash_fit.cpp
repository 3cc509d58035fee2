#include "core/motion/backlash_fit.h"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "core/base/symmetric.h"

namespace nordstjerna {

namespace {

// A star drifts by less than some 0.1 ″/s: else an axis that stays after a reversal would be one that obeys,
// in a drift that is as fast as its pulses. For a scatter of 0.3″.
constexpr double driftHold = 0.3 * 0.3 / (0.1 * 0.1);

double softened(double past, double soft) {
    const double x = past / soft;
    return x > 30.0 ? past : soft * std::log1p(std::exp(x));
}

// What was left of the gap before the first leg is a gap, whatever shape a change of direction has.
BacklashShape shapeOfLeg(const BacklashLaw& law, size_t leg) {
    return leg == 0 ? BacklashShape::gap : law.shape;
}

// How far the load has gone, after this much pulse of the leg.
double following(const BacklashLaw& law, size_t leg, double pulsed) {
    const double deadTime = law.deadTime_s[leg];
    switch (shapeOfLeg(law, leg)) {
    case BacklashShape::none:
        return pulsed;
    case BacklashShape::gap:
        return pulsed - deadTime > law.leap_s ? pulsed - deadTime : 0.0;
    case BacklashShape::jump:
        return pulsed > deadTime ? pulsed : 0.0;
    case BacklashShape::gradual:
        break;
    }
    return softened(pulsed - deadTime, law.soft_s) - softened(-deadTime, law.soft_s);
}

// By how much less it has gone for a lost time longer by one.
double slowing(const BacklashLaw& law, size_t leg, double pulsed) {
    const double deadTime = law.deadTime_s[leg];
    const BacklashShape shape = shapeOfLeg(law, leg);
    if (shape == BacklashShape::gap)
        return pulsed - deadTime > law.leap_s ? 1.0 : 0.0;
    if (shape != BacklashShape::gradual)
        return 0.0;
    const auto slope = [&](double past) { return 1.0 / (1.0 + std::exp(-past / law.soft_s)); };
    return (slope(pulsed - deadTime) - slope(-deadTime)) / slope(deadTime);
}

// The pulse time of a leg before this place.
double pulsedIn(const BacklashRecord& record, size_t leg, const BacklashSample& s) {
    return leg == s.leg ? s.pulsed_s : record.legs_s[leg];
}

// Thousands of trials of one dead time at a time: what a trial does not touch is kept.
class BacklashSearch {
public:
    BacklashSearch(const BacklashRecord& record, BacklashLaw law) : record_(record), law_(std::move(law)) {
        const size_t legs = record.legs_s.size();
        law_.deadTime_s.assign(legs, 0.0);
        begins_.assign(legs + 1, 0);
        for (const BacklashSample& s : record.samples) {
            ++begins_[s.leg + 1];
            const double t = s.t_s - record.samples.front().t_s;
            t_ += t;
            tt_ += t * t;
            y_ += s.place_arcsec;
            yt_ += s.place_arcsec * t;
            yy_ += s.place_arcsec * s.place_arcsec;
        }
        std::partial_sum(begins_.begin(), begins_.end(), begins_.begin());
        inLeg_.resize(record.samples.size());
        ofLeg_.resize(legs);
        for (size_t leg = 0; leg < legs; ++leg) {
            set(leg, 0.0);
            if (most(leg) > 0.0)
                free_.push_back(leg);
        }
    }

    BacklashFit best() {
        tried();
        if (!free_.empty()) {
            together();
            for (size_t leg : free_)
                alone(leg, 0.0, most(leg), 48);
            for (int round = 0; round < 2 && free_.size() > 1; ++round)
                for (size_t leg : free_)
                    near(leg, most(leg) / 16.0);
        }
        best_.parameters =
            3 + static_cast<int>(free_.size()) + (law_.shape == BacklashShape::gradual ? 1 : 0);
        return best_;
    }

private:
    double most(size_t leg) const {
        if (leg == 0)
            return record_.cleared ? 0.0 : 0.8 * record_.legs_s[0];
        return law_.shape == BacklashShape::none   ? 0.0
               : law_.shape == BacklashShape::jump ? record_.legs_s[leg] - 0.5 * record_.step_s
                                                   : record_.legs_s[leg];
    }

    void set(size_t leg, double deadTime) {
        law_.deadTime_s[leg] = deadTime;
        const double sign = record_.sign(leg);
        for (size_t i = begins_[leg]; i < begins_[leg + 1]; ++i)
            inLeg_[i] = sign * following(law_, leg, record_.samples[i].pulsed_s);
        ofLeg_[leg] = sign * following(law_, leg, record_.legs_s[leg]);
    }

    // The whole test with the same gap at every change, and any rest of one before the first leg.
    void together() {
        constexpr int steps = 48;
        double widest = 0.0;
        for (size_t leg = 1; leg < law_.deadTime_s.size(); ++leg)
            widest = std::max(widest, most(leg));
        const int first = most(0) > 0.0 ? 24 : 0;
        for (int i = 0; i <= (widest > 0.0 ? steps : 0); ++i) {
            for (size_t leg = 1; leg < law_.deadTime_s.size(); ++leg)
                set(leg, std::min(most(leg), widest * i / steps));
            for (int j = 0; j <= first; ++j) {
                if (first)
                    set(0, most(0) * j / first);
                tried();
            }
        }
        for (size_t leg : free_)
            set(leg, best_.law.deadTime_s[leg]);
    }

    // One dead time with the others as they are: a grid, refined about its best point.
    void alone(size_t leg, double from, double to, int points) {
        for (int i = 0; i <= points; ++i) {
            set(leg, from + (to - from) * i / points);
            tried();
        }
        set(leg, best_.law.deadTime_s[leg]);
        const double reach = 1.5 * (to - from) / points;
        if (reach > 2e-4 * most(leg))
            near(leg, reach);
    }

    void near(size_t leg, double reach) {
        const double at = law_.deadTime_s[leg];
        alone(leg, std::max(0.0, at - reach), std::min(most(leg), at + reach), 12);
    }

    // Least squares of level, rate and drift for the law as it stands, kept where it is the best so far.
    void tried() {
        double l = 0.0;
        double ll = 0.0;
        double lt = 0.0;
        double ly = 0.0;
        double before = 0.0;
        const double start = record_.samples.front().t_s;
        for (size_t leg = 0; leg < ofLeg_.size(); before += ofLeg_[leg], ++leg)
            for (size_t i = begins_[leg]; i < begins_[leg + 1]; ++i) {
                const double load = before + inLeg_[i];
                l += load;
                ll += load * load;
                lt += load * (record_.samples[i].t_s - start);
                ly += load * record_.samples[i].place_arcsec;
            }
        Eigen::Matrix3d normal;
        normal << static_cast<double>(inLeg_.size()), l, t_, l, ll, lt, t_, lt, tt_ + driftHold;
        const Eigen::Vector3d right(y_, ly, yt_);
        const Eigen::Vector3d x = solveSymmetric<3>(normal, right);
        const double squares = std::max(0.0, yy_ - right.dot(x));
        if (squares < best_.squares)
            best_ = {law_, x[0], x[1], x[2], squares, 3};
    }

    const BacklashRecord& record_;
    BacklashLaw law_;
    std::vector<size_t> free_;
    std::vector<size_t> begins_; // of each leg's samples
    std::vector<double> inLeg_;  // the load's way of this leg, by sample
    std::vector<double> ofLeg_;  // and of all of it
    double t_ = 0.0, tt_ = 0.0, y_ = 0.0, yt_ = 0.0, yy_ = 0.0;
    BacklashFit best_;
};

} // namespace

double BacklashFit::cost(size_t samples) const {
    const auto n = static_cast<double>(samples);
    return n * std::log(std::max(squares, 1e-12) / n) + parameters * std::log(n);
}

double loadAt(const BacklashRecord& record, const BacklashLaw& law, const BacklashSample& s) {
    double load = 0.0;
    for (size_t leg = 0; leg <= s.leg; ++leg)
        load += record.sign(leg) * following(law, leg, pulsedIn(record, leg, s));
    return load;
}

double lostTime(const BacklashLaw& law, size_t leg) {
    const double deadTime = law.deadTime_s[leg];
    return law.shape == BacklashShape::gradual ? deadTime + softened(-deadTime, law.soft_s) : deadTime;
}

BacklashShape shapeOf(const BacklashLaw& law) {
    return law.leap_s > 0.0 ? BacklashShape::jump : law.shape;
}

namespace {
// A jump from where it stood, or after a gap that it never makes good. Of a leap hardly more is seen than
// that one or two places are missing where a plain gap has them, and the place and the length of it are both
// sought: it counts as two parameters.
BacklashFit fitJump(const BacklashRecord& record) {
    BacklashFit best = BacklashSearch(record, {BacklashShape::jump, 0.0, 0.0, {}}).best();
    const size_t n = record.samples.size();
    for (int i = 1; i <= 16; ++i) {
        BacklashFit f =
            BacklashSearch(record, {BacklashShape::gap, 0.0, 0.125 * i * record.step_s, {}}).best();
        f.parameters += 2;
        if (f.cost(n) < best.cost(n))
            best = std::move(f);
    }
    return best;
}
} // namespace

BacklashFit fitBacklash(const BacklashRecord& record, BacklashShape shape) {
    if (shape == BacklashShape::jump)
        return fitJump(record);
    if (shape != BacklashShape::gradual)
        return BacklashSearch(record, {shape, 0.0, 0.0, {}}).best();
    BacklashFit best;
    for (double width : {0.5, 1.0, 2.0, 3.0, 4.0}) {
        BacklashFit f = BacklashSearch(record, {shape, width * record.step_s, 0.0, {}}).best();
        if (f.squares < best.squares)
            best = std::move(f);
    }
    return best;
}

Eigen::MatrixXd backlashCovariance(const BacklashRecord& record, const BacklashFit& fit) {
    const auto legs = static_cast<Eigen::Index>(record.legs_s.size());
    Eigen::MatrixXd normal = Eigen::MatrixXd::Zero(3 + legs, 3 + legs);
    Eigen::VectorXd row(3 + legs);
    const double start = record.samples.front().t_s;
    for (const BacklashSample& s : record.samples) {
        row.setZero();
        row[0] = 1.0;
        row[1] = loadAt(record, fit.law, s);
        row[2] = s.t_s - start;
        for (size_t leg = record.cleared ? 1 : 0; leg <= s.leg; ++leg)
            row[3 + static_cast<Eigen::Index>(leg)] =
                -record.sign(leg) * fit.rate_arcsec_s * slowing(fit.law, leg, pulsedIn(record, leg, s));
        normal += row * row.transpose();
    }
    normal(2, 2) += driftHold;
    Eigen::MatrixXd covariance = invertSymmetric<Eigen::Dynamic>(normal);
    for (Eigen::Index i = 0; i < normal.rows(); ++i)
        if (normal(i, i) == 0.0) {
            covariance.row(i).setZero();
            covariance.col(i).setZero();
        }
    return covariance;
}

} // namespace nordstjerna
