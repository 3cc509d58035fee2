// The night from sunset to sunrise: twilight, the target's altitude cut by the horizon profile, meridian,
// now, and what was done.
#pragma once

#include <QFrame>

#include "desk/session.h"

namespace nordstjerna {

class NightBand : public QFrame {
    Q_OBJECT
public:
    explicit NightBand(Session& session, QWidget* parent = nullptr);
    void refresh(); // the moving parts

protected:
    void paintEvent(QPaintEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;

private:
    void compute();
    double xOf(Instant t) const;
    double yOf(double altitude_deg) const;
    Session& session_;
    std::optional<Night> night_;
    std::vector<TrackPoint> track_;
    Instant meridian_;
    double utcOffset_h_ = 0.0;
};

} // namespace nordstjerna
