// Rates: how far and in which direction a pulse moves the star.
#pragma once

#include "core/findings/response_findings.h"
#include "core/procedure/calibration_place.h"
#include "core/procedure/calibration_run.h"
#include "core/procedure/gear_check.h"
#include "core/procedure/response_run.h"
#include "desk/evening/calibration_book.h"
#include "desk/evening/focus_book.h"
#include "desk/evening/guide_settings.h"
#include "desk/evening/mount_desk.h"
#include "desk/stations/station.h"

class QLabel;
class QPushButton;
class QGridLayout;

namespace nordstjerna {

class CompassOfMotion;
class Logbook;
class LegStrip;
class PhaseBar;
class ReadOut;

class RatesStation : public Station {
    Q_OBJECT
public:
    struct Needs {
        GuideSettings& settings;
        CalibrationBook& calibrationBook;
        FocusBook& focusBook;
        MountDesk& mountDesk;
        Logbook& logbook;
    };
    RatesStation(const StationParts& parts, const Needs& needs, QWidget* parent = nullptr);
    QString summary() const override;
    StationState state() const override;
    std::vector<Finding> findings() const override;
    QString help() const override;
    bool perform(const Action& action) override;

private:
    Needs needs_;
    struct Snapshot {
        Progress progress;
        std::vector<CalibrationSample> samples;
    };
    void measure();
    void lookFirst();
    template <typename Test, typename Setup>
    void pulseForTest(const std::function<void(const Test&)>& found);
    void testResponse();
    void checkGears();
    void logGears();
    void slewThere();
    void refresh();
    // best: where rates are measured best, if any such sky is free.
    void fillTable(const std::optional<CalibrationPlace>& best);
    void fillPreflight(const std::optional<CalibrationPlace>& best);
    void fillPast();
    void cell(int row, int column, const QString& text, bool muted, Qt::Alignment align);
    std::optional<CalibrationPlace> goodPlace() const;
    // What was measured last if it is not in use, otherwise what is.
    const std::optional<Calibration>& shown() const;

    CompassOfMotion* compass_;
    QGridLayout* table_;
    std::vector<QLabel*> cells_;
    ReadOut *ra_, *dec_, *angle_, *backlash_;
    QPushButton *there_, *look_, *keep_, *response_, *gears_;
    struct Answer {
        std::optional<Response> ra, dec;
    };
    std::optional<Answer> answer_; // of the last response test
    struct CheckedGears {
        GearAnswer answer;
        double decRate_arcsec_s;
        std::vector<Finding> findings() const { return gearFindings(answer, decRate_arcsec_s); }
    };
    std::optional<CheckedGears> checked_; // of the last gear check
    bool testing_ = false;                // one of both runs
    LegStrip* strip_;
    PhaseBar* pages_;
    std::optional<Calibration> refused_; // measured, bad, not in use
    std::optional<Calibration> former_;  // in use before the last measurement
    std::vector<CalibrationSample> samples_;
    bool measuring_ = false;
};

} // namespace nordstjerna
