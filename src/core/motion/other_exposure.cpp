#include "core/motion/other_exposure.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <limits>
#include <utility>

#include "core/base/random.h"
#include "core/base/statistics.h"
#include "core/motion/axis_smoother.h"

namespace nordstjerna {

namespace {

// The same mount and loop, without frames.
Disturbance emptied(const Disturbance& d, double exposure_s) {
    Disturbance e = d;
    for (auto* v : {&e.t_s, &e.ra_arcsec, &e.dec_arcsec, &e.centroid_arcsec, &e.worm_turns})
        v->clear();
    e.row.clear();
    e.recorded.clear();
    e.counts.clear();
    e.asGuided.clear();
    e.exposure_s = exposure_s;
    return e;
}

Disturbance joined(const Disturbance& d, size_t count) {
    Disturbance b = emptied(d, d.exposure_s * static_cast<double>(count));
    const double most_s = 1.5 * static_cast<double>(count) * medianStep(d.t_s);
    const double n = static_cast<double>(count);
    for (size_t i = 0; i + count <= d.t_s.size();) {
        if (d.t_s[i + count - 1] - d.t_s[i] > most_s) {
            ++i;
            continue;
        }
        double t = 0.0;
        double ra = 0.0;
        double dec = 0.0;
        double own = 0.0;
        for (size_t k = i; k < i + count; ++k) {
            t += d.t_s[k] / n;
            ra += d.ra_arcsec[k] / n;
            dec += d.dec_arcsec[k] / n;
            own += d.centroid_arcsec[k] / n;
        }
        b.t_s.push_back(t);
        b.ra_arcsec.push_back(ra);
        b.dec_arcsec.push_back(dec);
        b.centroid_arcsec.push_back(own / std::sqrt(n));
        b.worm_turns.push_back(std::numeric_limits<double>::quiet_NaN());
        b.row.push_back(d.row[i]);
        b.recorded.push_back(d.recorded[i]);
        b.counts.push_back(d.counts[i]);
        i += count;
    }
    return b;
}

// One axis in frames of another exposure. Of the mount its track is known, and how far from it the truth may
// lie: one such truth is drawn. Of the noise a white part is drawn, which shrinks with the root of the
// exposure, and the slow air, which outlasts either.
class MadeAxis {
public:
    MadeAxis(const Disturbance& d, const FilterModel& model, const std::vector<double>& place, double shrink,
             std::uint64_t seed)
        : model_(model), cadence_s_(medianStep(d.t_s)), shrink_(shrink), noise_(model, cadence_s_),
          variance_(frameVariances(d.t_s, place, d.centroid_arcsec)), random_(seed) {}

    struct Made {
        double mount, seen;
    };
    // At a share f of the way from frame i to the next; dt_s after the last.
    Made next(const std::vector<Measured>& track, size_t i, double f, double dt_s, double width_s,
              double centroid) {
        const double variance = variance_[f < 0.5 ? i : i + 1];
        const double white = std::max(noise_.of(variance), centroid * centroid);
        air_ = follow(air_, dt_s, model_.airMemory_s, model_.airShare * white);
        // Frames pin the mount down over as many of its neighbours as it takes to outweigh their noise; what
        // it walks between two of them they do not see.
        const double pinned_s = std::sqrt(white * cadence_s_ / std::max(model_.walk_arcsec2_s, 1e-9));
        const double sigma = (1.0 - f) * track[i].sigma + f * track[i + 1].sigma;
        off_ = follow(off_, dt_s, pinned_s, sigma * sigma);
        const double between = model_.walk_arcsec2_s * width_s * f * (1.0 - f);
        Made m{};
        m.mount = (1.0 - f) * track[i].value + f * track[i + 1].value + off_ +
                  std::sqrt(between) * random_.gaussian();
        m.seen = m.mount + air_ + std::sqrt(white * shrink_) * random_.gaussian();
        return m;
    }

private:
    // A first-order process of the given variance, so much later.
    double follow(double value, double dt_s, double memory_s, double variance) {
        const double keeps = std::exp(-dt_s / std::max(memory_s, 1e-3));
        return keeps * value + std::sqrt(variance * (1.0 - keeps * keeps)) * random_.gaussian();
    }
    FilterModel model_;
    double cadence_s_, shrink_;
    WhiteNoise noise_;
    std::vector<double> variance_; // of each recorded frame about its neighbours
    Random random_;
    double air_ = 0.0, off_ = 0.0;
};

OtherExposure made(const Disturbance& d, const MountTrack& track, double exposure_s, std::uint64_t seed) {
    OtherExposure o{emptied(d, exposure_s), {}, true};
    const double cadence = medianStep(d.t_s);
    const double step = exposure_s + std::max(0.0, cadence - d.exposure_s);
    const double shrink = d.exposure_s / exposure_s;
    // One truth is made, by the likeliest idea of the air: what is averaged over ideas belongs to none.
    const auto ways = track.ideas.empty() ? std::pair(std::cref(track.ra), std::cref(track.dec))
                                          : std::pair(std::cref(track.ideas.front().ra.front().place),
                                                      std::cref(track.ideas.front().dec.front().place));
    MadeAxis ra(d, track.raModel, d.ra_arcsec, shrink, mixBits(2 * seed));
    MadeAxis dec(d, track.decModel, d.dec_arcsec, shrink, mixBits(2 * seed + 1));
    double last = d.t_s.front();
    size_t i = 0;
    for (double t = d.t_s.front(); t <= d.t_s.back(); t += step) {
        while (i + 2 < d.t_s.size() && d.t_s[i + 1] < t)
            ++i;
        const double width = d.t_s[i + 1] - d.t_s[i];
        if (width > 2.5 * cadence)
            continue; // nothing is known there
        const double f = width > 0.0 ? std::clamp((t - d.t_s[i]) / width, 0.0, 1.0) : 0.0;
        const size_t nearest = f < 0.5 ? i : i + 1;
        const double centroid = d.centroid_arcsec[nearest];
        const MadeAxis::Made east = ra.next(ways.first, i, f, t - last, width, centroid);
        const MadeAxis::Made north = dec.next(ways.second, i, f, t - last, width, centroid);
        o.track.ra.push_back({east.mount, 0.0});
        o.track.dec.push_back({north.mount, 0.0});
        Disturbance& e = o.disturbance;
        e.t_s.push_back(t);
        e.ra_arcsec.push_back(east.seen);
        e.dec_arcsec.push_back(north.seen);
        e.centroid_arcsec.push_back(centroid * std::sqrt(shrink));
        const double turned = d.worm_turns[i + 1] - d.worm_turns[i];
        const double turns = d.worm_turns[i] + f * (turned - std::round(turned));
        e.worm_turns.push_back(turns - std::floor(turns)); // none stays none
        e.row.push_back(d.row[nearest]);
        e.recorded.push_back(d.recorded[nearest]);
        e.counts.push_back(d.counts[nearest]);
        last = t;
    }
    return o;
}

} // namespace

OtherExposure withExposure(const Disturbance& d, const MountTrack& track, double exposure_s,
                           std::uint64_t seed) {
    const double ratio = exposure_s / d.exposure_s;
    const double whole = std::round(ratio);
    constexpr double near = 0.02;
    if (whole < 2.0 || std::abs(ratio - whole) > near * whole)
        return made(d, track, exposure_s, seed);
    OtherExposure o{joined(d, static_cast<size_t>(whole)), {}, false};
    if (!o.disturbance.t_s.empty())
        o.track = trackMount(o.disturbance);
    return o;
}

LoopBound loopBound(const OtherExposure& o) {
    return loopBound(o.disturbance, o.made ? trackMount(o.disturbance) : o.track);
}

OtherExposure lastFrames(const Disturbance& d, const MountTrack& track, size_t most) {
    OtherExposure o{d, track, false};
    if (d.t_s.size() <= most)
        return o;
    const auto cut = [&](auto& v) {
        if (v.size() > most)
            v.erase(v.begin(), v.end() - static_cast<std::ptrdiff_t>(most));
    };
    Disturbance& e = o.disturbance;
    for (auto* v : {&e.t_s, &e.ra_arcsec, &e.dec_arcsec, &e.centroid_arcsec, &e.worm_turns,
                    &o.track.raSurprise, &o.track.decSurprise})
        cut(*v);
    cut(e.row);
    cut(e.recorded);
    cut(e.counts);
    cut(o.track.ra);
    cut(o.track.dec);
    for (MountTrack::Idea& idea : o.track.ideas)
        for (auto* ways : {&idea.ra, &idea.dec})
            for (MountTrack::Way& way : *ways)
                cut(way.place);
    e.asGuided.clear();
    return o;
}

} // namespace nordstjerna
