#include "desk/hands_sheet.h"

#include <QCheckBox>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>
#include <cmath>
#include <tuple>

#include "desk/evening/rig_book.h"
#include "desk/theme.h"
#include "desk/widgets/flow_row.h"
#include "edge/devices/sim/simulated_night.h"

namespace nordstjerna {

HandsSheet::HandsSheet(SimulatedNight& night, const RigBook& rigs, QWidget* parent)
    : QFrame(parent), night_(night), last_(new QLabel) {
    setObjectName("panel");
    auto* all = new QHBoxLayout(this);
    all->setContentsMargins(16, 8, 12, 8);
    all->setSpacing(12);
    auto* groups = new FlowRow;
    groups->setSpacing(12);
    all->addLayout(groups, 1);
    const bool south = rigs.rig().site.southern();
    const struct {
        double turns;
        const char* name;
    } amounts[] = {
        {1.0, Text::mark("a turn")}, {0.25, Text::mark("a quarter")}, {0.05, Text::mark("a touch")}};
    const auto small = [](const QString& text, const QString& objectName) {
        auto* button = new QPushButton(text);
        button->setObjectName(objectName);
        button->setProperty("compact", true);
        return button;
    };
    // East is on the right looking north, on the left looking south.
    const struct {
        const char* label;
        const char* name;
        bool azimuth;
        double sign;
        const char* objectName;
    } levers[] = {
        {Text::mark("Swing left"), Text::mark("Swing the polar axis left"), true, south ? 1.0 : -1.0, "left"},
        {Text::mark("Swing right"), Text::mark("Swing the polar axis right"), true, south ? -1.0 : 1.0,
         "right"},
        {Text::mark("Raise"), Text::mark("Raise the polar axis"), false, 1.0, "raise"},
        {Text::mark("Lower"), Text::mark("Lower the polar axis"), false, -1.0, "lower"}};
    const auto group = [&] {
        auto* box = new QWidget;
        auto* grid = new QGridLayout(box);
        grid->setContentsMargins(0, 0, 0, 0);
        grid->setHorizontalSpacing(6);
        grid->setVerticalSpacing(4);
        groups->addWidget(box);
        return grid;
    };
    QGridLayout* grid = nullptr;
    for (int i = 0; i < 4; ++i) {
        if (i % 2 == 0)
            grid = group();
        const auto& l = levers[i];
        auto* label = new QLabel(qs(Text::say(l.label)));
        label->setToolTip(qs(Text::say(l.name)));
        label->setFont(textFont(12, true));
        grid->addWidget(label, i % 2, 0);
        int column = 1;
        for (const auto& a : amounts) {
            QPushButton* button = small(qs(Text::say(a.name)), l.objectName + QString::number(column));
            button->setAccessibleName(qs(Text::say(l.name)) + ", " + qs(Text::say(a.name)));
            connect(button, &QPushButton::clicked, this,
                    [this, azimuth = l.azimuth, turns = l.sign * a.turns] { turn(azimuth, turns); });
            grid->addWidget(button, i % 2, column++);
        }
    }
    grid = group();
    auto* focuser = new QLabel(tr("Focuser"));
    focuser->setFont(textFont(12, true));
    grid->addWidget(focuser, 0, 0);
    int column = 1;
    for (const auto& [name, um, objectName] :
         {std::tuple("far in", -40.0, "focusIn2"), std::tuple("in", -8.0, "focusIn1"),
          std::tuple("out", 8.0, "focusOut1"), std::tuple("far out", 40.0, "focusOut2")}) {
        QPushButton* button = small(tr(name), objectName);
        connect(button, &QPushButton::clicked, this, [this, by = um] { night_.turnFocus(by); });
        grid->addWidget(button, 0, column++);
    }
    auto* cover = new QCheckBox(tr("Cover on the guide scope"));
    cover->setObjectName("cover");
    cover->setChecked(night_.covered());
    connect(cover, &QCheckBox::toggled, this, [this](bool on) { night_.setCovered(on); });
    grid->addWidget(cover, 1, 0, 1, 5);
    grid = group();
    auto* masks = new QLabel(tr("Mask"));
    masks->setFont(textFont(12, true));
    grid->addWidget(masks, 0, 0);
    int line = 0;
    for (const auto& [name, camera, objectName] :
         {std::tuple(tr("guide scope"), CameraRole::guide, "guideMask"),
          std::tuple(tr("telescope"), CameraRole::imaging, "imagingMask")}) {
        auto* mask = new QCheckBox(name);
        mask->setObjectName(objectName);
        mask->setAccessibleName(tr("Mask before the %1").arg(name));
        mask->setChecked(night_.masked(camera));
        connect(mask, &QCheckBox::toggled, this,
                [this, which = camera](bool on) { night_.setMask(which, on); });
        grid->addWidget(mask, line++, 1);
    }
    grid = group();
    auto* axis = new QLabel(tr("RA axis, clutch loosened"));
    axis->setFont(textFont(12, true));
    grid->addWidget(axis, 0, 0, 1, 2);
    column = 0;
    for (const auto& [name, deg, objectName] :
         {std::tuple(tr("15° east"), -15.0, "turnEast"), std::tuple(tr("15° west"), 15.0, "turnWest")}) {
        QPushButton* button = small(name, objectName);
        button->setAccessibleName(tr("Turn the RA axis by hand, %1").arg(name));
        connect(button, &QPushButton::clicked, this, [this, by = deg] {
            night_.turnRaByHand(by);
            last_->setText(tr("Turned the RA axis by hand."));
        });
        grid->addWidget(button, 1, column++);
    }
    auto* right = new QVBoxLayout;
    auto* close = small(tr("Close"), "closeHands");
    connect(close, &QPushButton::clicked, this, &QWidget::hide);
    right->addWidget(close, 0, Qt::AlignRight);
    last_->setObjectName("muted");
    last_->setFont(textFont(11));
    right->addWidget(last_);
    all->addLayout(right);
    setToolTip(
        tr("Hands at the simulated mount, standing behind it and looking towards the pole. The levers are "
           "coarse and a little sticky."));
}

void HandsSheet::turn(bool azimuth, double turns) {
    if (azimuth)
        night_.turnAzimuthLever(turns);
    else
        night_.turnAltitudeLever(turns);
    const QString amount = QString::number(std::abs(turns)).replace("0.25", "¼").replace("0.05", "¹⁄₂₀");
    last_->setText(
        tr("Turned the %1 lever by %2 of a turn.").arg(azimuth ? tr("azimuth") : tr("altitude"), amount));
}

} // namespace nordstjerna
