// Guide: the closed loop, live.
#pragma once

#include "core/motion/axis_summary.h"
#include "core/procedure/guiding.h"
#include "desk/stations/station.h"

class QComboBox;
class QDoubleSpinBox;
class QFrame;
class QLabel;
class QPushButton;

namespace nordstjerna {

class ChangeList;
class LaneChart;
class ReadOut;
class Spot;
class StarStrip;

class GuideStation : public Station {
    Q_OBJECT
public:
    explicit GuideStation(Session& session, QWidget* parent = nullptr);
    QString summary() const override;
    StationState state() const override;
    std::vector<Finding> findings() const override;
    QString help() const override;
    bool perform(const QString& action) override;
    bool guiding() const { return guiding_; }
    const Run& run() const { return run_; }
    QString runFile() const;

private:
    struct Snapshot {
        Progress progress;
        Run run;
        std::vector<StarGroup::Member> stars;
        std::shared_ptr<const Frame> frame;
        LoopState loop = LoopState::acquiring;
        std::optional<Problem> runaway;
        std::optional<bool> decReversed;
        bool lost = false;
    };
    void start();
    void pointAtTarget();
    void show(const Snapshot& s);
    void refresh();
    void showSettings();
    QString explained(SettingKey key) const;
    QString sentence() const;
    struct Ending {
        double seconds;
        QString why;
    };
    Ending timeToStop() const;

    LaneChart* lanes_;
    Spot* spot_;
    StarStrip* strip_;
    ReadOut *total_, *axes_, *stars_;
    QPushButton* target_;
    QPushButton* drawerButton_;
    QFrame* drawer_;
    std::vector<std::pair<SettingKey, QDoubleSpinBox*>> fields_;
    QComboBox* decMode_;
    ChangeList* changes_;
    Run run_;
    Run window_; // its last minutes, of which all figures speak
    std::optional<RunSummary> summary_;
    bool guiding_ = false;
    bool lost_ = false;
    LoopState loop_ = LoopState::acquiring;
    std::optional<Problem> runaway_;
    bool told_ = false; // which way Dec works here
};

} // namespace nordstjerna
