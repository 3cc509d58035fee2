#include "core/motion/mount_track.h"

#include <algorithm>
#include <cmath>

#include "core/base/likely_answer.h"
#include "core/base/statistics.h"
#include "core/guide/noise_meter.h"
#include "core/motion/air_ideas.h"
#include "core/motion/axis_summary.h"
#include "core/motion/line_model.h"
#include "core/motion/loop_bound.h"
#include "core/motion/mount_part.h"

namespace nordstjerna {

namespace {

// Tracks by several ideas, weighed.
class MixedTrack {
public:
    explicit MixedTrack(size_t frames) : mean_(frames, 0.0), square_(frames, 0.0) {}
    void add(const std::vector<Measured>& track, double weight) {
        weights_ += weight;
        for (size_t i = 0; i < track.size(); ++i) {
            const Measured& m = track[i];
            mean_[i] += weight * m.value;
            square_[i] += weight * (m.value * m.value + m.sigma * m.sigma);
        }
    }
    std::vector<Measured> track() const {
        std::vector<Measured> mixed;
        for (size_t i = 0; i < mean_.size(); ++i) {
            const double mean = mean_[i] / weights_;
            mixed.push_back({mean, std::sqrt(std::max(square_[i] / weights_ - mean * mean, 0.0))});
        }
        return mixed;
    }

private:
    std::vector<double> mean_, square_;
    double weights_ = 0.0;
};

// How long a smoothed place stays off by about the same. Of a walk seen in white noise the errors have the
// covariance √(qr)/2 exp(−|Δt|/τ), τ = √(r/q): their variance and how fast the mount walks tell τ. What slow
// air was taken for motion stays at least as long as the air remembers. Bounds: no idea of the walk is as
// sure as it says (held against some hundred mounts in usual and in slow air).
double memoryOf(const std::vector<Measured>& place, const FilterModel& model) {
    double variance = 0.0;
    for (const Measured& m : place)
        variance += m.sigma * m.sigma / static_cast<double>(place.size());
    constexpr double shortest_s = 40.0, longest_s = 120.0;
    const double ofWalk_s = std::clamp(2.0 * variance / model.walk_arcsec2_s, shortest_s, longest_s);
    return std::max(ofWalk_s, model.airMemory_s);
}

// surprise: what the likeliest walk did not foretell, unless it is known already.
std::vector<MountTrack::Way> smoothedWays(const AxisFrames& frames, const std::vector<AirIdea::Walk>& walks,
                                          std::vector<double>& surprise) {
    std::vector<MountTrack::Way> ways;
    for (const AirIdea::Walk& walk : walks) {
        auto place = smoothedMount(frames, walk.model, surprise.empty() ? &surprise : nullptr);
        const double memory_s = memoryOf(place, walk.model);
        ways.push_back({walk.weight, std::move(place), memory_s});
    }
    return ways;
}

// Of either axis and of both, by each idea of the air, which both axes share.
struct PartsByIdea {
    std::vector<LikelyAnswer> ra, dec, both;
    void add(double logLikelihood, const Measured& raSquare, const Measured& decSquare) {
        ra.push_back({logLikelihood, rootOfSquare(raSquare)});
        dec.push_back({logLikelihood, rootOfSquare(decSquare)});
        both.push_back({logLikelihood, rootOfSquare({raSquare.value + decSquare.value,
                                                     std::hypot(raSquare.sigma, decSquare.sigma)})});
    }
};

} // namespace

std::vector<double> frameVariances(const std::vector<double>& t, const std::vector<double>& place,
                                   const std::vector<double>& centroid) {
    NoiseMeter meter;
    std::vector<double> v;
    for (size_t i = 0; i < t.size(); ++i) {
        meter.feed(t[i], place[i], centroid[i]);
        v.push_back(meter.variance_arcsec2());
    }
    return v;
}

MountTrack trackMount(const Disturbance& d) {
    const std::vector<double> turns = d.wormPhases();
    const std::vector<WormTurn> worm(turns.begin(),
                                     turns.end()); // once: each idea of either axis asks for them
    const std::vector<double> raVariance = frameVariances(d.t_s, d.ra_arcsec, d.centroid_arcsec);
    const std::vector<double> decVariance = frameVariances(d.t_s, d.dec_arcsec, d.centroid_arcsec);
    const AxisFrames ra{d.t_s, d.ra_arcsec, raVariance, worm};
    const AxisFrames dec{d.t_s, d.dec_arcsec, decVariance, worm};
    MountTrack track;
    MixedTrack mixedRa(d.t_s.size());
    MixedTrack mixedDec(d.t_s.size());
    const std::vector<AirIdea> airs = likelyAir(ra, d.raModel, dec, d.decModel);
    for (const AirIdea& air : airs) {
        const double weight = std::exp(air.logLikelihood - airs.front().logLikelihood);
        track.ideas.push_back({air.logLikelihood, smoothedWays(ra, air.ra, track.raSurprise),
                               smoothedWays(dec, air.dec, track.decSurprise)});
        for (const MountTrack::Way& way : track.ideas.back().ra)
            mixedRa.add(way.place, weight * way.weight);
        for (const MountTrack::Way& way : track.ideas.back().dec)
            mixedDec.add(way.place, weight * way.weight);
    }
    track.ra = mixedRa.track();
    track.dec = mixedDec.track();
    track.raModel = airs.front().ra.front().model;
    track.decModel = airs.front().dec.front().model;
    return track;
}

void JudgedFrames::add(const Disturbance& d, const MountTrack& track, size_t i, const SkyError& error) {
    frame.push_back(i);
    t_s.push_back(d.t_s[i]);
    ra.add(error.dra_arcsec, d.ra_arcsec[i], track.ra[i]);
    dec.add(error.ddec_arcsec, d.dec_arcsec[i], track.dec[i]);
}

MountParts mountParts(const MountTrack& track, const std::vector<size_t>& frame,
                      const std::vector<double>& raLoad, const std::vector<double>& decLoad, double span_s) {
    const auto square = [&](const std::vector<Measured>& whole, const std::vector<double>& load,
                            double memory_s) {
        std::vector<Measured> asked;
        for (size_t i : frame)
            asked.push_back(whole[i]);
        return smoothedMountSquare(asked, load, span_s, memory_s);
    };
    const auto overWays = [&](const std::vector<MountTrack::Way>& ways, const std::vector<double>& load) {
        std::vector<LikelyAnswer> squares;
        for (const MountTrack::Way& way : ways)
            squares.push_back({std::log(way.weight), square(way.place, load, way.memory_s)});
        return averagedByLikelihood(squares);
    };
    // However long the run: the truth lies between two ideas of the air, and is like neither.
    constexpr double between = 0.02;
    const auto averaged = [&](const std::vector<LikelyAnswer>& ideas) {
        Measured m = averagedByLikelihood(ideas);
        if (!track.ideas.empty())
            m.sigma = std::hypot(m.sigma, between * m.value);
        return m;
    };
    PartsByIdea parts;
    for (const MountTrack::Idea& idea : track.ideas)
        parts.add(idea.logLikelihood, overWays(idea.ra, raLoad), overWays(idea.dec, decLoad));
    if (track.ideas.empty())
        parts.add(0.0, square(track.ra, raLoad, 1.0), square(track.dec, decLoad, 1.0));
    return {averaged(parts.ra), averaged(parts.dec), averaged(parts.both)};
}

LoopBound loopBound(const Disturbance& d, const MountTrack& track) {
    const auto least = [&](const std::vector<double>& place, const std::vector<double>& surprise,
                           const std::vector<double>& turns) {
        const size_t from = std::min(d.judgedFrom(), surprise.size());
        const double byModel = standardDeviation({surprise.data() + from, surprise.size() - from});
        const double byHindsight = hindsightBound(place, turns, from);
        return byHindsight > 0.0 ? std::min(byModel, byHindsight) : byModel;
    };
    return {least(d.ra_arcsec, track.raSurprise, d.knownWormPhases()),
            least(d.dec_arcsec, track.decSurprise, {})};
}

void LoopBound::holdTo(const LoopFigures& left) {
    ra_arcsec = std::min(ra_arcsec, left.ra_arcsec.value);
    dec_arcsec = std::min(dec_arcsec, left.dec_arcsec.value);
}

LoopFigures figuresFrom(const MountTrack& track, const JudgedFrames& frames) {
    LoopFigures f;
    f.ra_arcsec = rmsWithSigma(frames.ra.error);
    f.dec_arcsec = rmsWithSigma(frames.dec.error);
    f.total_arcsec = quadratureSum(f.ra_arcsec, f.dec_arcsec);
    const double span_s = frames.t_s.empty() ? 0.0 : frames.t_s.back() - frames.t_s.front();
    const MountParts parts = mountParts(track, frames.frame, frames.ra.load, frames.dec.load, span_s);
    f.mountRa_arcsec = parts.ra_arcsec;
    f.mountDec_arcsec = parts.dec_arcsec;
    f.mountPart_arcsec = parts.both_arcsec;
    return f;
}

LoopFigures figuresOf(const Disturbance& d, const MountTrack& track, const std::vector<SkyError>& error) {
    JudgedFrames judged;
    for (size_t i = d.judgedFrom(); i < error.size(); ++i)
        judged.add(d, track, i, error[i]);
    return figuresFrom(track, judged);
}

JudgedFrames judgedFrames(const Disturbance& d, const MountTrack& track, size_t from) {
    JudgedFrames f;
    for (size_t i = from; i < d.recorded.size(); ++i)
        if (d.counts[i])
            f.add(d, track, i, d.recorded[i]);
    return f;
}

LoopFigures recordedFigures(const Disturbance& d, const MountTrack& track) {
    const JudgedFrames f = judgedFrames(d, track, d.judgedFrom());
    constexpr size_t fewest = 30;
    return f.t_s.size() < fewest ? figuresOf(d, track, d.recorded) : figuresFrom(track, f);
}

} // namespace nordstjerna
