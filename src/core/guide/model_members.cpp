// The filters of the bank: which there are at first, and how they come and go.
#include "core/guide/model_controller.h"

#include <algorithm>
#include <cmath>
#include <iterator>
#include <map>

namespace nordstjerna {

namespace {

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
constexpr double backlashes_arcsec[] = {0.4, 0.8, 1.3, 2.0, 2.8, 3.8, 5.0, 6.5};
// How finely a gap need be known.
double gapStep(double backlash_arcsec) {
    return std::max(0.5, 0.08 * backlash_arcsec);
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

ModelController::ModelController(const AxisSettings& fallback, const AxisPrior& prior)
    : prior_(prior), phase_(prior.wormPeriod_s), fallback_(fallback), shadow_(fallback),
      wormSearch_(longestWorm_s, shortestWorm_s / 3.0), lineSearch_(longestLine_s, shortestLine_s) {
    // A number typed from memory, or a gear that is not what its maker says.
    constexpr double doubt = 0.005;
    periodSigma_s_ = doubt * prior.wormPeriod_s;
    if (prior.mayHaveBacklash) {
        for (const Idea& idea : decIdeas)
            members_.push_back({AxisFilter(modelOf(idea, 0.0)), {}});
        // Nobody knows at which side of the gap the axis stands when the loop closes.
        for (double gap : backlashes_arcsec)
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
    if (prior.backlash_arcsec)
        for (Member& m : members_) {
            const double spread =
                std::max(prior.backlash_arcsec->sigma, 0.15 + 0.15 * prior.backlash_arcsec->value);
            m.logWeight = -0.5 * std::pow((m.backlash.gap - prior.backlash_arcsec->value) / spread, 2);
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

// Whether that period is to be the worm's from now on.
bool ModelController::isOtherWorm(const LineSearch::Line& line, double t_s) const {
    const double given = phase_.period_s();
    if (given <= 0.0)
        return true;
    // What is near enough the filters find themselves.
    constexpr double near = 0.02;
    // What the rig says of its gears is rarely wrong, and never by a quarter: what is farther off is
    // something else. What was found before may have been a part of the worm's turn.
    constexpr double far = 0.25;
    const double apart = std::abs(std::log(line.period_s / foundPeriod_s().value));
    const auto likelier = [&](double odds) { return wormSearch_.likelier(line.period_s, given) > odds; };
    // While the filters foretell by a worm of about that period, they know it better than a search does that
    // takes drift and the first minutes into the bargain.
    constexpr double foretelling = 0.5;
    if (given == prior_.wormPeriod_s)
        return apart > near && apart < far && belief_.wormWeight < foretelling && likelier(8.0);
    // Ideas of the worm that began with too little known of it may take an hour to come right.
    constexpr double turns = 3.0;
    if (belief_.wormWeight < 0.02 && t_s - wormsSince_s_ > turns * given)
        return true;
    return apart > near && (apart > far || likelier(1.0));
}

// The period of the worm, when nobody told it or it is not what was told; and lines that are none of its
// multiples.
void ModelController::searchLines(const AxisInput& s, double noise) {
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
        return *s.place_arcsec - m.backlash.load - m.filter.seenPlace(0.0, phase);
    };
    if (slow)
        wormSearch_.feed(s.t_s, off(*slow), noise);
    lineSearch_.feed(s.t_s, off(*best), noise);
    constexpr int every = 25;
    if (frames_ % every)
        return;
    if (!phase_.byMount())
        if (const auto line = wormSearch_.strongestFamily(shortestWorm_s)) {
            if (isOtherWorm(*line, s.t_s)) {
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
// makes the loop overshoot by as much. Wide ones in which nobody believes leave.
void ModelController::moveGaps() {
    std::map<double, double> weight; // of each gap
    for (const Member& m : members_)
        if (m.backlash.gap > 0.0)
            weight[m.backlash.gap] += m.weight;
    const auto likeliest = std::max_element(weight.begin(), weight.end(),
                                            [](const auto& a, const auto& b) { return a.second < b.second; });
    constexpr double believed = 0.3;
    if (likeliest == weight.end() || likeliest->second < believed)
        return;
    const double gap = likeliest->first;
    // Up to there all have been tried from the beginning, each with its own past.
    if (gap < *std::rbegin(backlashes_arcsec))
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
    if (gap > *std::rbegin(backlashes_arcsec) && gap - std::prev(likeliest)->first > gapStep(gap))
        wanted.push_back(0.5 * (gap + std::prev(likeliest)->first));
    if (wanted.empty())
        return;
    std::vector<Member> more;
    for (const Member& m : members_)
        if (m.backlash.gap == gap)
            for (double other : wanted) {
                more.push_back(m);
                more.back().backlash.gap = other;
                more.back().logWeight -= 1.0;
            }
    // Of the wide ones no more than a few. The others stay: of a gap that was believed too wide for a while
    // the turn of the drift tells.
    weight.erase(weight.begin(), weight.upper_bound(*std::rbegin(backlashes_arcsec)));
    constexpr size_t mostWide = 4;
    while (weight.size() + wanted.size() > mostWide) {
        const auto least = std::min_element(weight.begin(), weight.end(),
                                            [](const auto& a, const auto& b) { return a.second < b.second; });
        if (least == weight.end() || least->second > 0.01)
            break;
        std::erase_if(members_, [&](const Member& m) { return m.backlash.gap == least->first; });
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

double ModelController::wormMotion_arcsec(double dt_s) const {
    if (!phase_.known() || !belief_.wormSeen())
        return 0.0;
    double motion = 0.0;
    for (size_t i = 0; i + 1 < belief_.worm.size(); i += 2) {
        const double turn = tau * (0.5 * static_cast<double>(i) + 1.0);
        const double now = turn * phase_.turns();
        const double then = turn * phase_.turns(dt_s);
        motion += belief_.worm[i].value * (std::cos(then) - std::cos(now)) +
                  belief_.worm[i + 1].value * (std::sin(then) - std::sin(now));
    }
    return motion;
}

double ModelController::rateWalk_arcsec2_s3(double dt_s) const {
    // Of the first frames anything may be believed.
    constexpr int fewest = 60;
    if (frames_ < fewest)
        return 0.0;
    // The worm was learnt with the delay that is reckoned with. If that is wrong, it is off by what it moves
    // meanwhile, which bends by so much, (″/s²)².
    constexpr double delay_s = 3.0;
    double bend2 = 0.0;
    if (phase_.known() && belief_.wormSeen())
        for (size_t i = 0; i + 1 < belief_.worm.size(); i += 2) {
            const double turning = tau * (0.5 * static_cast<double>(i) + 1.0) / phase_.period_s();
            bend2 += std::pow(turning, 6) * delay_s * delay_s *
                     (std::pow(belief_.worm[i].value, 2) + std::pow(belief_.worm[i + 1].value, 2));
        }
    // A bend lasts for many frames, a walk does not.
    constexpr double lasting = 4.0;
    return 2.0 * ruling().model().rateWalk_arcsec2_s3 + lasting * bend2 * dt_s;
}

} // namespace nordstjerna
