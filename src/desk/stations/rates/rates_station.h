// Rates: how far and in which direction a pulse moves the star.
#pragma once

#include "core/procedure/rates_measurement.h"
#include "desk/stations/station.h"

class QLabel;
class QPushButton;
class QGridLayout;

namespace nordstjerna {

class CompassOfMotion;
class ReadOut;

class RatesStation : public Station {
    Q_OBJECT
public:
    explicit RatesStation(Session& session, QWidget* parent = nullptr);
    QString summary() const override;
    StationState state() const override;
    std::vector<Finding> findings() const override;
    QString help() const override;
    bool perform(const QString& action) override;

private:
    struct Snapshot {
        Progress progress;
        std::vector<CalibrationSample> samples;
    };
    void measure();
    void slewThere();
    void refresh();
    void fillTable();
    HourAngleDec goodPlace() const;

    CompassOfMotion* compass_;
    QGridLayout* table_;
    std::vector<QLabel*> cells_;
    ReadOut *ra_, *dec_, *angle_, *backlash_;
    QPushButton* there_;
    std::vector<CalibrationSample> samples_;
    bool measuring_ = false;
};

} // namespace nordstjerna
