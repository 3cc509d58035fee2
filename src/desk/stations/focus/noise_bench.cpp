#include "desk/stations/focus/noise_bench.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>
#include <cmath>

#include "charts/text.h"
#include "core/base/format.h"
#include "core/rig/scales.h"
#include "desk/pictures/noise_chart.h"
#include "desk/widgets/field_form.h"
#include "desk/widgets/read_out.h"
#include "desk/widgets/step_bar.h"
#include "desk/widgets/wrap_label.h"

namespace nordstjerna {

NoiseBench::NoiseBench(RigBook& rigs, GuideSettings& settings, PreparedCamera& camera,
                       ProcedureHost& procedures, QObject* parent)
    : QObject(parent), rigs_(rigs), settings_(settings), camera_(camera), procedures_(procedures),
      page_(new QWidget), chart_(new NoiseChart), of_(new QComboBox), figures_(new WrapLabel),
      use_(new QPushButton) {
    auto* row = new QHBoxLayout(page_);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(8);
    row->addWidget(chart_, 1);
    QFormLayout* form = nullptr;
    QFrame* card = formCard(tr("Noise of the guide stars"), form);
    card->setFixedWidth(268);
    of_->addItems({tr("at three gains"), tr("at four exposures")});
    of_->setObjectName("noiseOf");
    formRow(form, tr("Compare"), {of_});
    figures_->setObjectName("muted");
    form->addRow(figures_);
    use_->setObjectName("noiseUse");
    form->addRow(use_);
    auto* column = new QVBoxLayout;
    column->addWidget(card);
    column->addStretch();
    row->addLayout(column);
    connect(of_, &QComboBox::currentIndexChanged, this, [this] {
        refresh();
        Q_EMIT changed();
    });
    connect(use_, &QPushButton::clicked, this, &NoiseBench::take);
    connect(&rigs_, &RigBook::changed, this, &NoiseBench::refresh);
    connect(&procedures_, &ProcedureHost::busyChanged, this, &NoiseBench::refresh);
    refresh();
}

bool NoiseBench::ofGain() const {
    return of_->currentIndex() == 0;
}

double NoiseBench::scale_arcsec_px() const {
    return scaleOf(rigs_.rig(), CameraRole::guide);
}

void NoiseBench::begin(double exposure_s, StepBar* bar) {
    NoiseTestSetup setup;
    setup.of = ofGain() ? NoiseTestSetup::Of::gain : NoiseTestSetup::Of::exposure;
    setup.exposure_s = exposure_s;
    setup.converterBits = rigs_.rig().guideCamera.bits;
    setup.fullWell_e = rigs_.rig().guideCamera.fullWell_e;
    running_ = true;
    whole_ = false;
    seen_ = {};
    seen_.ofGain = ofGain();
    procedures_.run<NoiseTest, Seen>(
        std::make_shared<NoiseTest>(setup),
        [](const NoiseTest& t) {
            return Seen{t.of() == NoiseTestSetup::Of::gain, t.progress(), t.results(), t.gainBefore()};
        },
        [this, bar](const Seen& s) {
            if (!running_)
                return;
            seen_ = s;
            // Should it end without setting the gain back, the next frame does.
            if (s.before)
                camera_.oweGain(s.before->setting);
            bar->show(s.progress);
            refresh();
            Q_EMIT changed();
        },
        [this, bar](const std::shared_ptr<NoiseTest>&, const Expected<void>& ended) {
            running_ = false;
            whole_ = ended.has_value();
            bar->clear();
            refresh();
            Q_EMIT changed();
        });
    if (!procedures_.working())
        running_ = false;
    refresh();
}

std::optional<size_t> NoiseBench::present() const {
    const CameraSpec& c = rigs_.rig().guideCamera;
    const double now = !seen_.ofGain          ? settings_.book().value(SettingKey::exposure)
                       : c.gainSetting >= 0.0 ? c.gainSetting
                       : seen_.before         ? seen_.before->setting
                                              : -1.0;
    for (size_t i = 0; i < seen_.at.size(); ++i)
        if (std::abs(seen_.at[i].setting - now) < (seen_.ofGain ? 0.5 : 0.05 * now))
            return i;
    return std::nullopt;
}

std::optional<NoiseAdvice> NoiseBench::advice() const {
    if (running_)
        return std::nullopt;
    return seen_.ofGain ? adviseGain(seen_.at, present()) : adviseExposure(seen_.at, present());
}

void NoiseBench::takeFigures() {
    const auto now = present();
    if (running_ || !now || !seen_.at[*now].camera)
        return;
    Rig rig = rigs_.rig();
    rig.guideCamera.gain_e_adu = seen_.at[*now].camera->gain_e_adu.value;
    rig.guideCamera.readNoise_e = seen_.at[*now].camera->readNoise_e.value;
    if (seen_.ofGain)
        rig.guideCamera.gainSetting = seen_.at[*now].setting;
    rigs_.set(rig);
    refresh();
    Q_EMIT changed();
}

// The figures that belong to a gain are taken over with it.
void NoiseBench::take() {
    const auto a = advice();
    if (!a)
        return;
    const NoiseAt& best = seen_.at[a->best];
    if (!seen_.ofGain) {
        settings_.change(SettingKey::exposure, best.setting, "measured",
                         tr("exposure test: %1").arg(qs(a->why)).toStdString());
    } else {
        Rig rig = rigs_.rig();
        rig.guideCamera.gainSetting = best.setting;
        if (best.camera) {
            rig.guideCamera.gain_e_adu = best.camera->gain_e_adu.value;
            rig.guideCamera.readNoise_e = best.camera->readNoise_e.value;
        }
        rigs_.set(rig);
    }
    refresh();
    Q_EMIT changed();
}

QString NoiseBench::found() const {
    const auto a = advice();
    if (!a)
        return {};
    const QString setting = seen_.ofGain ? tr("gain %1").arg(qs(formatNumber(seen_.at[a->best].setting, 0)))
                                         : tr("%1 s").arg(qs(formatNumber(seen_.at[a->best].setting, 1)));
    if (present() == a->best)
        return tr("Stay at %1.").arg(setting) + " " + qs(a->why);
    const bool known = a->ratio.value > 0.0;
    const Measured less{100.0 * (1.0 - a->ratio.value), 100.0 * a->ratio.sigma};
    QString sentence = tr("Best: %1.").arg(setting);
    if (known && a->clear)
        sentence +=
            " " + tr("The noise is %1 smaller there than now.").arg(qs(formatMeasured(less, " %", 0)));
    else if (known)
        sentence += " " + tr("The noise there cannot be told from that of now.");
    return sentence + " " + qs(a->why);
}

QString NoiseBench::cameraWords() const {
    const auto a = advice();
    if (!a)
        return seen_.ofGain
                   ? tr("Each gain: two pairs of frames for the camera's own noise, then sixteen frames of "
                        "the "
                        "same stars, gain after gain in turn.")
                   : tr("The same stars, sixteen frames of each exposure in turn. How fast the mount must be "
                        "followed is for Tune to judge, at Guide.");
    const NoiseAt& best = seen_.at[a->best];
    QString words;
    if (best.camera)
        words = tr("At this gain a count is worth %1, the read noise is %2, and a pixel saturates at %3 e.")
                    .arg(qs(formatMeasured(best.camera->gain_e_adu, " e", 3)),
                         qs(formatMeasured(best.camera->readNoise_e, " e", 2)),
                         qs(formatNumber(best.saturation_e, 0)));
    if (seen_.ofGain && !best.camera)
        words = tr("What a count is worth could not be measured: the sky is too dark for its noise to show.");
    if (best.jitter && best.jitter->withMotion)
        words += " " + tr("One star alone cannot tell its noise from the motion of mount and air; find a "
                          "richer field.");
    if (best.jitter && best.jitter->saturated > 0)
        words += " " + tr("%1 of the stars are too bright there.").arg(best.jitter->saturated);
    return words;
}

void NoiseBench::refresh() {
    if (!running_ && seen_.ofGain != ofGain()) {
        seen_ = {}; // of the other test
        seen_.ofGain = ofGain();
    }
    NoiseChart::Shown shown;
    shown.ofGain = seen_.ofGain;
    shown.scale_arcsec_px = scale_arcsec_px();
    shown.at = seen_.at;
    shown.present = present();
    const auto best = advice();
    if (best)
        shown.proposed = best->best;
    shown.hint =
        tr("The stars are compared with each other, so the mount's motion drops out. What is left is "
           "the noise that guiding has to live with.");
    chart_->show(std::move(shown));
    of_->setEnabled(!running_);
    figures_->setText(cameraWords());
    const bool other = best && present() != best->best;
    use_->setVisible(other && whole_);
    if (other)
        use_->setText(seen_.ofGain
                          ? tr("Use gain %1").arg(qs(formatNumber(seen_.at[best->best].setting, 0)))
                          : tr("Guide with %1 s").arg(qs(formatNumber(seen_.at[best->best].setting, 1))));
    use_->setEnabled(!procedures_.working());
}

void NoiseBench::showFigures(ReadOut* first, ReadOut* second, ReadOut* third) const {
    const auto now = present();
    const NoiseAt at = now ? seen_.at[*now] : NoiseAt{};
    first->setTitle(tr("Jitter of the stars now"));
    if (at.jitter) {
        const Measured j{scale_arcsec_px() * at.jitter->group_px.value,
                         scale_arcsec_px() * at.jitter->group_px.sigma};
        first->show(
            qs(formatNumber(j.value, 3)), "″",
            tr("± %1 · %2")
                .arg(qs(formatSigma(j.sigma, 3)), qs(Text::say("%n star|%n stars", "", at.jitter->stars))));
    } else {
        first->showNothing(tr("not measured yet"));
    }
    second->setTitle(tr("Read noise"));
    third->setTitle(tr("Electrons a count"));
    const CameraSpec& c = rigs_.rig().guideCamera;
    if (at.camera) {
        second->show(
            qs(formatNumber(at.camera->readNoise_e.value, 2)), "e",
            tr("± %1 · the rig says %2")
                .arg(qs(formatSigma(at.camera->readNoise_e.sigma, 2)), qs(formatNumber(c.readNoise_e, 2))));
        third->show(
            qs(formatNumber(at.camera->gain_e_adu.value, 3)), "e",
            tr("± %1 · the rig says %2")
                .arg(qs(formatSigma(at.camera->gain_e_adu.sigma, 3)), qs(formatNumber(c.gain_e_adu, 3))));
    } else {
        second->show(qs(formatNumber(c.readNoise_e, 2)), "e", tr("by the rig, not measured"));
        third->show(qs(formatNumber(c.gain_e_adu, 3)), "e", tr("by the rig, not measured"));
    }
}

std::vector<Finding> NoiseBench::findings() const {
    std::vector<Finding> list;
    const auto now = present();
    if (!running_ && now && seen_.at[*now].camera) {
        const PhotonTransfer& m = *seen_.at[*now].camera;
        const CameraSpec& c = rigs_.rig().guideCamera;
        const auto off = [](const Measured& measured, double stated) {
            return std::abs(measured.value - stated) > 3.0 * measured.sigma &&
                   std::abs(measured.value / std::max(stated, 1e-9) - 1.0) > 0.1;
        };
        if (off(m.gain_e_adu, c.gain_e_adu) || off(m.readNoise_e, c.readNoise_e))
            list.push_back(
                {"camera-figures", Weight::look,
                 tr("The rig's figures of the guide camera are off").toStdString(),
                 tr("Measured: %1 a count, read noise %2; the rig says %3 and %4 e. The ± of stars and their "
                    "SNR follow these figures.")
                     .arg(qs(formatMeasured(m.gain_e_adu, " e", 3)),
                          qs(formatMeasured(m.readNoise_e, " e", 2)), qs(formatNumber(c.gain_e_adu, 3)),
                          qs(formatNumber(c.readNoise_e, 2)))
                     .toStdString(),
                 tr("Enter what was measured, at Rig.").toStdString(), ActionId::takeCameraFigures,
                 tr("Use the measured figures").toStdString()});
    }
    return list;
}

} // namespace nordstjerna
