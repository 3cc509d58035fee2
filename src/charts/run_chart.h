// A recorded run on paper: RA above, Dec below, with what was left out shaded and the drift lines.
#pragma once

#include "charts/chart.h"
#include "core/motion/motion_analysis.h"

namespace nordstjerna {

class RunChart : public Chart {
public:
    RunChart(const Run& run, const MotionAnalysis& motion) : run_(run), motion_(motion) {}
    void draw(QPainter& p, const QRectF& area, const ViewRange& view) override;
    QString readOut(QPointF) const override { return {}; } // paper
    QString csv() const override;

private:
    void drawStrip(QPainter& p, const QRectF& strip, bool dec, bool labels) const;
    const Run& run_;
    const MotionAnalysis& motion_;
    double end_s_ = 1.0;
};

} // namespace nordstjerna
