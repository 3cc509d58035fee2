// A recorded span: one row a frame. Signs as in the run table: dra, ddec are the place of the star relative
// to the aim point on the sky (RA × cos δ), east and north positive; pulses signed, west and north positive,
// issued after the row's measurement.
#pragma once

#include <limits>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "core/guide/guide_loop.h"
#include "core/motion/run_event.h"
#include "core/sky/instant.h"

namespace nordstjerna {

struct RunRow {
    double t_s = 0.0; // since the start, middle of the exposure
    double dra_arcsec = 0.0;
    double ddec_arcsec = 0.0;
    double pulseRa_ms = 0.0;
    double pulseDec_ms = 0.0;
    double snr = 0.0;
    double hfd_px = 0.0;
    double flux_adu = 0.0;
    int stars = 0;
    double centroid_arcsec = 0.0; // what light and camera alone let the place scatter; 0: not known
    double worm_turns = std::numeric_limits<double>::quiet_NaN(); // of the mount's worm, 0…1, if it tells
    RunEvents events;
    std::vector<std::string> more; // columns of other makers, in the order of RunMeta::moreColumns

    bool measured() const; // a finite place
};

// What the model believed of one axis at a row: the mount's own place, and where the next frame should show
// the star, noise included in the ±.
struct AxisGlimpse {
    float place_arcsec = 0.0F, placeSigma_arcsec = 0.0F;
    float next_arcsec = 0.0F, nextSigma_arcsec = 0.0F;
};
AxisGlimpse glimpseOf(const AxisBelief& belief);
struct RowBelief {
    AxisGlimpse ra, dec;
};

enum class RunKind { free, guided, backlash, calibration };
const char* runKindName(RunKind kind);
std::optional<RunKind> runKindFrom(const std::string& name);

// A column that is not ours, kept as it came.
struct MoreColumn {
    std::string name, unit, datatype;
    bool operator==(const MoreColumn&) const = default;
};

// What the guide loop was told when it closed, so that it can be run again exactly.
struct LoopRecord {
    double exposure_s = 2.0;
    std::array<double, 4> response{}; // see GuideGeometry
    double raReach_arcsec_s = 0.0, decReach_arcsec_s = 0.0;
    SettleRule settle;
    LoopPriors priors;
};

struct RunMeta {
    Instant start;
    RunKind kind = RunKind::free;
    double guidePixel_um = 0.0, guideFocal_mm = 0.0;
    int guideBin = 1;
    double imagePixel_um = 0.0, imageFocal_mm = 0.0;
    int imageBin = 1;
    double guideScale_arcsec_px = 0.0, imageScale_arcsec_px = 0.0;
    double raRate_arcsec_s = 0.0, decRate_arcsec_s = 0.0; // on the sky, at this run's declination
    double guideRate_sidereal = 0.0;
    double ra_deg = 0.0, dec_deg = 0.0, hourAngle_h = 0.0;
    std::string side;
    std::optional<ControllerSettings> controller; // at the start; changes stand in the events
    std::optional<LoopRecord> loop;
    bool wormReported = false;               // rows carry worm_turns
    bool correctionOn = false;               // the mount played a periodic-error curve
    std::map<std::string, std::string> more; // unknown header entries, kept as YAML text
    std::vector<MoreColumn> moreColumns;     // of other makers
};

struct Run {
    RunMeta meta;
    std::vector<RunRow> rows;
};

// Rounded as a run table holds it, so that what is computed from a row is the same before and after it was
// written.
RunRow asRecorded(RunRow row);

// The first row from this moment on; rows are in order of time.
std::vector<RunRow>::const_iterator rowAt(const std::vector<RunRow>& rows, double t_s);

// Rows that describe the loop at work: measured, and not while dithering, settling or without the star.
bool countsForRms(const RunRow& row);

} // namespace nordstjerna
