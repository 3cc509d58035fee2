#include "desk/hands_sheet.h"

#include <QCheckBox>
#include <QGridLayout>
#include <QLabel>
#include <QPushButton>
#include <cmath>
#include <tuple>

#include "desk/theme.h"

namespace nordstjerna {

HandsSheet::HandsSheet(Session& session, QWidget* parent)
    : QDialog(parent), session_(session), last_(new QLabel) {
    setWindowTitle(tr("Hands at the simulated mount"));
    auto* grid = new QGridLayout(this);
    grid->setContentsMargins(16, 16, 16, 16);
    grid->setSpacing(8);
    auto* text = new QLabel(tr(
        "Standing behind the mount, looking towards the pole. The levers are coarse and a little sticky."));
    text->setWordWrap(true);
    text->setObjectName("muted");
    grid->addWidget(text, 0, 0, 1, 5);
    const bool south = session.rig().site.southern();
    const struct {
        double turns;
        const char* name;
    } amounts[] = {{1.0, "a turn"}, {0.25, "a quarter"}, {0.05, "a touch"}};
    const auto row = [&](int line, const QString& name, bool azimuth, double sign,
                         const QString& objectName) {
        auto* label = new QLabel(name);
        label->setFont(textFont(13, true));
        grid->addWidget(label, line, 0);
        int column = 1;
        for (const auto& a : amounts) {
            auto* button = new QPushButton(tr(a.name));
            button->setObjectName(objectName + QString::number(column));
            button->setAutoDefault(false);
            connect(button, &QPushButton::clicked, this,
                    [this, azimuth, turns = sign * a.turns] { turn(azimuth, turns); });
            grid->addWidget(button, line, column++);
        }
    };
    // East is on the right looking north, on the left looking south.
    row(1, tr("Push the front left"), true, south ? 1.0 : -1.0, "left");
    row(2, tr("Push the front right"), true, south ? -1.0 : 1.0, "right");
    row(3, tr("Raise the front"), false, 1.0, "raise");
    row(4, tr("Lower the front"), false, -1.0, "lower");
    auto* focuser = new QLabel(tr("Turn the guide focuser"));
    focuser->setFont(textFont(13, true));
    grid->addWidget(focuser, 5, 0);
    int column = 1;
    for (const auto& [name, um, objectName] :
         {std::tuple(tr("in, a lot"), -40.0, "focusIn2"), std::tuple(tr("in, a touch"), -8.0, "focusIn1"),
          std::tuple(tr("out, a touch"), 8.0, "focusOut1"),
          std::tuple(tr("out, a lot"), 40.0, "focusOut2")}) {
        auto* button = new QPushButton(name);
        button->setObjectName(objectName);
        button->setAutoDefault(false);
        connect(button, &QPushButton::clicked, this,
                [this, by = um] { session_.simulatedNight().turnFocus(by); });
        grid->addWidget(button, 5, column++);
    }
    auto* cover = new QCheckBox(tr("Cover on the guide scope"));
    cover->setObjectName("cover");
    connect(cover, &QCheckBox::toggled, this, [this](bool on) { session_.simulatedNight().setCovered(on); });
    grid->addWidget(cover, 6, 0, 1, 5);
    last_->setObjectName("muted");
    grid->addWidget(last_, 7, 0, 1, 5);
}

void HandsSheet::turn(bool azimuth, double turns) {
    if (azimuth)
        session_.simulatedNight().turnAzimuthLever(turns);
    else
        session_.simulatedNight().turnAltitudeLever(turns);
    const QString amount = QString::number(std::abs(turns)).replace("0.25", "¼").replace("0.05", "¹⁄₂₀");
    last_->setText(
        tr("Turned the %1 lever by %2 of a turn.").arg(azimuth ? tr("azimuth") : tr("altitude"), amount));
}

} // namespace nordstjerna
