// Focus: live guide frames, star sizes, the best focus so far; darks and bad pixels; choice of guide stars.
#pragma once

#include "core/procedure/dark_taking.h"
#include "core/procedure/focus_watch.h"
#include "desk/evening/camera_desk.h"
#include "desk/evening/focus_book.h"
#include "desk/evening/guide_settings.h"
#include "desk/evening/mount_desk.h"
#include "desk/stations/station.h"
#include "edge/devices/prepared_camera.h"

class QComboBox;
class QDoubleSpinBox;
class QStackedLayout;
class QFrame;
class QLabel;

namespace nordstjerna {

class CurveBench;
class FrameView;
class HfdTrace;
class MaskDial;
class NoiseBench;
class PhaseBar;
class ReadOut;
class StarLoupe;

class FocusStation : public Station {
    Q_OBJECT
public:
    struct Needs {
        GuideSettings& settings;
        FocusBook& focusBook;
        CameraDesk& cameraDesk;
        PreparedCamera& guideCamera;
        MountDesk& mountDesk;
    };
    FocusStation(const StationParts& parts, const Needs& needs, QWidget* parent = nullptr);
    QString summary() const override;
    StationState state() const override;
    std::vector<Finding> findings() const override;
    QString help() const override;
    bool perform(const Action& action) override;

protected:
    void resizeEvent(QResizeEvent*) override;

private:
    Needs needs_;
    enum class Doing { nothing, frames, darks, run, noise };
    enum class Page { frames, curve, mask, noise };
    struct Seen {
        Progress progress;
        std::vector<FocusPoint> points;
        int best = -1;
        std::shared_ptr<const Frame> frame;
        StarField field;
        std::optional<UnevenLight> unevenLight;
        std::optional<Expected<MaskReadOut>> mask;
    };
    void showPage(Page page);
    CameraRole camera() const;
    bool ofGuide() const { return camera() == CameraRole::guide; }
    double scale_arcsec_px() const;
    // Nothing stands in the way: the imaging camera is focused beside guiding, too.
    bool mayStart() const;
    void runFocus();
    void testNoise();
    void showMask();
    void markSpikes();
    void sayWhatNext();
    void showFigures();
    void showCurveFigures();
    void showMaskFigures();
    Measured maskOff_um() const;
    void framesFindings(std::vector<Finding>& list) const;
    void startFrames();
    void takeDarks();
    static constexpr int darksOfEach = 10;
    std::vector<double> darksWanted_s() const;
    void toggleStar(double x, double y);
    void judge();
    void mark();
    void refresh();
    QString effects() const;

    PhaseBar* pages_;
    QStackedLayout* stack_ = nullptr;
    Page page_ = Page::frames;
    CurveBench* curve_;
    NoiseBench* noise_;
    FrameView* maskView_;
    MaskDial* dial_;
    std::vector<double> pastOffsets_;
    std::shared_ptr<const Frame> cut_, cutOf_; // of the last masked frame
    QComboBox* camera_;
    FrameView* view_;
    StarLoupe* profile_;
    HfdTrace* trace_;
    ReadOut *hfd_, *stars_, *level_;
    QDoubleSpinBox *exposure_, *count_;
    QPushButton *darks_, *byMerit_, *bright_;
    QString brightStar_; // where the telescope was sent; empty: it was not
    void toBrightStar();
    QLabel* effects_;
    QFrame* effectsCard_;
    Doing doing_ = Doing::nothing;
    bool coverAsked_ = false; // darks: the person is asked to cover the telescope
    bool uncover_ = false;    // and afterwards to uncover it
    Seen seen_;
    std::vector<Judged> judged_;
};

} // namespace nordstjerna
