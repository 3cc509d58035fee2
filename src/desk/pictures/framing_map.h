// The surroundings of a target with north up and east on the left: stars, catalogue objects with their sizes,
// and the sensors as rectangles. The imaging sensor's can be turned by its handle.
#pragma once

#include <QPixmap>

#include "core/rig/framing.h"
#include "core/sky/object_catalogue.h"
#include "desk/pictures/picture.h"
#include "edge/platesolve/star_index.h"

namespace nordstjerna {

class LabelRoom;

class FramingMap : public Picture {
    Q_OBJECT
public:
    // What stands still while a frame is turned.
    struct Sky {
        Vec3 centre = Vec3::UnitX(); // of the map, ICRS
        double span_deg = 3.0;       // of the shorter side
        std::vector<CatalogueStar> stars;
        std::vector<const SkyObject*> objects;
    };
    struct Frames {
        Footprint imaging;               // as wanted
        std::optional<Footprint> guide;  // beside it, where it was measured
        std::optional<Footprint> solved; // as it really lies
    };
    explicit FramingMap(QWidget* parent = nullptr);
    void showSky(Sky sky);
    void showFrames(Frames frames);
    const Sky& sky() const { return sky_; }
    const Frames& frames() const { return frames_; }

Q_SIGNALS:
    void turned(double angle_deg); // by hand
    void picked(const nordstjerna::SkyObject& object);

protected:
    void draw(QPainter& p, const QRectF& area) override;
    QString readOut(QPointF at) const override;
    QString csv() const override;
    double greatestZoom() const override { return 12.0; }
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;

private:
    QPointF toScreen(const Vec3& icrs) const;
    double pxPerDegree() const;
    void drawSky(QPainter& p);
    void drawFootprint(QPainter& p, LabelRoom& room, const Footprint& f, const QPen& pen,
                       const QString& label) const;
    QPointF handle() const;
    Sky sky_;
    Frames frames_;
    QRectF area_;
    QPixmap drawnSky_;
    bool skyOld_ = true;
    double skyZoom_ = 0.0;
    bool turning_ = false;
};

} // namespace nordstjerna
