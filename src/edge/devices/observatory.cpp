#include "edge/devices/observatory.h"

#include <algorithm>
#include <tuple>

#include "edge/devices/forwarding_mount.h"
#include "edge/devices/frozen_check.h"

namespace nordstjerna {

namespace {
constexpr auto between = std::chrono::milliseconds(200); // two looks

// Puts a question and takes note of the answer. What was broken off on request says nothing of the link.
auto heard(Link& link, auto&& ask, const StopFlag* halt = nullptr) {
    const int question = link.asked();
    auto answer = ask();
    const bool failed = !answer && !(halt && *halt);
    link.answered(question, failed ? std::optional(answer.error()) : std::nullopt);
    return answer;
}
} // namespace

class Observatory::WatchedMount final : public ForwardingMount {
public:
    WatchedMount(Mount& own, Observatory& whole) : ForwardingMount(own), whole_(whole) {}

    Expected<MountState> state() const override {
        auto told = heard(whole_.mountLink_, [&] { return mount.state(); });
        if (told) {
            const std::scoped_lock guard(whole_.lock_);
            whole_.last_ = *told;
        }
        return told;
    }

private:
    Observatory& whole_;
};

class Observatory::WatchedCamera final : public Camera {
    // A frame that came before is no answer.
    auto fresh(const StopFlag& halt, auto&& ask, auto&& pixels) {
        return heard(
            link_,
            [&] {
                auto answer = ask();
                if (answer)
                    if (auto moves = frozen_.look(pixels(*answer)); !moves)
                        answer = tl::unexpected(moves.error());
                return answer;
            },
            &halt);
    }
    auto frame(const StopFlag& halt, auto&& ask) {
        return fresh(halt, ask, [](const auto& taken) -> const Frame& { return *taken; });
    }

public:
    WatchedCamera(Camera& camera, const std::string& name) : camera_(camera), frozen_(name) {}
    LinkState link() const { return link_.state(); }

    Expected<std::shared_ptr<const Frame>> expose(double exposure_s, const StopFlag& halt) override {
        return frame(halt, [&] { return camera_.expose(exposure_s, halt); });
    }
    Expected<void> begin() override { return camera_.begin(); }
    Expected<std::shared_ptr<const Frame>> finish(const StopFlag& halt) override {
        return frame(halt, [&] { return camera_.finish(halt); });
    }
    Expected<Windows> exposeWindows(double exposure_s, const std::vector<ExpectedStar>& stars,
                                    const StopFlag& halt) override {
        return fresh(
            halt, [&] { return camera_.exposeWindows(exposure_s, stars, halt); },
            [](const Windows& w) -> const std::vector<Frame>& { return w.frames; });
    }

private:
    Camera& camera_;
    Link link_{0.0}; // an exposure takes as long as it likes
    FrozenCheck frozen_;
};

class Observatory::WatchedFocuser final : public Focuser {
public:
    explicit WatchedFocuser(Focuser& focuser) : focuser_(focuser) {}
    LinkState link() const { return link_.state(); }

    Expected<FocuserState> state() const override {
        return heard(link_, [&] { return focuser_.state(); });
    }
    Expected<void> moveTo(int steps, const StopFlag& halt) override {
        return heard(
            link_, [&] { return focuser_.moveTo(steps, halt); }, &halt);
    }

private:
    Focuser& focuser_;
    mutable Link link_{0.0}; // a move takes as long as it likes
};

Observatory::Observatory(const Devices& devices, double patience_s)
    : own_(devices), watched_(devices), mountLink_(patience_s),
      mount_(std::make_unique<WatchedMount>(*devices.mount, *this)) {
    last_.told = false;
    watched_.mount = mount_.get();
    if (devices.guideCamera) {
        guideCamera_ = std::make_unique<WatchedCamera>(*devices.guideCamera, "guide camera");
        watched_.guideCamera = guideCamera_.get();
        watched_.track = trackByCamera(*guideCamera_);
    }
    if (devices.imagingCamera) {
        imagingCamera_ = std::make_unique<WatchedCamera>(*devices.imagingCamera, "imaging camera");
        watched_.imagingCamera = imagingCamera_.get();
        watched_.image = imageByCamera(*imagingCamera_);
    }
    for (auto [own, watched, shown] :
         {std::tuple{devices.guideFocuser, &guideFocuser_, &watched_.guideFocuser},
          {devices.imagingFocuser, &imagingFocuser_, &watched_.imagingFocuser}})
        if (own) {
            *watched = std::make_unique<WatchedFocuser>(*own);
            *shown = watched->get();
        }
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
    const auto& watched = camera == CameraRole::guide ? guideCamera_ : imagingCamera_;
    return watched ? watched->link() : LinkState{};
}

LinkState Observatory::focuserLink(CameraRole camera) const {
    const auto& watched = camera == CameraRole::guide ? guideFocuser_ : imagingFocuser_;
    return watched ? watched->link() : LinkState{};
}

// What the mount confirmed is known before the next look.
void Observatory::command(std::function<Expected<void>()> what, bool thenTracking, Done done) {
    std::erase_if(commands_, [](Command& c) {
        if (!*c.over)
            return false;
        c.thread.join();
        return true;
    });
    auto over = std::make_shared<std::atomic<bool>>(false);
    commands_.push_back(
        {std::thread([this, what = std::move(what), thenTracking, done = std::move(done), over] {
             const auto confirmed = what();
             if (confirmed) {
                 const std::scoped_lock guard(lock_);
                 last_.tracking = thenTracking;
                 last_.moving = last_.moving && thenTracking;
             }
             done(confirmed);
             *over = true;
         }),
         over});
}

void Observatory::halt(Done done) {
    command([this] { return own_.mount->halt(); }, false, std::move(done));
}

void Observatory::setTracking(bool on, Done done) {
    command([this, on] { return own_.mount->setTracking(on); }, on, std::move(done));
}

} // namespace nordstjerna
