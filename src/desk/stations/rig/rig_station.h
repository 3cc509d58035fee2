// Rig: four cards, what follows from them, and whether it makes sense.
#pragma once

#include "desk/evening/guide_settings.h"
#include "desk/stations/station.h"

class QCheckBox;
class QMenu;
class QPushButton;
class QLabel;
class QFrame;
class QGridLayout;
class QLineEdit;

namespace nordstjerna {

class HorizonSky;
class NumberField;
class PixelNest;
class ReadOut;

class RigStation : public Station {
    Q_OBJECT
public:
    struct Needs {
        GuideSettings& settings;
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
    void build();
    void arrangeCards();
    void load(const Rig& rig);
    Rig edited() const;
    void onEdited();
    void refreshDerived();
    void onDitherEdited(int source);
    void setHorizon(const HorizonProfile& horizon);
    void showRigs();

    QGridLayout* cards_ = nullptr;
    std::vector<QFrame*> cardFrames_;
    int cardColumns_ = 0;
    QLineEdit* rigName_ = nullptr;
    struct Side {
        NumberField *pixel, *width, *height, *bin, *focal, *aperture, *reducer, *gain, *bits, *noise, *well;
        QLabel* derived;
    };
    Side imaging_{}, guiding_{};
    QCheckBox* offAxis_ = nullptr;
    QLineEdit* shafts_ = nullptr;
    QCheckBox* encoders_ = nullptr;
    NumberField *rateRa_ = nullptr, *rateDec_ = nullptr, *worm_ = nullptr, *slew_ = nullptr,
                *exposure_ = nullptr, *pulseLimit_ = nullptr, *pastEast_ = nullptr, *pastWest_ = nullptr,
                *lowest_ = nullptr;
    QLineEdit* siteName_ = nullptr;
    QLineEdit* zone_ = nullptr;
    NumberField *latitude_ = nullptr, *longitude_ = nullptr, *heightM_ = nullptr, *pressure_ = nullptr,
                *temperature_ = nullptr;
    QLabel* horizonText_ = nullptr;
    HorizonSky* horizon_ = nullptr;
    QPushButton* rigChoice_ = nullptr;
    QMenu* rigMenu_ = nullptr;
    NumberField *ditherImage_ = nullptr, *ditherGuide_ = nullptr, *ditherArcsec_ = nullptr;
    PixelNest* nest_ = nullptr;
    ReadOut *guideScale_ = nullptr, *imageScale_ = nullptr, *step_ = nullptr;
    bool loading_ = false;
    double ditherImagingPx_ = 10.0;
    std::optional<Problem> impossible_;
};

} // namespace nordstjerna
