// The whole sky in stereographic projection: horizon profile, meridian, pole, planned arc, sightings taken,
// the telescope now. North up, east on the left, as seen lying on one's back.
#pragma once

#include "core/pole/sighting_plan.h"
#include "desk/pictures/picture.h"

namespace nordstjerna {

struct SkyMapContent {
    Rig rig;
    PlannedArc arc;
    size_t taken = 0;              // sightings done
    std::optional<Vec3> telescope; // ENU
    std::optional<Vec3> target;
    QString targetName;
};

class SkyMap : public Picture {
    Q_OBJECT
public:
    explicit SkyMap(QWidget* parent = nullptr);
    void show(const SkyMapContent& content);

protected:
    void draw(QPainter& p, const QRectF& area) override;
    QString readOut(QPointF at) const override;
    QString csv() const override;
    double greatestZoom() const override { return 3.0; }

private:
    QPointF place(const AltAz& a) const;
    SkyMapContent content_;
    QPointF centre_;
    double radius_ = 1.0;
};

} // namespace nordstjerna
