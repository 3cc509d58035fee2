// The two-strip time chart of RA and Dec error, used wherever a run is shown: traces, deadband, corrections
// as bars at the lower edge, events. Wheel zooms time, double-click resets, hover reads out.
#pragma once

#include <QWidget>

#include "core/motion/run.h"

class QCustomPlot;
class QCPGraph;
class QCPBars;
class QCPItemRect;
class QCPItemText;
class QCPItemLine;
class QCPAxisRect;

namespace nordstjerna {

class LaneChart : public QWidget {
    Q_OBJECT
public:
    explicit LaneChart(QWidget* parent = nullptr);
    void clear();
    // Adds the rows beyond those shown already; a shorter list starts over.
    void show(const Run& run, double deadbandRa_arcsec, double deadbandDec_arcsec);
    void setTitles(const QString& ra, const QString& dec);
    bool exportTo(const QString& path);

private:
    struct Lane {
        QCPAxisRect* rect = nullptr;
        QCPGraph* trace = nullptr;
        QCPBars* pulses = nullptr;
        QCPItemRect* deadband = nullptr;
        QCPItemText* title = nullptr;
    };
    Lane makeLane(bool dec);
    void restyle();
    void fitRanges();
    void onHover(QMouseEvent* event);
    QCustomPlot* plot_;
    Lane ra_, dec_;
    std::vector<QCPItemLine*> eventLines_;
    std::vector<QCPItemText*> eventTexts_;
    std::vector<RunRow> rows_;
    bool follow_ = true; // the newest data; off after zooming by hand
};

} // namespace nordstjerna
