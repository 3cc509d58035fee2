// A mount over months: one lane a figure on a common axis of time, its levels and where they changed, and
// what was done to the mount as numbered lines across all of them.
#pragma once

#include "charts/chart.h"
#include "core/review/season.h"
#include "core/sky/civil_time.h"

namespace nordstjerna {

class SeasonChart : public Chart {
public:
    void show(const std::vector<SeasonLine>& lines, const std::vector<HardwareMark>& marks,
              const CivilTime& zone);

    void draw(QPainter& p, const QRectF& area, const ViewRange& view) override;
    QString readOut(QPointF at) const override;
    QString csv() const override;
    double heightOnPaper() const override { return 120.0 + 130.0 * static_cast<double>(lines_.size()); }

private:
    double xOf(Instant t) const;
    QRectF laneOf(size_t line) const;
    void drawLane(QPainter& p, const SeasonLine& line, const QRectF& lane) const;
    void drawDays(QPainter& p) const;
    std::vector<SeasonLine> lines_; // that have points
    std::vector<HardwareMark> marks_;
    CivilTime zone_;
    Instant first_, last_; // of all of them
    Instant from_, to_;    // in view
};

// "What helped most: …", with what was noted for it.
QString helpedText(const Improvement& improvement, const CivilTime& zone);

} // namespace nordstjerna
