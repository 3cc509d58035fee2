// A simulated night as a JSON file, format "nordstjerna-scenario 1": the real rig, date, and all faults of
// mount, air and cameras. The application never sees these figures; it measures them.
#pragma once

#include <cstdint>
#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "core/rig/rig.h"
#include "core/sky/directions.h"
#include "core/sky/instant.h"

namespace nordstjerna {

struct PeriodicTerm {
    double period_s = 432.0;
    double amplitude_arcsec = 0.0;
    double phase_deg = 0.0;
};

// How guide pulses reach the axes.
struct SimPulses {
    double delay_s = 0.0; // from the command until the axis begins to move
    double ramp_s = 0.0;  // its speed grows, and falls, evenly for so long
    double lost = 0.0;    // share of the pulses that never arrive
    bool queued = false;  // one after the other; else a pulse takes the place of the one under way
    bool oneAxis = false; // RA first, Dec when it has ended
};

enum class FaultKind {
    cloud,
    dew, // settles on the lenses, more and more
    gust,
    bump,
    lamp,
    satellite,   // draws a line through what the imaging camera exposes
    mountLink,   // the mount does not answer
    cameraLink,  // no frame comes from either camera
    focuserLink, // the focusers do not answer
    mountHangs,  // the mount says nothing at all to what it is told, and does it when this is over
    cameraHangs, // so do both cameras: no frame, and no word that there is none
    frozen,      // both cameras send their last frame again
    clockSet     // the computer's clock is set, and stays so
};

// By its word in a scenario: "cloud", "mount-link"; absent for another.
std::optional<FaultKind> faultKindFrom(const std::string& word);

struct Fault {
    FaultKind kind = FaultKind::cloud;
    double at_s = 0.0;     // since the start
    double length_s = 0.0; // bump: at once
    // cloud and, at its end, dew: share of the light that is lost; gust: ″ of shaking; bump: ′ east and high
    // of the axis; lamp: counts a second; clock: seconds on, negative: back
    double amount = 0.0;
    double amount2 = 0.0;
};

// A motor focuser and what is wrong with it.
struct SimFocuserSetup {
    enum class Fault {
        none,
        stuck,     // its count stands still
        backwards, // its count goes the other way
        nonsense,  // its count is none
        uncoupled  // it counts, and the camera stays
    };
    bool fitted = false;
    double step_um = 2.0;
    int begin_steps = 10000; // where it stands at the start, the camera out of focus as the scenario says
    int lowest_steps = 0;
    int highest_steps = 20000;
    double backlash_steps = 0.0;
    double slip = 0.0;      // share of each outward move that is lost
    double steps_s = 800.0; // speed
    double heat_um_c = 0.0; // the best place moves outwards by so much when it gets warmer by a degree
    Fault fault = Fault::none;
};

// A filter wheel before the imaging camera; its slots are the filters of the rig.
struct SimWheelSetup {
    bool fitted = false;
    std::vector<double> offsets_um; // of the best focus, outwards of that through clear glass; one a slot
    std::vector<double> passes;     // share of the light
    double slot_s = 1.2;            // from one slot to the next
    bool stuck = false;             // it counts on and stays where it is
};

// What turns the imaging camera, and an off-axis guider with it. At the start the camera lies as the scenario
// says.
struct SimRotatorSetup {
    bool fitted = false;
    double begin_deg = 0.0; // by its scale
    double lowest_deg = 0.0, highest_deg = 360.0;
    double speed_deg_s = 4.0;
    bool reversed = false; // its scale grows against position angles
    bool stuck = false;    // it counts, and the camera stays
};

// The cooler of the imaging camera.
struct SimCoolerSetup {
    bool fitted = false;
    double reach_c = 35.0; // below the air, at full power
    double memory_s = 90.0;
};

// A gain of the guide camera that can be set. The rig's figures are those of `begin`.
struct SimGainSetup {
    bool fitted = false;
    double begin = 100.0, lowest = 0.0, highest = 300.0;
    double tenfold = 200.0; // so much more makes ten times as many counts of an electron
    double converter = 0.7; // share of the read noise's variance at `begin` that is the converter's
};

// Something that moves among the stars: a point of light, as the head of a comet.
struct SimComet {
    Equatorial place; // at the start
    double east_arcsec_h = 0.0, north_arcsec_h = 0.0;
    double magnitude = 9.0;
};

// The star index files that a simulated sky is drawn from, whatever others are installed for solving: the
// same seed gives the same night on every machine.
std::vector<std::string> usualSkySeries();

struct Scenario {
    std::vector<std::string> skySeries = usualSkySeries();
    std::string name;
    Rig rig; // as it really is
    Instant start;
    double speed = 1.0; // 0: as fast as it computes
    std::uint64_t seed = 1;
    std::string targetName;
    Equatorial target;
    HourAngleDec parked; // where the mount stands at the start

    // Mount
    double axisEast_arcmin = 0.0; // of the RA axis against the true pole
    double axisHigh_arcmin = 0.0;
    double cone_arcmin = 0.0;
    double syncRa_arcmin = 0.0; // what the mount believes minus the truth
    double syncDec_arcmin = 0.0;
    double raBacklash_arcsec = 0.0;
    double decBacklash_arcsec = 0.0;
    double guideRateError = 0.0; // relative
    double trackingError_ppm = 0.0;
    double settle_arcsec = 0.0;        // swing after a slew
    double settle_s = 1.5;             // its decay time
    int flipsIgnored = 0;              // so many slews over the meridian only point, without coming over
    double flipLate_min = 0.0;         // by the mount's clock the meridian passes so much later
    bool parks = true;                 // it may be told to park
    bool choosesSide = false;          // it may be told on which side to hang
    bool decReversedAfterFlip = false; // the firmware keeps north pulses north
    bool tellsTime = true;             // its local sidereal time
    double clockError_s = 0.0;         // of that time: fast by so much
    bool stopsAtLimit = true;          // by itself; else it tracks on towards the pier
    bool reportsWorm = false;          // the mount tells where its worm stands
    double wormPhaseError_turns = 0.0; // of what it tells
    bool wormPhaseBackwards = false;   // it counts down
    double wormPeriod_s = 0.0;         // as it really is; 0: as the rig says
    double wormVariation = 0.0;        // relative change of the periodic error from turn to turn
    double decStiction_arcsec = 0.0;   // the Dec axis sticks until it is wound up by so much, then jumps
    double walkRa_arcsec = 0.0;        // random walk of the axes, standard deviation after a minute
    double walkDec_arcsec = 0.0;
    double wind_arcsec = 0.0; // sway of the mount in the wind, both axes
    double wind_s = 3.0;      // its memory
    double pulseResolution_ms = 0.0;
    double pulseAsymmetryRa = 0.0; // west pulses reach farther by this share, east ones less
    double pulseAsymmetryDec = 0.0;
    SimPulses pulses;
    std::vector<PeriodicTerm> periodic;
    std::vector<PeriodicTerm> decPeriodic; // of the Dec gear; a period at the sidereal rate
    // The weight goes over to the other flank of the RA gear at this hour angle, and the axis falls back by
    // so much within minutes.
    double balance_h = 0.0, balance_arcsec = 0.0;
    // Levers: arcminutes on the sky a turn, and the part of a turn that is lost when reversing.
    double azimuthLever_arcmin_turn = 12.0;
    double altitudeLever_arcmin_turn = 7.0;
    double leverStick_arcmin = 0.0;
    double baseTiltNorth_deg = 0.0; // of the base the levers stand on
    double baseTiltEast_deg = 0.0;
    double leverCoupling = 0.0; // share of one lever's motion that appears in the other

    // Optics and cameras
    double guideRoll_deg = 0.0; // position angle of the guide sensor's +y, telescope on the east side
    double imagingRoll_deg = 0.0;
    bool guideMirrored = false;
    double guideAside_arcmin = 0.0; // the guide scope looks so far beside the telescope, along the rows of
    double guideAbove_arcmin = 0.0; // its sensor, and along its columns
    double guideBlur_um = 6.5;      // FWHM of the optics' own star image
    double guideComa_um = 0.0;      // length of the tail that coma draws from each star on the guide sensor
    double guideComa_deg = 0.0;     // its direction, from +x towards +y: away from the optical axis
    double imagingBlur_um = 5.0;
    double imagingFocus_um = 0.0; // of the imaging sensor from the best focus at the start
    double imagingFocusDrift_um_h = 0.0;
    // The imaging telescope bends against the guide scope: ″ on the sky an hour of hour angle.
    double flexureRa_arcsec_h = 0.0, flexureDec_arcsec_h = 0.0;
    double flexureTurn_h =
        0.0; // as a sine of the hour angle with this period, so fast at the meridian; 0: evenly
    // The mirror of the imaging telescope falls over once, in Dec, at this hour angle.
    double mirrorFlop_h = 0.0, mirrorFlop_arcsec = 0.0;
    std::optional<SimComet> comet;
    double guideFocus_um = 0.0; // of the guide sensor from the best focus at the start
    SimFocuserSetup imagingFocuser, guideFocuser;
    SimWheelSetup wheel;
    SimRotatorSetup rotator;
    SimCoolerSetup cooler;
    SimGainSetup guideGain;
    double imagingObstruction = 0.0; // hole in the middle of the aperture, share of its diameter
    double cooling_c_h = 0.0;        // of the air from the rig's temperature at the start
    bool guideColour = false;        // a 2 × 2 colour filter on the guide sensor
    int hotPixels = 0;
    double dark_e_s = 0.05;
    double offset_adu = 400.0;
    double guideLeak_e_s = 0.0; // of light on the guide sensor's right edge; none on the left one
    double download_s = 0.25;
    double downloadJitter_s = 0.0; // up to so much longer
    double staleFrames = 0.0;      // share of the guide frames that show what the one before has shown

    // Air
    double seeing_arcsec = 2.2; // FWHM in the zenith
    double sky_mag_arcsec2 = 20.5;
    double transparency = 1.0;
    double slowAirShare = 0.25; // of the variance of the field's motion, which outlasts an exposure
    double slowAir_s = 6.0;     // its memory
    // Up to this memory, an octave apart; 0: none but the one. Their spectrum falls as frequency^−slope.
    double slowAirLongest_s = 0.0;
    double slowAirSlope = 1.0;
    double isoplanatic_arcmin = 0.0; // stars nearer than that move alike; 0: each by itself
    double seeingWander = 0.0;       // standard deviation of the seeing's logarithm, over half an hour
    std::vector<Fault> faults;
};

Expected<Scenario> readScenario(const std::filesystem::path& path);

// The same night with another telescope, at its site: at the same hour of the local night, with a target that
// stands as high there.
Scenario withRig(Scenario night, const Rig& rig);

} // namespace nordstjerna
