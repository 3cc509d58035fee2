#include "edge/devices/observatory.h"

#include <algorithm>
#include <cmath>
#include <tuple>

#include "edge/devices/device_queue.h"
#include "edge/devices/frozen_check.h"
#include "edge/runner.h"

namespace nordstjerna {

namespace {
constexpr auto between = std::chrono::milliseconds(200); // two looks
// How long one waits for what.
constexpr DeviceQueue::Wait usualWait{0.0, 20.0};
constexpr DeviceQueue::Wait slewing{300.0, 20.0};
constexpr DeviceQueue::Wait readOut{0.0, 30.0};
constexpr DeviceQueue::Wait moveWait{300.0, 20.0};
constexpr DeviceQueue::Wait halting{0.0, 10.0};

// Puts a question and takes note of the answer. What was broken off on request says nothing of the link.
auto heard(Link& link, auto&& ask, const StopFlag* halt = nullptr) {
    const int question = link.asked();
    auto answer = ask();
    const bool failed = !answer && !(halt && *halt);
    link.answered(question, failed ? std::optional(answer.error()) : std::nullopt);
    return answer;
}
} // namespace

class Observatory::WatchedMount final : public Mount {
public:
    WatchedMount(Mount& own, Observatory& whole, double patience_s, double command_s)
        : mount_(own), whole_(whole), queue_(Text::say("mount"), *whole.own_.clock, whole.helpers_),
          telling_{0.0, patience_s}, short_{0.0, command_s} {}

    Expected<MountState> state() const override { return state(neverHalted); }
    Expected<MountState> state(const StopFlag& halt) const {
        const Instant asked = whole_.own_.clock->now();
        auto told = heard(whole_.mountLink_, [&] {
            return queue_.ask(telling_, halt, [&m = mount_](const StopFlag&) { return m.state(); });
        });
        if (told) {
            whole_.guard_.hear(*told, asked, whole_.own_.clock->now());
            settle(*told, halt);
            const std::scoped_lock guard(whole_.lock_);
            whole_.last_ = *told;
            if (told->tracking || told->moving)
                whole_.ended_.reset();
        }
        return told;
    }
    Expected<void> slewOn(const HourAngleDec& place, const std::string& side, const StopFlag& halt) override {
        if (auto may = mayMove(); !may)
            return may;
        if (auto may = whole_.guard_.maySlew(whole_.mountState(), place, side, whole_.own_.clock->now());
            !may)
            return may;
        whole_.owesRest_ = false;
        return queue_.ask(slewing, halt, [&m = mount_, place, side](const StopFlag& broken) {
            return m.slewOn(place, side, broken);
        });
    }
    Expected<void> setTracking(bool on) override { return setTracking(on, neverHalted); }
    Expected<void> setTracking(bool on, const StopFlag& halt) {
        if (on)
            if (auto may = mayMove(); !may)
                return may;
        const auto done =
            queue_.ask(short_, halt, [&m = mount_, on](const StopFlag&) { return m.setTracking(on); });
        whole_.owesRest_ = !on && !done;
        return done;
    }
    Expected<void> park(bool on, const StopFlag& halt) override {
        if (auto may = mayMove(); !may)
            return may;
        const auto done = queue_.ask(
            slewing, halt, [&m = mount_, on](const StopFlag& broken) { return m.park(on, broken); });
        if (on && done)
            whole_.owesRest_ = false;
        return done;
    }
    Expected<void> pulse(double ra_ms, double dec_ms, const StopFlag& halt) override {
        if (auto may = mayMove(); !may)
            return may;
        const double own_s = std::max(std::abs(ra_ms), std::abs(dec_ms)) / 1000.0;
        return queue_.ask(
            {own_s, short_.patience_s}, halt,
            [&m = mount_, ra_ms, dec_ms](const StopFlag& broken) { return m.pulse(ra_ms, dec_ms, broken); });
    }
    Expected<void> runRa(double sidereal) override {
        if (sidereal != 0.0)
            if (auto may = mayMove(); !may)
                return may;
        const auto done = queue_.ask(short_, neverHalted,
                                     [&m = mount_, sidereal](const StopFlag&) { return m.runRa(sidereal); });
        whole_.owesRate_ = sidereal == 0.0 && !done;
        return done;
    }
    Expected<void> sync(const HourAngleDec& truth) override {
        return queue_.ask(short_, neverHalted,
                          [&m = mount_, truth](const StopFlag&) { return m.sync(truth); });
    }
    Expected<void> setCurve(const std::vector<double>& curve) override {
        return queue_.ask(short_, neverHalted,
                          [&m = mount_, curve](const StopFlag&) { return m.setCurve(curve); });
    }
    Expected<void> halt() override {
        const auto done = mount_.halt();
        whole_.owesHalt_ = !done;
        if (done)
            whole_.owesRate_ = whole_.owesRest_ = false;
        return done;
    }

private:
    Expected<void> mayMove() const {
        if (whole_.halted_)
            return tl::unexpected(haltedProblem());
        return {};
    }
    // Puts back what could not be put back before, and ends tracking where the guard says so. What fails is
    // tried again with the next look. now: as just told; corrected by what is done.
    void settle(MountState& now, const StopFlag& halt) const {
        const auto asked = [&](auto&& what) { return bool(queue_.ask(telling_, halt, what)); };
        // A command that was on its way when the halt came may have woken it again.
        if (whole_.halted_ && (whole_.owesHalt_ || now.tracking || now.moving) &&
            asked([&m = mount_](const StopFlag&) { return m.halt(); })) {
            whole_.owesHalt_ = whole_.owesRate_ = whole_.owesRest_ = false;
            now.tracking = now.moving = false;
        }
        if (whole_.owesRate_ && asked([&m = mount_](const StopFlag&) { return m.runRa(0.0); }))
            whole_.owesRate_ = false;
        const auto reached = whole_.guard_.trackingEnd(now, 0.0);
        if (!reached && !whole_.owesRest_)
            return;
        if (!asked([&m = mount_](const StopFlag&) { return m.setTracking(false); }))
            return;
        whole_.owesRest_ = false;
        now.tracking = false;
        const std::scoped_lock guard(whole_.lock_);
        if (reached)
            whole_.ended_ = reached;
    }

    Mount& mount_;
    Observatory& whole_;
    mutable DeviceQueue queue_;
    DeviceQueue::Wait telling_, short_;
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
    WatchedCamera(Camera& camera, const Text& name, Observatory& whole)
        : camera_(camera), queue_(name, *whole.own_.clock, whole.helpers_), frozen_(name) {}
    LinkState link() const { return link_.state(); }

    Expected<std::shared_ptr<const Frame>> expose(double exposure_s, const StopFlag& halt) override {
        return frame(halt, [&] {
            return queue_.ask(
                {exposure_s, readOut.patience_s}, halt,
                [&c = camera_, exposure_s](const StopFlag& broken) { return c.expose(exposure_s, broken); });
        });
    }
    Expected<void> begin(double exposure_s) override {
        return queue_.ask(usualWait, neverHalted,
                          [&c = camera_, exposure_s](const StopFlag&) { return c.begin(exposure_s); });
    }
    Expected<std::shared_ptr<const Frame>> finish(const StopFlag& halt) override {
        return frame(halt, [&] {
            return queue_.ask(readOut, halt,
                              [&c = camera_](const StopFlag& broken) { return c.finish(broken); });
        });
    }
    Expected<Windows> exposeWindows(double exposure_s, const std::vector<ExpectedStar>& stars,
                                    const StopFlag& halt) override {
        return fresh(
            halt,
            [&] {
                return queue_.ask({exposure_s, readOut.patience_s}, halt,
                                  [&c = camera_, exposure_s, stars](const StopFlag& broken) {
                                      return c.exposeWindows(exposure_s, stars, broken);
                                  });
            },
            [](const Windows& w) -> const std::vector<Frame>& { return w.frames; });
    }
    Expected<std::optional<GainState>> gain(const StopFlag& halt) override {
        return queue_.ask(usualWait, halt, [&c = camera_](const StopFlag& broken) { return c.gain(broken); });
    }
    Expected<void> setGain(double setting, const StopFlag& halt) override {
        return queue_.ask(usualWait, halt, [&c = camera_, setting](const StopFlag& broken) {
            return c.setGain(setting, broken);
        });
    }

private:
    Camera& camera_;
    DeviceQueue queue_;
    Link link_{0.0}; // how long an exposure may take is known to the queue alone
    FrozenCheck frozen_;
};

// Whose answers are watched.
struct Observatory::Linked {
    Linked(const Text& readAs, double patience_s) : name(readAs), link(patience_s) {}
    virtual ~Linked() = default;
    virtual const void* port() const = 0;
    const Text name;
    mutable Link link;
};

template <typename Port>
class Observatory::WatchedMover final : public Port, public Linked {
public:
    using State = typename Port::State;
    using Place = typename Port::Place;
    // How long a move may take is known to the queue alone.
    WatchedMover(Port& device, const Text& kind, const Text& readAs, Clock& clock, Helpers& helpers)
        : Linked(readAs, 0.0), device_(device), queue_(kind, clock, helpers) {}
    const void* port() const override { return static_cast<const Port*>(this); }

    Expected<State> state() const override {
        return heard(this->link, [&] {
            return queue_.ask(usualWait, neverHalted, [&d = device_](const StopFlag&) { return d.state(); });
        });
    }
    Expected<void> moveTo(Place place, const StopFlag& halt) override {
        return heard(
            this->link,
            [&] {
                return queue_.ask(moveWait, halt, [&d = device_, place](const StopFlag& broken) {
                    return d.moveTo(place, broken);
                });
            },
            &halt);
    }

private:
    Port& device_;
    mutable DeviceQueue queue_;
};
class Observatory::WatchedCooler final : public Cooler {
public:
    WatchedCooler(Cooler& cooler, Observatory& whole)
        : cooler_(cooler), queue_(Text::say("cooler"), *whole.own_.clock, whole.helpers_),
          ending_(whole.ending_) {}
    Expected<CoolerState> state() const override {
        return queue_.ask(usualWait, ending_, [&c = cooler_](const StopFlag&) { return c.state(); });
    }
    Expected<void> hold(double target_c) override {
        return queue_.ask(usualWait, ending_,
                          [&c = cooler_, target_c](const StopFlag&) { return c.hold(target_c); });
    }
    Expected<void> off() override {
        return queue_.ask(usualWait, ending_, [&c = cooler_](const StopFlag&) { return c.off(); });
    }

private:
    Cooler& cooler_;
    mutable DeviceQueue queue_;
    const StopFlag& ending_;
};

template <typename Port>
void Observatory::watch(Port* Devices::*device, const Text& kind, const Text& name) {
    if (!(own_.*device))
        return;
    auto mover = std::make_unique<WatchedMover<Port>>(*(own_.*device), kind, name, *own_.clock, helpers_);
    watched_.*device = mover.get();
    movers_.push_back(std::move(mover));
}

Observatory::Observatory(const Devices& devices, double patience_s, std::shared_ptr<const void> owner,
                         double command_s)
    : helpers_(std::move(owner)), own_(devices), watched_(devices), mountLink_(patience_s),
      mount_(std::make_unique<WatchedMount>(*devices.mount, *this, patience_s, command_s)) {
    last_.told = false;
    watched_.mount = mount_.get();
    if (devices.guideCamera) {
        guideCamera_ =
            std::make_unique<WatchedCamera>(*devices.guideCamera, Text::say("guide camera"), *this);
        watched_.guideCamera = guideCamera_.get();
        watched_.track = trackByCamera(*guideCamera_);
    }
    if (devices.imagingCamera) {
        imagingCamera_ =
            std::make_unique<WatchedCamera>(*devices.imagingCamera, Text::say("imaging camera"), *this);
        watched_.imagingCamera = imagingCamera_.get();
        watched_.image = imageByCamera(*imagingCamera_);
    }
    watch(&Devices::guideFocuser, Text::say("focuser"), Text::say("Focuser of the guide camera"));
    watch(&Devices::imagingFocuser, Text::say("focuser"), Text::say("Focuser of the imaging camera"));
    watch(&Devices::wheel, Text::say("filter wheel"), Text::say("Filter wheel"));
    watch(&Devices::rotator, Text::say("rotator"), Text::say("Rotator"));
    if (devices.imagingCooler) {
        cooler_ = std::make_unique<WatchedCooler>(*devices.imagingCooler, *this);
        watched_.imagingCooler = cooler_.get();
        cooling_ = std::make_unique<CoolerKeeper>(*cooler_, *own_.clock);
        watched_.cooling = cooling_.get();
    }
    if (own_.solve)
        watched_.solve = [this](const SolveStep& step, const StopFlag& halt) {
            auto solved = own_.solve(step, halt);
            // Frames of another night say nothing of where the mount points now.
            constexpr double recent_s = 120.0;
            if (solved && std::abs(own_.clock->now() - solved->when) < recent_s)
                guard_.see(*solved, mountState());
            return solved;
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
        (void)mount_->state(ending_);
        wake_.notify_all();
        wait.lock();
        wake_.wait_for(wait, between, [this] { return ending_.load(); });
    }
}

MountState Observatory::mountState() const {
    const std::scoped_lock guard(lock_);
    return last_;
}

std::optional<TrackingEnd> Observatory::trackingEnded() const {
    const std::scoped_lock guard(lock_);
    return ended_;
}

std::vector<Observatory::NamedLink> Observatory::links() const {
    std::vector<NamedLink> all{{Text::say("Mount"), watched_.mount, mountLink_.state()}};
    if (guideCamera_)
        all.push_back({Text::say("Guide camera"), watched_.guideCamera, guideCamera_->link()});
    if (imagingCamera_)
        all.push_back({Text::say("Imaging camera"), watched_.imagingCamera, imagingCamera_->link()});
    for (const auto& mover : movers_)
        all.push_back({mover->name, mover->port(), mover->link.state()});
    return all;
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
             try {
                 done(confirmed);
             } catch (const std::exception&) { // who asked has lost the answer, nobody else anything
             }
             *over = true;
         }),
         over});
}

void Observatory::halt(Done done) {
    halted_ = true;
    owesHalt_ = true; // until it is confirmed
    command(
        [this] {
            DeviceQueue own(Text::say("mount"), *own_.clock, helpers_); // behind nothing that is not back yet
            auto confirmed =
                own.ask(halting, ending_, [&m = *own_.mount](const StopFlag&) { return m.halt(); });
            if (confirmed)
                owesHalt_ = owesRate_ = owesRest_ = false;
            return confirmed;
        },
        false, std::move(done));
}

void Observatory::park(bool on, Done done) {
    if (!on)
        release();
    command([this, on] { return mount_->park(on, halted_); }, false, std::move(done));
}

void Observatory::setTracking(bool on, Done done) {
    if (on)
        release();
    command([this, on] { return mount_->setTracking(on, ending_); }, on, std::move(done));
}

} // namespace nordstjerna
