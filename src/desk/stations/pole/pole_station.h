// Pole: rough start by the reticle, plan an arc in the free sky, take sightings, adjust live at the levers,
// prove the result by other methods.
#pragma once

#include "core/pole/pole_book.h"
#include "core/procedure/drift_referee.h"
#include "core/procedure/pole_adjustment.h"
#include "core/procedure/pole_by_hand.h"
#include "core/procedure/pole_from_frames.h"
#include "core/procedure/trail_checking.h"
#include "desk/evening/mount_book.h"
#include "desk/evening/mount_desk.h"
#include "desk/logbook.h"
#include "desk/stations/pole/sighting_list.h"
#include "desk/stations/station.h"

class QCheckBox;
class QComboBox;
class QDoubleSpinBox;
class QLineEdit;
class QTimer;

namespace nordstjerna {

class PageLayout;

class DriftChart;
class FrameView;
class LeverCard;
class LeverTone;
class MethodCard;
class PhaseBar;
class PoleMap;
class ReadOut;
class ReticleDial;
class SkyMap;

class PoleStation : public Station {
    Q_OBJECT
public:
    struct Needs {
        EveningStore& evening;
        Logbook& logbook;
        MountBook& mountBook;
        MountDesk& mountDesk;
    };
    PoleStation(const StationParts& parts, const Needs& needs, QWidget* parent = nullptr);
    QString summary() const override;
    StationState state() const override;
    std::vector<Finding> findings() const override;
    QString help() const override;
    bool perform(const Action& action) override;
    QList<std::function<FigureText()>> largeFigures() const override; // the levers before all else

    // The axis from FITS frames instead of the camera.
    void askForFrames();
    void useFrames(const QStringList& files);
    const PoleBook& book() const { return book_; }

protected:
    void dragEnterEvent(QDragEnterEvent*) override;
    void dropEvent(QDropEvent*) override;

private:
    Needs needs_;
    Action secondDoes_, thirdDoes_;
    enum Phase { rough, planning, adjusting, proving };
    enum class Doing { nothing, measuring, adjusting, watching, trailing, reading, byHand };
    struct Live {
        PoleAdjustment::State state = PoleAdjustment::State::starting;
        std::optional<Problem> trouble;
        std::vector<PoleAdjustment::Point> path;
        LeverMoves moves;
        std::optional<LeverSight> sight;
        Progress progress;
    };
    struct ByHand {
        Progress progress;
        std::vector<TakenSighting> taken;
        std::optional<PoleResult> result;
        Text ask;
        std::optional<double> sinceLast_deg;
        double span_deg = 0.0;
        double step_deg = 0.0; // to the next sighting
    };
    struct Measuring {
        Progress progress;
        std::vector<std::optional<TakenSighting>> taken;
        std::vector<std::optional<Problem>> failures;
    };

    // Work, in pole_work.cpp.
    void plan();
    void drawArc(Angle first, Angle last, Angle dec);
    void measure(bool repeatFailed);
    void measureByHand();
    void showByHand();
    std::vector<SightingShown> shownByHand() const;
    // What follows a measurement: live adjusting may count on from its last sighting.
    void countFrom(const PoleResult& result);
    void adjust(bool elsewhere);
    void logComponent(const DriftComponent& c, const std::string& how);
    void watchDrift(DriftPlace where);
    void checkTrail();
    void accept(const PoleResult& result);
    void showLive(const Live& live);
    void primaryClicked();
    void nameTurn();
    template <typename P, typename S>
    void work(Doing what, std::shared_ptr<P> procedure, std::function<S(const P&)> take,
              std::function<void(const S&)> show,
              std::function<void(std::shared_ptr<P>, const Expected<void>&)> done);

    // Looks, in pole_station.cpp.
    QWidget* roughPage();
    QWidget* planPage();
    QWidget* adjustPage();
    QWidget* provePage();
    void refresh();
    void showFigures();
    void showMap();
    void showSky();
    void showProof();
    double wanted() const;
    PoleReference reference() const;
    std::optional<PoleError> present() const;
    QString consequences() const;
    bool allWithin() const;

    PhaseBar* phases_;
    ReticleDial* dial_;
    QCheckBox* inverted_;
    QLabel* dialWords_;
    SkyMap* sky_;
    SightingList* list_;
    PoleMap* map_;
    LeverCard *azimuth_, *altitude_;
    QLineEdit* turned_;
    QLabel* learnt_;
    QCheckBox* sound_;
    DriftChart* drift_;
    FrameView* trail_;
    PageLayout *pages_, *proof_;
    MethodCard* methods_;
    ReadOut *total_, *parts_, *evidence_;
    QPushButton *second_, *third_;
    QDoubleSpinBox *wanted_, *count_;
    // How a sighting is taken.
    QDoubleSpinBox *exposure_, *settle_, *above_;
    PlanWishes planWishes() const;
    QFrame* sightingFields();
    void restoreFields();
    void keepFields();
    QComboBox* reference_;
    LeverTone* tone_;
    QTimer* clock_;

    Doing doing_ = Doing::nothing;
    PlannedArc arc_;
    bool ownArc_ = false;
    std::optional<Problem> noPlan_;
    QString arcWarning_;
    Measuring measuring_;
    ByHand byHand_;
    Live live_;
    PoleBook book_;
    std::optional<PoleAdjustmentSetup> reference0_; // where live adjusting counts from
    std::optional<Vec3> leftAt_;                    // where the telescope stood after the last sighting, ICRS
    std::function<void()> then_;                    // what follows when live adjusting ends in good order
    std::optional<TrailCheckResult> trailResult_;
    std::vector<Problem> leftOut_; // frames that were not used
};

} // namespace nordstjerna
