#include "core/guide/model_controller.h"

#include <algorithm>
#include <cmath>
#include <iterator>
#include <map>
#include <numbers>

namespace nordstjerna {

namespace {

constexpr double forget = 0.997;     // of the weights, a frame
constexpr double negligible = 1e-3;  // weights of filters that need not be asked
constexpr double trustedSize = 10.0; // ideas of smaller worms begin with what is known of it

constexpr double longestWorm_s = 1500.0, shortestWorm_s = 140.0;
constexpr double longestLine_s = 300.0, shortestLine_s = 14.0;

struct Idea {
    double walk, rateWalk;
    double wormSize;  // 0: no worm
    double wormTurns; // forgets in so many turns; 0: never
};
constexpr Idea raIdeas[] = {{3e-5, 1e-10, 3.0, 0.0}, {3e-4, 1e-9, 3.0, 0.0},  {3e-3, 1e-8, 3.0, 0.0},
                            {3e-4, 1e-9, 15.0, 0.0}, {3e-3, 1e-8, 15.0, 0.0}, {3e-4, 1e-9, 15.0, 8.0},
                            {3e-4, 1e-6, 0.0, 0.0},  {3e-4, 3e-5, 0.0, 0.0},  {3e-4, 1e-3, 0.0, 0.0},
                            {3e-2, 1e-7, 3.0, 0.0}};
constexpr Idea decIdeas[] = {{3e-5, 1e-10, 0.0, 0.0}, {6e-4, 1e-9, 0.0, 0.0}, {1e-2, 1e-7, 0.0, 0.0}};
constexpr Idea gapIdeas[] = {{1e-4, 3e-10, 0.0, 0.0}, {3e-3, 1e-8, 0.0, 0.0}};
constexpr double widestGap_arcsec = 22.0; // tried where smaller ones do not do
constexpr double gaps_arcsec[] = {0.4, 0.8, 1.3, 2.0, 2.8, 3.8, 5.0, 6.5};
// How finely a gap need be known.
double gapStep(double gap_arcsec) {
    return std::max(0.5, 0.08 * gap_arcsec);
}
constexpr double harmonicFalls[] = {1.0, 0.4, 0.25, 0.15};

FilterModel modelOf(const Idea& idea, double wormPeriod_s) {
    FilterModel m;
    m.walk_arcsec2_s = idea.walk;
    m.rateWalk_arcsec2_s3 = idea.rateWalk;
    m.lineForgets_s = 3000.0;
    if (idea.wormSize > 0.0) {
        m.harmonics = 3;
        for (size_t h = 0; h < 4; ++h)
            m.priorHarmonic_arcsec[h] = idea.wormSize * harmonicFalls[h];
        m.wormForgets_s = idea.wormTurns * wormPeriod_s;
    }
    return m;
}

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

ModelController::ModelController(const AxisSettings& fallback, const AxisPrior& prior)
    : prior_(prior), phase_(prior.wormPeriod_s), fallback_(fallback), shadow_(fallback),
      wormSearch_(longestWorm_s, shortestWorm_s / 3.0), lineSearch_(longestLine_s, shortestLine_s) {
    // A number typed from memory, or a gear that is not what its maker says.
    constexpr double doubt = 0.005;
    periodSigma_s_ = doubt * prior.wormPeriod_s;
    if (prior.mayHavePlay) {
        for (const Idea& idea : decIdeas)
            members_.push_back({AxisFilter(modelOf(idea, 0.0)), {}});
        // Nobody knows at which side of the gap the axis stands when the loop closes.
        for (double gap : gaps_arcsec)
            for (double load : {0.0, -gap})
                for (const Idea& idea : gapIdeas)
                    members_.push_back({AxisFilter(modelOf(idea, 0.0)), {gap, load}});
    } else {
        for (const Idea& idea : raIdeas)
            if (idea.wormSize == 0.0)
                members_.push_back({AxisFilter(modelOf(idea, 0.0)), {}});
        if (prior.wormPeriod_s > 0.0)
            addWormMembers();
    }
    if (prior.gap_arcsec)
        for (Member& m : members_) {
            const double spread = std::max(prior.gap_arcsec->sigma, 0.15 + 0.15 * prior.gap_arcsec->value);
            m.logWeight = -0.5 * std::pow((m.play.gap - prior.gap_arcsec->value) / spread, 2);
        }
    weigh();
}

void ModelController::addWormMembers() {
    std::erase_if(members_, [](const Member& m) { return m.worm; });
    wormsSince_s_ = last_s_.value_or(0.0);
    const auto best =
        std::max_element(members_.begin(), members_.end(),
                         [](const Member& a, const Member& b) { return a.logWeight < b.logWeight; });
    const AxisFilter now = best->filter;
    const double weight = best->logWeight;
    for (const Idea& idea : raIdeas)
        if (idea.wormSize > 0.0) {
            FilterModel model = modelOf(idea, phase_.period_s());
            model.turnDoubt_rad_s = phase_.byMount() ? 0.0 : turnDoubt_rad_s();
            Member m{AxisFilter(model), {}};
            m.worm = true;
            m.logWeight = weight;
            if (frames_ > 0) {
                m.filter.beginAt(now, 3.0 * idea.wormSize);
                // What it foretells before it has seen a turn says nothing of what it will.
                m.learnsUntil_s = wormsSince_s_ + phase_.period_s();
            }
            // Some begin with what is known of the worm; the others are there in case it is wrong.
            if (prior_.worm && phase_.byMount() && idea.wormSize < trustedSize)
                m.filter.setWorm(*prior_.worm);
            members_.push_back(std::move(m));
        }
}

// The period of the worm, when nobody told it or it is not what was told; and lines that are none of its
// multiples.
void ModelController::searchLines(const AxisSight& s, double noise) {
    const Member* slow = nullptr;
    const Member* best = nullptr;
    for (const Member& m : members_) {
        if (!m.worm &&
            (!slow || m.filter.model().rateWalk_arcsec2_s3 < slow->filter.model().rateWalk_arcsec2_s3) &&
            m.filter.model().walk_arcsec2_s < 1e-3)
            slow = &m;
        if (!best || m.weight > best->weight)
            best = &m;
    }
    const WormTurn phase(phase_.turns());
    const auto off = [&](const Member& m) {
        return *s.place_arcsec - m.play.load - m.filter.seenPlace(0.0, phase);
    };
    if (slow)
        wormSearch_.feed(s.t_s, off(*slow), noise);
    lineSearch_.feed(s.t_s, off(*best), noise);
    constexpr int every = 25;
    if (frames_ % every)
        return;
    if (!phase_.byMount())
        if (const auto line = wormSearch_.strongestFamily(shortestWorm_s)) {
            const double given = phase_.period_s();
            const double found = given > 0.0 ? foundPeriod_s().value : 0.0;
            // What is near enough the filters find themselves.
            constexpr double near = 0.02;
            const double apart = given > 0.0 ? std::abs(std::log(line->period_s / found)) : 1e9;
            // What the rig says of its gears is rarely wrong, and never by a quarter: what is farther off is
            // something else. What was found before may have been a part of the worm's turn.
            const bool told = given == prior_.wormPeriod_s;
            constexpr double muchLikelier = 8.0;
            constexpr double likelier = 1.0;
            const bool likely =
                wormSearch_.likelier(line->period_s, given) > (told ? muchLikelier : likelier);
            const bool other =
                given <= 0.0 || (apart > near && (told ? apart < 0.25 && likely : apart > 0.25 || likely));
            // Ideas of the worm that began with too little known of it may take an hour to come right.
            constexpr double turns = 3.0;
            const bool stuck =
                !told && given > 0.0 && belief_.wormWeight < 0.02 && s.t_s - wormsSince_s_ > turns * given;
            if (other || stuck) {
                phase_.setPeriod(line->period_s);
                // Of two turns, drift and the other lines make more than the noise alone.
                constexpr double leastDoubt = 0.02;
                periodSigma_s_ = std::max(line->sigma_s, leastDoubt * line->period_s);
                addWormMembers();
                weigh();
                lineSearch_.clear();
                return;
            }
        }
    if (const auto line = lineSearch_.strongest(); line && lines_ < 2) {
        ++lines_;
        for (Member& m : members_)
            if (m.worm || !phase_.known())
                m.filter.addLine(line->period_s, 1.5 * line->amplitude);
        lineSearch_.clear();
    }
}

// Gaps that are tried move to where they are believed: beyond the largest while that is believed more than
// the others, and between the likeliest and its neighbours, for a gap that is wrong by half an arcsecond
// makes the loop overshoot by as much. Those in which nobody believes leave.
void ModelController::moveGaps() {
    std::map<double, double> weight; // of each gap
    for (const Member& m : members_)
        if (m.play.gap > 0.0)
            weight[m.play.gap] += m.weight;
    const auto likeliest = std::max_element(weight.begin(), weight.end(),
                                            [](const auto& a, const auto& b) { return a.second < b.second; });
    constexpr double believed = 0.3;
    if (likeliest == weight.end() || likeliest->second < believed)
        return;
    const double gap = likeliest->first;
    // Up to there all have been tried from the beginning, each with its own past.
    if (gap < *std::rbegin(gaps_arcsec))
        return;
    std::vector<double> wanted;
    const auto next = std::next(likeliest);
    if (next == weight.end()) {
        for (double wider : {1.4, 2.0})
            if (wider * gap <= widestGap_arcsec)
                wanted.push_back(wider * gap);
    } else if (next->first - gap > gapStep(gap)) {
        wanted.push_back(0.5 * (gap + next->first));
    }
    if (gap > *std::rbegin(gaps_arcsec) && gap - std::prev(likeliest)->first > gapStep(gap))
        wanted.push_back(0.5 * (gap + std::prev(likeliest)->first));
    if (wanted.empty())
        return;
    std::vector<Member> more;
    for (const Member& m : members_)
        if (m.play.gap == gap)
            for (double other : wanted) {
                more.push_back(m);
                more.back().play.gap = other;
                more.back().logWeight -= 1.0;
            }
    // As many as there were.
    for (size_t i = 0; i < wanted.size() && weight.size() > 2; ++i) {
        const auto least = std::min_element(weight.begin(), weight.end(),
                                            [](const auto& a, const auto& b) { return a.second < b.second; });
        if (least->second > 0.01)
            break;
        std::erase_if(members_, [&](const Member& m) { return m.play.gap == least->first; });
        weight.erase(least);
    }
    members_.insert(members_.end(), more.begin(), more.end());
    weigh();
}

Measured ModelController::foundPeriod_s() const {
    const double counted = phase_.period_s();
    if (!phase_.known() || phase_.byMount())
        return {counted, periodSigma_s_};
    double sum = 0.0;
    double square = 0.0;
    double weights = 0.0;
    for (const Member& m : members_) {
        if (!m.worm || m.weight < negligible)
            continue;
        const Measured faster = m.filter.turnsFaster_rad_s();
        weights += m.weight;
        sum += m.weight * faster.value;
        square += m.weight * (faster.value * faster.value + faster.sigma * faster.sigma);
    }
    if (weights <= 0.0)
        return {counted, periodSigma_s_};
    const double faster = sum / weights;
    // The filters' ± are a little too large, their noises being chosen generously.
    constexpr double generous = 0.83;
    const double sigma = generous * std::sqrt(std::max(square / weights - faster * faster, 0.0));
    const double period = tau / (tau / counted + faster);
    // What was assumed at the start is forgotten within some turns, and till then it bends what is found.
    constexpr double forgotten_turns = 1.5;
    const double turns = std::max(0.0, last_s_.value_or(0.0) - wormsSince_s_) / period;
    return {period,
            std::hypot(period * period * sigma / tau, periodSigma_s_ * std::exp(-turns / forgotten_turns))};
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
        m.logWeight = forget * (m.logWeight - best);
    }
}

double ModelController::correction(const AxisSight& s, bool inCharge) {
    const double dt = last_s_ ? s.t_s - *last_s_ : 0.0;
    inCharge_ = inCharge;
    const bool hadWorm = phase_.known();
    const bool toldBefore = phase_.byMount();
    phase_.feed(s.t_s, s.worm_turns);
    // Coefficients belong to a phase: with another source of it they are learnt anew.
    if (!prior_.mayHavePlay && phase_.known() && (!hadWorm || toldBefore != phase_.byMount()))
        addWormMembers();
    const WormTurn phase(phase_.turns());
    motor_ += s.moved_arcsec;
    if (s.aim_arcsec != aim_) {
        shadowMotor_ += s.aim_arcsec - aim_; // its loop takes the way at once
        aim_ = s.aim_arcsec;
        framesOfAim_ = 0;
    }
    for (Member& m : members_) {
        m.play.follow(motor_);
        m.filter.advance(dt, phase);
    }
    last_s_ = s.t_s;
    double plain = 0.0;
    belief_.surprise = Surprise::none;
    if (s.place_arcsec) {
        plain = fallback_.correction(s);
        learn(s, dt);
    }
    double move = decide(s);
    if (!modelRules_)
        move = -plain;
    if (prior_.mayHavePlay && inCharge)
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

void ModelController::learn(const AxisSight& s, double dt) {
    double load = 0.0;
    double gap = 0.0;
    double off = 0.0; // of what all together foretold for this frame
    double spread = 0.0;
    const WormTurn phase(phase_.turns());
    for (const Member& m : members_) {
        if (m.weight < negligible)
            continue;
        load += m.weight * m.play.load;
        gap += m.weight * m.play.gap;
        const Measured now = m.filter.mount(0.0, phase);
        off += m.weight * (*s.place_arcsec - m.play.load - now.value);
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
    if (!prior_.mayHavePlay)
        searchLines(s, noise);
    else if (frames_ % nowAndThen == 0)
        moveGaps();
    double likeliest = -1e300;
    for (Member& m : members_) {
        m.logWeight += m.filter.update(*s.place_arcsec - m.play.load, noise);
        if (s.t_s >= m.learnsUntil_s)
            likeliest = std::max(likeliest, m.logWeight);
    }
    constexpr double unheard = 9.0;
    for (Member& m : members_)
        if (s.t_s < m.learnsUntil_s)
            m.logWeight = likeliest - unheard;
    weigh();
    // What the proportional loop would have made of the same frames.
    shadowPlay_.gap = gap;
    shadowPlay_.follow(shadowMotor_);
    const double shadowError = place + shadowPlay_.load - s.aim_arcsec;
    const double most = 1.5 * s.reach_arcsec_s;
    shadowMotor_ -= std::clamp(shadow_.correction(shadowError), -most, most);
    constexpr int settling = 10;
    ++framesOfAim_;
    if (frames_ > settling && framesOfAim_ > settling && dt < 30.0) {
        constexpr double memory = 150.0;
        const double clip = 25.0 * noise;
        compared_ = std::min(compared_ + 1.0, memory);
        // What it did not foretell; with play, of which more may be believed than is so, what it left.
        const double left = prior_.mayHavePlay && modelRules_ && inCharge_ ? s.error_arcsec() : off;
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
        const double move = aim_ - next - m.play.load;
        plain += m.weight * move;
        spread += m.weight * m.nextSigma * m.nextSigma;
        wishes.push_back({m.weight, move, m.play.load - (motor_ - m.play.gap), motor_ - m.play.load});
        gap = gap || m.play.gap > 0.0;
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

double ModelController::decide(const AxisSight& s) {
    double move = bestMove(s.next_s);
    // The pulse itself takes time, in which the mount goes on.
    const double pulse_s = std::min(std::abs(move) / std::max(s.reach_arcsec_s, 0.1), 2.0);
    constexpr double noticeable_s = 0.1;
    if (pulse_s > noticeable_s)
        move = bestMove(s.next_s + pulse_s, true);
    return move;
}

void ModelController::believe(const AxisSight& s, double move) {
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
        const double at = m.filter.mountPlace(ahead, then) + m.play.after(motor_ + move) - aim_;
        next += m.weight * at;
        nextSquare += m.weight * (m.nextSigma * m.nextSigma + at * at);
        const Measured now = m.filter.mount(0.0, present);
        const double here = now.value + m.play.load - aim_;
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
        gap += m.weight * m.play.gap;
        gapSquare += m.weight * m.play.gap * m.play.gap;
        belief_.wormWeight += m.worm ? m.weight : 0.0;
    }
    belief_.drift_arcsec_min = {60.0 * rate, 60.0 * std::sqrt(std::max(rateSquare - rate * rate, 0.0))};
    if (prior_.mayHavePlay)
        // Between two ideas of the gap it may be anything.
        belief_.gap_arcsec =
            Measured{gap, std::hypot(0.15 + 0.1 * gap, std::sqrt(std::max(gapSquare - gap * gap, 0.0)))};
    belief_.worm.clear();
    const AxisFilter& best = ruling();
    for (int h = 1; h <= best.harmonics(); ++h)
        for (bool sine : {false, true})
            belief_.worm.push_back(best.harmonic(h, sine));
}

double ModelController::rateWalk_arcsec2_s3(double dt_s) const {
    // Of the first frames anything may be believed.
    constexpr int fewest = 60;
    if (frames_ < fewest)
        return 0.0;
    double bend2 = 0.0; // of the worm, (″/s²)²
    if (phase_.known() && belief_.wormSeen())
        for (size_t i = 0; i + 1 < belief_.worm.size(); i += 2) {
            const double turning = tau * (0.5 * static_cast<double>(i) + 1.0) / phase_.period_s();
            bend2 += std::pow(turning, 4) *
                     (std::pow(belief_.worm[i].value, 2) + std::pow(belief_.worm[i + 1].value, 2));
        }
    // A bend lasts for many frames, a walk does not.
    constexpr double lasting = 4.0;
    return 2.0 * ruling().model().rateWalk_arcsec2_s3 + lasting * bend2 * dt_s;
}

const AxisFilter& ModelController::ruling() const {
    return std::max_element(members_.begin(), members_.end(),
                            [](const Member& a, const Member& b) { return a.weight < b.weight; })
        ->filter;
}

} // namespace nordstjerna
