// A tone for somebody who cannot see the screen: pitch and pace fall as the error falls, and it stays silent
// once the error is within what is wanted. Off unless asked for.
#pragma once

#include <QObject>

#include "desk/speaker.h"

class QTimer;

namespace nordstjerna {

double tonePitch_hz(double error_arcmin); // 220 Hz at 0.1′ … 1320 Hz at 60′
double tonePause_s(double error_arcmin);  // 1.6 s … 0.15 s

class LeverTone : public QObject {
    Q_OBJECT
public:
    explicit LeverTone(QObject* parent = nullptr);
    bool possible() const; // a sound device is there
    void setOn(bool on);
    void setError(double error_arcmin, double wanted_arcmin);

private:
    void beep();
    Speaker speaker_;
    QTimer* timer_;
    bool on_ = false;
    double error_ = 0.0;
    double wanted_ = 2.0;
};

} // namespace nordstjerna
