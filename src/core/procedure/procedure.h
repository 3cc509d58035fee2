// The shape of every procedure of the trade: a pure step machine. It says what it wants done next, given
// what just happened. It never blocks, never sleeps, and knows no device and no clock. A runner executes the
// steps on devices and feeds the events back; tests do the same on a simulated night.
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <variant>
#include <vector>

#include "core/base/problem.h"
#include "core/guide/guide_loop.h"
#include "core/image/camera_gain.h"
#include "core/image/cooler.h"
#include "core/image/frame.h"
#include "core/image/frame_look.h"
#include "core/image/star.h"
#include "core/image/star_shape.h"
#include "core/series/guide_share.h"
#include "core/sky/observed_frame.h"
#include "core/sky/solved_frame.h"

namespace nordstjerna {

// State of the mount as it believes it, sent along with every event.
struct MountState {
    HourAngleDec pointing; // apparent, by the mount's own axes
    std::string side;      // of the meridian: "east" or "west"
    bool tracking = true;
    bool moving = false;
    std::optional<double> worm_turns;  // where the RA worm stands, 0…1, if the mount tells
    bool correcting = false;           // plays a periodic-error curve
    bool parks = false;                // it may be told to park
    bool parked = false;               // and stands there: it takes no other command
    bool choosesSide = false;          // it may be told on which side to hang, also before the meridian
    std::optional<Angle> siderealTime; // local, by its own clock and longitude, if it tells
    std::optional<double> guideRateRa, guideRateDec; // set in it, of the sidereal rate, if it tells
    bool told = true; // false: the mount has not answered yet, nothing of this is known
};

// ---- Steps: what a procedure wants done

enum class CameraRole { guide, imaging };

struct ExposeStep {
    double exposure_s = 2.0;
    CameraRole camera = CameraRole::guide;
    bool raw = false; // as the sensor gives it: no dark taken off, no pixel mended
};

// A star expected near (x, y) on the guide camera, to be found within search_px.
struct ExpectedStar {
    double x = 0.0;
    double y = 0.0;
    double search_px = 8.0;
};

// Expose, and measure only the named stars.
struct TrackStep {
    double exposure_s = 2.0;
    std::vector<ExpectedStar> stars;
    std::shared_ptr<const StarShape> shape; // of these optics, where they make no round stars
};

struct SolveStep {
    std::shared_ptr<const Frame> frame;
    double scale_arcsec_px = 0.0; // expected; 0: not known
    double scaleTolerance = 0.1;  // relative
    std::optional<Vec3> near;     // ICRS
    double radius_deg = 10.0;
    double timeLimit_s = 8.0;
};

struct SlewStep {
    HourAngleDec target;
    Text purpose;       // announced before the mount moves
    std::string side{}; // on which it must hang then, for a mount that may be told; else as it likes
};

// Parks, or lets it move again.
struct ParkStep {
    bool on = true;
};

struct TrackingStep {
    bool on = true;
};

// Signed milliseconds, west and north positive, both axes at once.
struct PulseStep {
    double ra_ms = 0.0;
    double dec_ms = 0.0;
};

// Tells the mount where it really points.
struct SyncStep {
    HourAngleDec truth;
};

// One exposure on a moving mount: stands for hold_s, runs along RA for half_s, and back for half_s.
struct TrailStep {
    double hold_s = 6.0;
    double half_s = 60.0;
    double rate_sidereal = 0.3; // on top of tracking, positive west
    CameraRole camera = CameraRole::guide;
};

// Periodic error of the RA axis over one turn of the worm, for the mount to play back: hour angle, ″,
// positive where it runs ahead; equal steps, each at its middle. Empty: none.
struct CurveStep {
    std::vector<double> error_arcsec;
};

// A frame of the imaging camera, measured at once.
struct ImageStep {
    double exposure_s = 60.0;
};

// Moves a camera's focuser; without a place it is only asked where it stands.
struct FocuserStep {
    CameraRole camera = CameraRole::imaging;
    std::optional<int> steps;
};

// Turns the wheel before the imaging camera to a slot, from 0; without one it is only asked where it stands.
struct FilterStep {
    std::optional<int> slot;
};

// Turns the imaging camera to an angle by the rotator's own scale; without one it is only asked where it
// stands.
struct TurnStep {
    std::optional<double> angle_deg;
};

// To the cooler of the imaging camera, which follows by itself: it ramps to the temperature, and back.
struct CoolerStep {
    enum class Act { ask, cool, warm } act = Act::ask;
    double to_c = 0.0; // of cool
};

// To the guide loop, which runs beside this procedure.
struct GuideStep {
    enum class Act {
        start,  // choose stars and guide; answered when it is steady, or goes on without
        stop,   // answered when it has ended
        dither, // move the aim; answered when the star has come to rest there, or the time ran out
        follow, // the aim goes on at a rate from now on, until stars are chosen anew; answered at once
    } act = Act::start;
    SkyError by; // of follow: a minute
    SettleRule settle;
};

// Sets a camera's gain; without a setting it is only asked how it stands.
struct GainStep {
    CameraRole camera = CameraRole::guide;
    std::optional<double> setting;
};

struct WaitStep {
    double seconds = 0.0;
    Text why;
};

struct DoneStep {};
struct FailStep {
    Problem problem;
};

using Step = std::variant<ExposeStep, TrackStep, SolveStep, SlewStep, TrackingStep, ParkStep, PulseStep,
                          SyncStep, TrailStep, CurveStep, ImageStep, GuideStep, FocuserStep, FilterStep,
                          TurnStep, CoolerStep, GainStep, WaitStep, DoneStep, FailStep>;

// ---- Events: what just happened

struct Started {};
struct FrameTaken {
    std::shared_ptr<const Frame> frame;
};
struct StarsTracked {
    std::vector<std::optional<Star>> stars; // in the order asked for
    Instant middle;                         // of the exposure
};
struct FrameSolved {
    Expected<SolvedFrame> solution;
};
struct ImageTaken {
    std::shared_ptr<const Frame> frame; // absent where nothing was rendered
    Instant start;
    double exposure_s = 0.0;
    FrameLook look;
    GuideShare guide; // meanwhile
};
struct GuideAnswered {
    bool running = false;
    bool fresh = false;   // stars were chosen anew: the aim is where they stood
    bool settled = false; // steady; else it goes on without having settled
    double seconds = 0.0; // until then
    double off_arcsec = 0.0;
    std::optional<bool> decReversed; // tried out on this side of the pier
};
// Where a focuser says it stands.
struct FocuserState {
    double steps = 0.0;
    double lowest = 0.0; // of its travel
    double highest = 0.0;
    std::optional<double> temperature_c; // beside it
};
struct FocuserAnswered {
    FocuserState state;
};
// What a filter wheel says of itself.
struct WheelState {
    int slot = 0;                   // before the camera, from 0
    std::vector<std::string> names; // of its slots, as it calls them; one a slot
};
struct FilterAnswered {
    WheelState state;
};
// Where a rotator says it stands, by its own scale, and how far it goes.
struct RotatorState {
    double angle_deg = 0.0;
    double lowest_deg = 0.0;
    double highest_deg = 360.0;
};
struct RotatorAnswered {
    RotatorState state;
};
struct CoolerAnswered {
    CoolerState state;
    CoolerPhase phase = CoolerPhase::idle;
};
struct GainAnswered {
    std::optional<GainState> state; // absent: the camera has none that can be set
};
struct StepFinished {}; // slew, tracking, pulse, sync or wait
struct StepFailed {
    Problem problem;
};
struct StopAsked {}; // by the person: end in good order, keep what was measured

struct Event {
    Instant now;
    MountState mount;
    std::variant<Started, FrameTaken, StarsTracked, FrameSolved, ImageTaken, GuideAnswered, FocuserAnswered,
                 FilterAnswered, RotatorAnswered, CoolerAnswered, GainAnswered, StepFinished, StepFailed,
                 StopAsked>
        what;
    double steady_s = 0.0; // of a clock that nobody sets; its zero means nothing
};

// What a procedure answers to a failed step (it fails) and to a wish to stop (it is done); absent otherwise.
std::optional<Step> brokenOff(const Event& event);

// ---- Progress: what a person sees meanwhile

struct ProgressStep {
    Text name;
    enum class State { ahead, running, done } state = State::ahead;
};

struct Progress {
    std::vector<ProgressStep> steps;
    double fraction = 0.0;    // 0…1; negative: endless by nature
    double timeLeft_s = -1.0; // negative: not known
    Text waitingFor;          // "settling after the slew"
};

// A device that fails once must not end a night: a step whose failure may pass is repeated after a pause, the
// pauses growing from one to fifteen seconds, until the device has stayed away for about a minute. One that
// worked for a while before it failed again, as in a long exposure, was there: its minute begins anew, but
// not for ever.
class Procedure {
public:
    virtual ~Procedure() = default;
    Step next(const Event& event);
    virtual Progress progress() const = 0;
    virtual Text name() const = 0;
    // Whether it may begin while the loop guides; it has the loop do what it needs.
    virtual bool besideGuiding() const { return false; }
    // False: it works without a mount that answers.
    virtual bool needsMount() const { return true; }
    // It only looks, for as long as somebody likes: whatever else is asked for takes its place.
    virtual bool givesWay() const { return false; }

    // What fails at the moment, while it is being repeated.
    struct Trouble {
        Problem problem;
        int failures = 0; // in a row
        int most = 0;     // the procedure gives up after so many
    };
    const std::optional<Trouble>& trouble() const { return trouble_; }

protected:
    virtual Step advance(const Event& event) = 0;
    // Whether a step may be given again when it failed and nobody knows how far it came: a pulse and a trail
    // may have moved the mount. Slews and syncs are given for the place where their target is by then.
    virtual bool repeatable(const Step& step) const;
    // A step failed and will be repeated: for the record.
    virtual void stumbled(const Event&, const Problem&) {}

private:
    Step remember(Step step, const Event& event);
    Step giveUp(const Event& event, const Text& why, bool away);
    Step last_ = DoneStep{};
    Instant given_;              // when it was
    double givenSteady_s_ = 0.0; // the same, by the steady clock
    double since_s_ = 0.0;       // by that clock, of the trouble
    int comebacks_ = 0;          // of a device that worked for a while and failed again, in a row
    bool pausing_ = false;
    std::optional<Trouble> trouble_;
};

} // namespace nordstjerna
