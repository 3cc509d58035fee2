// What the station Focus shows and says of what is there.
#include <QComboBox>
#include <QLabel>
#include <QPushButton>
#include <algorithm>
#include <cmath>

#include "charts/text.h"
#include "core/base/format.h"
#include "core/findings/light_findings.h"
#include "core/focus/critical_zone.h"
#include "core/image/exposure_effect.h"
#include "core/rig/scales.h"
#include "desk/pictures/frame_view.h"
#include "desk/pictures/mask_dial.h"
#include "desk/pictures/star_loupe.h"
#include "desk/stations/focus/curve_bench.h"
#include "desk/stations/focus/focus_station.h"
#include "desk/stations/focus/noise_bench.h"
#include "desk/theme.h"
#include "desk/widgets/field_form.h"
#include "desk/widgets/read_out.h"

namespace nordstjerna {

namespace {
std::shared_ptr<const Frame> cutRound(const Frame& f, double cx, double cy) {
    constexpr int halfWidth = 300;
    constexpr int halfHeight = 190;
    const int x0 =
        std::clamp(static_cast<int>(cx) - f.x0 - halfWidth, 0, std::max(0, f.width - 2 * halfWidth));
    const int y0 =
        std::clamp(static_cast<int>(cy) - f.y0 - halfHeight, 0, std::max(0, f.height - 2 * halfHeight));
    Frame cut(std::min(2 * halfWidth, f.width - x0), std::min(2 * halfHeight, f.height - y0));
    cut.info = f.info;
    for (int y = 0; y < cut.height; ++y)
        std::copy_n(&f.pixels[f.index(x0, y0 + y)], cut.width, &cut.pixels[cut.index(0, y)]);
    cut.x0 = f.x0 + x0;
    cut.y0 = f.y0 + y0;
    return std::make_shared<const Frame>(std::move(cut));
}
} // namespace

void FocusStation::showMask() {
    MaskDial::Shown shown;
    const Rig& rig = rigs().rig();
    shown.zone_um = criticalZone_um(opticsOf(rig, camera()).focalRatio());
    if (needs_.focusBook.hasFocuser(camera()))
        shown.step_um = focuserSpecOf(rig, camera()).step_um;
    shown.past = pastOffsets_;
    if (!seen_.mask)
        shown.trouble = tr("The offset of the middle spike appears here, to be read from the focuser.");
    else if (!*seen_.mask)
        shown.trouble = qs(seen_.mask->error().said());
    else {
        shown.read = **seen_.mask;
        shown.off_um = maskOff_um();
    }
    dial_->show(std::move(shown));
    // The spikes fill the picture; the rest of a large frame is not wanted here.
    const bool found = seen_.mask && *seen_.mask && seen_.frame;
    if (found && (!cut_ || cutOf_ != seen_.frame)) {
        cutOf_ = seen_.frame;
        cut_ = cutRound(*seen_.frame, (*seen_.mask)->crossing.x(), (*seen_.mask)->crossing.y());
    }
    maskView_->show(found ? cut_ : seen_.frame);
    markSpikes();
}

void FocusStation::markSpikes() {
    if (!seen_.mask || !*seen_.mask) {
        maskView_->setMarks({});
        return;
    }
    maskView_->setMarks([read = **seen_.mask](QPainter& p, const FrameView::ToScreen& at, double) {
        p.setFont(textFont(11));
        for (size_t i = 0; i < 3; ++i) {
            const Spike& s = read.spikes[i];
            const double a = s.angle_deg * M_PI / 180.0;
            const Eigen::Vector2d d(std::cos(a), std::sin(a));
            const Eigen::Vector2d from = s.foot - s.reach_px * d;
            const Eigen::Vector2d to = s.foot + s.reach_px * d;
            const bool middle = i == 2;
            p.setPen(QPen(middle ? theme().accent : theme().muted, middle ? 1.8 : 1.2,
                          middle ? Qt::SolidLine : Qt::DashLine));
            p.drawLine(at(from.x(), from.y()), at(to.x(), to.y()));
        }
        p.setPen(QPen(theme().text, 1.4));
        p.setBrush(Qt::NoBrush);
        p.drawEllipse(at(read.crossing.x(), read.crossing.y()), 7, 7);
    });
}

void FocusStation::mark() {
    const auto judged = judged_;
    view_->setMarks([judged](QPainter& p, const FrameView::ToScreen& at, double scale) {
        p.setFont(textFont(11));
        p.setBrush(Qt::NoBrush);
        int rank = 0;
        for (const Judged& j : judged) {
            const QPointF c = at(j.star.x, j.star.y);
            // By size: the ring grows with the half-flux diameter.
            const double r = std::max(5.0, 1.6 * j.star.hfd * std::max(scale, 0.8)) + (j.chosen ? 3.0 : 0.0);
            QColor quiet = theme().muted;
            quiet.setAlpha(110);
            p.setPen(QPen(j.chosen ? theme().accent : quiet, j.chosen ? 2.0 : 0.8));
            p.drawEllipse(c, r, r);
            if (j.star.saturated) {
                p.drawLine(c + QPointF(-r, -r), c + QPointF(r, r));
            }
            if (j.chosen)
                p.drawText(c + QPointF(r + 3, -r + 2), QString::number(++rank));
        }
    });
    const auto first = std::find_if(judged_.begin(), judged_.end(), [](const Judged& j) { return j.chosen; });
    profile_->show(seen_.frame, first != judged_.end() ? std::optional<Star>(first->star)
                                : judged_.empty()      ? std::nullopt
                                                       : std::optional<Star>(judged_.front().star));
}

QString FocusStation::effects() const {
    const auto first = std::find_if(judged_.begin(), judged_.end(), [](const Judged& j) { return j.chosen; });
    if (first == judged_.end() || !seen_.frame)
        return tr("Needs a star fit for guiding in the frame.");
    const Rig& rig = rigs().rig();
    const ExposureBasis basis{first->star, seen_.frame->info.exposure_s, seen_.frame->info.gain_e_adu,
                              sensorOf(rig, camera()).readNoise_e, seen_.frame->info.saturation_adu};
    QString text = tr("<table cellspacing=0 cellpadding=2><tr><td>best star&nbsp;&nbsp;</td><td "
                      "align=right>SNR&nbsp;&nbsp;</td>"
                      "<td align=right>centroid</td></tr>");
    const double scale = scale_arcsec_px();
    const auto line = [&](const QString& name, const ExposureEffect& e) {
        text +=
            QString(
                "<tr><td>%1&nbsp;&nbsp;</td><td align=right>%2&nbsp;&nbsp;</td><td align=right>%3</td></tr>")
                .arg(name, qs(formatNumber(e.snr, 0)),
                     e.saturates ? tr("saturates") : "± " + qs(formatNumber(e.centroid_px * scale, 2)) + "″");
    };
    for (double s : {0.5, 1.0, 2.0, 4.0})
        line(tr("%1 s").arg(qs(formatNumber(s, s < 1 ? 1 : 0))), predictExposure(basis, s));
    line(tr("2 s, bin 2×2"), predictExposure(basis, 2.0, 2));
    // Gain: which noise rules the background decides.
    const double background_e = first->star.noise * seen_.frame->info.gain_e_adu;
    const double share =
        100.0 *
        std::min(1.0, std::pow(sensorOf(rig, camera()).readNoise_e / std::max(background_e, 1e-6), 2));
    text +=
        "</table>" + (share > 50.0 ? tr("Read noise is %1 % of the sky noise: expose longer, or bin.")
                                   : tr("Read noise is %1 % of the sky noise: a lower gain loses nothing."))
                         .arg(qs(formatNumber(share, 0)));
    return text;
}

// The last frame must have been read.
Measured FocusStation::maskOff_um() const {
    const MaskReadOut& read = **seen_.mask;
    const Rig& rig = rigs().rig();
    const CameraSpec& sensor = sensorOf(rig, camera());
    return maskDefocus_um(read, sensor.pixel_um * sensor.bin, opticsOf(rig, camera()).focalRatio(),
                          maskTilt_deg(read));
}

void FocusStation::showMaskFigures() {
    hfd_->setTitle(tr("Middle spike off by"));
    stars_->setTitle(tr("From the focus"));
    level_->setTitle(tr("Faintest spike"));
    if (!seen_.mask || !*seen_.mask) {
        for (ReadOut* r : {hfd_, stars_, level_})
            r->showNothing("");
        return;
    }
    const MaskReadOut& read = **seen_.mask;
    const Measured um = maskOff_um();
    const double half_um = 0.5 * criticalZone_um(opticsOf(rigs().rig(), camera()).focalRatio());
    hfd_->show(qs(formatNumber(std::abs(read.offset_px.value), 2)), "px",
               tr("± %1 px, want it within ±%2")
                   .arg(qs(formatNumber(read.offset_px.sigma, read.offset_px.sigma < 0.01 ? 3 : 2)),
                        qs(formatNumber(
                            um.value > 0.0 ? half_um * std::abs(read.offset_px.value) / um.value : 0.0, 1))));
    stars_->show(qs(formatNumber(um.value, 0)), "µm",
                 tr("± %1 · zone ±%2 · slits tilted by %3°")
                     .arg(qs(formatNumber(um.sigma, um.sigma < 0.1   ? 2
                                                    : um.sigma < 1.0 ? 1
                                                                     : 0)),
                          qs(formatNumber(half_um, 0)), qs(formatNumber(maskTilt_deg(read), 0))));
    level_->show(qs(formatNumber(read.snr, 0)), "SNR", tr("50 reads to a tenth of a pixel"));
}

void FocusStation::showCurveFigures() {
    hfd_->setTitle(tr("Half-flux diameter"));
    stars_->setTitle(tr("Best position"));
    level_->setTitle(tr("Backlash"));
    const FocuserSpec& f = focuserSpecOf(rigs().rig(), camera());
    const auto before = [&](const QString& otherwise) {
        if (f.backlash_steps >= 0.0)
            level_->show(qs(formatNumber(f.backlash_steps, 0)), tr("steps"),
                         tr("± %1, measured before").arg(qs(formatNumber(f.backlashSigma_steps, 0))));
        else
            level_->showNothing(otherwise);
    };
    const auto& r = curve_->result();
    if (!r) {
        const auto newest = curve_->newestHfd_px();
        const QString which = curve_->running() ? tr("frame %1").arg(curve_->frames()) : tr("not run yet");
        if (curve_->running() && newest)
            hfd_->show(qs(formatNumber(newest->value, 2)), "px",
                       tr("± %1 · %2").arg(qs(formatNumber(newest->sigma, 2)), which));
        else
            hfd_->showNothing(which);
        stars_->showNothing("");
        before(tr("not measured"));
        return;
    }
    hfd_->show(qs(formatNumber(r->hfd_px.value, 2)), "px",
               tr("± %1 · %2″ · curve %3")
                   .arg(qs(formatNumber(r->hfd_px.sigma, 2)),
                        qs(formatNumber(r->hfd_px.value * scale_arcsec_px(), 1)),
                        qs(formatMeasured(r->curve.hfd_px, "", 2))));
    stars_->show(qs(formatNumber(r->curve.best_steps.value, 0)), tr("steps"),
                 tr("± %1%2 · %3")
                     .arg(qs(formatNumber(r->curve.best_steps.sigma, 1)),
                          r->zone_steps > 0.0
                              ? tr(", critical zone %1").arg(qs(formatNumber(r->zone_steps, 0)))
                              : QString(),
                          qs(Text::say("%n frame|%n frames", "", r->exposures))));
    if (r->backlash_steps)
        level_->show(qs(formatNumber(r->backlash_steps->value, 0)), tr("steps"),
                     tr("± %1, taken up from now on").arg(qs(formatNumber(r->backlash_steps->sigma, 1))));
    else
        before(tr("could not be measured"));
}

void FocusStation::showFigures() {
    hfd_->setTitle(tr("Half-flux diameter"));
    stars_->setTitle(tr("Stars"));
    level_->setTitle(tr("Peak / background"));
    if (seen_.points.empty()) {
        hfd_->showNothing(tr("below 3 px is usual for guide scopes"));
        stars_->showNothing(tr("none measured yet"));
        level_->showNothing("");
        return;
    }
    const FocusPoint& now = seen_.points.back();
    const double scale = scale_arcsec_px();
    const auto shakes = frameToFrame(seen_.points);
    hfd_->setToolTip(
        shakes
            ? tr("± from the scatter of the last frames, mostly seeing: "
                 "this frame's stars alone give ± %1 px.")
                  .arg(qs(formatSigma(now.hfd_px.sigma, 2)))
            : tr("± of the stars of this frame; the scatter from frame to frame is known after six frames."));
    if (now.hfd_px.value > 0.0)
        hfd_->show(qs(formatNumber(now.hfd_px.value, 2)), "px",
                   tr("± %1 · best %2 · %3″")
                       .arg(qs(formatSigma(std::max(now.hfd_px.sigma, shakes.value_or(0.0)), 2)),
                            qs(formatNumber(
                                seen_.points[static_cast<size_t>(std::max(0, seen_.best))].hfd_px.value, 2)),
                            qs(formatNumber(now.hfd_px.value * scale, 1))));
    else
        hfd_->showNothing(tr("no star to measure"));
    const auto chosen =
        std::count_if(judged_.begin(), judged_.end(), [](const Judged& j) { return j.chosen; });
    stars_->show(QString::number(now.stars), "",
                 ofGuide() ? tr("%1 fit to guide · %2 hot pixels").arg(chosen).arg(seen_.field.hotPixels)
                           : tr("%1 hot pixels left out").arg(seen_.field.hotPixels));
    const double saturation = seen_.frame->info.saturation_adu;
    level_->show(
        tr("%1 / %2").arg(qs(formatNumber(now.peak_adu, 0)), qs(formatNumber(now.background_adu, 0))), "",
        tr("saturation at %1, noise %2")
            .arg(qs(formatNumber(saturation, 0)), qs(formatNumber(seen_.field.noise, 1))));
}

void FocusStation::sayWhatNext() {
    const bool offAxis = rigs().rig().offAxis && ofGuide();
    if (slewing()) {
        say("", brightStar_.isEmpty() ? tr("Slewing back to the target.")
                                      : tr("Slewing to %1.").arg(brightStar_));
        setPrimary(tr("Stop"));
    } else if (!brightStar_.isEmpty() && doing_ == Doing::nothing && !coverAsked_) {
        say("", tr("The telescope points at %1. Focus on it, then go back to the target.").arg(brightStar_));
        setPrimary(tr("Start frames"), mayStart());
    } else if (doing_ == Doing::run) {
        say(tr("focus run"), tr("Inwards of the focus, then outwards through it; nothing need be done."));
        setPrimary(tr("Stop the run"));
    } else if (doing_ == Doing::noise) {
        say(tr("noise test"), tr("The same stars at each setting in turn; nothing need be done."));
        setPrimary(tr("Stop the test"));
    } else if (page_ == Page::noise && !coverAsked_) {
        say("", noise_->found().isEmpty() ? tr("Point at a field with stars, in focus; no guiding is needed.")
                                          : noise_->found());
        setPrimary(noise_->ofGain() ? tr("Test the gain") : tr("Test the exposure"), mayStart());
    } else if (doing_ == Doing::frames && page_ == Page::mask) {
        say(tr("mask"),
            seen_.mask && *seen_.mask ? dial_->words() + "." : tr("Waiting for a frame with three spikes."));
        setPrimary(tr("Stop frames"));
    } else if (doing_ == Doing::frames) {
        const bool worse = seen_.best >= 0 && !seen_.points.empty() &&
                           seen_.points.back().hfd_px.value >
                               1.03 * seen_.points[static_cast<size_t>(seen_.best)].hfd_px.value;
        if (offAxis)
            say(tr("off axis"),
                tr("Move the guider by tenths of a millimetre and wait a whole exposure after each. "
                   "Drawn-out stars are fine: their centroid still works."));
        else
            say(tr("frames"), worse ? tr("It was sharper before: turn back towards the best mark.")
                                    : tr("Turn the focuser; stop where the half-flux diameter is smallest."));
        setPrimary(tr("Stop frames"));
    } else if (doing_ == Doing::darks) {
        say(tr("darks"), tr("Keep the telescope covered."));
        setPrimary(tr("Stop"));
    } else if (coverAsked_) {
        const std::vector<double> wanted = darksWanted_s();
        QStringList exposures;
        for (const double s : wanted)
            exposures << qs(formatNumber(s, s == std::round(s) ? 0 : 1));
        say(tr("darks"), tr("Cover the guide scope, light-tight. Ten darks each of %1 s take %2.")
                             .arg(exposures.join(", "), qs(formatDuration(darkTime_s(wanted, darksOfEach)))));
        setPrimary(tr("It is covered: take darks"), !procedures().busy());
    } else if (uncover_) {
        say(tr("darks"), tr("The darks are kept and in use. Uncover the guide scope, then go on."));
        setPrimary(tr("Start frames"), mayStart());
    } else if (page_ == Page::curve) {
        if (!curve_->fitted())
            say("", tr("No motor moves the %1: focus it by hand with Frames or Mask.")
                        .arg(camera_->currentText()));
        else if (const auto& r = curve_->result())
            say("", r->doubt.empty() ? tr("Sharp: HFD %1 px where the focuser stands now. Go on.")
                                           .arg(qs(formatNumber(r->hfd_px.value, 2)))
                                     : tr("The focuser could not return to best focus: see Findings."));
        else
            say("", tr("Point at a field with stars; the run finds best focus automatically."));
        setPrimary(tr("Focus run"), mayStart() && curve_->fitted());
    } else if (page_ == Page::mask) {
        say("",
            tr("Mask on, a bright star in the frame: frames are read as they come. Take it off afterwards."));
        setPrimary(tr("Start frames"), mayStart());
    } else {
        say("",
            seen_.points.empty()
                ? tr("Look at the %1's frames and bring the stars into focus.").arg(camera_->currentText())
            : ofGuide() ? tr("Click a star to choose it by hand, or go on.")
                        : tr("Sharp enough? Then go on."));
        setPrimary(tr("Start frames"), mayStart());
    }
}

void FocusStation::framesFindings(std::vector<Finding>& list) const {
    const auto use = needs_.guideCamera.darkUse();
    if (!seen_.points.empty()) {
        const FocusPoint& now = seen_.points.back();
        const double saturation = seen_.frame->info.saturation_adu;
        if (now.stars == 0) {
            const bool bright = now.background_adu > 0.6 * saturation;
            list.push_back(
                {"focus-no-stars", Weight::act,
                 tr("No stars in the frame (background %1 of %2)")
                     .arg(qs(formatNumber(now.background_adu, 0)), qs(formatNumber(saturation, 0)))
                     .toStdString(),
                 (seen_.field.hotPixels ? tr("Only %1 hot pixels. ").arg(seen_.field.hotPixels) : QString())
                         .toStdString() +
                     (bright ? tr("The sky is too bright or a lamp is on.")
                             : tr("Cloud, a cap on the telescope, or far out of focus."))
                         .toStdString(),
                 (bright ? tr("Shorten the exposure or shield the telescope.")
                         : tr("Check the cover and the sky, expose longer, move the focuser a long way."))
                     .toStdString()});
        } else if (ofGuide() &&
                   std::none_of(judged_.begin(), judged_.end(), [](const Judged& j) { return j.chosen; })) {
            const bool all =
                std::all_of(judged_.begin(), judged_.end(), [](const Judged& j) { return j.tooBright; });
            list.push_back({"focus-none-fit", Weight::act, tr("No star is fit for guiding").toStdString(),
                            (all ? tr("All of them are saturated.")
                                 : tr("The best: %1.").arg(qs(judged_.front().reason)))
                                .toStdString(),
                            (all ? tr("Shorten the exposure or lower the gain.")
                                 : tr("Expose longer, sharpen the focus, or move to a richer field."))
                                .toStdString()});
        }
        if (now.hfd_px.value > 0.0 && now.hfd_px.value < 1.5)
            list.push_back({"focus-undersampled", Weight::know,
                            tr("Stars are smaller than 1.5 px").toStdString(),
                            tr("HFD %1 px: a centroid on one pixel jumps.")
                                .arg(qs(formatNumber(now.hfd_px.value, 2)))
                                .toStdString(),
                            tr("A touch out of focus does no harm here.").toStdString()});
    }
    if (!ofGuide())
        return;
    if (seen_.unevenLight)
        list.push_back(unevenFinding(*seen_.unevenLight));
    if (use.state == PreparedCamera::DarkState::differs)
        list.push_back({"dark-differs", Weight::look, tr("No dark fits these frames").toStdString(),
                        tr("The kept ones differ in %1.").arg(qs(use.differsIn)).toStdString(),
                        tr("Take darks with these settings.").toStdString(), ActionId::focusDarks,
                        tr("Take darks").toStdString()});
    else if (use.state == PreparedCamera::DarkState::none && !seen_.points.empty() &&
             seen_.field.hotPixels > 30)
        list.push_back({"dark-none", Weight::look,
                        tr("%1 hot pixels in the frame").arg(seen_.field.hotPixels).toStdString(),
                        tr("They are left out one by one; darks would remove them.").toStdString(),
                        tr("Take ten darks behind the cover.").toStdString(), ActionId::focusDarks,
                        tr("Take darks").toStdString()});
    else if (use.state == PreparedCamera::DarkState::fits)
        list.push_back({"dark-fits", Weight::know, tr("A dark is in use").toStdString(),
                        tr("%1 bad pixels are mended.").arg(use.badPixels).toStdString(), ""});
    else if (use.state == PreparedCamera::DarkState::scaled)
        list.push_back(
            {"dark-scaled", Weight::know,
             tr("A dark of %1 s is scaled to these frames")
                 .arg(qs(formatNumber(use.exposure_s, 1)))
                 .toStdString(),
             tr("Hot pixels go with it. It puts up to %1 counts of noise into each pixel, and what "
                "does not grow with the time stays.")
                 .arg(qs(formatNumber(use.noise_adu, 1)))
                 .toStdString(),
             tr("Darks of this exposure are better.").toStdString(), ActionId::focusDarks,
             tr("Take darks").toStdString()});
    if (use.learned > 0)
        list.push_back({"pixels-learned", Weight::know,
                        tr("%1 bad pixels were found without darks").arg(use.learned).toStdString(),
                        tr("They stood alone at the same place of the sensor in frames between which the "
                           "stars had moved. They are mended from their neighbours.")
                            .toStdString(),
                        ""});
    if (!needs_.settings.handStars().empty())
        list.push_back(
            {"stars-by-hand", Weight::know,
             tr("%1 guide stars chosen by hand").arg(needs_.settings.handStars().size()).toStdString(),
             tr("Guiding uses these and no others.").toStdString(), "", ActionId::focusMerit,
             tr("Choose by merit").toStdString()});
}

} // namespace nordstjerna
