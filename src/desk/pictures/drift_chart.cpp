#include "desk/pictures/drift_chart.h"

#include <algorithm>
#include <cmath>

#include "charts/text.h"
#include "charts/ticks.h"
#include "core/base/format.h"
#include "desk/theme.h"

namespace nordstjerna {

DriftChart::DriftChart(QWidget* parent) : Picture("drift", tr("Drift of both axes"), parent) {
    setMinimumSize(200, 96);
}

void DriftChart::setHint(const QString& hint) {
    hint_ = hint;
    update();
}

void DriftChart::show(const std::vector<DriftSample>& samples, const std::optional<DriftWatch>& watch) {
    samples_ = samples;
    watch_ = watch;
    update();
}

void DriftChart::draw(QPainter& p, const QRectF& area) {
    drawPanel(p, area);
    if (samples_.size() < 2) {
        p.setPen(theme().muted);
        p.setFont(textFont(13));
        p.drawText(area.adjusted(32, 24, -32, -24), Qt::AlignCenter | Qt::TextWordWrap, hint_);
        return;
    }
    plot_ = area.adjusted(56, 34, -16, -34);
    tEnd_ = std::max(60.0, samples_.back().t_s * 1.05) / zoom();
    low_ = high_ = samples_.front().ddec_arcsec;
    for (const DriftSample& s : samples_) {
        low_ = std::min(low_, s.ddec_arcsec);
        high_ = std::max(high_, s.ddec_arcsec);
    }
    const double margin = std::max(0.4, 0.12 * (high_ - low_));
    low_ -= margin;
    high_ += margin;
    const auto at = [&](double t, double v) {
        return QPointF(plot_.left() + plot_.width() * t / tEnd_,
                       plot_.bottom() - plot_.height() * (v - low_) / (high_ - low_));
    };
    drawAxes(p, plot_, {0.0, tEnd_ / 60.0, tr("min")}, {low_, high_, tr("Dec ″")});
    p.save();
    p.setClipRect(plot_);
    if (watch_) {
        std::vector<double> t;
        std::vector<double> d;
        for (const DriftSample& s : samples_)
            t.push_back(s.t_s), d.push_back(s.ddec_arcsec);
        if (const auto line = fitLine(t, d)) {
            // Range of the line: 2σ of slope and level.
            QPolygonF band;
            for (int pass = 0; pass < 2; ++pass)
                for (int i = 0; i <= 40; ++i) {
                    const double x = tEnd_ * (pass ? 40 - i : i) / 40.0;
                    const double sigma =
                        std::hypot(line->intercept.sigma, line->slope.sigma * (x - line->xMean));
                    band << at(x, line->at(x) + (pass ? -2.0 : 2.0) * sigma);
                }
            QColor fill = theme().dec;
            fill.setAlpha(50);
            p.setPen(Qt::NoPen);
            p.setBrush(fill);
            p.drawPolygon(band);
            p.setPen(QPen(theme().dec, 1.8, Qt::DashLine));
            p.drawLine(at(0.0, line->at(0.0)), at(tEnd_, line->at(tEnd_)));
        }
    }
    p.setPen(Qt::NoPen);
    p.setBrush(theme().dec);
    for (const DriftSample& s : samples_) {
        const QPointF c = at(s.t_s, s.ddec_arcsec);
        p.drawRect(QRectF(c.x() - 1.8, c.y() - 1.8, 3.6, 3.6));
    }
    p.restore();
    p.setPen(theme().text);
    p.setFont(textFont(13, true));
    const QString title = watch_ ? tr("drift %1 ″/min").arg(qs(formatMeasured(watch_->dec_arcsec_min, "", 3)))
                                 : tr("Dec, left alone");
    p.drawText(QRectF(plot_.left() + 28, area.top() + 8, plot_.width() - 28, 20),
               Qt::AlignLeft | Qt::AlignVCenter, title);
}

QString DriftChart::readOut(QPointF pos) const {
    if (samples_.size() < 2 || !plot_.contains(pos))
        return {};
    const double t = (pos.x() - plot_.left()) / plot_.width() * tEnd_;
    const auto nearest =
        std::min_element(samples_.begin(), samples_.end(), [t](const auto& a, const auto& b) {
            return std::abs(a.t_s - t) < std::abs(b.t_s - t);
        });
    return tr("%1: Dec %2″, RA %3″")
        .arg(qs(formatDuration(nearest->t_s)), qs(formatNumber(nearest->ddec_arcsec, 2)),
             qs(formatNumber(nearest->dra_arcsec, 2)));
}

QString DriftChart::csv() const {
    QString text = "t_s,dra_arcsec,ddec_arcsec\n";
    for (const DriftSample& s : samples_)
        text += QString("%1,%2,%3\n").arg(s.t_s).arg(s.dra_arcsec).arg(s.ddec_arcsec);
    return text;
}

} // namespace nordstjerna
