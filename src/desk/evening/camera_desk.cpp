#include "desk/evening/camera_desk.h"

#include <QTimer>
#include <algorithm>

#include "charts/text.h"
#include "core/base/format.h"
#include "core/procedure/filter_change.h"
#include "desk/problem_list.h"

namespace nordstjerna {

namespace {
constexpr int betweenGlances_ms = 1000;
}

CameraDesk::CameraDesk(const Devices& devices, RigBook& rigs, ProblemList& problems)
    : devices_(devices), rigs_(rigs), asking_(problems) {
    auto* timer = new QTimer(this);
    connect(timer, &QTimer::timeout, this, &CameraDesk::look);
    connect(&rigs, &RigBook::changed, this, &CameraDesk::changed);
    timer->start(betweenGlances_ms);
    askWheel();
}

std::string CameraDesk::filter() const {
    const auto& names = rigs_.rig().filters;
    if (!hasWheel())
        return std::find(names.begin(), names.end(), byHand_) == names.end() ? std::string() : byHand_;
    return wheel_ ? filterBefore(rigs_.rig(), *wheel_) : std::string();
}

void CameraDesk::noteFilter(const std::string& filter) {
    const auto& names = rigs_.rig().filters;
    const auto at = std::find(names.begin(), names.end(), filter);
    if (filter == this->filter() || at == names.end())
        return;
    if (hasWheel()) {
        if (!wheel_)
            wheel_.emplace();
        wheel_->slot = static_cast<int>(at - names.begin());
    } else {
        byHand_ = filter;
    }
    Q_EMIT changed();
}

void CameraDesk::askWheel() {
    if (!hasWheel() || asking_.busy())
        return;
    asking_.run([this, wheel = devices_.wheel] {
        return [this, state = wheel->state()] {
            if (!state)
                return; // whoever turns it hears why
            const bool other = !wheel_ || wheel_->slot != state->slot || wheel_->names != state->names;
            wheel_ = *state;
            if (other)
                Q_EMIT changed();
        };
    });
}

CoolerKeeper::Look CameraDesk::cooler() const {
    return devices_.cooling ? devices_.cooling->look() : CoolerKeeper::Look{};
}

void CameraDesk::cool(double to_c) {
    if (devices_.cooling)
        devices_.cooling->cool(to_c);
    look();
}

void CameraDesk::warm() {
    if (devices_.cooling)
        devices_.cooling->warm();
    look();
}

QString CameraDesk::coolerWords() const {
    const auto look = cooler();
    if (!look.state)
        return {};
    const QString now = qs(formatNumber(look.state->sensor_c, 1));
    const QString goal = look.goal_c ? qs(formatNumber(*look.goal_c, 0)) : QString();
    switch (look.phase) {
    case CoolerPhase::cooling:
        return tr("sensor %1 °C, cooling to %2 °C").arg(now, goal);
    case CoolerPhase::holding:
        return tr("sensor %1 °C, as wanted").arg(now);
    case CoolerPhase::exhausted:
        return tr("sensor %1 °C: %2 °C is beyond its cooler").arg(now, goal);
    case CoolerPhase::warming:
        return tr("sensor %1 °C, warming up").arg(now);
    case CoolerPhase::idle:
    case CoolerPhase::warm:
        break;
    }
    return look.state->on ? tr("sensor %1 °C, cooler on").arg(now) : tr("sensor %1 °C, cooler off").arg(now);
}

// Who turns the wheel here says so; by hand or from elsewhere it is turned seldom.
void CameraDesk::look() {
    constexpr int everyNth = 10;
    if (!wheel_ || ++looks_ % everyNth == 0)
        askWheel();
    const auto state = cooler().state;
    const QString words = coolerWords() + (state && state->on ? "+" : "-"); // whether it works, too
    if (words == words_)
        return;
    words_ = words;
    Q_EMIT changed();
}

} // namespace nordstjerna
