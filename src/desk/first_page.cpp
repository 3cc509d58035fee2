#include "desk/first_page.h"

#include <QButtonGroup>
#include <QCheckBox>
#include <QComboBox>
#include <QFormLayout>
#include <QGridLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QRadioButton>
#include <QVBoxLayout>

#include "charts/text.h"
#include "core/base/format.h"
#include "core/rig/scales.h"
#include "desk/theme.h"
#include "desk/widgets/field_form.h"
#include "desk/widgets/wrap_label.h"
#include "edge/store/rig_library.h"

namespace nordstjerna {

namespace {
QLabel* heading(const QString& words, int size) {
    auto* label = new WrapLabel(words);
    label->setFont(textFont(size, true));
    return label;
}
QLabel* quietly(const QString& words) {
    auto* label = new WrapLabel(words);
    label->setObjectName("muted");
    return label;
}
QLineEdit* nameField(const QString& hint, const char* object) {
    auto* field = new QLineEdit;
    field->setPlaceholderText(hint);
    field->setObjectName(object);
    return field;
}
NumberField* named(NumberField* field, const char* object, double value) {
    field->setObjectName(object);
    field->setExact(value);
    return field;
}
} // namespace

FirstPage::FirstPage(bool askAtOnce, Taken taken, QWidget* parent)
    : QDialog(parent), taken_(std::move(taken)), kind_(new QButtonGroup(this)),
      mountName_(nameField(tr("My mount"), "first-mount-name")),
      opticsName_(nameField(tr("My telescope"), "first-optics-name")),
      siteName_(nameField(tr("My site"), "first-site-name")), imaging_(cameraFields("first-imaging")),
      guide_(cameraFields("first-guide")),
      focal_(named(numberField(10, 20000, 0, " mm"), "first-focal", 600)),
      aperture_(named(numberField(5, 5000, 0, " mm"), "first-aperture", 100)),
      guideFocal_(named(numberField(10, 20000, 0, " mm"), "first-guide-focal", 200)),
      guideAperture_(named(numberField(5, 5000, 0, " mm"), "first-guide-aperture", 50)),
      latitude_(named(numberField(0, 90, 3, "°"), "first-latitude", 0)),
      longitude_(named(numberField(0, 180, 3, "°"), "first-longitude", 0)), north_(new QComboBox),
      east_(new QComboBox), offAxis_(new QCheckBox(tr("through the telescope itself (off axis)"))),
      follows_(new WrapLabel), take_(new QPushButton(tr("Use this telescope"))) {
    setWindowTitle(tr("Welcome"));
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(22, 18, 22, 18);
    choice_ = choicePage();
    questions_ = questionsPage();
    all->addWidget(choice_);
    all->addWidget(questions_);
    questions_->hide();
    setMinimumWidth(720);
    edited();
    if (askAtOnce)
        ask();
    else
        adjustSize();
}

void FirstPage::ask() {
    setWindowTitle(tr("A telescope of your own"));
    choice_->hide();
    questions_->show();
    adjustSize();
}

QWidget* FirstPage::choicePage() {
    auto* page = new QWidget;
    auto* column = new QVBoxLayout(page);
    column->setSpacing(6);
    column->addWidget(heading(tr("Welcome to Nordstjerna"), 22));
    column->addWidget(quietly(tr(
        "It aligns the mount on the pole, guides, takes the frames of the night and explains the error.")));
    auto* trial = new QPushButton(tr("Try it on a simulated night"));
    trial->setObjectName("first-try");
    auto* own = new QPushButton(tr("Set up my telescope"));
    own->setObjectName("first-own");
    for (const auto& [button, words] :
         {std::pair(own, tr("Three questions: which mount, which optics, where. Two minutes.")),
          std::pair(trial,
                    tr("A mount, cameras and a sky that behave like real ones, at any time of day. Nothing "
                       "has to be connected."))}) {
        column->addSpacing(8);
        column->addWidget(button, 0, Qt::AlignLeft);
        column->addWidget(quietly(words));
    }
    column->addStretch();
    connect(trial, &QPushButton::clicked, this, &QDialog::accept);
    connect(own, &QPushButton::clicked, this, [this] { ask(); });
    return page;
}

QWidget* FirstPage::questionsPage() {
    auto* page = new QWidget;
    auto* column = new QVBoxLayout(page);
    column->setSpacing(10);
    auto* cards = new QGridLayout;
    cards->setSpacing(10);
    cards->addWidget(mountCard(), 0, 0);
    cards->addWidget(siteCard(), 1, 0);
    cards->addWidget(opticsCard(), 0, 1, 2, 1);
    cards->setColumnStretch(0, 1);
    cards->setColumnStretch(1, 1);
    column->addLayout(cards);
    follows_->setObjectName("first-follows");
    column->addWidget(follows_);
    auto* row = new QHBoxLayout;
    take_->setObjectName("primary");
    auto* cancel = new QPushButton(tr("Cancel"));
    row->addWidget(take_);
    row->addWidget(cancel);
    row->addStretch();
    column->addLayout(row);
    connect(take_, &QPushButton::clicked, this, &FirstPage::take);
    connect(cancel, &QPushButton::clicked, this, &QDialog::reject);
    for (QDoubleSpinBox* f : page->findChildren<QDoubleSpinBox*>())
        connect(f, &QDoubleSpinBox::valueChanged, this, &FirstPage::edited);
    return page;
}

QWidget* FirstPage::mountCard() {
    QFormLayout* form = nullptr;
    QFrame* card = formCard(tr("1  Which mount?"), form);
    const std::pair<MountKind, QString> kinds[] = {{MountKind::worm, tr("two motors, worm gears")},
                                                   {MountKind::encoders, tr("encoders on both axes")},
                                                   {MountKind::harmonic, tr("harmonic drives")},
                                                   {MountKind::tracker, tr("a tracker with one motor")}};
    for (const auto& [kind, words] : kinds) {
        auto* choice = new QRadioButton(words);
        kind_->addButton(choice, static_cast<int>(kind));
        form->addRow(choice);
    }
    kind_->button(static_cast<int>(MountKind::worm))->setChecked(true);
    formRow(form, tr("Its name"), {mountName_});
    return card;
}

QWidget* FirstPage::siteCard() {
    QFormLayout* form = nullptr;
    QFrame* card = formCard(tr("3  Where?"), form);
    north_->addItems({tr("north"), tr("south")});
    east_->addItems({tr("east"), tr("west")});
    north_->setObjectName("first-north");
    east_->setObjectName("first-east");
    formRow(form, tr("Latitude"), {latitude_, north_});
    formRow(form, tr("Longitude"), {longitude_, east_});
    formRow(form, tr("Its name"), {siteName_});
    connect(north_, &QComboBox::currentIndexChanged, this, &FirstPage::edited);
    connect(east_, &QComboBox::currentIndexChanged, this, &FirstPage::edited);
    return card;
}

FirstPage::CameraFields FirstPage::cameraFields(const char* name) {
    const QByteArray prefix(name);
    const bool guide = prefix.endsWith("guide");
    return {named(numberField(0.5, 50, 2, " µm"), prefix + "-pixel", guide ? 3.0 : 3.76),
            named(numberField(16, 20000, 0, " px"), prefix + "-width", guide ? 1920 : 4144),
            named(numberField(16, 20000, 0, " px"), prefix + "-height", guide ? 1200 : 2822)};
}

void FirstPage::addCamera(QFormLayout* form, const QString& label, const CameraFields& c) {
    auto* times = new QLabel("×");
    formRow(form, label, {c.width, times, c.height});
    formRow(form, tr("Its pixels"), {c.pixel});
    c.width->setAccessibleName(tr("%1: width, pixels").arg(label));
    c.height->setAccessibleName(tr("%1: height, pixels").arg(label));
    c.pixel->setAccessibleName(tr("%1: size of a pixel").arg(label));
}

QWidget* FirstPage::opticsCard() {
    QFormLayout* form = nullptr;
    QFrame* card = formCard(tr("2  Which optics?"), form);
    formRow(form, tr("Focal length"), {focal_});
    formRow(form, tr("Aperture"), {aperture_});
    addCamera(form, tr("Its camera"), imaging_);
    form->addRow(quietly(tr("Guiding")));
    offAxis_->setObjectName("first-off-axis");
    form->addRow(offAxis_);
    formRow(form, tr("Guide scope"), {guideFocal_});
    formRow(form, tr("Aperture"), {guideAperture_});
    addCamera(form, tr("Guide camera"), guide_);
    formRow(form, tr("Name of it all"), {opticsName_});
    connect(offAxis_, &QCheckBox::toggled, this, [this](bool on) {
        guideFocal_->setEnabled(!on);
        guideAperture_->setEnabled(!on);
        edited();
    });
    return card;
}

CameraSpec FirstPage::cameraOf(const CameraFields& f) {
    CameraSpec c;
    c.pixel_um = f.pixel->exact();
    c.width = static_cast<int>(f.width->exact());
    c.height = static_cast<int>(f.height->exact());
    return c;
}

RigAnswers FirstPage::answers() const {
    RigAnswers a;
    a.mount = static_cast<MountKind>(kind_->checkedId());
    a.mountName = mountName_->text().trimmed().toStdString();
    a.opticsName = opticsName_->text().trimmed().toStdString();
    a.siteName = siteName_->text().trimmed().toStdString();
    a.telescope = {focal_->exact(), aperture_->exact(), 1.0};
    a.imaging = cameraOf(imaging_);
    a.offAxis = offAxis_->isChecked();
    a.guideScope = {guideFocal_->exact(), guideAperture_->exact(), 1.0};
    a.guide = cameraOf(guide_);
    a.latitude_deg = (north_->currentIndex() == 0 ? 1.0 : -1.0) * latitude_->exact();
    a.longitude_deg = (east_->currentIndex() == 0 ? 1.0 : -1.0) * longitude_->exact();
    return a;
}

// What follows from the answers, so that a wrong figure strikes at once.
void FirstPage::edited() {
    const auto rig = rigFrom(answers(), [] { return std::string(); }); // nobody keeps it
    const bool somewhere = latitude_->exact() != 0.0 || longitude_->exact() != 0.0;
    take_->setEnabled(rig.has_value() && somewhere);
    if (!rig) {
        follows_->setText("▲ " + qs(rig.error().said()));
        return;
    }
    const Scales s = scalesOf(*rig);
    const double degrees = s.image_arcsec_px / 3600.0;
    const QString scales = tr("%1 ″/px, a field of %2° × %3°; guiding at %4 ″/px.")
                               .arg(qs(formatNumber(s.image_arcsec_px, 2)),
                                    qs(formatNumber(rig->imagingCamera.width * degrees, 2)),
                                    qs(formatNumber(rig->imagingCamera.height * degrees, 2)),
                                    qs(formatNumber(s.guide_arcsec_px, 2)));
    follows_->setText(somewhere ? scales : tr("%1 Where it stands is still missing.").arg(scales));
}

void FirstPage::take() {
    const auto rig = rigFrom(answers(), newRigId);
    if (!rig)
        return;
    accept();
    taken_(*rig);
}

} // namespace nordstjerna
