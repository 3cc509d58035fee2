// The star's path on the sensor while calibrating: four legs with their steps, the fitted axes, and the
// lengths the rig promises as ghosts.
#pragma once

#include <optional>

#include "core/calibration/calibration.h"
#include "desk/pictures/picture.h"

namespace nordstjerna {

class CompassOfMotion : public Picture {
    Q_OBJECT
public:
    explicit CompassOfMotion(QWidget* parent = nullptr);
    void show(const std::vector<CalibrationSample>& samples, const std::optional<Calibration>& calibration,
              double travel_px);

    // Past calibrations of the same rig, drawn faintly.
    void setGhosts(std::vector<Calibration> ghosts);

protected:
    void draw(QPainter& p, const QRectF& area) override;
    QString readOut(QPointF at) const override;
    QString csv() const override;

private:
    QPointF place(double x, double y) const;
    std::vector<CalibrationSample> samples_;
    std::optional<Calibration> calibration_;
    std::vector<Calibration> ghosts_;
    double travel_px_ = 25.0;
    QPointF centre_;
    double unit_ = 1.0;
};

} // namespace nordstjerna
