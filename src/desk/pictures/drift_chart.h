// Dec (and, fainter, RA) of a star that nobody corrects, with the straight line through it and its range.
#pragma once

#include <optional>

#include "core/base/line_fit.h"
#include "core/procedure/drift_referee.h"
#include "desk/pictures/picture.h"

namespace nordstjerna {

class DriftChart : public Picture {
    Q_OBJECT
public:
    explicit DriftChart(QWidget* parent = nullptr);
    void show(const std::vector<DriftSample>& samples, const std::optional<DriftWatch>& watch);
    void setHint(const QString& hint);

protected:
    void draw(QPainter& p, const QRectF& area) override;
    QString readOut(QPointF at) const override;
    QString csv() const override;

private:
    std::vector<DriftSample> samples_;
    std::optional<DriftWatch> watch_;
    QString hint_;
    QRectF plot_;
    double tEnd_ = 60.0;
    double low_ = -1.0, high_ = 1.0;
};

} // namespace nordstjerna
