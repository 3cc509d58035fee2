// Tests of the guide camera's gain and exposure in the window: what was measured, what follows, and taking it
// over.
#pragma once

#include <QObject>

#include "core/procedure/noise_test.h"
#include "desk/evening/guide_settings.h"
#include "desk/evening/procedure_host.h"
#include "edge/devices/prepared_camera.h"

class QComboBox;
class QLabel;
class QPushButton;

namespace nordstjerna {

class NoiseChart;
class ReadOut;
class StepBar;

class NoiseBench : public QObject {
    Q_OBJECT
public:
    NoiseBench(RigBook& rigs, GuideSettings& settings, PreparedCamera& camera, ProcedureHost& procedures,
               QObject* parent = nullptr);
    QWidget* page() const { return page_; }
    void begin(double exposure_s, StepBar* bar);
    bool running() const { return running_; }
    bool ofGain() const;
    // What it found, in a sentence; empty before.
    QString found() const;
    void showFigures(ReadOut* first, ReadOut* second, ReadOut* third) const;
    std::vector<Finding> findings() const;
    void refresh();
    // What was measured at the present gain goes into the rig.
    void takeFigures();

Q_SIGNALS:
    void changed();

private:
    struct Seen {
        bool ofGain = true;
        Progress progress;
        std::vector<NoiseAt> at;
        std::optional<GainState> before;
    };
    std::optional<size_t> present() const;
    std::optional<NoiseAdvice> advice() const;
    void take();
    QString cameraWords() const;
    double scale_arcsec_px() const;

    RigBook& rigs_;
    GuideSettings& settings_;
    PreparedCamera& camera_;
    ProcedureHost& procedures_;
    QWidget* page_;
    NoiseChart* chart_;
    QComboBox* of_;
    QLabel* figures_;
    QPushButton* use_;
    Seen seen_;
    bool running_ = false;
    bool whole_ = false; // the last test came to its end
};

} // namespace nordstjerna
