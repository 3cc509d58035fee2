// What one axis does by itself, as a state-space model filtered frame by frame (Kalman 1960; e.g. Bar-Shalom,
// Li, Kirubarajan 2001): place and rate, both walking at random; a sine and a cosine for each harmonic of the
// worm and each gear line, tied to a phase; and a first-order term for the slow air, which is seen but is no
// motion of the mount. Where the phase of the worm is only counted, how much faster or slower the worm turns
// is a part of the state, too: it turns the coefficients of all harmonics (an extended Kalman filter; it is
// linear enough once they are known, and not before are they used to find it). All places in ″ on the sky,
// times in seconds.
#pragma once

#include <array>
#include <cmath>
#include <cstddef>
#include <vector>

#include "core/base/angle.h"
#include "core/base/measured.h"

namespace nordstjerna {

struct FilterModel {
    double walk_arcsec2_s = 1e-4;      // of the place
    double rateWalk_arcsec2_s3 = 1e-8; // of the rate
    double priorRate_arcsec_s = 0.05;  // standard deviation before anything was measured
    double airMemory_s = 6.0;
    double airShare = 0.3;                        // variance of the slow air over that of the measurement
    int harmonics = 0;                            // of the worm, at most 4
    std::array<double, 4> priorHarmonic_arcsec{}; // standard deviation of either coefficient
    double wormForgets_s = 0.0; // in so long the coefficients walk as far as their prior; 0: never
    // Standard deviation of how much faster the worm turns than the phase that is counted for it, rad/s; 0:
    // the phase is the worm's own.
    double turnDoubt_rad_s = 0.0;
    std::vector<double> lines_s; // periods of gear lines, at most 2
    double priorLine_arcsec = 1.0;
    double lineForgets_s = 0.0; // as the worm's
};

// A phase of the worm in turns, its cosine and sine worked out once for all filters.
struct WormTurn {
    WormTurn(double turns) // NOLINT: a number of turns is one
        : cosine(std::cos(tau * turns)), sine(std::sin(tau * turns)) {}
    double cosine, sine;
};

// A prior belief about the coefficients, in the order worm cosine, sine of each harmonic.
struct WormPrior {
    std::vector<Measured> coefficient;
};

class AxisFilter {
public:
    static constexpr int most = 15;

    explicit AxisFilter(const FilterModel& model);

    // To a later moment. wormPhase: turns at that moment.
    void advance(double dt_s, const WormTurn& phase);
    using Row = std::array<double, most>; // its first states() count
    // What a smoother must know of one frame: how it was foretold, and what was believed of the mount after
    // it.
    struct Step {
        Row observer, gain;      // gain: covariance times observer
        double innovation = 0.0; // of the measured place
        double total = 0.0;      // variance of that
        double mountPlace = 0.0, mountVariance = 0.0;
        Row mountGain; // covariance times the mount's observer
    };
    // Takes a measured place of the given variance into account, at the moment advanced to. Gives the
    // logarithm of its likelihood. A place farther than four standard deviations counts less (Huber).
    double update(double place_arcsec, double variance_arcsec2, Step* step = nullptr);
    int states() const { return n_; }
    // The first place ever, or after a jump: the place is unknown, all else stays.
    void releasePlace(double sigma_arcsec);
    void setWorm(const WormPrior& prior);
    // A further line, nothing known of its phase; no more than two are kept.
    void addLine(double period_s, double prior_arcsec);
    // Begins anew near the place of another filter of the same axis. Its rate may hold what is the worm's.
    void beginAt(const AxisFilter& other, double sigma_arcsec);

    // Of the mount alone, without the slow air, at the present moment plus `ahead`.
    Measured mount(double ahead_s, const WormTurn& then) const;
    double mountPlace(double ahead_s, const WormTurn& then) const; // the value alone, sooner
    // What a measurement would show then, its own noise left out.
    Measured seen(double ahead_s, const WormTurn& then) const;
    double seenPlace(double ahead_s, const WormTurn& then) const;
    Measured rate() const;
    Measured harmonic(int h, bool sine) const; // 1, 2, …
    int harmonics() const { return model_.harmonics; }
    // By which the worm turns faster than its phase is counted, rad/s.
    Measured turnsFaster_rad_s() const;
    const FilterModel& model() const { return model_; }
    double state(int i) const { return x_[static_cast<std::size_t>(i)]; }
    double covariance(int i, int j) const { return p_[static_cast<std::size_t>(i * most + j)]; }

    static constexpr int placeAt = 0, rateAt = 1, airAt = 2;

private:
    Row observer(double ahead_s, const WormTurn& phase, bool air) const;
    Measured along(const Row& h) const;
    // The variance along it; gain: the covariance times it.
    double spreadAlong(const Row& h, Row& gain) const;
    double valueAlong(const Row& h) const;
    void turnWorm(double dt_s);
    int linesAt() const { return wormAt + 2 * model_.harmonics + (turns_ ? 1 : 0); }
    double walked(double ahead_s) const; // variance gained by place and rate walking on
    double& cov(int i, int j) { return p_[static_cast<std::size_t>(i * most + j)]; }

    static constexpr int wormAt = 3;
    FilterModel model_;
    bool turns_ = false; // the worm's turning is a part of the state, behind its coefficients
    int n_ = 3;
    Row x_{};
    std::array<double, most * most> p_{};
    double time_s_ = 0.0; // since the first place, for the lines
    WormTurn phase_{0.0};
    double airVariance_ = 0.0;
};

} // namespace nordstjerna
