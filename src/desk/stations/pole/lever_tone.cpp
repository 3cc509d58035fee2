#include "desk/stations/pole/lever_tone.h"

#include <QTimer>
#include <algorithm>
#include <cmath>

namespace nordstjerna {

namespace {
// 0 at 0.1′ and below, 1 at 60′ and above, logarithmic between.
double height(double error_arcmin) {
    return std::clamp(std::log(std::max(error_arcmin, 1e-3) / 0.1) / std::log(600.0), 0.0, 1.0);
}
} // namespace

double tonePitch_hz(double error_arcmin) {
    return 220.0 * std::pow(6.0, height(error_arcmin));
}

double tonePause_s(double error_arcmin) {
    return 1.6 * std::pow(0.15 / 1.6, height(error_arcmin));
}

LeverTone::LeverTone(QObject* parent) : QObject(parent), timer_(new QTimer(this)) {
    timer_->setSingleShot(true);
    connect(timer_, &QTimer::timeout, this, &LeverTone::beep);
}

bool LeverTone::possible() const {
    return Speaker::possible();
}

void LeverTone::setOn(bool on) {
    on_ = on && possible();
    if (on_ && !timer_->isActive())
        timer_->start(0);
    if (!on_)
        timer_->stop();
}

void LeverTone::setError(double error_arcmin, double wanted_arcmin) {
    error_ = error_arcmin;
    wanted_ = wanted_arcmin;
}

void LeverTone::beep() {
    if (!on_)
        return;
    if (error_ > wanted_)
        speaker_.play(beepSamples(tonePitch_hz(error_), 0.12, Speaker::rate_hz));
    timer_->start(static_cast<int>(1000.0 * tonePause_s(error_)));
}

} // namespace nordstjerna
