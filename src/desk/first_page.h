// What somebody sees who opens the program for the first time: try it on the simulated night, or three
// questions about a telescope of one's own.
#pragma once

#include <QDialog>
#include <functional>

#include "core/rig/rig_answers.h"

class QButtonGroup;
class QCheckBox;
class QComboBox;
class QFormLayout;
class QLabel;
class QLineEdit;
class QPushButton;

namespace nordstjerna {

class NumberField;

class FirstPage : public QDialog {
    Q_OBJECT
public:
    // taken: called with the rig of the answers.
    using Taken = std::function<void(const Rig&)>;
    // askAtOnce: without the choice before.
    FirstPage(bool askAtOnce, Taken taken, QWidget* parent);
    RigAnswers answers() const;

private:
    QWidget* choicePage();
    QWidget* questionsPage();
    QWidget* mountCard();
    QWidget* opticsCard();
    QWidget* siteCard();
    void ask();
    void edited();
    void take();

    Taken taken_;
    QWidget *choice_ = nullptr, *questions_ = nullptr;
    QButtonGroup* kind_;
    QLineEdit *mountName_, *opticsName_, *siteName_;
    struct CameraFields {
        NumberField *pixel, *width, *height;
    };
    static CameraFields cameraFields(const char* name);
    static void addCamera(QFormLayout* form, const QString& label, const CameraFields& camera);
    static CameraSpec cameraOf(const CameraFields& fields);
    CameraFields imaging_, guide_;
    NumberField *focal_, *aperture_, *guideFocal_, *guideAperture_, *latitude_, *longitude_;
    QComboBox *north_, *east_;
    QCheckBox* offAxis_;
    QLabel* follows_;
    QPushButton* take_;
};

} // namespace nordstjerna
