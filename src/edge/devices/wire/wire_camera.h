// A camera behind a device server. Its frames come over a link of their own, as FITS.
#pragma once

#include <atomic>

#include "core/rig/rig.h"
#include "edge/devices/camera.h"
#include "edge/devices/wire/wire_device.h"

namespace nordstjerna {

class WireCamera final : public Camera {
public:
    // What the person says of it: what neither the device nor a header tells.
    struct Setup {
        CameraSpec camera;
        double focal_mm = 0.0;
    };
    WireCamera(WireLink& commands, const std::string& device, const Text& kind, Clock& clock, Setup setup);
    // From any thread; counts for the next exposure.
    void setSetup(const Setup& setup);
    void greet() const { camera_.greet(); }
    void setRecord(std::shared_ptr<WireRecord> record) { frames_.setRecord(std::move(record)); }

    Expected<std::shared_ptr<const Frame>> expose(double exposure_s, const StopFlag& halt) override;
    Expected<void> begin(double exposure_s) override;
    Expected<std::shared_ptr<const Frame>> finish(const StopFlag& halt) override;
    Expected<Windows> exposeWindows(double exposure_s, const std::vector<ExpectedStar>& stars,
                                    const StopFlag& halt) override;
    Expected<std::optional<GainState>> gain(const StopFlag& halt) override;
    Expected<void> setGain(double setting, const StopFlag& halt) override;

private:
    // The vector and element that its driver has the gain in; absent: none that can be set.
    std::optional<std::pair<WireVector, const char*>> gainTold() const;
    struct Part { // of the sensor, unbinned pixels; nothing: all of it
        int x = 0, y = 0, width = 0, height = 0;
        bool operator==(const Part&) const = default;
    };
    struct Exposure {
        double exposure_s = 0.0;
        Part part;
        Instant asked;
        std::uint64_t before = 0; // serial of the commands' link
        std::uint64_t links = 0;  // of the frames' link
    };
    // Only what differs from how it stands is told.
    Expected<void> prepare(const Setup& setup, const Part& part, const StopFlag& halt);
    void abandonFormer(const StopFlag& halt);
    // False: the frames' link does not stand, or a halt.
    bool awaitFrames(const StopFlag& halt);
    Expected<Exposure> open(double exposure_s, const Part& part, const StopFlag& halt);
    Expected<std::shared_ptr<const Frame>> close(const Exposure& exposure, const StopFlag& halt);
    Expected<Frame> understood(const WireLink::Told& blob, const Exposure& exposure);
    Part partFor(const std::vector<ExpectedStar>& stars) const;
    Setup setup() const;

    WireDevice camera_;
    WireLink frames_;
    std::atomic<std::uint64_t> framesSince_{0}; // the connection of that link that has been waited for
    Clock& clock_;
    mutable std::mutex lock_;
    Setup setup_;
    std::optional<Exposure> open_;
    std::string lastDate_; // DATE-OBS of the frame before
};

// The window round an expected star, cut from a frame that holds it.
Frame windowOf(const Frame& frame, const ExpectedStar& star);

} // namespace nordstjerna
