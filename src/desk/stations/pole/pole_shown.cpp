// What the station Pole shows: sky, map, figures, sentence and findings.
#include "desk/stations/pole/pole_station.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLineEdit>
#include <QPushButton>

#include <algorithm>
#include <cmath>

#include "charts/text.h"
#include "core/base/format.h"
#include "core/findings/pole_findings.h"
#include "core/pole/drift.h"
#include "core/pole/lever_advice.h"
#include "core/rig/scales.h"
#include "desk/pictures/drift_chart.h"
#include "desk/pictures/frame_view.h"
#include "desk/pictures/pole_map.h"
#include "desk/pictures/reticle_dial.h"
#include "desk/pictures/sky_map.h"
#include "desk/stations/pole/lever_card.h"
#include "desk/stations/pole/lever_tone.h"
#include "desk/stations/pole/method_card.h"
#include "desk/theme.h"
#include "desk/widgets/bench_stack.h"
#include "desk/widgets/phase_bar.h"
#include "desk/widgets/read_out.h"
#include "desk/widgets/step_bar.h"

namespace nordstjerna {

QString PoleStation::consequences() const {
    const auto now = book_.present();
    if (!now)
        return {};
    const Rig& rig = rigs().rig();
    const HourAngleDec target = targets().place();
    const Vec3 pole = elevatedPole(rig.site, true);
    const StarDrift drift = driftFromAxis(rig.site, now->fit.axis, pole, target);
    const double image = scalesOf(rig).image_arcsec_px;
    const double rotation = fieldRotation_arcsec_min(rig.site, now->fit.axis, pole, target);
    const double corner_px =
        0.5 * std::hypot(rig.imagingCamera.binnedWidth(), rig.imagingCamera.binnedHeight());
    const double cornerTrail_px_h = std::abs(rotation) * 60.0 / arcsecPerRad * corner_px;
    return tr("At %1: Dec drifts %2, RA %3 ″/min; unguided drift reaches one imaging pixel after %4. Guided, "
              "the "
              "field "
              "turns %5° an hour: %6 px at the corners.")
        .arg(qs(targets().name()), qs(formatNumber(drift.dec_arcsec_min, 2)),
             qs(formatNumber(drift.ra_arcsec_min, 2)),
             qs(formatDuration(longestUnguided_s(drift, image, 1.0))),
             qs(formatNumber(Angle::fromArcsec(rotation * 60.0).deg(), 3)),
             qs(formatNumber(cornerTrail_px_h, 1)));
}

void PoleStation::showSky() {
    SkyMapContent content;
    content.rig = rigs().rig();
    content.arc = arc_;
    for (const auto& t : measuring_.taken)
        content.taken.push_back(t.has_value());
    if (doing_ == Doing::byHand) {
        // Where the axis has been turned to, not where a mount would go.
        content.arc = {};
        content.taken.clear();
        for (const TakenSighting& t : byHand_.taken) {
            content.arc.places.push_back(placeOf(rigs().rig().site, t.sighting.direction()));
            content.taken.push_back(true);
        }
    }
    content.telescope = directionOf(rigs().rig().site, needs_.mountDesk.state().pointing);
    content.target = ObservedFrame(rigs().rig().site, night().now()).seen(targets().icrs());
    content.targetName = qs(targets().name());
    content.draggable = doing_ == Doing::nothing;
    content.warning = arcWarning_;
    sky_->show(content);

    std::vector<SightingShown> shown;
    for (size_t i = 0; i < arc_.places.size(); ++i) {
        SightingShown s;
        const AltAz a = altAzFrom(directionOf(rigs().rig().site, arc_.places[i]));
        s.place = tr("altitude %1°, azimuth %2°")
                      .arg(qs(formatNumber(a.altitude.deg(), 0)), qs(formatNumber(a.azimuth.deg(), 0)));
        if (i < measuring_.taken.size() && measuring_.taken[i]) {
            s.frame = measuring_.taken[i]->frame;
            s.matched = measuring_.taken[i]->solved.matched;
            s.sigma_arcsec = measuring_.taken[i]->sighting.sigmaDirection_arcsec;
        } else if (i < measuring_.failures.size()) {
            s.failure = measuring_.failures[i];
        }
        shown.push_back(s);
    }
    if (doing_ == Doing::byHand)
        shown = shownByHand();
    list_->show(shown);
}

std::vector<SightingShown> PoleStation::shownByHand() const {
    std::vector<SightingShown> shown;
    for (const TakenSighting& t : byHand_.taken) {
        SightingShown s;
        const AltAz a = altAzFrom(t.sighting.direction());
        s.place = tr("altitude %1°, azimuth %2°")
                      .arg(qs(formatNumber(a.altitude.deg(), 0)), qs(formatNumber(a.azimuth.deg(), 0)));
        s.frame = t.frame;
        s.matched = t.solved.matched;
        s.sigma_arcsec = t.sighting.sigmaDirection_arcsec;
        shown.push_back(s);
    }
    return shown;
}

void PoleStation::showByHand() {
    total_->setTitle(tr("Turned since the last"));
    if (byHand_.sinceLast_deg && !byHand_.taken.empty())
        total_->show(qs(formatNumber(*byHand_.sinceLast_deg, 1)) + "°", "",
                     tr("%1° or more for the next sighting").arg(qs(formatNumber(byHand_.step_deg, 0))));
    else
        total_->showNothing(tr("at the first sighting it begins"));
    evidence_->setTitle(tr("Axis so far"));
    if (byHand_.result)
        evidence_->show(
            "± " + qs(formatSigma(byHand_.result->error.total_arcmin.sigma, 2)) + "′", "",
            tr("%1 sightings over %2°").arg(byHand_.taken.size()).arg(qs(formatNumber(byHand_.span_deg, 0))));
    else
        evidence_->showNothing(tr("known from the second sighting on"));
}

void PoleStation::showMap() {
    const Site& site = rigs().rig().site;
    const auto error = present();
    if (!error)
        return;
    std::vector<PoleError> path;
    for (const AxisPoint& p : book_.path())
        path.push_back(poleError(p.fit, site, reference()));
    const PoleReference otherWay =
        reference() == PoleReference::refracted ? PoleReference::geometric : PoleReference::refracted;
    // Where the other pole stands on this map: the axis that errs by nothing from it.
    AxisFit atOther;
    atOther.axis = elevatedPole(site, otherWay == PoleReference::refracted);
    map_->show(path, poleError(atOther, site, reference()), wanted());
    const LeverAdvicePair advice = leverAdvice(*error, site, wanted());
    azimuth_->show(advice.azimuth, error->east_arcmin, wanted(),
                   qs(turnWords(live_.moves, Lever::azimuth, -error->east_arcmin.value)), site.southern());
    altitude_->show(advice.altitude, error->high_arcmin, wanted(),
                    qs(turnWords(live_.moves, Lever::altitude, -error->high_arcmin.value)), site.southern());
    QStringList learnt;
    for (const auto& [lever, name] :
         {std::pair(Lever::azimuth, tr("azimuth")), std::pair(Lever::altitude, tr("altitude"))})
        if (const auto perTurn = live_.moves.arcminPerTurn(lever))
            learnt << tr("%1 %2′ a turn").arg(name, qs(formatNumber(*perTurn, 1)));
    if (learnt.isEmpty() && !live_.moves.moves().empty()) {
        const LeverMove& m = live_.moves.moves().back();
        learnt << tr("last turn: %1 by %2")
                      .arg(m.lever == Lever::azimuth ? tr("azimuth") : tr("altitude"),
                           qs(formatMeasured({std::abs(m.amount_arcmin.value), m.amount_arcmin.sigma}, "′",
                                             2)));
    }
    learnt_->setText(learnt.join(", "));
    tone_->setError(error->total_arcmin.value, wanted());
}

void PoleStation::showProof() {
    methods_->show(book_.methods(rigs().rig().site, reference()), reference_->currentText());
    methods_->showConsequences(consequences());
}

void PoleStation::showFigures() {
    const auto error = present();
    total_->setTitle(tr("Off the pole"));
    if (!error) {
        total_->showNothing(tr("want < %1′").arg(qs(formatNumber(wanted(), 1))));
        parts_->showNothing(tr("not measured yet"));
    } else {
        const auto other = poleError(book_.present()->fit, rigs().rig().site,
                                     reference() == PoleReference::refracted ? PoleReference::geometric
                                                                             : PoleReference::refracted);
        const double t = error->total_arcmin.value;
        total_->show(qs(formatNumber(t, t < 10 ? 2 : 1)) + "′", "",
                     tr("± %1′ · want < %2′")
                         .arg(qs(formatNumber(error->total_arcmin.sigma, 2)), qs(formatNumber(wanted(), 1))));
        parts_->setTitle(tr("%1 / %2").arg(error->east_arcmin.value >= 0 ? tr("East") : tr("West"),
                                           error->high_arcmin.value >= 0 ? tr("high") : tr("low")));
        parts_->show(tr("%1 / %2′")
                         .arg(qs(formatNumber(std::abs(error->east_arcmin.value), 1)),
                              qs(formatNumber(std::abs(error->high_arcmin.value), 1))),
                     "",
                     tr("the %1 pole would read %2′ %3")
                         .arg(reference() == PoleReference::refracted ? tr("true") : tr("refracted"),
                              qs(formatNumber(std::abs(other.high_arcmin.value), 1)),
                              other.high_arcmin.value >= 0 ? tr("high") : tr("low")));
    }
    const auto& result = needs_.mountBook.pole();
    if (phases_->current() == planning && !arc_.places.empty()) {
        evidence_->setTitle(tr("Predicted"));
        evidence_->show(
            "± " + qs(formatSigma(arc_.predictedSigma_arcmin, decimalsFor(arc_.predictedSigma_arcmin, 2))) +
                "′",
            "",
            tr("%1 of %2°, lowest at %3°")
                .arg(arc_.twoWindows ? tr("two windows") : tr("arc"), qs(formatNumber(arc_.span_deg, 0)),
                     qs(formatNumber(arc_.lowestAltitude_deg, 0))));
    } else if (phases_->current() == adjusting && doing_ == Doing::adjusting && live_.sight) {
        evidence_->setTitle(tr("Each sighting shows"));
        evidence_->show(tr("± %1 / %2′")
                            .arg(qs(formatNumber(live_.sight->azimuth_arcmin, 2)),
                                 qs(formatNumber(live_.sight->altitude_arcmin, 2))),
                        "", tr("azimuth / altitude, %1 sightings so far").arg(live_.path.size()));
    } else if (result) {
        double worst = 0.0;
        for (double r : result->fit.residual_arcsec)
            worst = std::max(worst, r);
        evidence_->setTitle(tr("Sightings"));
        evidence_->show(QString::number(result->sightings.size()),
                        tr("over %1°").arg(qs(formatNumber(result->fit.span_deg, 0))),
                        tr("on one circle to %1″").arg(qs(formatNumber(worst, 1))));
    } else {
        evidence_->setTitle(tr("Sightings"));
        evidence_->showNothing(tr("none yet"));
    }
    if (doing_ == Doing::byHand)
        showByHand();
}

void PoleStation::refresh() {
    const bool idle = doing_ == Doing::nothing;
    const bool free = procedures().free();
    pages_->setCurrentIndex(phases_->current());
    phases_->setAvailable(idle);
    showSky();
    showMap();
    showProof();
    showFigures();
    tone_->setOn(sound_->isChecked() && doing_ == Doing::adjusting);
    wanted_->setVisible(phases_->current() == adjusting || (phases_->current() == planning && idle));
    count_->setVisible(phases_->current() == planning && idle);
    reference_->setVisible(idle && (phases_->current() == planning || phases_->current() == adjusting));
    turned_->setEnabled(doing_ == Doing::adjusting);
    const auto offer = [this](QPushButton* b, const QString& text, const Action& action, bool enabled) {
        b->setText(text);
        (b == second_ ? secondDoes_ : thirdDoes_) = action;
        b->setVisible(!text.isEmpty());
        b->setEnabled(enabled);
    };
    offer(second_, {}, {}, false);
    offer(third_, {}, {}, false);
    switch (phases_->current()) {
    case rough: {
        const ReticlePlace r =
            reticlePlace(ObservedFrame(rigs().rig().site, night().now()), inverted_->isChecked());
        dial_->show(r, inverted_->isChecked());
        const int minutes = static_cast<int>(std::lround(60.0 * r.clock_h)) % 720;
        const QString at =
            QString("%1:%2").arg(minutes / 60 == 0 ? 12 : minutes / 60).arg(minutes % 60, 2, 10, QChar('0'));
        dialWords_->setText(
            tr("%1 stands at %2 on the dial, %3′ from the pole (hour angle %4).\n\nTurn the levers "
               "until it does. This brings the axis to some 5–10′; the sightings do the rest.")
                .arg(qs(r.star), at, qs(formatNumber(r.distance.arcmin(), 1)),
                     qs(formatHourAngle(r.place.hourAngle))));
        const bool hidden = rigs().rig().horizon.hides(elevatedPole(rigs().rig().site, true));
        say(tr("rough start"),
            hidden
                ? tr("The pole is hidden here: skip this and take sightings in the free sky.")
                : tr("Bring %1 to its mark on the dial, or skip this and take sightings.").arg(qs(r.star)));
        setPrimary(tr("Go on to the sightings"));
        break;
    }
    case planning:
        if (doing_ == Doing::measuring) {
            say(tr("measure"), tr("The mount moves on its own from sighting to sighting. Do not touch it."));
            setPrimary(tr("Stop"));
        } else if (doing_ == Doing::reading) {
            say(tr("measure"), tr("Solving the frames."));
            setPrimary(tr("Stop"));
        } else if (doing_ == Doing::byHand) {
            say(tr("turn by hand"), qs(byHand_.ask));
            setPrimary(byHand_.result ? tr("That is enough") : tr("Stop"));
        } else if (noPlan_) {
            say(tr("plan"), qs(noPlan_->what.then(noPlan_->remedy)));
            setPrimary(tr("Measure"), false);
        } else {
            const QString where = arc_.places.front().hourAngle.rad() < 0 ? tr("east of the meridian")
                                                                          : tr("west of the meridian");
            say(tr("plan"),
                (arc_.twoWindows ? tr("%1 sightings in two windows of sky, %2° apart %3, %4 of slewing.")
                                 : tr("%1 sightings over %2° in the free sky %3, %4 of slewing."))
                    .arg(arc_.places.size())
                    .arg(qs(formatNumber(arc_.span_deg, 0)), where, qs(formatDuration(arc_.slewTime_s))));
            setPrimary(book_.present() ? tr("Measure again") : tr("Measure"), free && arcWarning_.isEmpty());
        }
        if (idle) {
            const bool failed = std::any_of(measuring_.failures.begin(), measuring_.failures.end(),
                                            [](const auto& f) { return f.has_value(); });
            if (failed)
                offer(second_, tr("Repeat the failed one"), ActionId::poleRepeat, free);
            else
                offer(second_, tr("Turn by hand"), ActionId::poleByHand, free);
            offer(third_, tr("Use frames…"), ActionId::poleFrames, free);
        }
        break;
    case adjusting:
        if (doing_ == Doing::adjusting) {
            if (live_.trouble && live_.state != PoleAdjustment::State::watching)
                say(tr("adjust"), qs(live_.trouble->what.then(live_.trouble->remedy)));
            else if (allWithin())
                say(tr("adjust"), tr("Within what you want. Tighten the levers, then check."));
            else
                say(tr("adjust"),
                    tr("Turn one lever as its card says; the figures follow after each frame."));
            setPrimary(tr("Check with a fresh measurement"));
            offer(second_, tr("Stop"), ActionId::poleStop, true);
        } else if (!book_.present()) {
            say(tr("adjust"), tr("Measure first: lever turns are computed from the measured axis."));
            setPrimary(tr("Go to the sightings"));
        } else {
            say(tr("adjust"),
                allWithin() ? tr("Within what you want. Go on to the rates, or verify by another method.")
                            : tr("Start, then turn one lever at a time and watch the map."));
            setPrimary(tr("Adjust live"), free);
            offer(second_, tr("Adjust in a better part of the sky"), ActionId::poleElsewhere, free);
            offer(third_, tr("Measure again"), ActionId::poleMeasure, free);
        }
        break;
    case proving:
        if (!idle) {
            say(tr("verify"), doing_ == Doing::watching
                                  ? tr("Do not touch the mount: the star shows its drift.")
                                  : tr("The mount runs out and back during the exposure."));
            setPrimary(tr("Stop"));
        } else {
            const bool first = book_.drifts().empty();
            say(tr("verify"),
                book_.present() ? tr("A second, independent method shows whether the figure can be trusted.")
                                : tr("Measure by sightings first, or measure by drift alone."));
            setPrimary(first ? tr("Watch drift on the meridian") : tr("Watch drift east or west"), free);
            offer(second_, tr("Trail check"), ActionId::poleTrail, free);
            offer(third_, tr("Measure again"), ActionId::poleMeasure, free);
        }
        break;
    }
}

QString PoleStation::summary() const {
    const auto e = present();
    return e ? qs(formatMeasured(e->total_arcmin, "′", 2)) : tr("not measured");
}

StationState PoleStation::state() const {
    if (!book_.present())
        return StationState::open;
    if (live_.state == PoleAdjustment::State::moved || book_.movedSinceMeasured())
        return allWithin() ? StationState::aged : StationState::attention;
    return allWithin() ? StationState::good : StationState::attention;
}

std::vector<Finding> PoleStation::findings() const {
    std::vector<Finding> list;
    const Rig& rig = rigs().rig();
    if (live_.trouble && live_.state == PoleAdjustment::State::moved)
        list.push_back({"pole-moved", Weight::act, live_.trouble->what, live_.trouble->why,
                        live_.trouble->remedy, ActionId::poleMeasure, Text::say("Measure afresh")});
    else if (live_.trouble && doing_ == Doing::adjusting)
        list.push_back(
            {"pole-blind", Weight::look, live_.trouble->what, live_.trouble->why, live_.trouble->remedy});
    if (doing_ == Doing::adjusting && live_.sight) {
        const double limit = 0.3 * wanted();
        const bool azimuthHidden = live_.sight->azimuth_arcmin > limit;
        const bool altitudeHidden = live_.sight->altitude_arcmin > limit;
        if (azimuthHidden || altitudeHidden)
            list.push_back({"pole-lever-hidden", Weight::look,
                            tr("The %1 lever hardly shows here")
                                .arg(azimuthHidden ? tr("azimuth") : tr("altitude"))
                                .toStdString(),
                            tr("A frame here fixes it only to ± %1′.")
                                .arg(qs(formatNumber(
                                    std::max(live_.sight->azimuth_arcmin, live_.sight->altitude_arcmin), 2)))
                                .toStdString(),
                            tr("Adjust in a part of the sky where both levers show.").toStdString(),
                            ActionId::poleElsewhere, tr("Slew there").toStdString()});
    }
    for (const Problem& p : leftOut_)
        list.push_back({"pole-frame-left-out", Weight::look, p.what, p.why, p.remedy});
    const auto measured = measuring_.failures;
    for (const auto& f : measured)
        if (f)
            list.push_back({"pole-sighting-failed", Weight::look, f->what, f->why, f->remedy,
                            ActionId::poleRepeat, tr("Repeat it").toStdString()});
    if (const auto now = book_.present()) {
        const auto about = poleFindings(poleError(now->fit, rig.site, reference()), now->fit, rig,
                                        {wanted(), targets().place()});
        list.insert(list.end(), about.begin(), about.end());
        if (doing_ == Doing::nothing && book_.movedSinceMeasured())
            list.push_back({"pole-unchecked", Weight::act,
                            tr("The axis was moved since it was measured").toStdString(),
                            tr("The value comes from live frames, not a fresh measurement.").toStdString(),
                            tr("Take fresh sightings to be sure.").toStdString(), ActionId::poleMeasure,
                            tr("Measure").toStdString()});
        const Agreement a = compareMethods(book_.methods(rig.site, reference()));
        if (a.known && !a.agree)
            list.push_back({"pole-methods-differ", Weight::act, tr("The methods do not agree").toStdString(),
                            a.verdict, tr("Take fresh sightings and see which one repeats.").toStdString(),
                            ActionId::poleMeasure, tr("Measure again").toStdString()});
    } else if (const Vec3 pole = elevatedPole(rig.site, true); rig.horizon.hides(pole)) {
        const AltAz a = altAzFrom(pole);
        list.push_back(
            {"pole-hidden", Weight::know, tr("The pole is hidden here").toStdString(),
             tr("It stands at altitude %1°, the sky is free above %2° there.")
                 .arg(qs(formatNumber(a.altitude.deg(), 1)),
                      qs(formatNumber(rig.horizon.altitudeAt(a.azimuth).deg(), 0)))
                 .toStdString(),
             tr("Nothing is lost: sightings in any free part of the sky give the axis.").toStdString()});
    }
    if (trailResult_ && phases_->current() == proving)
        list.push_back({"pole-trail-limit", Weight::know, tr("What the trail check can show").toStdString(),
                        tr("At this scale and time errors above %1′ open a V (3σ); %2 were measured.")
                            .arg(qs(formatNumber(trailResult_->smallest_arcmin, 1)),
                                 qs(Text::say("%n trail|%n trails", "", trailResult_->measure.trails)))
                            .toStdString(),
                        ""});
    rank(list);
    return list;
}

QString PoleStation::help() const {
    return tr(
        "<p><b>What.</b> How far the RA axis points beside the celestial pole, and which lever to turn.</p>"
        "<p><b>Why.</b> An axis off the pole makes stars drift in Dec and the field rotate.</p>"
        "<p><b>How.</b> The mount turns in RA only and looks at the sky several times. All those directions "
        "lie on one circle about the axis, wherever in the sky they are. Drag the arc on the map to other "
        "places; "
        "the predicted ± follows. Then <i>Adjust live</i> and turn the levers: each frame tells both of "
        "them. Left "
        "and right are meant standing behind the mount, looking towards the pole. A fresh measurement has "
        "the "
        "last word.</p>"
        "<p><b>Verify.</b> The drift referee and the trail check measure the same in other ways. If they "
        "agree, "
        "the figure holds.</p>"
        "<p><b>Frames.</b> Any frames of a night can be dropped here: FITS with DATE-OBS, the mount turned "
        "in RA "
        "between them.</p>"
        "<p><b>Good.</b> Below 1′ is excellent, 2–5′ works with guiding (common practice).</p>");
}

} // namespace nordstjerna
