#include "core/image/star_jitter.h"

#include <algorithm>
#include <cmath>

#include "core/base/statistics.h"

namespace nordstjerna {

namespace {

constexpr size_t fewestJitterFrames = 6;
constexpr double onMost = 0.8; // of the frames

// Sum of squares of what is left of a series beside a straight line, over its degrees of freedom.
double aboutLine(const std::vector<double>& t, const std::vector<double>& v) {
    const double mt = mean(t), mv = mean(v);
    double tt = 0.0, tv = 0.0, vv = 0.0;
    for (size_t i = 0; i < t.size(); ++i) {
        tt += (t[i] - mt) * (t[i] - mt);
        tv += (t[i] - mt) * (v[i] - mv);
        vv += (v[i] - mv) * (v[i] - mv);
    }
    return std::max(0.0, vv - (tt > 0.0 ? tv * tv / tt : 0.0)) / static_cast<double>(t.size() - 2);
}

using Places = std::vector<std::vector<double>>; // of each star, by frames

// Variance of the weighted place of all stars; weights sum to 1.
double groupVariance(const std::vector<double>& t, const Places& x, const std::vector<double>& weights) {
    const size_t n = x.size();
    if (n == 1) {
        double sum = 0.0;
        for (size_t f = 1; f + 1 < t.size(); ++f)
            sum += std::pow(x[0][f - 1] - 2.0 * x[0][f] + x[0][f + 1], 2) / 6.0;
        return sum / static_cast<double>(t.size() - 2);
    }
    std::vector<double> about(t.size());
    const auto against = [&](size_t star) {
        std::vector<double> r(t.size());
        for (size_t f = 0; f < t.size(); ++f)
            r[f] = x[star][f] - about[f];
        return aboutLine(t, r);
    };
    if (n == 2) { // their difference, shared out by their weights
        about = x[1];
        return against(0) * weights[0] * weights[1];
    }
    const double count = static_cast<double>(n);
    for (size_t f = 0; f < t.size(); ++f) {
        about[f] = 0.0;
        for (const auto& star : x)
            about[f] += star[f] / count;
    }
    // Against the plain mean a star shows (1 − 2/n) of its own variance and that of the mean.
    std::vector<double> shown(n);
    for (size_t i = 0; i < n; ++i)
        shown[i] = against(i);
    const double own = 1.0 - 2.0 / count;
    const double ofMean = mean(shown) / count / own / (1.0 + 1.0 / (count * own));
    double sum = 0.0;
    for (size_t i = 0; i < n; ++i)
        sum += weights[i] * weights[i] * (shown[i] - ofMean) / own;
    return std::max(sum, 0.0);
}

} // namespace

std::optional<StarJitter> starJitter(const std::vector<JitterFrame>& frames) {
    if (frames.empty())
        return std::nullopt;
    const size_t all = frames.front().stars.size();
    StarJitter jitter;
    std::vector<size_t> used;
    const auto enough = [&](size_t n) {
        return static_cast<double>(n) >= onMost * static_cast<double>(frames.size());
    };
    for (size_t i = 0; i < all; ++i) {
        size_t sound = 0, bright = 0;
        for (const JitterFrame& f : frames) {
            if (!f.stars[i])
                continue;
            (f.stars[i]->saturated ? bright : sound) += 1;
        }
        if (enough(sound))
            used.push_back(i);
        else if (bright > frames.size() / 4)
            ++jitter.saturated;
    }
    if (used.empty())
        return std::nullopt;
    std::vector<double> t;
    Places x(used.size()), y(used.size()), variance(used.size());
    std::vector<double> snr;
    for (const JitterFrame& f : frames) {
        if (!std::all_of(used.begin(), used.end(),
                         [&](size_t i) { return f.stars[i] && !f.stars[i]->saturated; }))
            continue;
        t.push_back(f.t_s);
        for (size_t k = 0; k < used.size(); ++k) {
            const Star& s = *f.stars[used[k]];
            x[k].push_back(s.x);
            y[k].push_back(s.y);
            variance[k].push_back(0.5 * (s.sigmaX * s.sigmaX + s.sigmaY * s.sigmaY));
            snr.push_back(s.snr);
        }
    }
    if (t.size() < fewestJitterFrames)
        return std::nullopt;
    std::vector<double> weights;
    double sum = 0.0;
    for (const auto& v : variance) {
        weights.push_back(1.0 / std::max(median(v), 1e-12));
        sum += weights.back();
    }
    for (double& w : weights)
        w /= sum;
    const auto rms = [&](const std::vector<double>& times, const Places& a, const Places& b) {
        return std::sqrt(0.5 * (groupVariance(times, a, weights) + groupVariance(times, b, weights)));
    };
    jitter.group_px.value = rms(t, x, y);
    // Its uncertainty by leaving out one frame after the other (jackknife).
    std::vector<double> without;
    for (size_t leave = 0; leave < t.size(); ++leave) {
        const auto less = [leave](std::vector<double> v) {
            v.erase(v.begin() + static_cast<std::ptrdiff_t>(leave));
            return v;
        };
        Places a, b;
        for (size_t k = 0; k < x.size(); ++k) {
            a.push_back(less(x[k]));
            b.push_back(less(y[k]));
        }
        without.push_back(rms(less(t), a, b));
    }
    const double n = static_cast<double>(without.size());
    jitter.group_px.sigma = (n - 1.0) / std::sqrt(n) * standardDeviation(without);
    jitter.stars = static_cast<int>(used.size());
    jitter.snr = median(std::move(snr));
    jitter.withMotion = used.size() == 1;
    return jitter;
}

} // namespace nordstjerna
