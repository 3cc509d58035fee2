#include "desk/speaker.h"

#include <QAudioFormat>
#include <QAudioSink>
#include <QBuffer>
#include <QMediaDevices>
#include <algorithm>
#include <cmath>

namespace nordstjerna {

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

Speaker::Speaker() = default;
Speaker::~Speaker() = default;

bool Speaker::possible() {
    return !QMediaDevices::defaultAudioOutput().isNull();
}

void Speaker::play(const QByteArray& samples) {
    if (!possible())
        return;
    if (!sink_) {
        QAudioFormat format;
        format.setSampleRate(rate_hz);
        format.setChannelCount(1);
        format.setSampleFormat(QAudioFormat::Int16);
        sink_ = std::make_unique<QAudioSink>(QMediaDevices::defaultAudioOutput(), format);
        buffer_ = std::make_unique<QBuffer>();
    }
    sink_->stop();
    buffer_->close();
    samples_ = samples;
    buffer_->setData(samples_);
    buffer_->open(QIODevice::ReadOnly);
    sink_->start(buffer_.get());
}

} // namespace nordstjerna
