#include "desk/stations/rates/rates_station.h"

#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>
#include <cmath>

#include "charts/text.h"
#include "core/base/format.h"
#include "core/calibration/reuse.h"
#include "core/findings/rates_findings.h"
#include "core/findings/response_findings.h"
#include "core/pole/sighting_plan.h"
#include "core/procedure/sky_look.h"
#include "core/sky/sides.h"
#include "desk/pictures/compass_of_motion.h"
#include "desk/pictures/leg_strip.h"
#include "desk/theme.h"
#include "desk/widgets/field_form.h"
#include "desk/widgets/phase_bar.h"
#include "desk/widgets/read_out.h"
#include "desk/widgets/step_bar.h"

namespace nordstjerna {

namespace {
constexpr double wellPlacedWithin = 1.15; // of the ± that the best place gives
} // namespace

RatesStation::RatesStation(const StationParts& parts, const Needs& needs, QWidget* parent)
    : Station(parts, StationId::rates, parent), needs_(needs), compass_(new CompassOfMotion),
      table_(new QGridLayout), ra_(new ReadOut(tr("RA rate"))), dec_(new ReadOut(tr("Dec rate"))),
      angle_(new ReadOut(tr("Right angle"))), backlash_(new ReadOut(tr("Dec backlash"))),
      there_(new QPushButton(tr("Slew there"))), look_(new QPushButton(tr("Look first"))),
      keep_(new QPushButton), response_(new QPushButton(tr("Test the response"))),
      gears_(new QPushButton(tr("Check the gears"))), strip_(new LegStrip),
      pages_(new PhaseBar({tr("Before"), tr("Result"), tr("Past")})) {
    auto* row = new QHBoxLayout;
    row->setSpacing(8);
    auto* left = new QVBoxLayout;
    left->setSpacing(8);
    left->addWidget(compass_, 1);
    left->addWidget(strip_);
    row->addLayout(left, 3);
    QFormLayout* form = nullptr;
    QFrame* card = formCard(tr("Rates"), form);
    form->addRow(pages_);
    table_->setHorizontalSpacing(12);
    table_->setVerticalSpacing(6);
    form->addRow(table_);
    card->setMinimumWidth(292);
    row->addWidget(card, 2);
    bench()->addLayout(row, 1);
    for (ReadOut* r : {ra_, dec_, angle_, backlash_})
        figures()->addWidget(r);
    buttons()->addWidget(look_);
    look_->setObjectName("look");
    look_->setToolTip(tr("One frame of the guide camera shows whether the camera still stands as it did"));
    connect(look_, &QPushButton::clicked, this, [this] { perform(ActionId::ratesLook); });
    buttons()->addWidget(there_);
    buttons()->addWidget(keep_);
    buttons()->addWidget(response_);
    buttons()->addWidget(gears_);
    response_->setObjectName("testResponse");
    response_->setToolTip(
        tr("Two minutes of pulses of a known pattern: how much of them arrives, and how late"));
    connect(response_, &QPushButton::clicked, this, &RatesStation::testResponse);
    gears_->setObjectName("checkGears");
    gears_->setToolTip(
        tr("Seven minutes at dusk: whether each axis answers alike both ways, and what Dec loses "
           "at a reversal"));
    connect(gears_, &QPushButton::clicked, this, &RatesStation::checkGears);
    keep_->setObjectName("keep");
    connect(keep_, &QPushButton::clicked, this,
            [this] { perform(refused_ ? ActionId::ratesForce : ActionId::ratesFormer); });
    connect(pages_, &PhaseBar::chosen, this, &RatesStation::refresh);
    there_->setObjectName("slewThere");
    connect(there_, &QPushButton::clicked, this, &RatesStation::slewThere);
    connect(primary(), &QPushButton::clicked, this, [this] {
        if (measuring_ || slewing())
            procedures().stop();
        else
            measure();
    });
    connect(&procedures(), &ProcedureHost::busyChanged, this, &RatesStation::refresh);
    connect(&needs_.calibrationBook, &CalibrationBook::changed, this, [this] {
        refresh();
        Q_EMIT changed();
    });
    refresh();
}

std::optional<CalibrationPlace> RatesStation::goodPlace() const {
    return bestCalibrationPlace(rigs().rig(), targets().place().hourAngle.rad() <= 0.0);
}

void RatesStation::slewThere() {
    if (const auto good = goodPlace())
        slewTo(good->place, tr("Slewing to where rates are measured best"), [this] { refresh(); });
}

void RatesStation::measure() {
    auto procedure = std::make_shared<CalibrationRun>(CalibrationRunSetup{rigs().rig()});
    measuring_ = true;
    samples_.clear();
    compass_->show({}, std::nullopt, usualLegs(rigs().rig()).travel_px);
    procedures().run<CalibrationRun, Snapshot>(
        procedure,
        [](const CalibrationRun& p) {
            return Snapshot{p.progress(), p.samples()};
        },
        [this](const Snapshot& s) {
            steps()->show(s.progress);
            samples_ = s.samples;
            compass_->show(samples_, std::nullopt, 25.0);
        },
        [this](const std::shared_ptr<CalibrationRun>& p, const Expected<void>& done) {
            measuring_ = false;
            steps()->clear();
            if (done && p->result()) {
                pages_->setCurrent(1);
                if (p->result()->verdict == CalibrationVerdict::bad) {
                    // Bad rates ruin a night quietly: they are shown and kept in the log, not used.
                    refused_ = *p->result();
                    needs_.calibrationBook.logCalibration(*p->result());
                } else {
                    refused_.reset();
                    former_ = needs_.calibrationBook.calibration();
                    needs_.calibrationBook.setCalibration(*p->result());
                }
            }
            refresh();
            Q_EMIT changed();
        });
    if (!procedures().busy())
        measuring_ = false;
    refresh();
}

// Whether the rates of an earlier evening still hold.
void RatesStation::lookFirst() {
    const double exposure_s = std::max(2.0, needs_.settings.book().value(SettingKey::exposure));
    measuring_ = true;
    procedures().run<SkyLook, Progress>(
        std::make_shared<SkyLook>(rigs().rig(), CameraRole::guide, exposure_s),
        [](const SkyLook& p) { return p.progress(); }, [this](const Progress& p) { steps()->show(p); },
        [this](const std::shared_ptr<SkyLook>& p, const Expected<void>& done) {
            measuring_ = false;
            steps()->clear();
            CalibrationLook look;
            if (const auto here = needs_.calibrationBook.calibrationHere(); here && done && p->solved())
                look = lookAtCalibration(calibrationAtBinning(*here, 1), *p->solved());
            else
                look.why = Text::say("the guide frame was not solved");
            needs_.calibrationBook.heed(look);
        });
    if (!procedures().busy())
        measuring_ = false;
    refresh();
}

const std::optional<Calibration>& RatesStation::shown() const {
    return refused_ ? refused_ : needs_.calibrationBook.calibration();
}

void RatesStation::cell(int row, int column, const QString& text, bool muted, Qt::Alignment align) {
    auto* label = new QLabel(text);
    label->setFont(textFont(12));
    label->setWordWrap(align & Qt::AlignJustify);
    if (muted)
        label->setObjectName("muted");
    table_->addWidget(label, row, column, align & Qt::AlignJustify ? Qt::Alignment() : align);
    cells_.push_back(label);
}

void RatesStation::fillPreflight(const std::optional<CalibrationPlace>& best) {
    const MountState m = needs_.mountDesk.state();
    const double altitude = altAzFrom(directionOf(rigs().rig().site, m.pointing)).altitude.deg();
    int row = 0;
    const auto check = [&](bool good, const QString& name, const QString& value, const QString& want) {
        cell(row, 0, good ? "✓" : "▲", !good, Qt::AlignLeft);
        cell(row, 1, name, true, Qt::AlignLeft);
        cell(row, 2, value, false, Qt::AlignRight);
        cell(row, 3, want, true, Qt::AlignRight);
        for (QLabel* words : {cells_[cells_.size() - 3], cells_[cells_.size() - 2], cells_.back()})
            words->setWordWrap(true);
        ++row;
    };
    const double cost = calibrationCost(rigs().rig().site, m.pointing);
    check(best && cost <= wellPlacedWithin * best->cost, tr("place"),
          tr("± × %1").arg(qs(formatNumber(cost, 2))),
          best ? tr("best × %1").arg(qs(formatNumber(best->cost, 2))) : tr("no free sky"));
    check(std::abs(m.pointing.dec.deg()) <= 20.0, tr("declination"),
          qs(formatNumber(m.pointing.dec.deg(), 0)) + "°", tr("within 20°"));
    check(std::abs(m.pointing.hourAngle.hours()) <= 1.5, tr("hour angle"),
          qs(formatHourAngle(m.pointing.hourAngle)), tr("within 1.5 h"));
    constexpr double wanted_deg = 45.0; // common practice
    check(altitude >= wanted_deg, tr("altitude"), qs(formatNumber(altitude, 0)) + "°", tr("above 45°"));
    const bool targetEast = targets().place().hourAngle.rad() <= 0.0;
    check((m.side == "east") == targetEast, tr("looking"), qs(lookingWord(m.side)),
          targetEast ? tr("east") : tr("west"));
    check(m.tracking, tr("tracking"), m.tracking ? tr("on") : tr("off"), tr("on"));
    const auto& focus = needs_.focusBook.focus();
    check(focus.hfd_px > 0.0 && focus.hfd_px<1.15 * focus.best_px, tr("focus"), focus.hfd_px> 0.0
              ? tr("HFD %1 px").arg(qs(formatNumber(focus.hfd_px, 1)))
              : tr("not looked at"),
          tr("near its best"));
    cell(
        row, 0,
        tr("North pulses come first, until the star follows: they take up the Dec backlash, so the north leg "
           "starts engaged."),
        true, Qt::AlignJustify);
    table_->addWidget(cells_.back(), row, 0, 1, 4);
}

void RatesStation::fillPast() {
    const auto past = needs_.calibrationBook.pastCalibration();
    if (past.empty()) {
        cell(0, 0, tr("No calibration of this rig is kept yet."), true, Qt::AlignJustify);
        return;
    }
    const QStringList heads{tr("when"), tr("RA"), tr("Dec"), tr("angle"), tr("backlash"), QString()};
    for (int column = 0; column < heads.size(); ++column)
        cell(0, column, heads[column], true, column == 0 ? Qt::AlignLeft : Qt::AlignRight);
    int row = 1;
    for (const LoggedCalibration& l : past) {
        if (row > 10)
            break;
        cell(row, 0, qs(rigs().civilTime().day(l.when)).left(6) + " " + qs(rigs().civilTime().clock(l.when)),
             true, Qt::AlignLeft);
        cell(row, 1, qs(formatNumber(l.calibration.ra.rate_px_s.value, 2)), false, Qt::AlignRight);
        cell(row, 2, qs(formatNumber(l.calibration.dec.rate_px_s.value, 2)), false, Qt::AlignRight);
        cell(row, 3, qs(formatNumber(l.calibration.ra.angle_deg.value, 0)) + "°", false, Qt::AlignRight);
        cell(row, 4, qs(formatNumber(l.calibration.decBacklash_ms.value, 0)) + " ms", false, Qt::AlignRight);
        cell(row, 5, qs(Text::say(verdictName(l.calibration.verdict))), true, Qt::AlignRight);
        ++row;
    }
}

void RatesStation::fillTable(const std::optional<CalibrationPlace>& best) {
    for (QLabel* c : cells_)
        delete c;
    cells_.clear();
    if (pages_->current() == 0) {
        fillPreflight(best);
        return;
    }
    if (pages_->current() == 2) {
        fillPast();
        return;
    }
    const auto& r = shown();
    if (!r) {
        cell(0, 0, tr("No rates yet."), true, Qt::AlignLeft);
        return;
    }
    cell(0, 1, tr("measured"), true, Qt::AlignRight);
    cell(0, 2, tr("expected"), true, Qt::AlignRight);
    int row = 1;
    const auto line = [&](const QString& name, const QString& measured, const QString& expected) {
        cell(row, 0, name, true, Qt::AlignLeft);
        cell(row, 1, measured, false, Qt::AlignRight);
        cell(row, 2, expected, true, Qt::AlignRight);
        ++row;
    };
    line(tr("RA px/s (δ = 0)"), qs(formatMeasured(r->ra.rate_px_s, "")),
         qs(formatNumber(r->setup.expectedRaPxS(), 2)));
    if (r->setup.decMotor)
        line(tr("Dec px/s"), qs(formatMeasured(r->dec.rate_px_s, "")),
             qs(formatNumber(r->setup.expectedDecPxS(), 2)));
    line(tr("west points to"), qs(formatMeasured(r->ra.angle_deg, "°", 1)), "–");
    if (r->setup.decMotor) {
        line(tr("north points to"), qs(formatMeasured(r->dec.angle_deg, "°", 1)), "–");
        line(tr("right angle off"), qs(formatMeasured(r->orthogonality_deg, "°", 1)), tr("< 10°"));
    }
    line(tr("drift px/min"), qs(formatMeasured(r->drift_px_min, "")), "–");
    if (answer_)
        for (const auto& [a, name] : {std::pair(&answer_->ra, tr("RA")), std::pair(&answer_->dec, tr("Dec"))})
            if (*a)
                line(tr("%1 pulses").arg(name),
                     tr("× %1, %2 late")
                         .arg(qs(formatMeasured((*a)->gain, "", 2)),
                              qs(formatMeasured((*a)->delay_s, " s", 1))),
                     tr("× 1, at once"));
    for (const LegFit& leg : r->legs)
        line(tr("%1 leg").arg(qs(Text::say(legName(leg.leg)))),
             tr("%1 × → %2 px").arg(leg.steps).arg(qs(formatNumber(leg.travel_px, 1))),
             tr("± %1 px").arg(qs(formatNumber(leg.roughness_px, 2))));
    const QString side = r->setup.side.empty() ? "" : tr(", looking %1").arg(qs(lookingWord(r->setup.side)));
    cell(row, 0, tr("at Dec %1°%2").arg(qs(formatNumber(r->setup.dec.deg(), 0)), side), true, Qt::AlignLeft);
    table_->addWidget(cells_.back(), row, 0, 1, 3, Qt::AlignLeft);
}

void RatesStation::refresh() {
    const auto& r = shown();
    const auto best = goodPlace();
    fillTable(best);
    strip_->show(r && !measuring_ ? r->legs : std::vector<LegFit>{});
    std::vector<Calibration> ghosts;
    for (const LoggedCalibration& l : needs_.calibrationBook.pastCalibration())
        if (!r || l.calibration.samples.size() != r->samples.size() ||
            std::abs(l.calibration.ra.rate_px_s.value - r->ra.rate_px_s.value) > 1e-9)
            ghosts.push_back(l.calibration);
    compass_->setGhosts(std::move(ghosts));
    const bool canRestore = former_ && !refused_ && !measuring_ && procedures().free();
    keep_->setText(refused_ ? tr("Use them all the same") : tr("Keep the previous rates"));
    keep_->setVisible((refused_ || canRestore) && !measuring_ && !slewing());
    if (!measuring_ && r) {
        samples_ = r->samples;
        compass_->show(samples_, r, 25.0);
    } else if (!measuring_) {
        compass_->show(samples_, std::nullopt, 25.0);
    }
    const MountState m = needs_.mountDesk.state();
    const double cost = calibrationCost(rigs().rig().site, m.pointing);
    const bool atTheMeridian = std::abs(m.pointing.hourAngle.hours()) <= 1.5;
    const bool wellPlaced = best && cost <= wellPlacedWithin * best->cost;
    there_->setToolTip(
        best
            ? tr("To Dec %1°, hour angle %2, altitude %3°, on the side of the target: there the ± is %4 × "
                 "that of "
                 "a star on the equator at 45°")
                  .arg(qs(formatNumber(best->place.dec.deg(), 0)), qs(formatHourAngle(best->place.hourAngle)),
                       qs(formatNumber(best->altitude_deg, 0)), qs(formatNumber(best->cost, 2)))
            : tr("No part of the sky near the equator is free on the side of the target"));
    look_->setVisible(r && !refused_ && !needs_.calibrationBook.seen() &&
                      !needs_.calibrationBook.calibrationAged() && !measuring_ && !slewing());
    look_->setEnabled(procedures().free());
    for (QPushButton* test : {response_, gears_}) {
        test->setVisible(r && !refused_ && !measuring_ && !slewing());
        test->setEnabled(procedures().free() && needs_.calibrationBook.calibrationHere().has_value());
    }
    there_->setVisible(!measuring_ && !slewing());
    there_->setEnabled(procedures().free() && best);
    if (slewing()) {
        say("", tr("Slewing to where rates are measured best."));
        setPrimary(tr("Stop"));
    } else if (measuring_) {
        say(tr("measuring"),
            testing_ ? tr("Pulses of a known pattern; what the star does tells how it answers.")
                     : tr("Pulses west, east, north, south; the star's path shows what they do."));
        setPrimary(tr("Stop"));
    } else if (r && !refused_ && needs_.calibrationBook.calibrationAged()) {
        say("", tr("These rates are old: %1. Measure them again.")
                    .arg(qs(needs_.calibrationBook.calibrationAgedBy())));
        setPrimary(tr("Measure rates"), procedures().free());
    } else if (r && !refused_ && !needs_.calibrationBook.seen()) {
        const auto& look = needs_.calibrationBook.look();
        say("",
            look ? tr("These rates are of an earlier evening, and whether they hold is %1. Compare the "
                      "star's path with the picture, or measure again.")
                       .arg(qs(look->words()))
                 : tr("Rates of an earlier evening: the first guide frame tells whether they still hold."));
        setPrimary(tr("Measure rates"), procedures().free());
    } else if (r && !refused_ && needs_.calibrationBook.look()) {
        say("",
            needs_.calibrationBook.look()->hold == CalibrationHold::turned
                ? tr("The camera was %1 since these rates were measured; they turned with it. Go on to "
                     "guiding.")
                      .arg(qs(needs_.calibrationBook.look()->words()))
                : tr("A frame of tonight shows the camera as it was when these rates were measured. Go on "
                     "to guiding."));
        setPrimary(tr("Measure rates"), procedures().free());
    } else if (r) {
        say("", r->verdict == CalibrationVerdict::good ? tr("These rates are good. Go on to guiding.")
                : r->verdict == CalibrationVerdict::usable
                    ? tr("These rates are usable; the findings say what could be better.")
                    : tr("These rates are bad and are not used. The findings say which figure failed."));
        setPrimary(tr("Measure rates"), procedures().free());
    } else {
        say("",
            !best ? tr("The telescope stands at Dec %1°, hour angle %2. No better place is free.")
                        .arg(qs(formatNumber(m.pointing.dec.deg(), 0)),
                             qs(formatHourAngle(m.pointing.hourAngle)))
            : !wellPlaced
                ? tr("Measured here the ± would be %1 times as wide as at the best place. Slew there first.")
                      .arg(qs(formatNumber(cost / best->cost, 1)))
            : !atTheMeridian
                ? tr("Hour angle %1 is far from the meridian; nearer to it air and tube are steadier.")
                      .arg(qs(formatHourAngle(m.pointing.hourAngle)))
                : tr("Well placed: near the equator and the meridian. Measure when the mount has settled."));
        setPrimary(tr("Measure rates"), procedures().free());
    }
    const double harmless_ms = harmlessBelow_ms(correctionReach(needs_.settings.book()));
    if (!r) {
        ra_->showNothing(tr("expected from the rig"));
        dec_->showNothing(tr("expected from the rig"));
        angle_->showNothing(tr("want within 10°"));
        backlash_->showNothing(tr("below %1 ms is harmless").arg(qs(formatNumber(harmless_ms, 0))));
        return;
    }
    const auto rate = [](ReadOut* out, const AxisRate& a, double expected) {
        out->show(qs(formatNumber(a.rate_px_s.value, 2)), tr("px/s"),
                  tr("± %1 · %2 % of rig")
                      .arg(qs(formatNumber(a.rate_px_s.sigma, 2)),
                           qs(formatNumber(100.0 * a.rate_px_s.value / expected, 0))));
    };
    rate(ra_, r->ra, r->setup.expectedRaPxS());
    if (!r->setup.decMotor) {
        for (ReadOut* none : {dec_, angle_, backlash_})
            none->showNothing(tr("no motor on the Dec axis"));
        return;
    }
    rate(dec_, r->dec, r->setup.expectedDecPxS());
    angle_->show(qs(formatNumber(r->orthogonality_deg.value, 1)) + "°", tr("off"),
                 tr("± %1° · want < 10°").arg(qs(formatNumber(r->orthogonality_deg.sigma, 1))));
    backlash_->show(qs(formatNumber(r->decBacklash_ms.value, 0)), tr("ms"),
                    tr("± %1 · < %2 harmless")
                        .arg(qs(formatNumber(r->decBacklash_ms.sigma, 0)), qs(formatNumber(harmless_ms, 0))));
}

QString RatesStation::summary() const {
    const auto& r = needs_.calibrationBook.calibration();
    return !r                   ? tr("not measured")
           : !r->setup.decMotor ? tr("%1 steps in RA").arg(r->ra.steps)
                                : tr("%1 + %2 steps").arg(r->ra.steps).arg(r->dec.steps);
}

StationState RatesStation::state() const {
    if (refused_)
        return StationState::attention;
    const auto& r = needs_.calibrationBook.calibration();
    if (!r)
        return StationState::open;
    if (needs_.calibrationBook.calibrationAged())
        return StationState::aged;
    return r->verdict == CalibrationVerdict::bad ? StationState::attention : StationState::good;
}

std::vector<Finding> RatesStation::findings() const {
    if (!shown())
        return {};
    auto list = calibrationFindings(*shown(), correctionReach(needs_.settings.book()));
    if (answer_)
        for (Finding& f : responseFindings(answer_->ra, answer_->dec, rigs().rig().mount.decMotor))
            list.push_back(std::move(f));
    if (checked_)
        for (Finding& f : checked_->findings())
            list.push_back(std::move(f));
    rank(list);
    return list;
}

bool RatesStation::perform(const Action& action) {
    if (action.id == ActionId::ratesMeasure && procedures().free()) {
        measure();
        return true;
    }
    if (action.id == ActionId::ratesLook && needs_.calibrationBook.calibration() && procedures().free()) {
        lookFirst();
        return true;
    }
    if (action.id == ActionId::ratesResponse && procedures().free()) {
        testResponse();
        return true;
    }
    if (action.id == ActionId::ratesGears && procedures().free()) {
        checkGears();
        return true;
    }
    if (action.id == ActionId::ratesFormer && former_) {
        needs_.calibrationBook.restoreCalibration(*former_);
        former_.reset();
        refresh();
        return true;
    }
    if (action.id == ActionId::ratesForce && refused_) {
        const Calibration forced = *refused_;
        refused_.reset();
        former_ = needs_.calibrationBook.calibration();
        needs_.calibrationBook.restoreCalibration(forced); // logged when they were measured
        return true;
    }
    return false;
}

QString RatesStation::help() const {
    return tr(
        "<p><b>What.</b> The distance and direction a guide star moves for each second of pulse.</p>"
        "<p><b>Why.</b> Guiding turns pixels into pulses with these figures; bad ones ruin a night "
        "quietly.</p>"
        "<p><b>How.</b> Slew near the equator and the meridian, above 45° where possible. North pulses "
        "first take up "
        "the Dec backlash; then four legs of about twelve steps.</p>"
        "<p><b>Another evening.</b> Rates are kept. The first guide frame tells whether the camera still "
        "stands as it did; if it was turned, the rates turn with it. <i>Look first</i> does that now.</p>"
        "<p><b>Tests.</b> <i>Test the response</i> tells how much of a pulse arrives, and how late. <i>Check "
        "the "
        "gears</i> tells whether each axis answers alike both ways, and what Dec loses at a reversal; dusk "
        "is time enough.</p>"
        "<p><b>Good.</b> Rates within 10 % of what the rig promises, axes within 10° of a right angle, "
        "at least 8 steps "
        "each way (common practice).</p>");
}

} // namespace nordstjerna
