// Error of the axis: west–east across, low–high up, symmetric-logarithmic from 0.1′ to 60′. The wanted range
// as a rounded square, former measurements as a path with their uncertainty ellipses.
#pragma once

#include <optional>
#include <vector>

#include "core/pole/pole_error.h"
#include "desk/pictures/picture.h"

namespace nordstjerna {

class PoleMap : public Picture {
    Q_OBJECT
public:
    explicit PoleMap(QWidget* parent = nullptr);
    // Errors in order of time, the last one being the present; `other` by the other pole convention.
    void show(const std::vector<PoleError>& path, const std::optional<PoleError>& other,
              double wanted_arcmin);
    const std::vector<PoleError>& path() const { return path_; }

protected:
    void draw(QPainter& p, const QRectF& area) override;
    QString readOut(QPointF at) const override;
    QString csv() const override;
    QString words() const override;

private:
    double stretch(double arcmin) const; // −1…1
    double unstretch(double v) const;
    QPointF place(double east, double high) const;
    std::vector<PoleError> path_;
    std::optional<PoleError> other_;
    double wanted_ = 2.0;
    QRectF field_;
};

} // namespace nordstjerna
