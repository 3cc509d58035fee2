// Centre: find a target by name or coordinates, and bring it to the middle of the camera.
#pragma once

#include "core/procedure/centring.h"
#include "core/sky/object_catalogue.h"
#include "desk/evening/calibration_book.h"
#include "desk/evening/camera_desk.h"
#include "desk/evening/evening_store.h"
#include "desk/evening/mount_book.h"
#include "desk/evening/mount_desk.h"
#include "desk/stations/station.h"
#include "edge/platesolve/star_index.h"

class QComboBox;
class QDoubleSpinBox;
class QLineEdit;
class QListWidget;

class QStackedLayout;

namespace nordstjerna {

class FramingBench;
class HandPage;
class PhaseBar;

class FrameView;
class ReadOut;

class CentreStation : public Station {
    Q_OBJECT
public:
    struct Needs {
        EveningStore& evening;
        MountBook& mountBook;
        MountDesk& mountDesk;
        CameraDesk& cameraDesk;
        CalibrationBook& calibrationBook;
        std::shared_ptr<StarIndex> starIndex;
    };
    CentreStation(const StationParts& parts, const Needs& needs, QWidget* parent = nullptr);
    QString summary() const override;
    StationState state() const override;
    std::vector<Finding> findings() const override;
    QString help() const override;
    bool perform(const Action& action) override;
    void arrive() override;

protected:
    void resizeEvent(QResizeEvent*) override;

private:
    Needs needs_;
    struct Seen {
        Progress progress;
        std::vector<CentringPass> passes;
        std::optional<SolvedFrame> solved;
        std::shared_ptr<const Frame> frame;
        int bin = 1;
        double focal_mm = 0.0;
        bool centred = false;
    };
    enum class Page { framing, centring, hand };
    // What may be tried when a frame cannot be solved.
    enum class Retry { no, longer, blind, anyScale };
    void showPage(Page page);
    QWidget* retryBar();
    void restoreFields();
    void keepFields();
    void showCentringFigures();
    void sync();
    void sayWhatNext(bool hidden);
    QWidget* searchCard();
    void search(const QString& text);
    void choose(int row);
    void centre(Retry retry = Retry::no);
    void mark();
    void refresh();
    void adoptFocal();
    CameraRole camera() const;

    struct Offer {
        std::string name;
        Equatorial place;
    };
    std::vector<Offer> offers_;

    PhaseBar* pages_;
    QWidget* side_; // search and targets
    QStackedLayout* stack_ = nullptr;
    Page page_ = Page::framing;
    FramingBench* framing_ = nullptr;
    HandPage* hand_ = nullptr;
    QWidget *retry_ = nullptr, *knobs_ = nullptr;
    QDoubleSpinBox *settle_, *binning_;
    double exposure_s_ = 4.0;
    bool unsolved_ = false; // the last centring ended so
    FrameView* view_;
    QLineEdit* search_;
    QListWidget* results_;
    QLabel *about_, *measured_;
    ReadOut *off_, *height_, *focal_;
    QDoubleSpinBox* tolerance_;
    QComboBox *how_, *camera_;
    Seen seen_;
    bool running_ = false;
    Vec3 seenTarget_ = Vec3::UnitX(); // what the last centring was for
};

} // namespace nordstjerna
