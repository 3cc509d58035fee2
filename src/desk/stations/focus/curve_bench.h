// The focus run in the window: the curve, the focuser and its travel, what was learnt of it.
#pragma once

#include <QObject>

#include "core/procedure/filter_focusing.h"
#include "desk/evening/camera_desk.h"
#include "desk/evening/focus_book.h"
#include "desk/evening/procedure_host.h"

class QCheckBox;
class QComboBox;
class QLabel;
class QPushButton;
class QWidget;

namespace nordstjerna {

class FocusChart;
class NumberField;
class StepBar;

class CurveBench : public QObject {
    Q_OBJECT
public:
    CurveBench(RigBook& rigs, FocusBook& focusBook, CameraDesk& cameraDesk, ProcedureHost& procedures,
               QObject* parent = nullptr);
    QWidget* page() const { return page_; }
    void setCamera(CameraRole camera);
    CameraRole camera() const { return camera_; }
    bool fitted() const { return focusBook_.hasFocuser(camera_); }
    void begin(double exposure_s, StepBar* bar);
    bool running() const { return running_; }
    const std::optional<FocusResult>& result() const { return seen_.result; }
    int frames() const { return seen_.exposures; }
    // Of the newest frame of the run; absent before the first.
    std::optional<Measured> newestHfd_px() const;
    std::vector<Finding> findings() const;
    // Where it should be sharp at the present temperature, and how far that is from where it stands.
    std::optional<Measured> expected() const;
    void moveTo(double steps);
    void refresh();
    // In a low window the focuser matters more than what the curve says in words.
    void setRoomy(bool roomy);

Q_SIGNALS:
    void frame(std::shared_ptr<const nordstjerna::Frame> frame);
    void changed();

private:
    struct Seen {
        Progress progress;
        std::vector<CurvePoint> points;
        std::vector<InwardFrame> inward;
        std::optional<FocusCurve> curve;
        std::optional<FocusResult> result;
        std::optional<FocuserState> state;
        std::shared_ptr<const Frame> frame;
        int exposures = 0;
        std::vector<FilterFocusing::Found> found; // through every filter
        bool filterByHand = false;                // a person is to change it
    };
    static Seen seenOf(const FocusRun& run);
    void seen(const Seen& seen, StepBar* bar);
    QWidget* focuserCard();
    void ask();
    void ended(const FocusResult& result, const std::string& filter);
    void beginEvery(const FocusRunSetup& run, StepBar* bar);
    void changeFilter(const std::string& to);
    void fillFilters();
    QString offsetsText() const;
    FocusRunSetup wanted(double exposure_s) const;
    void show();
    QString resultText() const;
    const FocuserSpec& spec() const;
    double zone_steps() const; // 0: the travel of a step is not known

    RigBook& rigs_;
    FocusBook& focusBook_;
    CameraDesk& cameraDesk_;
    ProcedureHost& procedures_;
    QWidget* page_;
    QWidget* words_ = nullptr;
    FocusChart* chart_;
    QLabel *place_, *learnt_, *told_;
    NumberField *step_, *to_;
    QPushButton* go_;
    QCheckBox *backlashAgain_, *every_;
    QComboBox *end_, *filter_;
    QPushButton* goOn_;
    bool filterByHand_ = false; // a person is asked to change it
    size_t kept_ = 0;           // of the runs through every filter
    CameraRole camera_ = CameraRole::guide;
    std::optional<FocuserState> state_;
    Seen seen_;
    bool running_ = false;
    int asked_ = 0; // counts questions and what makes their answers old
};

} // namespace nordstjerna
