// Rig: four cards, what follows from them, and whether it makes sense.
#pragma once

#include "desk/clock_state.h"
#include "desk/evening/camera_desk.h"
#include "desk/evening/guide_settings.h"
#include "desk/stations/station.h"

class QLabel;
class QFrame;
class QFormLayout;
class QGridLayout;

namespace nordstjerna {

class HorizonRow;
class HorizonSky;
class LimitsDial;
class NumberField;
class PixelNest;
class ReadOut;
class RigForm;

class RigStation : public Station {
    Q_OBJECT
public:
    struct Needs {
        GuideSettings& settings;
        MountDesk& mountDesk;
        CameraDesk& cameraDesk;
        const ClockState& clock;
    };
    RigStation(const StationParts& parts, const Needs& needs, QWidget* parent = nullptr);
    QString summary() const override;
    StationState state() const override;
    std::vector<Finding> findings() const override;
    QString help() const override;
    bool perform(const Action& action) override;

public Q_SLOTS:
    void openRig();
    void saveRig();
    bool openRigFile(const QString& path);
    bool saveRigFile(const QString& path);
    bool readHorizonFile(const QString& path);

protected:
    void resizeEvent(QResizeEvent*) override;

private:
    Needs needs_;
    void build(const StationParts& parts);
    QWidget* buildCards();
    void buildSite(QFormLayout* site);
    QFrame* buildDither();
    void arrangeCards();
    void load(const Rig& rig);
    Rig edited() const;
    void onEdited();
    void takeGuideRates();
    void refreshDerived();
    void onDitherEdited(int source);
    void setHorizon(const HorizonProfile& horizon);

    QGridLayout* cards_ = nullptr;
    std::vector<QFrame*> cardFrames_;
    int cardColumns_ = 0;
    RigForm* form_ = nullptr;
    QLabel *imagingDerived_ = nullptr, *guidingDerived_ = nullptr;
    QLabel* horizonText_ = nullptr;
    HorizonSky* horizon_ = nullptr;
    HorizonRow* around_ = nullptr;
    void sayWhatNext();
    LimitsDial* limits_ = nullptr;
    NumberField *ditherImage_ = nullptr, *ditherGuide_ = nullptr, *ditherArcsec_ = nullptr;
    PixelNest* nest_ = nullptr;
    ReadOut *guideScale_ = nullptr, *imageScale_ = nullptr, *step_ = nullptr;
    bool loading_ = false;
    double ditherImagingPx_ = 10.0;
    std::optional<Problem> impossible_;
};

} // namespace nordstjerna
