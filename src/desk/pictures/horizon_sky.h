// A small sky: altitude over azimuth, with what stands round the site filled in. Drag to draw it; a click
// with the right button takes the nearest point away.
#pragma once

#include <QWidget>

#include "core/procedure/horizon_look.h"

namespace nordstjerna {

class HorizonSky : public QWidget {
    Q_OBJECT
public:
    explicit HorizonSky(QWidget* parent = nullptr);
    void show(const HorizonProfile& horizon);
    // What a look around found so far, over the horizon of before.
    void showFound(const std::vector<HorizonFound>& found);
    const HorizonProfile& horizon() const { return horizon_; }
    QSize sizeHint() const override { return {220, 92}; }
    QSize minimumSizeHint() const override { return {120, 76}; }

Q_SIGNALS:
    void drawn(const HorizonProfile& horizon);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;

private:
    QRectF area() const;
    QPointF placeOf(double azimuth_deg, double altitude_deg) const;
    AltAz skyAt(const QPointF& p) const;
    void drawTo(const QPointF& p);
    HorizonProfile horizon_;
    std::vector<HorizonFound> found_;
    std::optional<QPointF> last_; // of the stroke under way
    bool changed_ = false;
};

} // namespace nordstjerna
