// The focus curve: size of the stars against the place of the focuser, the hyperbola with its band, the best
// place, the critical zone, and the backlash as two arrows.
#pragma once

#include "core/focus/focus_curve.h"
#include "core/focus/focuser_backlash.h"
#include "desk/pictures/picture.h"

namespace nordstjerna {

class FocusChart : public Picture {
    Q_OBJECT
public:
    struct Shown {
        std::vector<CurvePoint> points;
        std::vector<InwardFrame> inward;
        std::optional<FocusCurve> curve;
        std::optional<Measured> backlash_steps;
        double zone_steps = 0.0; // 0: not known
        std::optional<double> now_steps;
    };
    explicit FocusChart(QWidget* parent = nullptr);
    void show(Shown shown);

protected:
    void draw(QPainter& p, const QRectF& area) override;
    QString readOut(QPointF at) const override;
    QString csv() const override;

private:
    double xOf(double steps) const;
    double yOf(double hfd_px) const;
    void range();
    Shown shown_;
    QRectF field_;
    double low_ = 0.0, high_ = 1.0, top_ = 1.0;
};

} // namespace nordstjerna
