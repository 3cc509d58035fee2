#include "core/guide/model_controller.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace nordstjerna {

namespace {

constexpr double forget = 0.997; // of the weights, a frame
// How unlikely an idea may become (natural logarithm). One pulse that was lost in a gap refutes the true one,
// and it must be able to come back.
constexpr double mostUnlikely = -18.0;
} // namespace

std::optional<Measured> AxisBelief::wormSeen() const {
    if (wormWeight <= 0.5)
        return std::nullopt;
    std::optional<Measured> strongest;
    for (size_t i = 0; i + 1 < worm.size(); i += 2) {
        const double size = std::hypot(worm[i].value, worm[i + 1].value);
        if (!strongest || size > strongest->value)
            strongest = Measured{size, std::hypot(worm[i].sigma, worm[i + 1].sigma) / std::numbers::sqrt2};
    }
    // Even without a worm the greatest of three is rarely beyond three of its sigma.
    return strongest && strongest->value > 3.0 * strongest->sigma ? strongest : std::nullopt;
}

void ModelController::weigh() {
    double best = -1e300;
    for (const Member& m : members_)
        best = std::max(best, m.logWeight);
    double sum = 0.0;
    for (Member& m : members_) {
        m.weight = std::exp(m.logWeight - best);
        sum += m.weight;
    }
    for (Member& m : members_) {
        m.weight /= sum;
        m.logWeight = std::max(forget * (m.logWeight - best), mostUnlikely);
    }
}

double ModelController::correction(const AxisInput& s, bool inCharge) {
    const double dt = last_s_ ? s.t_s - *last_s_ : 0.0;
    const bool hadWorm = phase_.known();
    const bool toldBefore = phase_.byMount();
    phase_.feed(s.t_s, s.worm_turns);
    // Coefficients belong to a phase: with another source of it they are learnt anew.
    if (!prior_.mayHaveBacklash && phase_.known() && (!hadWorm || toldBefore != phase_.byMount()))
        addWormMembers();
    const WormTurn phase(phase_.turns());
    motor_ += s.moved_arcsec;
    if (s.aim_arcsec != aim_) {
        const double came = s.aim_arcsec - aim_;
        shadowMotor_ += came; // its loop takes the way at once
        aim_ = s.aim_arcsec;
        constexpr double jump_arcsec = 1e-6;
        if (std::abs(came - s.aimRate_arcsec_s * dt) > jump_arcsec)
            framesOfAim_ = 0;
    }
    aimRate_ = s.aimRate_arcsec_s;
    for (Member& m : members_) {
        // By this frame the motor side is where the pulses that have come have brought it.
        m.backlash.follow(motor_ - s.pending_arcsec);
        m.filter.advance(dt, phase);
    }
    last_s_ = s.t_s;
    double plain = 0.0;
    belief_.surprise = Surprise::none;
    if (s.place_arcsec) {
        plain = fallback_.correction(s);
        learn(s, dt, inCharge);
    }
    double move = decide(s);
    if (!modelRules_)
        move = -plain;
    if (prior_.mayHaveBacklash && inCharge)
        noteWay(s.t_s, move);
    // What another controller will give is not known here: as if nothing were given.
    believe(s, inCharge ? move : 0.0);
    lastCorrection_ = -move;
    return lastCorrection_;
}

void ModelController::noteWay(double t_s, double move) {
    const int way = move > 0.0 ? 1 : move < 0.0 ? -1 : belief_.way;
    if (way != belief_.way) {
        belief_.way = way;
        waySince_s_ = t_s;
    }
    belief_.oneWay_s = belief_.way != 0 ? t_s - waySince_s_ : 0.0;
}

void ModelController::learn(const AxisInput& s, double dt, bool inCharge) {
    double load = 0.0;
    double gap = 0.0;
    double off = 0.0; // of what all together foretold for this frame
    double spread = 0.0;
    const WormTurn phase(phase_.turns());
    for (const Member& m : members_) {
        if (m.weight < negligible)
            continue;
        load += m.weight * m.backlash.load;
        gap += m.weight * m.backlash.gap;
        const Measured now = m.filter.mount(0.0, phase);
        off += m.weight * (*s.place_arcsec - m.backlash.load - now.value);
        spread += m.weight * now.sigma * now.sigma;
    }
    const double place = *s.place_arcsec - load;
    noise_.feed(s.t_s, place, s.centroid_arcsec);
    const double noise = noise_.variance_arcsec2();
    // Once far out is a gust or a cosmic ray; twice the same way is a jump.
    const bool before = frames_ > 3;
    ++frames_;
    const double bound = 4.5 * std::sqrt(noise + spread);
    surprises_ = before && std::abs(off) > bound ? (off * lastSurprise_ < 0.0 ? 1 : surprises_ + 1) : 0;
    lastSurprise_ = off;
    belief_.surprise = surprises_ > 0 ? Surprise::gust : Surprise::none;
    if (surprises_ >= 2) {
        for (Member& m : members_)
            m.filter.releasePlace(std::abs(off));
        surprises_ = 0;
        belief_.surprise = Surprise::bump;
    }
    constexpr int nowAndThen = 15;
    if (!prior_.mayHaveBacklash)
        searchLines(s, noise);
    else if (frames_ % nowAndThen == 0)
        moveGaps();
    double likeliest = -1e300;
    for (Member& m : members_) {
        m.logWeight += m.filter.update(*s.place_arcsec - m.backlash.load, noise);
        if (s.t_s >= m.learnsUntil_s)
            likeliest = std::max(likeliest, m.logWeight);
    }
    constexpr double unheard = 9.0;
    for (Member& m : members_)
        if (s.t_s < m.learnsUntil_s)
            m.logWeight = likeliest - unheard;
    weigh();
    // What the proportional loop would have made of the same frames.
    shadowBacklash_.gap = gap;
    shadowBacklash_.follow(shadowMotor_);
    const double shadowError = place + shadowBacklash_.load - s.aim_arcsec;
    const double most = 1.5 * s.guideSpeed_arcsec_s;
    shadowMotor_ -= std::clamp(shadow_.correction(shadowError), -most, most);
    constexpr int settling = 10;
    ++framesOfAim_;
    if (frames_ > settling && framesOfAim_ > settling && dt < 30.0) {
        constexpr double memory = 150.0;
        const double clip = 25.0 * noise;
        compared_ = std::min(compared_ + 1.0, memory);
        // What it did not foretell; with backlash, of which more may be believed than is so, what it left.
        const double left =
            prior_.mayHaveBacklash && modelRules_ && inCharge ? *s.place_arcsec - s.aim_arcsec : off;
        modelSquare_ += (std::min(left * left, clip) - modelSquare_) / compared_;
        shadowSquare_ += (std::min(shadowError * shadowError, clip) - shadowSquare_) / compared_;
        // The one in charge keeps the word until the other is clearly better.
        constexpr double frames = 40.0;
        constexpr double clearly = 1.04;
        if (compared_ >= frames)
            modelRules_ =
                modelRules_ ? modelSquare_ < clearly * clearly * shadowSquare_ : modelSquare_ < shadowSquare_;
    }
}

// How the motor should move the star so that the load, by all that is believed, ends nearest to the aim.
// `again`: for a moment little later, when what each foretells is as uncertain as before.
double ModelController::bestMove(double ahead, bool again) {
    const WormTurn then(phase_.turns(ahead));
    struct Wish {
        double weight, move, up, down; // wanted motion of the load; slack before it follows either way
    };
    std::vector<Wish> wishes;
    wishes.reserve(members_.size());
    double plain = 0.0;
    double spread = 0.0;
    bool gap = false;
    for (Member& m : members_) {
        if (m.weight < negligible)
            continue;
        double next = 0.0;
        if (again) {
            next = m.filter.mountPlace(ahead, then);
        } else {
            const Measured told = m.filter.mount(ahead, then);
            next = told.value;
            m.nextSigma = told.sigma;
        }
        const double load = m.backlash.after(motor_);
        const double move = aim_ + aimRate_ * ahead - next - load;
        plain += m.weight * move;
        spread += m.weight * m.nextSigma * m.nextSigma;
        wishes.push_back({m.weight, move, load - (motor_ - m.backlash.gap), motor_ - load});
        gap = gap || m.backlash.gap > 0.0;
    }
    if (!gap)
        return plain;
    const auto loss = [&](double u) {
        double sum = 0.0;
        for (const Wish& w : wishes) {
            const double moved = u > 0.0 ? std::max(0.0, u - w.up) : -std::max(0.0, -u - w.down);
            sum += w.weight * (w.move - moved) * (w.move - moved);
        }
        return sum;
    };
    double best = 0.0;
    // To turn about must bring more than the prediction is uncertain by.
    double least = loss(0.0) - spread;
    const auto consider = [&](double u) {
        const double l = loss(u);
        if (l < least) {
            least = l;
            best = u;
        }
    };
    consider(plain);
    // Ideas of small weight are reckoned with, but do not propose.
    constexpr double voice = 0.02;
    for (const Wish& w : wishes)
        if (w.weight > voice)
            consider(w.move + (w.move > 0.0 ? w.up : -w.down));
    return best;
}

double ModelController::decide(const AxisInput& s) {
    double move = bestMove(s.next_s);
    // The pulse itself takes time, in which the mount goes on.
    const double pulse_s = std::min(std::abs(move) / std::max(s.guideSpeed_arcsec_s, 0.1), 2.0);
    constexpr double noticeable_s = 0.1;
    if (pulse_s > noticeable_s)
        move = bestMove(s.next_s + pulse_s, true);
    return move;
}

void ModelController::believe(const AxisInput& s, double move) {
    const double ahead = s.next_s;
    const WormTurn then(phase_.turns(ahead));
    const WormTurn present(phase_.turns());
    double next = 0.0;
    double nextSquare = 0.0;
    double placeNow = 0.0;
    double placeSquare = 0.0;
    for (const Member& m : members_) {
        if (m.weight < negligible)
            continue;
        BacklashModel gear = m.backlash;
        gear.follow(motor_);
        const double at =
            m.filter.mountPlace(ahead, then) + gear.after(motor_ + move) - aim_ - aimRate_ * ahead;
        next += m.weight * at;
        nextSquare += m.weight * (m.nextSigma * m.nextSigma + at * at);
        const Measured now = m.filter.mount(0.0, present);
        const double here = now.value + m.backlash.load - aim_;
        placeNow += m.weight * here;
        placeSquare += m.weight * (now.sigma * now.sigma + here * here);
    }
    belief_.next_arcsec = {next, std::sqrt(std::max(nextSquare - next * next, 0.0))};
    belief_.place_arcsec = {placeNow, std::sqrt(std::max(placeSquare - placeNow * placeNow, 0.0))};
    belief_.noise_arcsec = std::sqrt(noise_.variance_arcsec2());
    belief_.modelRules = modelRules_;
    belief_.seenSigma_arcsec = std::hypot(belief_.next_arcsec.sigma, belief_.noise_arcsec);
    belief_.wormPhase_turns = phase_.turns();
    const Measured period = foundPeriod_s();
    belief_.wormPeriod_s = period.value;
    belief_.wormPeriodSigma_s = period.sigma;
    believeSlowly();
}

// What changes slowly: drift, worm and gap.
void ModelController::believeSlowly() {
    double rate = 0.0;
    double rateSquare = 0.0;
    double gap = 0.0;
    double gapSquare = 0.0;
    belief_.wormWeight = 0.0;
    for (const Member& m : members_) {
        const Measured r = m.filter.rate();
        rate += m.weight * r.value;
        rateSquare += m.weight * (r.sigma * r.sigma + r.value * r.value);
        gap += m.weight * m.backlash.gap;
        gapSquare += m.weight * m.backlash.gap * m.backlash.gap;
        belief_.wormWeight += m.worm ? m.weight : 0.0;
    }
    belief_.drift_arcsec_min = {60.0 * rate, 60.0 * std::sqrt(std::max(rateSquare - rate * rate, 0.0))};
    if (prior_.mayHaveBacklash)
        // Between two ideas of the gap it may be anything.
        belief_.backlash_arcsec =
            Measured{gap, std::hypot(0.15 + 0.1 * gap, std::sqrt(std::max(gapSquare - gap * gap, 0.0)))};
    belief_.worm.clear();
    const AxisFilter& best = ruling();
    for (int h = 1; h <= best.harmonics(); ++h)
        for (bool sine : {false, true})
            belief_.worm.push_back(best.harmonic(h, sine));
}

const AxisFilter& ModelController::ruling() const {
    return std::max_element(members_.begin(), members_.end(),
                            [](const Member& a, const Member& b) { return a.weight < b.weight; })
        ->filter;
}

} // namespace nordstjerna
