// Pole: plan an arc in the free sky, take sightings, read the error and what to do at the levers.
#pragma once

#include "desk/stations/station.h"

class QDoubleSpinBox;
class QFrame;
class QLabel;
class QPushButton;
class QStackedLayout;
class QComboBox;

namespace nordstjerna {

class LeverCard;
class PoleMap;
class ReadOut;
class SkyMap;

class PoleStation : public Station {
    Q_OBJECT
public:
    explicit PoleStation(Session& session, QWidget* parent = nullptr);
    QString summary() const override;
    StationState state() const override;
    std::vector<Finding> findings() const override;
    QString help() const override;
    bool perform(const QString& action) override;

private:
    struct Snapshot {
        Progress progress;
        size_t taken = 0;
        std::vector<double> sigmas_arcsec;
    };
    void plan();
    void measure();
    void showResult();
    void refresh();
    void showPlanFigures();
    double wanted() const;

    SkyMap* sky_;
    PoleMap* map_;
    QWidget* adjustPage_;
    QStackedLayout* pages_;
    LeverCard *azimuth_, *altitude_;
    ReadOut *total_, *parts_, *evidence_;
    QPushButton* show_;
    QDoubleSpinBox* wanted_;
    QDoubleSpinBox* count_;
    QComboBox* reference_;
    PlannedArc arc_;
    std::optional<Problem> noPlan_;
    std::vector<PoleError> history_;
    bool measuring_ = false;
    bool mapShown_ = false;
    size_t taken_ = 0;
};

} // namespace nordstjerna
