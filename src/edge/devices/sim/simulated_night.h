// A whole simulated night: clock, mount, cameras and sky that belong together. What the application sees are
// the ports; what is true stays here, for tests.
#pragma once

#include <functional>
#include <memory>
#include <mutex>

#include "edge/devices/devices.h"
#include "edge/devices/paced_clock.h"
#include "edge/devices/sim/computer_clock.h"
#include "edge/devices/sim/mount_mechanics.h"
#include "edge/devices/sim/sim_air.h"
#include "edge/devices/sim/sim_sky.h"

namespace nordstjerna {

class SimCamera;
class SimMount;
class SimFocuser;
class SimRotator;
class SimWheel;
class SimCooler;

class SimulatedNight {
public:
    // Whether the files that its sky is drawn from are installed.
    static Expected<void> skyIsThere(const Scenario& scenario, const StarIndex& index);
    SimulatedNight(Scenario scenario, std::shared_ptr<StarIndex> index);
    ~SimulatedNight();
    SimulatedNight(const SimulatedNight&) = delete;
    SimulatedNight& operator=(const SimulatedNight&) = delete;

    // Ports, with plate solving by the star index and tracking by camera windows.
    Devices devices();
    // Tracking without rendering: true star places plus motion of the air and centroid noise. For long runs.
    TrackFunction trackDirectly();
    // The same for frames of the imaging camera: their shapes from the true path and air.
    ImageFunction imageDirectly();

    PacedClock& clock() { return clock_; }
    Mount& mount();
    Camera& guideCamera();
    Camera& imagingCamera();
    const Scenario& scenario() const { return scenario_; }

    // The "hands" at the mount's levers; turns of the knob, positive to the east and up.
    void turnAzimuthLever(double turns);
    void turnAltitudeLever(double turns);
    // And at its RA axis, past the motor: to the west positive.
    void turnRaByHand(double deg);

    // From now on for so long; amount as in a scenario.
    void happen(FaultKind kind, double amount, double length_s);
    // The one that was to happen last begins at another moment, seconds from the start.
    void moveLastFault(double at_s);

    // At the guide scope: the focuser by so many µm, and a cover before it.
    void turnFocus(double um);
    void setCovered(bool covered);
    bool covered();
    // Before either telescope: a mask that breaks the light of bright stars into three spikes.
    void setMask(CameraRole camera, bool on);
    bool masked(CameraRole camera);

    // Truth, for tests only.
    Vec3 trueAxis();
    double trueDefocus_um(CameraRole camera); // outwards of the best place
    // Where the guided sky stood during the last guide exposure, without the air: px from where it stood at
    // the first call.
    Eigen::Vector2d trueShift();

private:
    friend class SimCamera;
    friend class SimMount;
    friend class SimFocuser;
    friend class SimWheel;
    friend class SimRotator;
    friend class SimCooler;
    // Brings mechanics up to the clock's present. Call with the lock held.
    void catchUp();
    void applyFaults();
    void setComputer(); // by the faults
    // As long as such a fault is under way the caller comes back from nowhere. Without the lock.
    void awaitVoice(FaultKind hangs);
    double temperature_c(Instant at) const;
    // How far a camera stands outwards of its best place. Call with the lock held.
    double defocus_um(bool guide, Instant at) const;
    // What comes through the filter before that camera, and how warm its sensor is; the same.
    double passes(bool guide) const;
    double sensor_c(bool guide) const;
    // By how much a rotator has turned that camera.
    Angle turned(bool guide, Instant at) const;

    Scenario scenario_;
    std::shared_ptr<StarIndex> index_;
    PacedClock clock_;
    ComputerClock computer_;
    std::mutex lock_;
    MountMechanics mechanics_;
    SimAir air_;
    double focus_um_ = 0.0; // of the guide sensor from the best focus
    bool covered_ = false;  // the guide scope
    bool guideMask_ = false;
    bool imagingMask_ = false;
    size_t bumpsDone_ = 0;
    std::unique_ptr<SimMount> mount_;
    std::unique_ptr<SimCamera> guide_;
    std::unique_ptr<SimCamera> imaging_;
    std::unique_ptr<SimFocuser> guideFocuser_; // absent: by hand
    std::unique_ptr<SimFocuser> imagingFocuser_;
    std::unique_ptr<SimWheel> wheel_;     // absent: none, as
    std::unique_ptr<SimRotator> rotator_; // this, and
    std::unique_ptr<SimCooler> cooler_;
};

} // namespace nordstjerna
