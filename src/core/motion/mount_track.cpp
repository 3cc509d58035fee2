#include "core/motion/mount_track.h"

#include <cmath>

#include "core/base/statistics.h"
#include "core/guide/noise_meter.h"
#include "core/motion/axis_summary.h"
#include "core/motion/line_model.h"
#include "core/motion/loop_bound.h"
#include "core/motion/mount_part.h"

namespace nordstjerna {

namespace {

std::vector<Measured> smooth(const std::vector<double>& t, const std::vector<double>& place,
                             const std::vector<double>& variance, const std::vector<double>& phase,
                             const FilterModel& model, std::vector<double>& surprise) {
    const size_t n = t.size();
    std::vector<Measured> track(n);
    AxisFilter forward(model);
    for (size_t i = 0; i < n; ++i) {
        forward.advance(i ? t[i] - t[i - 1] : 0.0, phase[i]);
        surprise.push_back(place[i] - forward.seenPlace(0.0, phase[i]));
        forward.update(place[i], variance[i]);
        track[i] = forward.mount(0.0, phase[i]);
    }
    AxisFilter backward(model);
    for (size_t i = n; i-- > 0;) {
        backward.advance(i + 1 < n ? t[i + 1] - t[i] : 0.0, phase[i]);
        if (i + 1 < n) {
            // Of the frames behind this one only.
            const Measured b = backward.mount(0.0, phase[i]);
            const double wf = 1.0 / std::max(track[i].sigma * track[i].sigma, 1e-9);
            const double wb = 1.0 / std::max(b.sigma * b.sigma, 1e-9);
            track[i] = {(wf * track[i].value + wb * b.value) / (wf + wb), 1.0 / std::sqrt(wf + wb)};
        }
        backward.update(place[i], variance[i]);
    }
    return track;
}

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
    const std::vector<double> phase = d.wormPhases();
    MountTrack track;
    track.ra = smooth(d.t_s, d.ra_arcsec, frameVariances(d.t_s, d.ra_arcsec, d.centroid_arcsec), phase,
                      d.raModel, track.raSurprise);
    track.dec = smooth(d.t_s, d.dec_arcsec, frameVariances(d.t_s, d.dec_arcsec, d.centroid_arcsec), phase,
                       d.decModel, track.decSurprise);
    return track;
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

LoopFigures figuresFrom(const JudgedAxis& ra, const JudgedAxis& dec) {
    LoopFigures f;
    f.ra_arcsec = rmsWithSigma(ra.error);
    f.dec_arcsec = rmsWithSigma(dec.error);
    f.total_arcsec = quadratureSum(f.ra_arcsec, f.dec_arcsec);
    f.mountRa_arcsec = smoothedMountPart(ra.mount, ra.load);
    f.mountDec_arcsec = smoothedMountPart(dec.mount, dec.load);
    f.mountPart_arcsec = quadratureSum(f.mountRa_arcsec, f.mountDec_arcsec);
    return f;
}

LoopFigures figuresOf(const Disturbance& d, const MountTrack& track, const std::vector<SkyError>& error) {
    JudgedAxis ra;
    JudgedAxis dec;
    for (size_t i = d.judgedFrom(); i < error.size(); ++i) {
        ra.add(error[i].dra_arcsec, d.ra_arcsec[i], track.ra[i]);
        dec.add(error[i].ddec_arcsec, d.dec_arcsec[i], track.dec[i]);
    }
    return figuresFrom(ra, dec);
}

JudgedFrames judgedFrames(const Disturbance& d, const MountTrack& track, size_t from) {
    JudgedFrames f;
    for (size_t i = from; i < d.recorded.size(); ++i) {
        if (!d.counts[i])
            continue;
        f.t_s.push_back(d.t_s[i]);
        f.ra.add(d.recorded[i].dra_arcsec, d.ra_arcsec[i], track.ra[i]);
        f.dec.add(d.recorded[i].ddec_arcsec, d.dec_arcsec[i], track.dec[i]);
    }
    return f;
}

LoopFigures recordedFigures(const Disturbance& d, const MountTrack& track) {
    const JudgedFrames f = judgedFrames(d, track, d.judgedFrom());
    constexpr size_t fewest = 30;
    return f.t_s.size() < fewest ? figuresOf(d, track, d.recorded) : figuresFrom(f.ra, f.dec);
}

} // namespace nordstjerna
