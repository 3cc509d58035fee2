// A camera whose frames come ready to be measured: dark taken off, bad pixels mended, colours evened out,
// with the figures that the rig gives of it.
#pragma once

#include <atomic>
#include <mutex>

#include "core/image/learned_pixels.h"
#include "core/rig/rig.h"
#include "edge/devices/camera.h"
#include "edge/store/dark_store.h"

namespace nordstjerna {

class PreparedCamera : public Camera {
public:
    explicit PreparedCamera(Camera& camera) : camera_(camera) {}

    void setDarks(DarkStore store);
    Expected<void> addDark(const MasterDark& dark);
    // Darks that lie in the folder but could not be read.
    std::vector<Problem> darkProblems() const;

    // What the rig says of it. Where that has a gain setting, the camera is set to it before whole frames,
    // whoever changed it.
    void setStated(const CameraSpec& spec);
    // A test has changed it from this: the next whole frame sees that it is so again, for a rig that leaves
    // it as it is.
    void oweGain(double setting);

    enum class DarkState { none, fits, scaled, differs };
    struct DarkUse {
        DarkState state = DarkState::none;
        Text differsIn;                       // when the nearest one does not fit
        double exposure_s = 0.0, scale = 1.0; // of the one that is scaled
        double noise_adu = 0.0;               // that it puts into each pixel
        int badPixels = 0;
        int learned = 0; // more of them, from frames between which the field had moved
    };
    DarkUse darkUse() const; // for the last exposure

    Expected<std::shared_ptr<const Frame>> expose(double exposure_s, const StopFlag& halt) override;
    Expected<void> begin(double exposure_s) override { return camera_.begin(exposure_s); }
    Expected<std::shared_ptr<const Frame>> finish(const StopFlag& halt) override;
    Expected<Windows> exposeWindows(double exposure_s, const std::vector<ExpectedStar>& stars,
                                    const StopFlag& halt) override;
    Expected<std::optional<GainState>> gain(const StopFlag& halt) override { return camera_.gain(halt); }
    Expected<void> setGain(double setting, const StopFlag& halt) override {
        return camera_.setGain(setting, halt);
    }

private:
    void putGainBack(const StopFlag& halt);
    // By the rig's figures.
    void state(FrameInfo& info) const;
    DarkStore::Match darkFor(const DarkKind& kind);
    void learnFrom(Frame& whole);
    void mendLearned(Frame& frame);
    Camera& camera_;
    // Not the window's: looking at a whole frame takes a while.
    std::mutex learning_;
    LearnedPixels learned_;
    std::atomic<int> learnedCount_{0};
    mutable std::mutex lock_;
    DarkStore store_;
    DarkUse use_;
    std::optional<CameraSpec> stated_;
    std::optional<double> owedGain_;
    int fullWidth_ = 0; // of full frames seen; windows do not tell
    int fullHeight_ = 0;
};

} // namespace nordstjerna
