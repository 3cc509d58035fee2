// The hour angles that the mount reaches, as a dial seen along the polar axis: how far it may follow on each
// side of the pier, where it stands, and on the rig's card two handles to draw the limits with.
#pragma once

#include "core/procedure/procedure.h"
#include "core/rig/rig.h"
#include "desk/pictures/picture.h"

namespace nordstjerna {

class LimitsDial : public Picture {
    Q_OBJECT
public:
    explicit LimitsDial(bool drawn, QWidget* parent = nullptr); // drawn: the limits may be dragged
    void show(const MountSpec& mount, bool southern, const std::optional<MountState>& state);
    QString words() const override;

Q_SIGNALS:
    void limitsDrawn(double pastEast_h, double pastWest_h);

protected:
    void draw(QPainter& p, const QRectF& area) override;
    QString readOut(QPointF at) const override;
    QString csv() const override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;

private:
    struct Face {
        QPointF centre;
        double radius;
    };
    enum class Held { nothing, east, west };
    Face face() const;
    // Hours from the meridian, west positive, to a place on the dial and back.
    QPointF at(double hourAngle_h, double share) const;
    double hourAt(QPointF p) const;
    Held handleAt(QPointF p) const;
    void arc(QPainter& p, double from_h, double to_h, double share) const;
    MountSpec mount_;
    bool southern_ = false;
    std::optional<MountState> state_;
    bool drawn_;
    Held held_ = Held::nothing;
};

} // namespace nordstjerna
