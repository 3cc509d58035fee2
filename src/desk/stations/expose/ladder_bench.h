// The unguided ladder in the window: what is expected of it, and its run.
#pragma once

#include <QObject>

#include "core/procedure/ladder.h"
#include "desk/evening/mount_book.h"
#include "desk/stations/station.h"

class QWidget;

namespace nordstjerna {

class LadderChart;
class StepBar;

class LadderBench : public QObject {
    Q_OBJECT
public:
    LadderBench(const StationParts& parts, MountBook& mountBook, QObject* parent = nullptr);
    QWidget* picture() const;
    // fwhm_arcsec: of the last frame; 0: none was taken.
    void refresh(double fwhm_arcsec);
    // Takes it; the steps are shown on `bar`.
    void begin(StepBar* bar);
    bool running() const { return running_; }
    const std::vector<LadderRung>& rungs() const { return rungs_; }
    std::vector<Finding> findings() const;

Q_SIGNALS:
    void taken(const nordstjerna::ImageTaken& image);
    void changed(); // began, went on or ended

private:
    void expect();
    StationParts parts_;
    MountBook& mountBook_;
    LadderChart* chart_;
    LadderMount mount_;
    std::vector<LadderRung> rungs_;
    double fwhm_arcsec_ = 0.0;
    bool running_ = false;
};

} // namespace nordstjerna
