// The two-strip time chart of RA and Dec error, used wherever a run is shown in the window: traces, deadband,
// corrections as bars at the lower edge, drift lines of a free run, events. Wheel zooms time, double-click
// resets, hover reads out.
#pragma once

#include <QWidget>

#include <optional>

#include "core/base/measured.h"
#include "core/motion/run.h"

class QPen;
class QCustomPlot;
class QCPGraph;
class QCPBars;
class QCPItemRect;
class QCPItemText;
class QCPItemLine;
class QCPAxis;
class QCPAxisRect;

namespace nordstjerna {

class LaneChart : public QWidget {
    Q_OBJECT
public:
    explicit LaneChart(QWidget* parent = nullptr);
    void clear();
    // Adds the rows beyond those shown already; a shorter list starts over.
    void show(const Run& run, double deadbandRa_arcsec, double deadbandDec_arcsec);
    // Where the model foretold the star, with twice its ± as a band, up to one frame ahead; one entry a row,
    // each for the row after it.
    void showForetold(const std::vector<RowBelief>& beliefs);
    // How much is in view while following; 0: all.
    void setSpan(double minutes);
    bool following() const { return follow_; }
    void followAgain(); // back to now
    // For a mount left alone: each lane in the range its star took, all of the run in view.
    void setFree(bool free);
    // A straight line with twice its uncertainty on both sides; level_arcsec holds at the time middle_s.
    struct DriftLine {
        Measured drift_arcsec_min;
        Measured level_arcsec;
        double middle_s = 0.0;
        double from_s = 0.0, to_s = 0.0;
    };
    void showDrift(const std::optional<DriftLine>& ra, const std::optional<DriftLine>& dec);
    // What was recorded steps back behind a line that is drawn over it.
    void setFaded(bool faded);
    void setTitles(const QString& ra, const QString& dec);
    bool exportTo(const QString& path);
    void repaintNow(); // at once, instead of with the next turn of the event loop
    using QWidget::show;

Q_SIGNALS:
    void followChanged();

private:
    // A line with what is uncertain about it filled on both sides.
    struct BandedLine {
        QCPGraph* line = nullptr;
        QCPGraph* low = nullptr;
        QCPGraph* high = nullptr;
        void make(QCPAxis* x, QCPAxis* y);
        void dress(const QPen& pen, float opacity) const;
        void add(double x, double y, double half) const;
        void clear() const;
    };
    struct DeviceQueue {
        QCPAxisRect* rect = nullptr;
        QCPGraph* trace = nullptr;
        QCPBars* pulses = nullptr;
        QCPItemRect* deadband = nullptr;
        QCPItemText* title = nullptr;
        BandedLine drift, foretold;
    };
    DeviceQueue makeDeviceQueue(bool dec);
    void restyle();
    void fitRanges();
    void fitFree();
    void showPulses();
    void showMarks();
    static void drawDrift(DeviceQueue& lane, const std::optional<DriftLine>& line);
    void onHover(QMouseEvent* event);
    QCustomPlot* plot_;
    DeviceQueue ra_, dec_;
    std::vector<QCPItemLine*> eventLines_;
    std::vector<QCPItemText*> eventTexts_;
    std::vector<RunRow> rows_;
    bool free_ = false;
    bool faded_ = false;
    size_t foretold_ = 0;
    double spanMinutes_ = 15.0;
    bool follow_ = true; // the newest data; off after zooming by hand
};

} // namespace nordstjerna
