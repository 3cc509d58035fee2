// Short sounds.
#pragma once

#include <QByteArray>
#include <memory>

class QAudioSink;
class QBuffer;

namespace nordstjerna {

// Mono 16-bit samples of one beep with soft edges.
QByteArray beepSamples(double frequency_hz, double length_s, int rate_hz);

class Speaker {
public:
    static constexpr int rate_hz = 22050;
    Speaker();
    ~Speaker();
    static bool possible(); // a sound device is there
    // In place of what still sounds.
    void play(const QByteArray& samples);

private:
    std::unique_ptr<QAudioSink> sink_;
    std::unique_ptr<QBuffer> buffer_;
    QByteArray samples_;
};

} // namespace nordstjerna
