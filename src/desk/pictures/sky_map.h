// The whole sky in stereographic projection: horizon profile, meridian, pole, planned arc, sightings taken,
// the telescope now. The arc can be dragged, its
// ends to make it longer or shorter. North up, east on the left, as seen lying on one's back.
#pragma once

#include "core/pole/sighting_plan.h"
#include "desk/pictures/picture.h"

namespace nordstjerna {

struct SkyMapContent {
    Rig rig;
    PlannedArc arc;
    std::vector<bool> taken;       // sightings done, by place
    std::optional<Vec3> telescope; // ENU
    std::optional<Vec3> target;
    QString targetName;
    bool draggable = false;
    QString warning; // why the arc as dragged does not do
};

class SkyMap : public Picture {
    Q_OBJECT
public:
    explicit SkyMap(QWidget* parent = nullptr);
    void show(const SkyMapContent& content);

Q_SIGNALS:
    // The person drew the arc elsewhere.
    void arcDragged(Angle firstHourAngle, Angle lastHourAngle, Angle dec);

protected:
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void draw(QPainter& p, const QRectF& area) override;
    QString readOut(QPointF at) const override;
    QString csv() const override;
    double greatestZoom() const override { return 3.0; }

private:
    QPointF place(const AltAz& a) const;
    std::optional<Vec3> direction(QPointF at) const; // absent below the horizon
    int sightingAt(QPointF at) const;                // −1: none
    SkyMapContent content_;
    QPointF centre_;
    double radius_ = 1.0;
    int dragged_ = -1;
};

} // namespace nordstjerna
