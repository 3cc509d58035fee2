// Framing in the window: the map of the target's surroundings, the wanted angle and how to turn the camera to
// it, both cameras on the sky, the night's targets and their hours.
#pragma once

#include <QObject>
#include <future>

#include "core/procedure/both_fields.h"
#include "core/sky/object_catalogue.h"
#include "core/sky/target_night.h"
#include "desk/evening/calibration_book.h"
#include "desk/evening/camera_desk.h"
#include "desk/evening/mount_book.h"
#include "desk/stations/station.h"
#include "edge/platesolve/star_index.h"

class QListWidget;
class QPushButton;
class QWidget;

namespace nordstjerna {

class AltitudeStrip;
class FramingMap;
class NumberField;
class ReadOut;
class StepBar;

class FramingBench : public QObject {
    Q_OBJECT
public:
    struct Needs {
        MountBook& mountBook;
        CameraDesk& cameraDesk;
        CalibrationBook& calibrationBook;
        std::shared_ptr<StarIndex> index;
    };
    FramingBench(const StationParts& parts, Needs needs, const ObjectCatalogue& catalogue,
                 QObject* parent = nullptr);
    ~FramingBench() override;
    QWidget* page() const { return page_; }
    QWidget* targetsCard() const { return targets_; }
    QWidget* controls() const { return controls_; }
    void showFigures(ReadOut* turn, ReadOut* best, ReadOut* moon) const;
    // A frame of the imaging camera was solved elsewhere.
    void solved(const SolvedFrame& frame);
    enum class Turn { byHand, byRotator };
    bool hasRotator() const { return needs_.cameraDesk.hasRotator(); }
    void startTurning(Turn by, StepBar* bar);
    bool turning() const { return turning_.has_value(); }
    void startBoth(StepBar* bar);
    bool busy() const { return turning_ || both_; }
    QString sentence() const;
    std::vector<Finding> findings() const;
    void refresh();
    double wantedAngle() const;
    // Onto the list of the night what it does not hold yet; at most 2 MB are read.
    void readList(const std::filesystem::path& path);

Q_SIGNALS:
    void changed(); // whoever shows it refreshes it
    void chosen(const QString& name, const nordstjerna::Equatorial& place);
    void wantBoth();
    void wantTurn(nordstjerna::FramingBench::Turn by);

private:
    void showFrames();   // the rectangles
    void lookAround();   // stars and objects, where the target or the field is another
    void showPictures(); // dear: only while they are looked at
    QString hours(const Window& w) const;
    void setWanted(double angle_deg);
    void fillTargets();
    void note();
    void forget();
    void askForList();
    std::optional<TurnAdvice> advice() const;
    QString windowText(const std::optional<TargetNight>& night) const;
    QStringList neighbours() const;
    const NotedTarget* noted() const;

    StationParts parts_;
    Needs needs_;
    const ObjectCatalogue& catalogue_;
    QWidget *page_, *targets_, *controls_;
    FramingMap* map_;
    AltitudeStrip* strip_;
    NumberField* angle_;
    QPushButton *turn_, *rotate_, *bothButton_;
    QListWidget* list_;
    QPushButton *note_, *forget_, *read_;
    // Worked out once for each place and night.
    const std::optional<TargetNight>& nightOf(const Vec3& icrs);
    struct Known {
        Vec3 icrs;
        std::optional<TargetNight> night;
    };
    std::vector<Known> known_;
    std::optional<Instant> knownFor_; // this night's sunset
    std::optional<TargetNight> night_;
    std::vector<TrackPoint> moonTrack_;
    std::optional<Vec3> around_;        // what the map shows
    std::optional<Instant> nightBegan_; // of the Moon's track
    std::optional<SolvedFrame> solved_; // of the imaging camera, last
    std::optional<BothFieldsResult> fields_;
    std::optional<Problem> unsolved_;
    void turnByHand(StepBar* bar);
    void turnByRotator(StepBar* bar);
    void turnedBy(const Measured& turned_deg);
    std::optional<Turn> turning_;
    std::optional<Measured> turned_deg_; // by the rotator, last
    bool both_ = false;
    std::future<void> stars_;
};

} // namespace nordstjerna
