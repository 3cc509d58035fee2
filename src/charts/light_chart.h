// What was gathered of a target night by night: usable and flagged light by filter, and below it sharpness,
// roundness and guiding on the same nights.
#pragma once

#include "charts/chart.h"
#include "core/review/target_progress.h"
#include "core/sky/civil_time.h"

namespace nordstjerna {

class LightChart : public Chart {
public:
    void show(const TargetProgress& progress, const CivilTime& zone);

    void draw(QPainter& p, const QRectF& area, const ViewRange& view) override;
    QString readOut(QPointF at) const override;
    QString csv() const override;
    double heightOnPaper() const override { return 620.0; }

private:
    double columnWidth() const;
    size_t columnOf(Instant night) const;
    double xOf(size_t night) const;
    QColor colourOf(const std::string& filter) const;
    void drawLight(QPainter& p, const QRectF& lane) const;
    using Value = std::optional<double> Gathered::*;
    void drawLane(QPainter& p, const QRectF& lane, Value value, const QString& title) const;

    TargetProgress progress_;
    CivilTime zone_;
    std::vector<Instant> nights_;
    std::vector<std::string> filters_;
};

// "3 cloud, 1 a jolt"; empty: nothing was flagged.
QString flaggedText(const Gathered& gathered);
// "none named" where the frames name no filter.
QString filterText(const std::string& filter);

} // namespace nordstjerna
