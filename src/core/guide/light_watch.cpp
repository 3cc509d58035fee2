#include "core/guide/light_watch.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "core/base/statistics.h"

namespace nordstjerna {

namespace {
constexpr int firstLooks = 10;  // whose mean the others are compared with
constexpr size_t soon_min = 10; // before nothing is said
constexpr size_t fade_min = 12; // what is judged: an even change bends in half an hour, too
constexpr size_t best_min = 10; // the stretch that counts as undimmed
// Magnitudes for one air mass; guide cameras see red light: 0.1 to 0.3 (Young 1974).
constexpr double extinction = 0.2;
constexpr double extinctionSigma = 0.1;
constexpr double noticed_mag = 0.12; // of a fading, beyond what slow changes of the air do on clear nights
constexpr double roughAt_mag = 0.035;
constexpr double back_mag = 0.07; // within three minutes
constexpr double skyAt = 0.12;
constexpr int persist_min = 3; // a verdict holds as long before it is said

// Least squares of y over t: level, slope and bend at t = 0, and what an error of one in each y makes of the
// slope.
struct Parabola {
    Eigen::Vector3d at;
    double slopeError = 0.0;
};
Parabola parabola(const std::vector<double>& t, const std::vector<double>& y) {
    const auto n = static_cast<Eigen::Index>(t.size());
    Eigen::MatrixXd a(n, 3);
    Eigen::VectorXd b(n);
    for (Eigen::Index i = 0; i < n; ++i) {
        const double x = t[static_cast<size_t>(i)];
        a.row(i) << 1.0, x, x * x;
        b(i) = y[static_cast<size_t>(i)];
    }
    const Eigen::Matrix3d spread = (a.transpose() * a).inverse();
    return {spread * (a.transpose() * b), std::sqrt(spread(1, 1))};
}

// Of some minutes in a row.
template <typename Minute>
double medianOf(const std::vector<Minute>& minutes, size_t from, size_t count, double Minute::*what) {
    std::vector<double> some;
    for (size_t k = from; k < std::min(from + count, minutes.size()); ++k)
        some.push_back(minutes[k].*what);
    return median(some);
}
} // namespace

void LightWatch::begin() {
    *this = LightWatch();
}

void LightWatch::add(double t_s, const std::vector<std::optional<Star>>& stars, double airMass) {
    if (stars.size() != first_.size()) {
        begin();
        first_.resize(stars.size());
    }
    if (!began_s_)
        began_s_ = t_s;
    std::vector<double> faded, width, noise2;
    for (size_t i = 0; i < stars.size(); ++i) {
        if (!stars[i] || stars[i]->saturated || !(stars[i]->flux > 0.0) || !(stars[i]->hfd > 0.0))
            continue;
        First& f = first_[i];
        if (f.looks < firstLooks) {
            f.flux += stars[i]->flux / firstLooks;
            f.hfd += stars[i]->hfd / firstLooks;
            ++f.looks;
        }
        noise2.push_back(stars[i]->noise * stars[i]->noise);
        if (f.looks < firstLooks)
            continue;
        faded.push_back(-2.5 * std::log10(stars[i]->flux / f.flux));
        width.push_back(std::log(stars[i]->hfd / f.hfd));
    }
    if (noise2.empty())
        return;
    if (firstLooks_ < firstLooks) {
        firstNoise2_ = firstNoise2_.value_or(0.0) + median(noise2) / firstLooks;
        firstAir_ = firstAir_.value_or(0.0) + airMass / firstLooks;
        ++firstLooks_;
    }
    if (faded.empty() || firstLooks_ < firstLooks)
        return;
    const long minute = std::lround(std::floor((t_s - *began_s_) / 60.0));
    if (minute != minute_) {
        closeMinute();
        minute_ = minute;
    }
    open_.faded.push_back(median(faded) - extinction * (airMass - *firstAir_));
    open_.width.push_back(median(width));
    open_.sky.push_back(std::log(std::max(median(noise2), 1e-9) / std::max(*firstNoise2_, 1e-9)));
    open_.air = airMass;
}

void LightWatch::closeMinute() {
    constexpr size_t fewLooks = 3;
    if (open_.faded.size() >= fewLooks) {
        minutes_.push_back(
            {static_cast<double>(minute_), median(open_.faded), median(open_.width), median(open_.sky),
             open_.air,
             1.2533 * standardDeviation(open_.faded) / std::sqrt(static_cast<double>(open_.faded.size()))});
        noteBest();
        const LightVerdict now = judged();
        lasting_ = now.what == candidate_ ? lasting_ + 1 : 1;
        candidate_ = now.what;
        const bool calm = now.what == SkyLight::clear || now.what == SkyLight::tooSoon;
        if (calm || lasting_ >= persist_min || now.what == verdict_.what)
            verdict_ = now;
    }
    open_ = {};
}

// The best stretch so far is what the stars are without anything before them.
void LightWatch::noteBest() {
    if (minutes_.size() < best_min)
        return;
    const size_t from = minutes_.size() - best_min;
    darkest_ = std::min(darkest_, medianOf(minutes_, from, best_min, &Minute::sky));
    const double level = medianOf(minutes_, from, best_min, &Minute::faded_mag);
    if (level >= best_.faded_mag)
        return;
    best_.faded_mag = level;
    best_.width = medianOf(minutes_, from, best_min, &Minute::width);
    best_.air = minutes_[from + best_min / 2].air;
}

LightVerdict LightWatch::judged() const {
    LightVerdict v;
    if (minutes_.size() < soon_min)
        return v;
    const size_t n = minutes_.size();
    const size_t few = std::min(fade_min, n);
    std::vector<double> lastT, lastY, noises;
    for (size_t i = n - few; i < n; ++i) {
        lastT.push_back(minutes_[i].t_min - minutes_[n - 1].t_min);
        lastY.push_back(minutes_[i].faded_mag);
        noises.push_back(minutes_[i].noise_mag);
    }
    const Parabola fitted = parabola(lastT, lastY);
    const Eigen::Vector3d& fit = fitted.at;
    double squares = 0.0;
    for (size_t i = 0; i < few; ++i)
        squares += std::pow(lastY[i] - fit(0) - fit(1) * lastT[i] - fit(2) * lastT[i] * lastT[i], 2);
    v.rough_mag = std::sqrt(squares / std::max(1.0, static_cast<double>(few) - 3.0));
    double back = 0.0; // light that came back: no dew does that
    for (size_t i = 3; i < few; ++i)
        back = std::max(back, lastY[i - 3] - lastY[i]);
    constexpr size_t now_min = 4;
    const auto now = [&](double Minute::*what) { return medianOf(minutes_, n - now_min, now_min, what); };
    // The medians of now and of the best stretch, and what the air mass between them may have taken.
    constexpr double ofMedian = 1.2533;
    v.lost_mag = {now(&Minute::faded_mag) - best_.faded_mag,
                  std::hypot(ofMedian * v.rough_mag * std::sqrt(1.0 / now_min + 1.0 / best_min),
                             extinctionSigma * (now(&Minute::air) - best_.air))};
    const double airPace = (minutes_[n - 1].air - minutes_[n - few].air) / std::max(-lastT.front(), 1.0);
    v.pace_mag_h = {60.0 * fit(1),
                    60.0 * std::hypot(v.rough_mag * fitted.slopeError, extinctionSigma * airPace)};
    v.wider = std::expm1(now(&Minute::width) - best_.width);
    v.skyBrighter = std::expm1(now(&Minute::sky) - darkest_);
    const bool dims = v.lost_mag.value > noticed_mag + 2.0 * v.lost_mag.sigma;
    // Photons and scintillation scatter, too.
    const double noise = median(noises);
    const bool rough = v.rough_mag > std::hypot(roughAt_mag, 1.5 * noise) || back > back_mag + 4.5 * noise;
    // Between two clouds nothing is dimmed.
    double dimmest = 0.0;
    for (size_t i = 0; i + 3 <= few; ++i)
        dimmest = std::max(dimmest, median({lastY[i], lastY[i + 1], lastY[i + 2]}) - best_.faded_mag);
    const bool dimmed = dimmest > noticed_mag + 2.0 * v.lost_mag.sigma;
    const bool brighter = v.skyBrighter > skyAt;
    if (rough && (dims || dimmed))
        v.what = SkyLight::cloud;
    else if (!dims)
        v.what = v.skyBrighter > 0.5 ? SkyLight::brighter : SkyLight::clear;
    else
        v.what = brighter ? SkyLight::haze : SkyLight::dew; // whether the stars grew is evidence beside it
    return v;
}

} // namespace nordstjerna
