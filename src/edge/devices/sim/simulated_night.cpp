#include "edge/devices/sim/simulated_night.h"

#include "edge/devices/sim/sim_camera.h"
#include "edge/devices/sim/sim_cooler.h"
#include "edge/devices/sim/sim_focuser.h"
#include "edge/devices/sim/sim_mount.h"
#include "edge/devices/sim/sim_rotator.h"
#include "edge/devices/sim/sim_wheel.h"
#include "edge/devices/solve_by_index.h"

namespace nordstjerna {

namespace {
constexpr double uncooled_c = 5.0; // of sensors without a cooler, for which a scenario gives the dark current
}

SimulatedNight::SimulatedNight(Scenario scenario, std::shared_ptr<StarIndex> index)
    : scenario_(std::move(scenario)), index_(std::move(index)), clock_(scenario_.start, scenario_.speed),
      computer_(clock_), mechanics_(scenario_), air_(scenario_), focus_um_(scenario_.guideFocus_um) {
    setComputer();
    const Rig& rig = scenario_.rig;
    mount_ = std::make_unique<SimMount>(*this);
    const Optics& guide = rig.guidingOptics();
    const double coma = Angle::fromDeg(scenario_.guideComa_deg).rad();
    guide_ = std::make_unique<SimCamera>(
        *this,
        SimCameraSetup{rig.guideCamera, guide.effectiveFocal_mm(), guide.aperture_mm, scenario_.guideBlur_um,
                       Angle::fromDeg(scenario_.guideRoll_deg), scenario_.guideMirrored, scenario_.hotPixels,
                       scenario_.guideColour, true, "simulated guide camera", 0.0,
                       scenario_.guideComa_um * Eigen::Vector2d(std::cos(coma), std::sin(coma)),
                       scenario_.guideGain});
    imaging_ = std::make_unique<SimCamera>(
        *this, SimCameraSetup{rig.imagingCamera, rig.imagingOptics.effectiveFocal_mm(),
                              rig.imagingOptics.aperture_mm, scenario_.imagingBlur_um,
                              Angle::fromDeg(scenario_.imagingRoll_deg), false, 0, false, false,
                              "simulated imaging camera", scenario_.imagingObstruction,
                              Eigen::Vector2d::Zero(), SimGainSetup{}});
    if (scenario_.imagingFocuser.fitted)
        imagingFocuser_ = std::make_unique<SimFocuser>(*this, scenario_.imagingFocuser);
    if (scenario_.guideFocuser.fitted)
        guideFocuser_ = std::make_unique<SimFocuser>(*this, scenario_.guideFocuser);
    if (scenario_.wheel.fitted)
        wheel_ = std::make_unique<SimWheel>(*this, scenario_.wheel);
    if (scenario_.rotator.fitted)
        rotator_ = std::make_unique<SimRotator>(*this, scenario_.rotator);
    if (scenario_.cooler.fitted)
        cooler_ = std::make_unique<SimCooler>(*this, scenario_.cooler);
}

SimulatedNight::~SimulatedNight() = default;

Expected<void> SimulatedNight::skyIsThere(const Scenario& scenario, const StarIndex& index) {
    std::string names;
    for (const std::string& s : index.missing(scenario.skySeries))
        names += (names.empty() ? "" : ", ") + s;
    if (names.empty())
        return {};
    return problem(Text::say("The simulated sky cannot be drawn: star index files are missing."),
                   Text::say("There is no %1.").arg(names),
                   Text::say("Install the packages astrometry-data-tycho2-08-littleendian, -09- and -10-19-, "
                             "or name others under sky_series in the scenario."));
}

Mount& SimulatedNight::mount() {
    return *mount_;
}
Camera& SimulatedNight::guideCamera() {
    return *guide_;
}
Camera& SimulatedNight::imagingCamera() {
    return *imaging_;
}

Devices SimulatedNight::devices() {
    Devices d;
    d.mount = mount_.get();
    d.guideCamera = guide_.get();
    d.imagingCamera = imaging_.get();
    d.imagingFocuser = imagingFocuser_.get();
    d.guideFocuser = guideFocuser_.get();
    d.wheel = wheel_.get();
    d.rotator = rotator_.get();
    d.imagingCooler = cooler_.get();
    d.clock = &computer_;
    d.track = trackByCamera(*guide_);
    d.image = imageByCamera(*imaging_);
    d.solve = solveByIndex(index_);
    return d;
}

TrackFunction SimulatedNight::trackDirectly() {
    return [this](const TrackStep& step, const StopFlag& halt) { return guide_->trackDirectly(step, halt); };
}

ImageFunction SimulatedNight::imageDirectly() {
    return
        [this](const ImageStep& step, const StopFlag& halt) { return imaging_->imageDirectly(step, halt); };
}

Eigen::Vector2d SimulatedNight::trueShift() {
    return guide_->trueShift();
}

void SimulatedNight::catchUp() {
    const Instant now = clock_.now();
    for (SimCamera* camera : {guide_.get(), imaging_.get()})
        camera->followMount(now);
    mechanics_.advance(now);
    applyFaults();
}

void SimulatedNight::applyFaults() {
    size_t bumps = 0;
    for (const Fault& f : scenario_.faults)
        if (f.kind == FaultKind::bump && mechanics_.when() - scenario_.start >= f.at_s &&
            ++bumps > bumpsDone_) {
            mechanics_.bump(f.amount, f.amount2);
            bumpsDone_ = bumps;
        }
}

void SimulatedNight::awaitVoice(FaultKind hangs) {
    constexpr double glance_s = 0.5;
    for (;;) {
        {
            const std::scoped_lock guard(lock_);
            if (!air_.active(hangs, clock_.now()))
                return;
        }
        clock_.linger(glance_s);
    }
}

void SimulatedNight::happen(FaultKind kind, double amount, double length_s) {
    const std::scoped_lock guard(lock_);
    // A satellite crosses what is exposed next, or is being exposed for a while yet.
    const double at_s = clock_.now() - scenario_.start + (kind == FaultKind::satellite ? 2.0 : 0.0);
    scenario_.faults.push_back({kind, at_s, length_s, amount, 0.5 * amount});
    setComputer();
}

void SimulatedNight::moveLastFault(double at_s) {
    const std::scoped_lock guard(lock_);
    if (!scenario_.faults.empty())
        scenario_.faults.back().at_s = at_s;
    setComputer();
}

void SimulatedNight::setComputer() {
    ComputerClock::Settings all;
    for (const Fault& f : scenario_.faults)
        if (f.kind == FaultKind::clockSet)
            all.emplace_back(scenario_.start + f.at_s, f.amount);
    computer_.setBy(std::move(all));
}

void SimulatedNight::turnAzimuthLever(double turns) {
    const std::scoped_lock guard(lock_);
    catchUp();
    mechanics_.turnAzimuthLever(turns);
}

void SimulatedNight::turnFocus(double um) {
    const std::scoped_lock guard(lock_);
    focus_um_ += um;
}

void SimulatedNight::setCovered(bool covered) {
    const std::scoped_lock guard(lock_);
    covered_ = covered;
}

void SimulatedNight::setMask(CameraRole camera, bool on) {
    const std::scoped_lock guard(lock_);
    (camera == CameraRole::guide ? guideMask_ : imagingMask_) = on;
}

bool SimulatedNight::masked(CameraRole camera) {
    const std::scoped_lock guard(lock_);
    return camera == CameraRole::guide ? guideMask_ : imagingMask_;
}

double SimulatedNight::temperature_c(Instant at) const {
    return scenario_.rig.site.temperature_c - scenario_.cooling_c_h * (at - scenario_.start) / 3600.0;
}

double SimulatedNight::defocus_um(bool guide, Instant at) const {
    const auto& focuser = guide ? guideFocuser_ : imagingFocuser_;
    const SimFocuserSetup& setup = guide ? scenario_.guideFocuser : scenario_.imagingFocuser;
    const double bent = setup.heat_um_c * (temperature_c(at) - scenario_.rig.site.temperature_c);
    const double began = guide ? focus_um_
                               : scenario_.imagingFocus_um +
                                     scenario_.imagingFocusDrift_um_h * (at - scenario_.start) / 3600.0;
    const double glass = !guide && wheel_ ? wheel_->offset_um() : 0.0;
    return began + (focuser ? focuser->travelled_um() : 0.0) - bent - glass;
}

Angle SimulatedNight::turned(bool guide, Instant at) const {
    return rotator_ && (!guide || scenario_.rig.offAxis) ? rotator_->turned(at) : Angle();
}

double SimulatedNight::passes(bool guide) const {
    return !guide && wheel_ ? wheel_->passes() : 1.0;
}

double SimulatedNight::sensor_c(bool guide) const {
    return !guide && cooler_ ? cooler_->sensor_c() : uncooled_c;
}

double SimulatedNight::trueDefocus_um(CameraRole camera) {
    const std::scoped_lock guard(lock_);
    return defocus_um(camera == CameraRole::guide, clock_.now());
}

bool SimulatedNight::covered() {
    const std::scoped_lock guard(lock_);
    return covered_;
}

void SimulatedNight::turnRaByHand(double deg) {
    const std::scoped_lock guard(lock_);
    catchUp();
    mechanics_.turnRaByHand(Angle::fromDeg(deg));
}

void SimulatedNight::turnAltitudeLever(double turns) {
    const std::scoped_lock guard(lock_);
    catchUp();
    mechanics_.turnAltitudeLever(turns);
}

Vec3 SimulatedNight::trueAxis() {
    const std::scoped_lock guard(lock_);
    return mechanics_.axis();
}

} // namespace nordstjerna
