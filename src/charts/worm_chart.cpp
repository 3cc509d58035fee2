#include "charts/worm_chart.h"

#include <QObject>
#include <algorithm>
#include <cmath>

#include "charts/palette.h"
#include "charts/text.h"
#include "charts/ticks.h"
#include "core/base/format.h"
#include "core/motion/correction_curve.h"

namespace nordstjerna {

namespace {

constexpr int curvePoints = 288;

} // namespace

void WormChart::show(const std::optional<WormError>& worm, const std::optional<WormError>& before,
                     const QString& beforeName, const QString& why) {
    beforeName_ = beforeName;
    worm_ = worm;
    before_ = before;
    why_ = why;
}

QPointF WormChart::at(double phase, double arcsec) const {
    return {plot_.left() + plot_.width() * (phase - from_) / (to_ - from_),
            plot_.center().y() - 0.5 * plot_.height() * arcsec / reach_arcsec_};
}

void WormChart::draw(QPainter& p, const QRectF& area, const ViewRange& view) {
    if (!worm_) {
        drawEmpty(p, area, why_);
        return;
    }
    drawPanel(p, area);
    plot_ = area.adjusted(56, 40, -18, -42);
    from_ = view.from;
    to_ = view.to;
    std::vector<double> sizes{0.3};
    for (double v : worm_->sample_arcsec)
        sizes.push_back(std::abs(v));
    for (const auto* w : {&worm_, &before_})
        if (*w)
            for (double v : (*w)->curve_arcsec)
                sizes.push_back(std::abs(v) * 1.05);
    // A few strays may leave the picture.
    std::sort(sizes.begin(), sizes.end());
    reach_arcsec_ =
        1.12 * std::max(sizes[static_cast<size_t>(0.995 * static_cast<double>(sizes.size() - 1))], 0.3);
    const double period = worm_->period_s.value;
    drawAxes(p, plot_, {from_ * period, to_ * period, tr("seconds of one worm turn")},
             {-reach_arcsec_, reach_arcsec_, tr("RA on the sky ″")});
    p.save();
    p.setClipRect(plot_);
    QColor fill = theme().ra;
    fill.setAlpha(45);
    QPolygonF band;
    for (int pass = 0; pass < 2; ++pass)
        for (int i = 0; i <= curvePoints; ++i) {
            const double phase = static_cast<double>(pass ? curvePoints - i : i) / curvePoints;
            band << at(phase, curveAt(worm_->curve_arcsec, phase) +
                                  (pass ? -1.0 : 1.0) * curveAt(worm_->scatter_arcsec, phase));
        }
    p.setPen(Qt::NoPen);
    p.setBrush(fill);
    p.drawPolygon(band);
    QColor dot = theme().ra;
    dot.setAlpha(worm_->sample_arcsec.size() > 2000 ? 70 : 140);
    p.setBrush(dot);
    const size_t every = 1 + worm_->sample_arcsec.size() / 6000;
    for (size_t i = 0; i < worm_->sample_arcsec.size(); i += every)
        p.drawEllipse(at(worm_->samplePhase[i], worm_->sample_arcsec[i]), 1.6, 1.6);
    const auto curve = [&](const WormError& w, const QPen& pen) {
        QPolygonF line;
        for (int i = 0; i <= curvePoints; ++i) {
            const double phase = static_cast<double>(i) / curvePoints;
            line << at(phase, curveAt(w.curve_arcsec, phase));
        }
        p.setPen(pen);
        p.setBrush(Qt::NoBrush);
        p.drawPolyline(line);
    };
    const QPen former(theme().muted, 1.6, Qt::DashLine);
    const QPen own(theme().text, 2.2);
    if (before_)
        curve(*before_, former);
    curve(*worm_, own);
    p.restore();
    std::vector<LegendEntry> legend{{tr("samples"), QPen(Qt::NoPen), LegendEntry::Mark::round, theme().ra},
                                    {tr("scatter 1 σ"), QPen(Qt::NoPen), LegendEntry::Mark::band, fill},
                                    {tr("curve %1").arg(qs(formatMeasured(worm_->peakToPeak_arcsec, "″", 1))),
                                     own, LegendEntry::Mark::none, theme().text}};
    if (before_)
        legend.push_back({beforeName_ + " " + qs(formatMeasured(before_->peakToPeak_arcsec, "″", 1)), former,
                          LegendEntry::Mark::none, theme().muted});
    drawLegend(p, QRectF(plot_.left() + 100, area.top() + 8, plot_.width() - 100, 18), legend);
    p.setPen(theme().muted);
    p.setFont(textFont(11));
    p.drawText(QRectF(plot_.left(), plot_.bottom() + 18, plot_.width() - 170, 16),
               Qt::AlignLeft | Qt::AlignTop,
               worm_->byMount ? tr("from where the mount counts its worm") : tr("from the start of the run"));
}

QString WormChart::readOut(QPointF pos) const {
    if (!worm_ || !plot_.contains(pos))
        return {};
    const double phase = from_ + (to_ - from_) * (pos.x() - plot_.left()) / plot_.width();
    const WormError& w = *worm_;
    QString text =
        tr("phase %1 (%2 s)\ncurve %3\nrate %4 ″/s\nsamples scatter %5″")
            .arg(qs(formatNumber(phase, 3)), qs(formatNumber(phase * w.period_s.value, 0)),
                 qs(formatMeasured({curveAt(w.curve_arcsec, phase), curveAt(w.sigma_arcsec, phase)}, "″", 2)),
                 qs(formatNumber(curveAt(w.rate_arcsec_s, phase), 3)),
                 qs(formatNumber(curveAt(w.scatter_arcsec, phase), 2)));
    if (before_)
        text +=
            "\n" + beforeName_ + tr(" %1″").arg(qs(formatNumber(curveAt(before_->curve_arcsec, phase), 2)));
    return text;
}

QString WormChart::csv() const {
    QString text = "phase,error_arcsec,sigma_arcsec,rate_arcsec_s,scatter_arcsec\n";
    if (!worm_)
        return text;
    for (size_t i = 0; i < worm_->curve_arcsec.size(); ++i)
        text += QString("%1,%2,%3,%4,%5\n")
                    .arg((static_cast<double>(i) + 0.5) / static_cast<double>(worm_->curve_arcsec.size()))
                    .arg(worm_->curve_arcsec[i])
                    .arg(worm_->sigma_arcsec[i])
                    .arg(worm_->rate_arcsec_s[i])
                    .arg(worm_->scatter_arcsec[i]);
    return text;
}

} // namespace nordstjerna
