// A target's altitude over the night above the local horizon, its best hours, and the Moon.
#pragma once

#include "core/sky/civil_time.h"
#include "core/sky/target_night.h"
#include "desk/pictures/picture.h"

namespace nordstjerna {

class AltitudeStrip : public Picture {
    Q_OBJECT
public:
    explicit AltitudeStrip(QWidget* parent = nullptr);
    struct Shown {
        std::optional<TargetNight> night;
        std::vector<TrackPoint> moon;
        std::optional<Night> almanac;
        Instant now;
        CivilTime zone;
        HorizonProfile horizon;
    };
    void show(Shown shown);

protected:
    void draw(QPainter& p, const QRectF& area) override;
    QString readOut(QPointF at) const override;
    QString csv() const override;

private:
    double xOf(Instant t) const;
    double yOf(double altitude_deg) const;
    Shown shown_;
    QRectF field_;
};

} // namespace nordstjerna
