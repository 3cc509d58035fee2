// The mount's own place, frame by frame, without air and centroid noise, by all frames before and after; and
// that for each idea of the air that the frames bear out, for slow air looks like a mount that walks.
#pragma once

#include <cmath>

#include "core/motion/loop_replay.h"

namespace nordstjerna {

struct MountTrack {
    std::vector<Measured> ra, dec; // of the disturbance, ″, one a frame; over all ideas of the air
    // By each idea of the air, the likeliest first, and of how the axis walks under it; none where the track
    // is the truth.
    struct Way {
        double weight;
        std::vector<Measured> place;
        double memory_s; // what the places are off by stays about the same for so long
    };
    struct Idea {
        double logLikelihood;
        std::vector<Way> ra, dec;
    };
    std::vector<Idea> ideas;
    FilterModel raModel, decModel; // of the likeliest
    // What that did not foretell of each frame: the least that any loop could have left is their RMS.
    std::vector<double> raSurprise, decSurprise;
};

MountTrack trackMount(const Disturbance& d);

// Variance of each frame's own noise, ″², as the controllers see it. centroid: the least that it can scatter.
std::vector<double> frameVariances(const std::vector<double>& t_s, const std::vector<double>& place_arcsec,
                                   const std::vector<double>& centroid_arcsec);

// One axis under a loop, frame by frame: the error, the mount's own place by its track, and what the loop
// added.
struct JudgedAxis {
    std::vector<double> error;
    std::vector<Measured> mount;
    std::vector<double> load;
    void add(double errorSeen, double place, const Measured& track) {
        error.push_back(errorSeen);
        mount.push_back(track);
        load.push_back(errorSeen - place);
    }
};

// Frames of a disturbance under a loop.
struct JudgedFrames {
    std::vector<size_t> frame;
    std::vector<double> t_s;
    JudgedAxis ra, dec;
    void add(const Disturbance& d, const MountTrack& track, size_t i, const SkyError& error);
};

// What is left of the mount's motion when a loop adds these loads to its track in these frames, RMS.
struct MountParts {
    Measured ra_arcsec, dec_arcsec, both_arcsec;
};
MountParts mountParts(const MountTrack& track, const std::vector<size_t>& frame,
                      const std::vector<double>& raLoad, const std::vector<double>& decLoad, double span_s);

struct LoopFigures {
    Measured ra_arcsec, dec_arcsec, total_arcsec; // RMS about the mean, measured
    Measured mountRa_arcsec, mountDec_arcsec;     // what is left of the mount's motion
    Measured mountPart_arcsec;                    // of both axes
};
// The least that a loop of this cadence could have left over the judged frames, RMS: by the model, or by the
// best linear predictor that hindsight finds for the very frames, whichever leaves less.
struct LoopBound {
    double ra_arcsec = 0.0, dec_arcsec = 0.0;
    double total_arcsec() const { return std::hypot(ra_arcsec, dec_arcsec); }
    // A loop left less: then so much can be left.
    void holdTo(const LoopFigures& left);
};
LoopBound loopBound(const Disturbance& d, const MountTrack& track);

// The frames that count, from this one on, as they were guided.
JudgedFrames judgedFrames(const Disturbance& d, const MountTrack& track, size_t from);
LoopFigures figuresFrom(const MountTrack& track, const JudgedFrames& frames);

// Of a series of errors, one a frame of the disturbance, over the judged frames.
LoopFigures figuresOf(const Disturbance& d, const MountTrack& track, const std::vector<SkyError>& error);
// As it was guided, over the judged frames that count.
LoopFigures recordedFigures(const Disturbance& d, const MountTrack& track);

} // namespace nordstjerna
