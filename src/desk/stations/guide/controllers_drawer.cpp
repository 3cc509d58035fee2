#include "desk/stations/guide/controllers_drawer.h"

#include <QComboBox>
#include <QDoubleSpinBox>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QPainter>
#include <QPainterPath>
#include <QSignalBlocker>
#include <cmath>

#include "charts/text.h"
#include "core/base/angle.h"
#include "core/base/format.h"
#include "core/guide/controllers.h"
#include "desk/theme.h"
#include "desk/widgets/change_list.h"
#include "desk/widgets/field_form.h"

namespace nordstjerna {

ControllersDrawer::ControllersDrawer(QWidget* parent)
    : QFrame(parent), decMode_(new QComboBox), changes_(new ChangeList(3)) {
    setObjectName("card");
    auto* grid = new QGridLayout(this);
    grid->setContentsMargins(14, 8, 14, 8);
    grid->setHorizontalSpacing(12);
    grid->setVerticalSpacing(6);
    grid->setColumnStretch(3, 1);
    for (DecMode mode : {DecMode::both, DecMode::northOnly, DecMode::southOnly, DecMode::off})
        decMode_->addItem(qs(settingText(SettingKey::decMode, static_cast<double>(mode))));
    decMode_->setAccessibleName(qs(settingName(SettingKey::decMode)));
    connect(decMode_, &QComboBox::currentIndexChanged, this,
            [this](int mode) { Q_EMIT changed(SettingKey::decMode, mode); });
    ra_ = makeAxis(0, tr("RA"), SettingKey::gainRa, SettingKey::kindRa);
    dec_ = makeAxis(1, tr("Dec"), SettingKey::gainDec, SettingKey::kindDec);
    grid->addWidget(addField(SettingKey::pauseRa), 0, 4);
    grid->addWidget(addField(SettingKey::pauseDec), 2, 4);
    grid->addWidget(changes_, 4, 0, 1, 5);
    connect(changes_, &ChangeList::undoWanted, this, &ControllersDrawer::undoWanted);
    believe(nullptr, nullptr);
}

ControllersDrawer::Axis ControllersDrawer::makeAxis(int line, const QString& name, SettingKey first,
                                                    SettingKey kindKey) {
    auto* grid = static_cast<QGridLayout*>(layout());
    Axis axis{new QComboBox, new QLabel, new WormGlance, new QWidget};
    auto* label = new QLabel(name);
    label->setFont(textFont(13, true));
    grid->addWidget(label, 2 * line, 0);
    for (const ControllerDescriptor& c : controllers())
        axis.kind->addItem(c.id, static_cast<int>(c.kind));
    axis.kind->setObjectName(qs(settingId(kindKey)));
    axis.kind->setAccessibleName(qs(settingName(kindKey)));
    connect(axis.kind, &QComboBox::currentIndexChanged, this,
            [this, kindKey, box = axis.kind](int i) { Q_EMIT changed(kindKey, box->itemData(i).toInt()); });
    grid->addWidget(axis.kind, 2 * line, 1);
    axis.worm->setVisible(first == SettingKey::gainRa);
    grid->addWidget(axis.worm, 2 * line, 2);
    axis.belief->setFont(textFont(12));
    axis.belief->setWordWrap(true);
    axis.belief->setObjectName("muted");
    grid->addWidget(axis.belief, 2 * line, 3);
    auto* row = new QHBoxLayout(axis.fields);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(8);
    const QString heads[] = {tr("loop gain"), tr("deadband"), tr("smoothing"), tr("pulse limit")};
    for (int i = 0; i < 4; ++i) {
        auto* head = new QLabel(heads[i]);
        head->setObjectName("muted");
        head->setFont(textFont(11));
        row->addWidget(head);
        row->addWidget(addField(static_cast<SettingKey>(static_cast<int>(first) + i)));
    }
    if (first == SettingKey::gainDec)
        row->addWidget(decMode_);
    row->addStretch();
    grid->addWidget(axis.fields, 2 * line + 1, 1, 1, 4);
    return axis;
}

QWidget* ControllersDrawer::addField(SettingKey key) {
    const SettingSpec& spec = settingSpec(key);
    QDoubleSpinBox* box = numberField(spec.low, spec.widest, spec.decimals, spec.unit);
    box->setObjectName(qs(settingId(key)));
    box->setAccessibleName(qs(settingName(key)));
    if (key == SettingKey::pauseRa || key == SettingKey::pauseDec) {
        box->setPrefix(tr("pause "));
        box->setSpecialValueText(tr("no pause"));
    }
    boxes_.emplace_back(key, box);
    connect(box, &QDoubleSpinBox::valueChanged, this, [this, key](double v) { Q_EMIT changed(key, v); });
    return box;
}

void ControllersDrawer::show(const SettingsBook& book) {
    changes_->show(book);
    for (const auto& [key, field] : boxes_) {
        const QSignalBlocker quiet(field);
        field->setValue(book.value(key));
        field->setToolTip(explained(book, key));
    }
    const QSignalBlocker quiet(decMode_);
    decMode_->setCurrentIndex(static_cast<int>(book.value(SettingKey::decMode)));
    decMode_->setToolTip(explained(book, SettingKey::decMode));
    const auto axis = [&](Axis& a, SettingKey key) {
        const QSignalBlocker still(a.kind);
        a.kind->setCurrentIndex(a.kind->findData(static_cast<int>(book.value(key))));
        a.kind->setToolTip(explained(book, key));
        a.fields->setVisible(
            controllerOf(static_cast<ControllerKind>(static_cast<int>(book.value(key)))).hasGain);
    };
    axis(ra_, SettingKey::kindRa);
    axis(dec_, SettingKey::kindDec);
}

void ControllersDrawer::believe(const AxisBelief* ra, const AxisBelief* dec, const Response& raResponse,
                                const Response& decResponse) {
    const auto nothing =
        tr("Nothing learnt yet: it starts as proportional control and predicts as it learns.");
    ra_.belief->setText(ra ? believed(*ra, raResponse, true) : nothing);
    dec_.belief->setText(dec ? believed(*dec, decResponse, false) : nothing);
    ra_.worm->show(ra);
}

QString ControllersDrawer::believed(const AxisBelief& b, const Response& response, bool ra) const {
    QStringList parts;
    parts << tr("drift %1").arg(qs(formatMeasured(b.drift_arcsec_min, " ″/min", 2)));
    const auto worm = b.wormSeen();
    if (ra && b.wormPeriod_s > 0.0 && worm) {
        parts << tr("worm %1 in %2 s, now at %3 of its turn")
                     .arg(qs(formatMeasured(*worm, "″", 2)), qs(formatNumber(b.wormPeriod_s, 0)),
                          qs(formatNumber(b.wormPhase_turns - std::floor(b.wormPhase_turns), 2)));
    } else if (ra && b.wormPeriod_s > 0.0) {
        parts << tr("%1 s worm not yet separable").arg(qs(formatNumber(b.wormPeriod_s, 0)));
    } else if (ra) {
        parts << tr("worm period not known yet");
    }
    if (b.backlash_arcsec)
        parts << tr("backlash %1").arg(qs(formatMeasured(*b.backlash_arcsec, "″", 1)));
    // So long one way is no chance.
    constexpr double long_s = 300.0;
    if (b.backlash_arcsec && b.oneWay_s > long_s && b.backlash_arcsec->value > 2.0 * b.backlash_arcsec->sigma)
        parts << tr("corrected %2 only for %1: drift brings it back, so the backlash is never crossed")
                     .arg(qs(formatDuration(b.oneWay_s)), b.way > 0 ? tr("north") : tr("south"));
    parts << tr("noise %1″ a frame").arg(qs(formatNumber(b.noise_arcsec, 2)));
    constexpr double wellMeasured = 0.1;
    if (response.gain.sigma < wellMeasured)
        parts << tr("pulses do %1 × the calibration").arg(qs(formatMeasured(response.gain, "", 2)));
    // Link and camera delay both axes alike: told once.
    if (ra)
        parts << tr("pulses show %1 late").arg(qs(formatMeasured(response.delay_s, " s", 1)));
    if (!b.modelRules)
        parts << tr("proportional control does better now and is in charge");
    return parts.join(" · ");
}

// What the setting does, and why it stands as it does.
QString ControllersDrawer::explained(const SettingsBook& book, SettingKey key) const {
    QStringList help;
    if (key == SettingKey::kindRa || key == SettingKey::kindDec)
        for (const ControllerDescriptor& c : controllers())
            help << qs(Text::say(c.help));
    else
        help << qs(Text::say(settingSpec(key).help));
    QString text = help.join(" ") + "\n" + tr("Origin: %1.").arg(qs(originText(book.origin(key))));
    if (!book.reason(key).empty())
        text += " " + qs(book.reason(key));
    return text;
}

WormGlance::WormGlance(QWidget* parent) : QWidget(parent) {
    setFixedSize(110, 34);
    setToolTip(tr("One turn of the worm as learnt; the mark shows where it stands."));
}

void WormGlance::show(const AxisBelief* b) {
    coefficients_ = b && b->wormSeen() ? b->worm : std::vector<Measured>();
    phase_ = b ? b->wormPhase_turns - std::floor(b->wormPhase_turns) : 0.0;
    update();
}

void WormGlance::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Theme& t = theme();
    p.fillRect(rect(), t.panel);
    p.setPen(QPen(t.line, 1));
    p.drawLine(0, height() / 2, width(), height() / 2);
    if (coefficients_.empty())
        return;
    const auto at = [&](double turns) {
        double v = 0.0;
        for (size_t h = 0; 2 * h + 1 < coefficients_.size(); ++h) {
            const double angle = tau * static_cast<double>(h + 1) * turns;
            v += coefficients_[2 * h].value * std::cos(angle) +
                 coefficients_[2 * h + 1].value * std::sin(angle);
        }
        return v;
    };
    double most = 1e-6;
    for (int i = 0; i <= 60; ++i)
        most = std::max(most, std::abs(at(i / 60.0)));
    const auto point = [&](double turns) {
        return QPointF(turns * width(), 0.5 * height() - at(turns) / most * 0.42 * height());
    };
    QPainterPath path(point(0.0));
    for (int i = 1; i <= 60; ++i)
        path.lineTo(point(i / 60.0));
    p.setPen(QPen(t.ra, 1.4));
    p.drawPath(path);
    p.setPen(Qt::NoPen);
    p.setBrush(t.text);
    p.drawEllipse(point(phase_), 3.5, 3.5);
}

} // namespace nordstjerna
