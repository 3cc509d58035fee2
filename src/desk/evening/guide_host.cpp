#include "desk/evening/guide_host.h"

#include <future>

namespace nordstjerna {

GuideHost::GuideHost(Devices& devices, ThisNight& night, MountDesk& mount, ProcedureHost& procedures,
                     ProblemList& problems)
    : night_(night), mount_(mount), procedures_(procedures), problems_(problems), guideRunner_(devices) {
    guideRunner_.setPrepare([this](const StopFlag& halt) { return forSeries(halt); });
    connect(&procedures, &ProcedureHost::stopGuidingWanted, this, &GuideHost::stop);
    connect(&procedures, &ProcedureHost::breakGuidingOff, this, [this] { guideRunner_.breakOff(); });
    connect(&mount, &MountDesk::allowed, this, [this] { guideRunner_.allow(); });
}

GuideHost::~GuideHost() {
    guideRunner_.breakOff();
    guideRunner_.join();
}

void GuideHost::begins() {
    procedures_.setGuiding(true);
    block_ = night_.openBlock(tr("Guiding"));
    Q_EMIT procedures_.busyChanged();
}

void GuideHost::begin(GuideRunnerPlan plan) {
    if (!procedures_.mayBegin(false, {[this, plan] { begin(plan); },
                                      [this, plan] {
                                          begins();
                                          plan.ended(tl::unexpected(haltedProblem()));
                                      }}))
        return;
    if (const auto begun = guideRunner_.begin(std::move(plan)); !begun) {
        problems_.report(begun.error());
        return;
    }
    begins();
}

void GuideHost::finish(const std::function<void()>& done, const Expected<void>& result) {
    procedures_.setGuiding(false);
    night_.closeBlock(block_);
    mount_.haltAgainIfHalted();
    done();
    // A series that guides is told itself, and may go on.
    if (!result && !result.error().userRequested && !procedures_.working())
        problems_.report(result.error());
    Q_EMIT procedures_.busyChanged();
}

// In the thread of the series: the window prepares it, time stands meanwhile.
Expected<GuideRunnerPlan> GuideHost::forSeries(const StopFlag& halt) {
    auto answer = std::make_shared<std::promise<Expected<GuideRunnerPlan>>>();
    auto coming = answer->get_future();
    QMetaObject::invokeMethod(
        this,
        [this, answer] {
            auto plan =
                maker_ ? maker_() : Expected<GuideRunnerPlan>(problem(Text::say("Nothing guides here.")));
            if (plan)
                begins();
            answer->set_value(std::move(plan));
        },
        Qt::QueuedConnection);
    constexpr auto glance = std::chrono::milliseconds(20);
    while (coming.wait_for(glance) != std::future_status::ready)
        if (halt)
            return tl::unexpected(haltedProblem());
    return coming.get();
}

} // namespace nordstjerna
