// The night from sunset to sunrise: twilight, the target's altitude cut by the horizon profile, meridian,
// now, and what was done.
#pragma once

#include <QFrame>

#include "desk/stations/station.h"

namespace nordstjerna {

class NightBand : public QFrame {
    Q_OBJECT
public:
    explicit NightBand(const StationParts& parts, QWidget* parent = nullptr);
    void refresh(); // the moving parts

Q_SIGNALS:
    // The plan's beginning or end was drawn to another time.
    void beginDragged(Instant t);
    void endDragged(Instant t);
    void entryWanted(const QString& id); // of the night log

protected:
    void paintEvent(QPaintEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;

private:
    enum class Grip { none, begin, end };
    void compute();
    void drawPlan(QPainter& p);
    void drawBlocks(QPainter& p, const std::vector<PlanBlock>& blocks) const;
    Grip gripAt(QPointF at) const;
    const NightBlock* blockAt(QPointF at) const;
    std::optional<Instant> planBegins() const; // absent once it runs
    Instant timeAt(double x) const;
    double xOf(Instant t) const;
    double yOf(double altitude_deg) const;
    StationParts parts_;
    std::optional<Night> night_;
    std::vector<TrackPoint> track_;
    Instant meridian_;
    Grip held_ = Grip::none;
    Instant heldAt_;
};

} // namespace nordstjerna
