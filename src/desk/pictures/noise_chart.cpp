#include "desk/pictures/noise_chart.h"

#include <algorithm>

#include "charts/text.h"
#include "core/base/format.h"
#include "desk/pictures/label_room.h"
#include "desk/theme.h"

namespace nordstjerna {

NoiseChart::NoiseChart(QWidget* parent) : Picture("noise", tr("Noise by setting"), parent) {
    setMinimumSize(300, 170);
}

void NoiseChart::show(Shown shown) {
    shown_ = std::move(shown);
    update();
}

QString NoiseChart::settingName(size_t i) const {
    const double s = shown_.at[i].setting;
    return shown_.ofGain ? tr("gain %1").arg(qs(formatNumber(s, 0)))
                         : tr("%1 s").arg(qs(formatNumber(s, s == std::round(s) ? 0 : 1)));
}

std::vector<NoiseChart::Lane> NoiseChart::lanes() const {
    const bool angles = shown_.scale_arcsec_px > 0.0;
    const double scale = angles ? shown_.scale_arcsec_px : 1.0;
    const QString unit = angles ? "″" : " px";
    Lane jitter{tr("Jitter of all stars together, one frame"), unit, {}};
    Lane second = shown_.ofGain ? Lane{tr("Read noise"), " e", {}}
                                : Lane{tr("What is left after a minute of frames"), unit, {}};
    for (const NoiseAt& n : shown_.at) {
        std::optional<Measured> j, other;
        if (n.jitter)
            j = Measured{scale * n.jitter->group_px.value, scale * n.jitter->group_px.sigma};
        if (shown_.ofGain && n.camera)
            other = n.camera->readNoise_e;
        else if (!shown_.ofGain && n.jitter)
            other = Measured{scale * n.minute_px.value, scale * n.minute_px.sigma};
        jitter.values.push_back(j);
        second.values.push_back(other);
    }
    return {jitter, second};
}

void NoiseChart::drawLane(QPainter& p, const QRectF& area, const Lane& lane) {
    p.setFont(textFont(12));
    p.setPen(theme().muted);
    const double top = drawTitle(p, area, lane.title);
    QRectF field = area.adjusted(0, 60, 0, -40);
    constexpr double figures = 44.0; // above a bar
    field.setTop(std::max(field.top(), top + figures));
    double most = 0.0;
    for (const auto& m : lane.values)
        if (m)
            most = std::max(most, m->value + m->sigma);
    p.setPen(QPen(theme().line, 1));
    p.drawLine(field.bottomLeft(), field.bottomRight());
    const double pitch = field.width() / static_cast<double>(lane.values.size());
    for (size_t i = 0; i < lane.values.size(); ++i) {
        const double middle = field.left() + pitch * (static_cast<double>(i) + 0.5);
        const bool present = shown_.present == i, proposed = shown_.proposed == i;
        p.setFont(textFont(12, present || proposed));
        p.setPen(present || proposed ? theme().text : theme().muted);
        p.drawText(QRectF(middle - 0.5 * pitch, field.bottom() + 3, pitch, 17), Qt::AlignCenter,
                   settingName(i));
        p.setFont(textFont(12));
        p.setPen(proposed ? theme().accent : theme().muted);
        p.drawText(QRectF(middle - 0.5 * pitch, field.bottom() + 20, pitch, 17), Qt::AlignCenter,
                   proposed && present ? tr("keep")
                   : proposed          ? tr("best")
                   : present           ? tr("now")
                                       : QString());
        const auto& m = lane.values[i];
        if (!m || most <= 0.0)
            continue;
        const auto yOf = [&](double v) { return field.bottom() - field.height() * std::max(0.0, v) / most; };
        const double wide = std::min(54.0, 0.5 * pitch);
        const QRectF bar(middle - 0.5 * wide, yOf(m->value), wide, field.bottom() - yOf(m->value));
        QColor c = proposed ? theme().accent : theme().muted;
        c.setAlpha(proposed ? 200 : 110);
        p.fillRect(bar, c);
        p.setPen(QPen(theme().text, 1.4));
        p.drawLine(QPointF(middle, yOf(m->value + m->sigma)), QPointF(middle, yOf(m->value - m->sigma)));
        // The value above its ±: side by side they would not fit.
        const QRectF label(middle - 0.5 * pitch, yOf(m->value + m->sigma) - 36, pitch, 17);
        const int decimals = decimalsFor(m->sigma, 3);
        p.drawText(label, Qt::AlignCenter, qs(formatNumber(m->value, decimals)) + lane.unit);
        p.setPen(theme().muted);
        p.drawText(label.translated(0, 16), Qt::AlignCenter, "± " + qs(formatNumber(m->sigma, decimals)));
        QString words = tr("%1: %2 %3")
                            .arg(settingName(i), lane.title.toLower(),
                                 qs(formatMeasured(*m, lane.unit.toStdString(), 3)));
        if (const auto& j = shown_.at[i].jitter) {
            words += tr(", %1 over %2")
                         .arg(qs(Text::say("%n star|%n stars", "", j->stars)),
                              qs(Text::say("%n frame|%n frames", "", shown_.at[i].frames)));
            if (j->saturated > 0)
                words += tr(", %1 too bright").arg(j->saturated);
        }
        bars_.push_back({bar.adjusted(-8, -24, 8, 40), words});
    }
}

void NoiseChart::draw(QPainter& p, const QRectF& area) {
    drawPanel(p, area);
    bars_.clear();
    if (shown_.at.empty()) {
        p.setFont(textFont(13));
        p.setPen(theme().muted);
        p.drawText(area.adjusted(30, 10, -30, -10), Qt::AlignCenter | Qt::TextWordWrap, shown_.hint);
        return;
    }
    const double half = 0.5 * (area.width() - 48);
    const auto both = lanes();
    drawLane(p, QRectF(area.left() + 14, area.top() + 10, half, area.height() - 16), both[0]);
    drawLane(p, QRectF(area.left() + 34 + half, area.top() + 10, half, area.height() - 16), both[1]);
}

QString NoiseChart::readOut(QPointF at) const {
    for (const Bar& b : bars_)
        if (b.where.contains(at))
            return b.words;
    return {};
}

QString NoiseChart::words() const {
    QStringList all;
    for (size_t i = 0; i < shown_.at.size(); ++i)
        for (const Lane& lane : lanes())
            if (const auto& m = lane.values[i])
                all << tr("%1: %2 %3")
                           .arg(settingName(i), lane.title.toLower(),
                                qs(formatMeasured(*m, lane.unit.toStdString(), 3)));
    return all.join("; ");
}

QString NoiseChart::csv() const {
    QString text =
        QString(shown_.ofGain ? "gain" : "exposure_s") +
        ",frames,stars,saturated,jitter_px,jitter_sigma_px,minute_px,minute_sigma_px,"
        "electrons_per_count,electrons_per_count_sigma,read_noise_e,read_noise_sigma_e,saturation_e\n";
    for (const NoiseAt& n : shown_.at) {
        QStringList row{QString::number(n.setting), QString::number(n.frames)};
        const auto put = [&row](bool known, double v) { row << (known ? QString::number(v) : QString()); };
        const StarJitter j = n.jitter.value_or(StarJitter{});
        const PhotonTransfer c = n.camera.value_or(PhotonTransfer{});
        put(n.jitter.has_value(), j.stars);
        put(n.jitter.has_value(), j.saturated);
        put(n.jitter.has_value(), j.group_px.value);
        put(n.jitter.has_value(), j.group_px.sigma);
        put(n.jitter.has_value(), n.minute_px.value);
        put(n.jitter.has_value(), n.minute_px.sigma);
        put(n.camera.has_value(), c.gain_e_adu.value);
        put(n.camera.has_value(), c.gain_e_adu.sigma);
        put(n.camera.has_value(), c.readNoise_e.value);
        put(n.camera.has_value(), c.readNoise_e.sigma);
        put(n.saturation_e > 0.0, n.saturation_e);
        text += row.join(",") + "\n";
    }
    return text;
}

} // namespace nordstjerna
