// What the station Centre shows: figures, sentence and findings.
#include "desk/stations/centre/centre_station.h"

#include <QComboBox>
#include <QDoubleSpinBox>
#include <cmath>
#include <tuple>

#include "charts/text.h"
#include "core/base/format.h"
#include "core/rig/scales.h"
#include "desk/catalogue.h"
#include "desk/pictures/frame_view.h"
#include "desk/stations/centre/framing_bench.h"
#include "desk/stations/centre/hand_page.h"
#include "desk/theme.h"
#include "desk/widgets/marks.h"
#include "desk/widgets/read_out.h"
#include "desk/widgets/step_bar.h"

namespace nordstjerna {

void CentreStation::mark() {
    if (!seen_.solved || !seen_.frame)
        return;
    const Seen s = seen_;
    const Vec3 target = seenTarget_;
    const QString name = qs(targets().name());
    const double tolerance_px = tolerance_->value() / s.solved->plane.scaleArcsecPx() / s.bin;
    view_->setMarks([s, target, name, tolerance_px](QPainter& p, const FrameView::ToScreen& at,
                                                    double scale) {
        const TangentPlane& plane = s.solved->plane;
        // The plane counts unbinned pixels, the picture shows binned ones.
        const auto shown = [&](const Pixel& px) {
            return at((px.x + 0.5) / s.bin - 0.5, (px.y + 0.5) / s.bin - 0.5);
        };
        const QPointF centre = shown(plane.reference);
        p.setFont(textFont(12));
        p.setBrush(Qt::NoBrush);
        // Former passes: where the frame's centre looked then.
        QPolygonF path;
        for (const CentringPass& pass : s.passes)
            if (const auto px = plane.pixelAt(vectorFrom(pass.centre)))
                path << shown(*px);
        p.setPen(QPen(theme().accent, 1.6, Qt::DashLine));
        p.drawPolyline(path);
        for (int i = 0; i < path.size(); ++i) {
            p.setPen(QPen(theme().accent, 1.6));
            p.drawEllipse(path[i], 9, 9);
            p.drawText(path[i] + QPointF(13, -8), QObject::tr("pass %1: %2")
                                                      .arg(i + 1)
                                                      .arg(qs(formatSkyAngle(Angle::fromArcsec(
                                                          s.passes[static_cast<size_t>(i)].off_arcsec())))));
        }
        p.setPen(QPen(theme().text, 1.2));
        p.drawLine(centre - QPointF(14, 0), centre + QPointF(14, 0));
        p.drawLine(centre - QPointF(0, 14), centre + QPointF(0, 14));
        if (const auto px = plane.pixelAt(target)) {
            const QPointF t = shown(*px);
            p.setPen(QPen(theme().good, 1.8));
            p.drawEllipse(t, std::max(6.0, tolerance_px * scale), std::max(6.0, tolerance_px * scale));
            for (double a : {45.0, 135.0, 225.0, 315.0}) {
                const QPointF d(std::cos(a * M_PI / 180), std::sin(a * M_PI / 180));
                p.drawLine(t + 10 * d, t + 24 * d);
            }
            p.drawText(t + QPointF(28, 22), name);
        }
        // North and east on the sensor.
        const QPointF corner(58, 62);
        for (const auto& [letter, pa] : {std::pair("N", 0.0), std::pair("E", 90.0)}) {
            const auto px =
                plane.pixelAt(offsetPlace(plane.centre, Angle::fromDeg(pa), Angle::fromArcmin(5)));
            if (!px)
                continue;
            QPointF d = shown(*px) - centre;
            d *= 34.0 / std::hypot(d.x(), d.y());
            p.setPen(QPen(theme().text, 1.6));
            p.drawLine(corner, corner + d);
            p.drawText(QRectF(corner.x() + 1.35 * d.x() - 9, corner.y() + 1.35 * d.y() - 9, 18, 18),
                       Qt::AlignCenter, letter);
        }
    });
}

void CentreStation::refresh() {
    const Rig& rig = rigs().rig();
    const ObservedFrame now(rig.site, night().now());
    const Vec3 seen = now.seen(targets().icrs());
    const AltAz a = altAzFrom(seen);
    const bool hidden = rig.horizon.hides(seen) || seen.z() < 0.0;
    const Equatorial e = equatorialFrom(targets().icrs());
    about_->setText(tr("<b>%1</b><br>%2 &nbsp; %3<br>%4")
                        .arg(qs(targets().name()).toHtmlEscaped(), qs(formatHms(e.ra)), qs(formatDms(e.dec)),
                             hidden ? tr("hidden now")
                                    : tr("%1° up in the %2")
                                          .arg(qs(formatNumber(a.altitude.deg(), 0)),
                                               a.azimuth.deg() < 45 || a.azimuth.deg() > 315 ? tr("north")
                                               : a.azimuth.deg() < 135                       ? tr("east")
                                               : a.azimuth.deg() < 225                       ? tr("south")
                                                                                             : tr("west"))));
    framing_->refresh();
    hand_->refresh();
    if (page_ == Page::framing)
        framing_->showFigures(off_, height_, focal_);
    else if (page_ == Page::hand)
        hand_->showFigures(off_, height_, focal_);
    else
        showCentringFigures();
    knobs_->setVisible(page_ != Page::framing && !running_);
    for (QWidget* w : {static_cast<QWidget*>(tolerance_), static_cast<QWidget*>(how_),
                       static_cast<QWidget*>(settle_), static_cast<QWidget*>(binning_)})
        w->setVisible(page_ == Page::centring);
    framing_->controls()->setVisible(page_ == Page::framing);
    retry_->setVisible(unsolved_ && !running_);
    sayWhatNext(hidden);
}

void CentreStation::showCentringFigures() {
    const Rig& rig = rigs().rig();
    const Vec3 seen = ObservedFrame(rig.site, night().now()).seen(targets().icrs());
    const AltAz a = altAzFrom(seen);
    const bool hidden = rig.horizon.hides(seen) || seen.z() < 0.0;
    off_->setTitle(tr("Off the target"));
    height_->setTitle(tr("Altitude"));
    focal_->setTitle(tr("Focal length"));
    height_->show(qs(formatNumber(a.altitude.deg(), 0)) + "°", "",
                  hidden ? tr("hidden by the horizon profile")
                         : tr("hour angle %1").arg(qs(formatHourAngle(targets().place().hourAngle))));
    const Optics& optics = opticsOf(rig, camera());
    if (seen_.passes.empty()) {
        off_->showNothing(tr("wanted within %1″").arg(qs(formatNumber(tolerance_->value(), 0))));
        focal_->show(qs(formatNumber(optics.effectiveFocal_mm(), 0)), "mm", tr("by the rig, not measured"));
        measured_->clear();
    } else {
        off_->show(qs(formatSkyAngle(Angle::fromArcsec(seen_.passes.back().off_arcsec()))), "",
                   tr("%1, wanted within %2″")
                       .arg(qs(Text::say("%n pass|%n passes", "", static_cast<int>(seen_.passes.size()))),
                            qs(formatNumber(tolerance_->value(), 0))));
        focal_->show(qs(formatNumber(seen_.focal_mm, 1)), "mm",
                     tr("measured; the rig says %1 mm").arg(qs(formatNumber(optics.effectiveFocal_mm(), 1))));
        const SolvedFrame& f = *seen_.solved;
        const double scale = f.plane.scaleArcsecPx();
        measured_->setText(tr("Field %1′ × %2′, %3 ″/px, top of the sensor at position angle %4°%5; %6 stars "
                              "matched to %7″.")
                               .arg(qs(formatNumber(f.width * scale / 60.0, 1)),
                                    qs(formatNumber(f.height * scale / 60.0, 1)), qs(formatNumber(scale, 3)),
                                    qs(formatNumber(f.plane.roll().wrapped().deg(), 1)),
                                    f.plane.mirrored() ? tr(", mirrored") : QString())
                               .arg(f.matched)
                               .arg(qs(formatNumber(f.rms_arcsec, 1))));
    }
}

void CentreStation::sayWhatNext(bool hidden) {
    if (framing_->busy()) {
        say(framing_->turning() ? tr("turning") : tr("both cameras"), framing_->sentence());
        setPrimary(tr("Stop"));
    } else if (hand_->busy()) {
        say(tr("sync"), hand_->sentence());
        setPrimary(tr("Stop"));
    } else if (page_ == Page::hand && !running_) {
        say("", hand_->sentence());
        setPrimary(tr("Solve here and sync"), procedures().free() && !needs_.mountDesk.state().parked);
    } else if (running_) {
        say("", tr("Slew, solve, correct, until it stands in the middle."));
        setPrimary(tr("Stop"));
    } else {
        const bool here = seen_.centred && separation(seenTarget_, targets().icrs()).arcsec() < 1.0;
        say("", catalogueProblem() ? qs(catalogueProblem()->what)
                : hidden ? tr("%1 is hidden now. Choose another target or wait.").arg(qs(targets().name()))
                : here   ? tr("%1 is centred. Go on to the rates.").arg(qs(targets().name()))
                : page_ == Page::framing ? framing_->sentence()
                                         : tr("Choose a target by name or coordinates, then centre it."));
        setPrimary(tr("Centre %1").arg(qs(targets().name())), procedures().free() && !hidden);
    }
}

QString CentreStation::summary() const {
    if (seen_.passes.empty())
        return qs(targets().name());
    return tr("%1 off").arg(qs(formatSkyAngle(Angle::fromArcsec(seen_.passes.back().off_arcsec()))));
}

StationState CentreStation::state() const {
    if (seen_.passes.empty())
        return StationState::open;
    if (!seen_.centred)
        return running_ ? StationState::open : StationState::attention;
    return separation(seenTarget_, targets().icrs()).arcsec() < 1.0 ? StationState::good : StationState::aged;
}

std::vector<Finding> CentreStation::findings() const {
    std::vector<Finding> list;
    const Rig& rig = rigs().rig();
    const Optics& optics = opticsOf(rig, camera());
    const double said = optics.effectiveFocal_mm();
    if (seen_.focal_mm > 0.0 && std::abs(seen_.focal_mm / said - 1.0) > 0.002)
        list.push_back({"centre-focal", Weight::look,
                        tr("The focal length is %1 mm, not %2")
                            .arg(qs(formatNumber(seen_.focal_mm, 1)), qs(formatNumber(said, 1)))
                            .toStdString(),
                        tr("Measured on %1 stars; scale %2 ″/px.")
                            .arg(seen_.solved->matched)
                            .arg(qs(formatNumber(seen_.solved->plane.scaleArcsecPx(), 3)))
                            .toStdString(),
                        tr("Adopt it: scales, dither and rates follow from it.").toStdString(),
                        ActionId::centreAdopt, tr("Adopt it").toStdString()});
    const Vec3 seen = ObservedFrame(rig.site, night().now()).seen(targets().icrs());
    if (rig.horizon.hides(seen) || seen.z() < 0.0) {
        const AltAz a = altAzFrom(seen);
        list.push_back({"centre-hidden", Weight::act,
                        tr("%1 is hidden").arg(qs(targets().name())).toStdString(),
                        tr("It stands at altitude %1°; the sky is free above %2° there.")
                            .arg(qs(formatNumber(a.altitude.deg(), 0)),
                                 qs(formatNumber(std::max(0.0, rig.horizon.altitudeAt(a.azimuth).deg()), 0)))
                            .toStdString(),
                        tr("The night band shows when it comes free.").toStdString()});
    }
    if (seen_.centred && seen_.passes.size() > 3)
        list.push_back({"centre-many", Weight::know,
                        tr("It took %1 passes").arg(seen_.passes.size()).toStdString(),
                        tr("Two or three are usual.").toStdString(),
                        tr("Check clutches and backlash, or allow a wider tolerance.").toStdString()});
    for (Finding& f : framing_->findings())
        list.push_back(std::move(f));
    rank(list);
    return list;
}

QString CentreStation::help() const {
    return tr(
        "<p><b>What.</b> Brings the target to the middle of the camera.</p>"
        "<p><b>Why.</b> A mount's own idea of the sky is off by minutes of arc; a solved frame tells where "
        "it "
        "really looks.</p>"
        "<p><b>How.</b> Type a name (NGC 891, M 31, Vega, C 23) or coordinates, press Return, then Centre. "
        "The "
        "mount slews, a frame is solved, the rest is corrected, until the target stands within the "
        "tolerance. "
        "Three passes are usual.</p>"
        "<p><b>Besides.</b> The solved frame measures the effective focal length, field and rotation; adopt "
        "them into the rig when a reducer or corrector changed them.</p>"
        "<p><b>Framing.</b> The map shows what surrounds the target and how the sensor lies on it; drag its "
        "handle or type an angle. From a solved frame the station says how far to turn the camera and "
        "follows "
        "while you turn. A rotator does it alone: a frame, a turn, another frame, until the angle is within "
        "0.2°; a guider that looks through the same telescope keeps its calibration, turned by as much. "
        "<i>Both cameras</i> measures where the guide camera looks.</p>"
        "<p><b>By hand.</b> <i>Solve here and sync</i> tells the mount where the telescope looks without "
        "moving "
        "it: the first act of an evening. The arrows move it by a pulse, 1′, 10′ or 1°, never past a "
        "limit.</p>"
        "<p><b>Good.</b> 30″; 20–50″ is in use (common practice).</p>");
}

} // namespace nordstjerna
