#include "desk/stations/pole/lever_tone.h"

#include <QAudioFormat>
#include <QAudioSink>
#include <QBuffer>
#include <QMediaDevices>
#include <QTimer>
#include <algorithm>
#include <cmath>

namespace nordstjerna {

namespace {
constexpr int rate = 22050;

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

QByteArray beepSamples(double frequency_hz, double length_s, int rate_hz) {
    const int count = static_cast<int>(length_s * rate_hz);
    QByteArray bytes(2 * count, Qt::Uninitialized);
    auto* out = reinterpret_cast<qint16*>(bytes.data());
    for (int i = 0; i < count; ++i) {
        const double t = i / double(rate_hz);
        const double edge = std::min({1.0, t / 0.012, (length_s - t) / 0.03});
        out[i] = static_cast<qint16>(9000.0 * std::max(0.0, edge) * std::sin(2.0 * M_PI * frequency_hz * t));
    }
    return bytes;
}

LeverTone::LeverTone(QObject* parent) : QObject(parent), timer_(new QTimer(this)) {
    timer_->setSingleShot(true);
    connect(timer_, &QTimer::timeout, this, &LeverTone::beep);
}

LeverTone::~LeverTone() = default;

bool LeverTone::possible() const {
    return !QMediaDevices::defaultAudioOutput().isNull();
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
    if (error_ > wanted_) {
        if (!sink_) {
            QAudioFormat format;
            format.setSampleRate(rate);
            format.setChannelCount(1);
            format.setSampleFormat(QAudioFormat::Int16);
            sink_ = std::make_unique<QAudioSink>(QMediaDevices::defaultAudioOutput(), format);
            buffer_ = std::make_unique<QBuffer>();
        }
        sink_->stop();
        buffer_->close();
        samples_ = beepSamples(tonePitch_hz(error_), 0.12, rate);
        buffer_->setData(samples_);
        buffer_->open(QIODevice::ReadOnly);
        sink_->start(buffer_.get());
    }
    timer_->start(static_cast<int>(1000.0 * tonePause_s(error_)));
}

} // namespace nordstjerna
