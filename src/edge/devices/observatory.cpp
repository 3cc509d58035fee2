#include "edge/devices/observatory.h"

#include <algorithm>

namespace nordstjerna {

namespace {
constexpr auto between = std::chrono::milliseconds(200); // two looks

std::optional<Problem> failureOf(const auto& result) {
    return result ? std::nullopt : std::optional(result.error());
}
} // namespace

class Observatory::WatchedMount final : public Mount {
public:
    WatchedMount(Mount& mount, Observatory& whole) : mount_(mount), whole_(whole) {}

    Expected<MountState> state() const override {
        const int question = whole_.mountLink_.asked();
        auto told = mount_.state();
        whole_.mountLink_.answered(question, failureOf(told));
        if (told) {
            const std::scoped_lock guard(whole_.lock_);
            whole_.last_ = *told;
        }
        return told;
    }
    Expected<void> slew(const HourAngleDec& target, const StopFlag& halt) override {
        return mount_.slew(target, halt);
    }
    Expected<void> setTracking(bool on) override { return mount_.setTracking(on); }
    Expected<void> pulse(double ra_ms, double dec_ms, const StopFlag& halt) override {
        return mount_.pulse(ra_ms, dec_ms, halt);
    }
    Expected<void> runRa(double sidereal) override { return mount_.runRa(sidereal); }
    Expected<void> sync(const HourAngleDec& truth) override { return mount_.sync(truth); }
    Expected<void> setCurve(const std::vector<double>& error_arcsec) override {
        return mount_.setCurve(error_arcsec);
    }
    Expected<void> halt() override { return mount_.halt(); }

private:
    Mount& mount_;
    Observatory& whole_;
};

class Observatory::WatchedCamera final : public Camera {
public:
    WatchedCamera(Camera& camera, Link& link, FrozenCheck& check)
        : camera_(camera), link_(link), check_(check) {}

    Expected<std::shared_ptr<const Frame>> expose(double exposure_s, const StopFlag& halt) override {
        const int question = link_.asked();
        return frame(camera_.expose(exposure_s, halt), question, halt);
    }
    Expected<void> begin() override { return camera_.begin(); }
    Expected<std::shared_ptr<const Frame>> finish(const StopFlag& halt) override {
        const int question = link_.asked();
        return frame(camera_.finish(halt), question, halt);
    }
    Expected<Windows> exposeWindows(double exposure_s, const std::vector<ExpectedStar>& stars,
                                    const StopFlag& halt) override {
        const int question = link_.asked();
        auto windows = camera_.exposeWindows(exposure_s, stars, halt);
        if (windows)
            if (auto moves = check_.look(windows->frames); !moves)
                windows = tl::unexpected(moves.error());
        heard(link_, question, failureOf(windows), halt);
        return windows;
    }

    // An exposure that was broken off says nothing of the link.
    static void heard(Link& link, int question, const std::optional<Problem>& failure, const StopFlag& halt) {
        link.answered(question, halt ? std::nullopt : failure);
    }

private:
    Expected<std::shared_ptr<const Frame>> frame(Expected<std::shared_ptr<const Frame>> taken, int question,
                                                 const StopFlag& halt) {
        if (taken)
            if (auto moves = check_.look(**taken); !moves)
                taken = tl::unexpected(moves.error());
        heard(link_, question, failureOf(taken), halt);
        return taken;
    }
    Camera& camera_;
    Link& link_;
    FrozenCheck& check_;
};

Observatory::Observatory(const Devices& devices, double patience_s)
    : own_(devices), watched_(devices), mountLink_(patience_s), guideLink_(0.0), imagingLink_(0.0),
      mount_(std::make_unique<WatchedMount>(*devices.mount, *this)) {
    last_.told = false;
    watched_.mount = mount_.get();
    if (devices.guideCamera)
        guideCamera_ = std::make_unique<WatchedCamera>(*devices.guideCamera, guideLink_, guideFrozen_);
    if (devices.imagingCamera)
        imagingCamera_ =
            std::make_unique<WatchedCamera>(*devices.imagingCamera, imagingLink_, imagingFrozen_);
    watched_.guideCamera = guideCamera_.get();
    watched_.imagingCamera = imagingCamera_.get();
    if (devices.image)
        watched_.image = [this](const ImageStep& step, const StopFlag& halt) {
            const int question = imagingLink_.asked();
            auto taken = own_.image(step, halt);
            if (taken && taken->frame)
                if (auto moves = imagingFrozen_.look(*taken->frame); !moves)
                    taken = tl::unexpected(moves.error());
            WatchedCamera::heard(imagingLink_, question, failureOf(taken), halt);
            return taken;
        };
    looking_ = std::thread([this] { look(); });
    // Who reads first should find something; a mount that is silent from the start must not hold the window.
    std::unique_lock wait(lock_);
    wake_.wait_for(wait, std::chrono::duration<double>(std::min(patience_s, 1.0)),
                   [this] { return last_.told; });
}

Observatory::~Observatory() {
    {
        const std::scoped_lock guard(lock_);
        ending_ = true;
    }
    wake_.notify_all();
    looking_.join();
    for (Command& c : commands_)
        c.thread.join();
}

void Observatory::look() {
    std::unique_lock wait(lock_);
    while (!ending_) {
        wait.unlock();
        (void)mount_->state();
        wake_.notify_all();
        wait.lock();
        wake_.wait_for(wait, between, [this] { return ending_; });
    }
}

MountState Observatory::mountState() const {
    const std::scoped_lock guard(lock_);
    return last_;
}

LinkState Observatory::cameraLink(CameraRole camera) const {
    return (camera == CameraRole::guide ? guideLink_ : imagingLink_).state();
}

// By the mount's word on a command, before the next look.
void Observatory::confirmed(bool tracking) {
    const std::scoped_lock guard(lock_);
    last_.tracking = tracking;
    if (!tracking)
        last_.moving = false;
}

void Observatory::command(std::function<Expected<void>()> what, Done done) {
    std::erase_if(commands_, [](Command& c) {
        if (!*c.over)
            return false;
        c.thread.join();
        return true;
    });
    auto over = std::make_shared<std::atomic<bool>>(false);
    commands_.push_back({std::thread([what = std::move(what), done = std::move(done), over] {
                             done(what());
                             *over = true;
                         }),
                         over});
}

void Observatory::halt(Done done) {
    command(
        [this] {
            auto halted = own_.mount->halt();
            if (halted)
                confirmed(false);
            return halted;
        },
        std::move(done));
}

void Observatory::setTracking(bool on, Done done) {
    command(
        [this, on] {
            auto set = own_.mount->setTracking(on);
            if (set)
                confirmed(on);
            return set;
        },
        std::move(done));
}

} // namespace nordstjerna
