// Corrects an axis by a model of it: a bank of state-space filters, each with another idea of how the axis
// walks, how strong its worm is and how much backlash it has. All are fed each frame and weighed by how well
// they foretold it; the correction is the whole of what they foretell for the next exposure. Gain is no
// setting here, it follows from the noises. While the plain proportional loop would have done better on the
// same frames, that one has the word.
#pragma once

#include <optional>
#include <vector>

#include "core/guide/axis_filter.h"
#include "core/guide/axis_input.h"
#include "core/guide/backlash_model.h"
#include "core/guide/controller.h"
#include "core/guide/line_search.h"
#include "core/guide/noise_meter.h"
#include "core/guide/proportional_controller.h"
#include "core/guide/worm_phase.h"

namespace nordstjerna {

// What is known about an axis before the first frame. Zero: nothing.
struct AxisPrior {
    double wormPeriod_s = 0.0;
    std::optional<WormPrior> worm; // by the phase the mount tells
    std::optional<Measured> backlash_arcsec;
    bool mayHaveBacklash = false; // Dec
};

// A frame far from what was foretold: once it is a gust, twice the same way somebody moved the mount.
enum class Surprise { none, gust, bump };

// What the controller believes, for people to read.
struct AxisBelief {
    bool modelRules = false;       // otherwise the proportional loop has the word
    Measured place_arcsec;         // the mount part now, of the star against the aim
    Measured next_arcsec;          // what the next frame should show, with the correction given
    double seenSigma_arcsec = 0.0; // of that frame, noise included
    Measured drift_arcsec_min;
    double noise_arcsec = 0.0;    // of one frame: air and centroid
    double wormWeight = 0.0;      // belief that there is a worm to be seen, 0…1
    std::vector<Measured> worm;   // cosine and sine of each harmonic
    double wormPhase_turns = 0.0; // now
    double wormPeriod_s = 0.0;
    double wormPeriodSigma_s = 0.0;
    std::optional<Measured> backlash_arcsec;
    Surprise surprise = Surprise::none; // of the last frame
    // With backlash: for so long all corrections went one way, 1: the star to the north, −1: to the south.
    double oneWay_s = 0.0;
    int way = 0;

    // Amplitude of the worm's strongest harmonic; absent while it is not told from the rest.
    std::optional<Measured> wormSeen() const;
};

class ModelController {
public:
    ModelController(const AxisSettings& fallback, const AxisPrior& prior);

    // inCharge: false while another controller works; then nothing is compared.
    double correction(const AxisInput& in, bool inCharge = true);
    double lastCorrection() const { return lastCorrection_; }
    void setSettings(const AxisSettings& s) { fallback_.setSettings(s), shadow_.setSettings(s); }
    const AxisBelief& belief() const { return belief_; }
    // What the worm, as it is known, does within dt_s from the last frame on; and how freely the axis' rate
    // wanders from frame to frame besides: what a measure of its answers to pulses must allow for.
    double wormMotion_arcsec(double dt_s) const;
    double rateWalk_arcsec2_s3(double dt_s) const;
    // The filter that foretold best.
    const AxisFilter& ruling() const;

private:
    struct Member {
        AxisFilter filter;
        BacklashModel backlash;
        double logWeight = 0.0;
        double weight = 0.0;
        bool worm = false;
        double learnsUntil_s = -1.0; // begun later than the others, it is not weighed before
        double nextSigma = 0.0;      // of what it foretells for the next exposure
    };

    static constexpr double negligible = 1e-3; // weights of filters that need not be asked
    void weigh();
    void learn(const AxisInput& in, double dt_s, bool inCharge);
    void addWormMembers();
    void moveGaps();
    void searchLines(const AxisInput& in, double noise);
    bool isOtherWorm(const LineSearch::Line& line, double t_s) const;
    // The worm's period as the filters find it; counted from the phase's own.
    Measured foundPeriod_s() const;
    double turnDoubt_rad_s() const { return tau * periodSigma_s_ / (phase_.period_s() * phase_.period_s()); }
    double decide(const AxisInput& in);
    double bestMove(double ahead_s, bool again = false);
    void believe(const AxisInput& in, double move);
    void believeSlowly();
    void noteWay(double t_s, double move);

    AxisPrior prior_;
    WormPhase phase_;
    double periodSigma_s_ = 0.0;
    double wormsSince_s_ = 0.0; // the filters with a worm began then
    std::vector<Member> members_;
    ProportionalController fallback_; // at work when the model is not
    double aim_ = 0.0;                // where the star is wanted
    double aimRate_ = 0.0;            // at which it goes on
    int framesOfAim_ = 0;             // since it was moved
    double motor_ = 0.0;              // where all pulses so far bring the motor side, as the star moves
    ProportionalController shadow_;   // and on a mount of its own, to compare with
    BacklashModel shadowBacklash_;
    double shadowMotor_ = 0.0;
    NoiseMeter noise_;
    LineSearch wormSearch_; // in what the slowest filter without a worm leaves
    LineSearch lineSearch_; // in what the best filter leaves
    int lines_ = 0;
    std::optional<double> last_s_;
    int frames_ = 0;
    int surprises_ = 0;
    double lastSurprise_ = 0.0;
    double waySince_s_ = 0.0;
    // Of late: what each would have left, over so many frames.
    double modelSquare_ = 0.0, shadowSquare_ = 0.0, compared_ = 0.0;
    bool modelRules_ = true;
    double lastCorrection_ = 0.0;
    AxisBelief belief_;
};

} // namespace nordstjerna
