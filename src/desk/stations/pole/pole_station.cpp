#include "desk/stations/pole/pole_station.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QStackedLayout>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "core/base/format.h"
#include "core/findings/pole_findings.h"
#include "core/pole/drift.h"
#include "core/pole/lever_advice.h"
#include "core/rig/scales.h"
#include "desk/pictures/pole_map.h"
#include "desk/pictures/sky_map.h"
#include "desk/stations/pole/lever_card.h"
#include "desk/text.h"
#include "desk/theme.h"
#include "desk/widgets/field_form.h"
#include "desk/widgets/read_out.h"
#include "desk/widgets/step_bar.h"

namespace nordstjerna {

PoleStation::PoleStation(Session& session, QWidget* parent)
    : Station(session, tr("Pole"), "north-star", parent), sky_(new SkyMap), map_(new PoleMap),
      adjustPage_(new QWidget), pages_(new QStackedLayout),
      azimuth_(new LeverCard(tr("Azimuth lever"), false)),
      altitude_(new LeverCard(tr("Altitude lever"), true)), total_(new ReadOut(tr("Off the pole"))),
      parts_(new ReadOut(tr("East / high"))), evidence_(new ReadOut(tr("Sightings"))), show_(new QPushButton),
      wanted_(numberField(0.1, 30.0, 1, "′")), count_(numberField(2, 7, 0, tr("sightings"))),
      reference_(new QComboBox) {
    wanted_->setValue(2.0);
    wanted_->setPrefix(tr("want < "));
    wanted_->setToolTip(tr("Below 1′ is excellent, 2–5′ works with guiding (common practice)"));
    count_->setValue(3);
    count_->setMinimumWidth(112);
    reference_->addItems({tr("refracted pole"), tr("true pole")});
    reference_->setToolTip(tr("The refracted pole suits a mount that tracks without a pointing model."));

    auto* adjust = new QHBoxLayout(adjustPage_);
    adjust->setContentsMargins(0, 0, 0, 0);
    adjust->setSpacing(12);
    adjust->addWidget(map_, 1);
    auto* levers = new QVBoxLayout;
    levers->setSpacing(8);
    levers->addWidget(azimuth_);
    levers->addWidget(altitude_);
    adjust->addLayout(levers);
    pages_->addWidget(sky_);
    pages_->addWidget(adjustPage_);
    bench()->addLayout(pages_, 1);
    for (ReadOut* r : {total_, parts_, evidence_})
        figures()->addWidget(r);
    buttons()->addWidget(show_);
    buttons()->addWidget(wanted_);
    buttons()->addWidget(count_);
    buttons()->addWidget(reference_);
    show_->hide();

    connect(primary(), &QPushButton::clicked, this, [this] {
        if (measuring_)
            this->session().stop();
        else
            measure();
    });
    connect(show_, &QPushButton::clicked, this, [this] {
        mapShown_ = !mapShown_;
        refresh();
    });
    connect(wanted_, &QDoubleSpinBox::valueChanged, this, [this] {
        showResult();
        Q_EMIT changed();
    });
    connect(count_, &QDoubleSpinBox::valueChanged, this, &PoleStation::plan);
    connect(reference_, &QComboBox::currentIndexChanged, this, [this] {
        showResult();
        Q_EMIT changed();
    });
    connect(&session, &Session::rigChanged, this, &PoleStation::plan);
    connect(&session, &Session::busyChanged, this, &PoleStation::refresh);
    plan();
}

double PoleStation::wanted() const {
    return wanted_->value();
}

void PoleStation::plan() {
    const auto arc =
        planSightings(session().rig(), planWishesFor(session().rig(), static_cast<int>(count_->value())));
    noPlan_ = arc ? std::nullopt : std::optional<Problem>(arc.error());
    arc_ = arc.value_or(PlannedArc{});
    taken_ = 0;
    refresh();
}

void PoleStation::measure() {
    PoleMeasurementSetup setup;
    setup.rig = session().rig();
    setup.arc = arc_;
    auto procedure = std::make_shared<PoleMeasurement>(setup);
    measuring_ = true;
    mapShown_ = false;
    taken_ = 0;
    session().run<PoleMeasurement, Snapshot>(
        procedure,
        [](const PoleMeasurement& p) {
            return Snapshot{p.progress(), p.taken().size(), {}};
        },
        [this](const Snapshot& s) {
            steps()->show(s.progress);
            taken_ = s.taken;
            if (measuring_)
                refresh();
        },
        [this](const std::shared_ptr<PoleMeasurement>& p, const Expected<void>& done) {
            measuring_ = false;
            if (done && p->result()) {
                session().setPole(*p->result());
                mapShown_ = true;
                history_.push_back(p->result()->error);
                showResult();
            }
            steps()->clear();
            refresh();
            Q_EMIT changed();
        });
    if (!session().busy())
        measuring_ = false;
    refresh();
}

void PoleStation::showResult() {
    const auto& result = session().pole();
    if (!result)
        return;
    const Site& site = session().rig().site;
    const bool refracted = reference_->currentIndex() == 0;
    const PoleError error =
        poleError(result->fit, site, refracted ? PoleReference::refracted : PoleReference::geometric);
    const PoleError other =
        poleError(result->fit, site, refracted ? PoleReference::geometric : PoleReference::refracted);
    // The path is kept by the refracted pole; the true one lies a constant amount lower.
    const double lift = result->otherError.high_arcmin.value - result->error.high_arcmin.value;
    std::vector<PoleError> path = history_;
    for (PoleError& e : path)
        if (!refracted)
            e.high_arcmin.value += lift;
    map_->show(path, std::nullopt, wanted());
    const LeverAdvicePair advice = leverAdvice(error, site, wanted());
    azimuth_->show(advice.azimuth, error.east_arcmin, wanted());
    altitude_->show(advice.altitude, error.high_arcmin, wanted());
    total_->show(qs(formatNumber(error.total_arcmin.value, error.total_arcmin.value < 10 ? 2 : 1)) + "′", "",
                 tr("± %1′ · want < %2′")
                     .arg(qs(formatNumber(error.total_arcmin.sigma, 2)), qs(formatNumber(wanted(), 1))));
    const auto side = [](double v, const QString& plus, const QString& minus) {
        return v >= 0 ? plus : minus;
    };
    parts_->setTitle(tr("%1 / %2").arg(side(error.east_arcmin.value, tr("East"), tr("West")),
                                       side(error.high_arcmin.value, tr("high"), tr("low"))));
    parts_->show(tr("%1 / %2′")
                     .arg(qs(formatNumber(std::abs(error.east_arcmin.value), 1)),
                          qs(formatNumber(std::abs(error.high_arcmin.value), 1))),
                 "",
                 refracted ? tr("the true pole would read %1′ %2")
                                 .arg(qs(formatNumber(std::abs(other.high_arcmin.value), 1)),
                                      other.high_arcmin.value >= 0 ? tr("high") : tr("low"))
                           : tr("the refracted pole would read %1′ %2")
                                 .arg(qs(formatNumber(std::abs(other.high_arcmin.value), 1)),
                                      other.high_arcmin.value >= 0 ? tr("high") : tr("low")));
    double worst = 0.0;
    for (double r : result->fit.residual_arcsec)
        worst = std::max(worst, r);
    evidence_->setTitle(tr("Sightings"));
    evidence_->show(QString::number(result->sightings.size()),
                    tr("over %1°").arg(qs(formatNumber(result->fit.span_deg, 0))),
                    tr("on one circle to %1″").arg(qs(formatNumber(worst, 1))));
    refresh();
}

void PoleStation::showPlanFigures() {
    if (arc_.places.empty())
        return;
    evidence_->setTitle(tr("Predicted"));
    evidence_->show(
        "± " + qs(formatNumber(arc_.predictedSigma_arcmin, decimalsFor(arc_.predictedSigma_arcmin, 2))) +
            "′",
        "",
        tr("arc of %1°, lowest at %2°")
            .arg(qs(formatNumber(arc_.span_deg, 0)), qs(formatNumber(arc_.lowestAltitude_deg, 0))));
}

void PoleStation::refresh() {
    const auto& result = session().pole();
    SkyMapContent content;
    content.rig = session().rig();
    content.arc = arc_;
    content.taken = taken_;
    content.telescope = directionOf(session().rig().site, session().mountState().pointing);
    content.target = ObservedFrame(session().rig().site, session().now()).seen(session().target());
    content.targetName = qs(session().targetName());
    sky_->show(content);
    const bool showMap = mapShown_ && result && !measuring_;
    pages_->setCurrentWidget(showMap ? adjustPage_ : static_cast<QWidget*>(sky_));
    show_->setVisible(result.has_value() && !measuring_);
    show_->setText(showMap ? tr("Show the plan") : tr("Show the error"));
    for (QWidget* w :
         {static_cast<QWidget*>(wanted_), static_cast<QWidget*>(count_), static_cast<QWidget*>(reference_)})
        w->setVisible(!measuring_);
    if (measuring_) {
        say(tr("measure"), tr("The mount moves by itself from sighting to sighting. Do not touch it."));
        setPrimary(tr("Stop"));
    } else if (noPlan_) {
        say(tr("plan"), qs(noPlan_->what + " " + noPlan_->remedy));
        setPrimary(tr("Measure"), false);
    } else if (showMap) {
        const PoleError& e = history_.back();
        const LeverAdvicePair advice = leverAdvice(e, session().rig().site, wanted());
        QString sentence;
        if (advice.azimuth.withinWanted && advice.altitude.withinWanted)
            sentence = tr("Within what you want. Go on to the rates.");
        else
            sentence = tr("Turn one lever at a time as the cards say, then measure again.");
        say(tr("adjust"), sentence);
        setPrimary(tr("Measure again"), !session().busy());
    } else {
        say(tr("plan"), tr("%1 sightings over %2° in the free sky %3, %4 of slewing.")
                            .arg(arc_.places.size())
                            .arg(qs(formatNumber(arc_.span_deg, 0)),
                                 arc_.places.front().hourAngle.rad() < 0 ? tr("east of the meridian")
                                                                         : tr("west of the meridian"),
                                 qs(formatDuration(arc_.slewTime_s))));
        setPrimary(result ? tr("Measure again") : tr("Measure"), !session().busy());
    }
    if (!result) {
        total_->showNothing(tr("want < %1′").arg(qs(formatNumber(wanted(), 1))));
        parts_->showNothing(tr("not measured yet"));
        showPlanFigures();
    } else if (!showMap && !measuring_) {
        showPlanFigures();
    }
}

QString PoleStation::summary() const {
    const auto& r = session().pole();
    return r ? qs(formatMeasured(r->error.total_arcmin, "′", 2)) : tr("not measured");
}

StationState PoleStation::state() const {
    const auto& r = session().pole();
    if (!r)
        return StationState::open;
    return r->error.total_arcmin.value <= wanted() ? StationState::good : StationState::attention;
}

std::vector<Finding> PoleStation::findings() const {
    const auto& r = session().pole();
    if (r)
        return poleFindings(r->error, r->fit, session().rig(), {wanted(), session().targetPlace()});
    std::vector<Finding> list;
    const Rig& rig = session().rig();
    const Vec3 pole = elevatedPole(rig.site, true);
    if (rig.horizon.hides(pole)) {
        const AltAz a = altAzFrom(pole);
        list.push_back(
            {"pole-hidden", Weight::know, tr("The pole is hidden here").toStdString(),
             tr("It stands at altitude %1°, the sky is free above %2° there.")
                 .arg(qs(formatNumber(a.altitude.deg(), 1)),
                      qs(formatNumber(rig.horizon.altitudeAt(a.azimuth).deg(), 0)))
                 .toStdString(),
             tr("Nothing is lost: sightings in any free part of the sky give the axis.").toStdString(), "",
             ""});
    }
    return list;
}

bool PoleStation::perform(const QString& action) {
    if (action == "pole.measure" && !measuring_ && primary()->isEnabled()) {
        measure();
        return true;
    }
    return false;
}

QString PoleStation::help() const {
    return tr(
        "<p><b>What.</b> How far the RA axis points beside the celestial pole, and which lever to turn.</p>"
        "<p><b>Why.</b> An axis off the pole makes stars drift in Dec and the field rotate.</p>"
        "<p><b>How.</b> The mount turns in RA only and looks at the sky several times. All those directions "
        "lie on one "
        "circle about the axis, wherever in the sky they are. Left and right are meant standing behind the "
        "mount, "
        "looking towards the pole.</p>"
        "<p><b>Good.</b> Below 1′ is excellent, 2–5′ works with guiding (common practice).</p>");
}

} // namespace nordstjerna
