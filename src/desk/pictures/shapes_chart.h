// The frames of a series as short strokes: as long as their stars are drawn out, in that direction on the
// sky, as high as their FWHM; below on the same axis what the guide loop did meanwhile.
#pragma once

#include "core/series/series_frame.h"
#include "core/sky/civil_time.h"
#include "core/sky/tangent_plane.h"
#include "desk/pictures/picture.h"

namespace nordstjerna {

class ShapesChart : public Picture {
    Q_OBJECT
public:
    explicit ShapesChart(QWidget* parent = nullptr);
    // plane: of a frame that was solved, or null; directions are the sensor's then.
    void show(const std::vector<SeriesFrame>& frames, double scale_arcsec_px, const TangentPlane* plane,
              const CivilTime& zone);
    void setChosen(int number);

Q_SIGNALS:
    void frameChosen(int number); // 0: none

protected:
    void draw(QPainter& p, const QRectF& area) override;
    QString readOut(QPointF at) const override;
    QString csv() const override;
    void mousePressEvent(QMouseEvent*) override;

private:
    struct Stroke {
        int number;
        Instant when;
        double fwhm_arcsec, elongation;
        double angle_deg; // on the picture: north up, east left
        double certainty_deg;
        double rms_arcsec;
        Measured mount_arcsec;
        Remark remark;
    };
    const Stroke* strokeAt(QPointF at) const;
    double xOf(size_t i) const;
    static void paintTriangle(QPainter& p, QPointF at);
    std::vector<Stroke> strokes_;
    bool onSky_ = false;
    int chosen_ = 0;
    CivilTime zone_;
    QRectF plot_, below_;
};

} // namespace nordstjerna
