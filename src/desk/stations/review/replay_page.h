// The loop run again on what a run recorded: settings beside the lanes, what they would have left drawn over
// what was left.
#pragma once

#include <QWidget>
#include <atomic>
#include <future>

#include "core/guide/settings_book.h"
#include "core/motion/other_exposure.h"
#include "desk/stations/review/opened.h"

class QComboBox;
class QLabel;
class QPushButton;
class QSlider;

namespace nordstjerna {

class LaneChart;

class ReplayPage : public QWidget {
    Q_OBJECT
public:
    // What a slider cannot tell apart is no difference.
    static constexpr double sliderStep = 5e-3;
    explicit ReplayPage(QWidget* parent = nullptr);
    ~ReplayPage() override;
    void show(const Opened& opened);
    using QWidget::show;
    // What stands in the fields, and whether it differs from what was recorded.
    const ControllerSettings& settings() const { return settings_.controller; }
    // Absent: as it was recorded.
    std::optional<double> otherExposure_s() const;
    bool ready() const { return world_ != nullptr; }
    bool differs() const;
    bool searching() const { return searching_; }
    // Still to be shown: a replay or a search is under way.
    bool busy() const { return running_ || waiting_; }
    QString words() const;
    std::optional<LoopFigures> replayed() const { return figures_; }
    void searchBest(); // or stops the search
    void setFromRecorded();

Q_SIGNALS:
    void changed();

private:
    struct World { // of the run, rebuilt once
        std::shared_ptr<const Run> run;
        Disturbance disturbance;
        MountTrack track;
        LoopFigures recorded;
        LoopBound bound;
    };
    struct Retaken { // in frames of another exposure
        OtherExposure frames;
        LoopBound bound;
    };
    static const Disturbance& disturbanceOf(const World& world, const std::shared_ptr<const Retaken>& other) {
        return other ? other->frames.disturbance : world.disturbance;
    }
    struct AxisFields {
        QComboBox* kind;
        QSlider *gain, *deadband, *smoothing;
        QLabel *gainText, *deadbandText, *smoothingText;
        QWidget* plain; // what only a proportional controller has
    };
    AxisFields makeAxis(class QVBoxLayout* to, const QString& name, const char* id);
    void read();  // from the fields
    void write(); // into them
    void replay();
    void startWorker();
    void fillExposures();
    std::shared_ptr<const Retaken> retakenNow() const; // if it is there already
    void shown(const LoopFigures& figures, const std::vector<SkyError>& errors);
    void halt();

    LaneChart* lanes_;
    QLabel *words_, *trouble_;
    AxisFields ra_, dec_;
    QComboBox *decMode_, *exposure_;
    QPushButton* search_;
    std::shared_ptr<const World> world_;
    std::shared_ptr<const Retaken> retaken_; // of the exposure chosen last
    std::shared_ptr<const Run> opening_;     // being rebuilt
    ControllerSettings recorded_;
    LoopSettings settings_;
    std::optional<LoopFigures> figures_;
    std::future<void> worker_;
    std::shared_ptr<std::atomic<bool>> stop_ = std::make_shared<std::atomic<bool>>(false);
    bool running_ = false, waiting_ = false, searching_ = false, filling_ = false;
};

} // namespace nordstjerna
