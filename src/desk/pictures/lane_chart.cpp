#include "desk/pictures/lane_chart.h"

#include <qcustomplot.h>

#include <QFile>
#include <QSvgGenerator>
#include <QToolTip>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "charts/text.h"
#include "core/base/format.h"
#include "core/base/statistics.h"
#include "core/motion/run_event_words.h"
#include "desk/pictures/picture.h"
#include "desk/theme.h"
#include "desk/widgets/pointer_keys.h"

namespace nordstjerna {

namespace {
constexpr double barWidth_px = 2.5;
constexpr size_t mostMarks = 1500; // of events: more is a blur, and each is an item of its own

class MinuteTicker : public QCPAxisTicker {
protected:
    QString getTickLabel(double tick, const QLocale&, QChar, int) override {
        return qs(formatNumber(tick, std::abs(tick - std::round(tick)) < 1e-6 ? 0 : 1)) + " min";
    }
};

class ArcsecTicker : public QCPAxisTicker {
protected:
    QString getTickLabel(double tick, const QLocale&, QChar, int) override {
        const QString sign = tick > 1e-9 ? "+" : "";
        return sign + qs(formatNumber(tick, std::abs(tick - std::round(tick)) < 1e-6 ? 0 : 1)) + "″";
    }
};
} // namespace

LaneChart::LaneChart(QWidget* parent) : QWidget(parent), plot_(new QCustomPlot) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(plot_);
    setMinimumSize(320, 220);
    for (QWidget* w : std::initializer_list<QWidget*>{this, plot_})
        w->setAccessibleName(tr("Error of both axes over time"));
    new PointerKeys(plot_);
    plot_->setNoAntialiasingOnDrag(true);
    // The plot's own axis rectangle goes only after ours exist: new items need one to start from.
    ra_ = makeDeviceQueue(false);
    dec_ = makeDeviceQueue(true);
    plot_->plotLayout()->clear();
    plot_->plotLayout()->setRowSpacing(6);
    plot_->plotLayout()->addElement(0, 0, ra_.rect);
    plot_->plotLayout()->addElement(1, 0, dec_.rect);
    ra_.rect->axis(QCPAxis::atBottom)->setTickLabels(false);
    auto* edge = new QCPMarginGroup(plot_);
    ra_.rect->setMarginGroup(QCP::msLeft, edge);
    dec_.rect->setMarginGroup(QCP::msLeft, edge);
    // Both lanes show the same time.
    const auto range = qOverload<const QCPRange&>(&QCPAxis::rangeChanged);
    const auto set = qOverload<const QCPRange&>(&QCPAxis::setRange);
    connect(ra_.rect->axis(QCPAxis::atBottom), range, dec_.rect->axis(QCPAxis::atBottom), set);
    connect(dec_.rect->axis(QCPAxis::atBottom), range, ra_.rect->axis(QCPAxis::atBottom), set);
    connect(plot_, &QCustomPlot::beforeReplot, this, &LaneChart::showPulses);
    connect(plot_, &QCustomPlot::beforeReplot, this, &LaneChart::showMarks);
    plot_->setInteractions(QCP::iRangeZoom | QCP::iRangeDrag);
    const auto byHand = [this] {
        follow_ = false;
        Q_EMIT followChanged();
    };
    connect(plot_, &QCustomPlot::mouseWheel, this, byHand);
    connect(plot_, &QCustomPlot::mousePress, this, [this, byHand](QMouseEvent* e) {
        if (e->button() == Qt::LeftButton)
            byHand();
    });
    connect(plot_, &QCustomPlot::mouseDoubleClick, this, &LaneChart::followAgain);
    connect(plot_, &QCustomPlot::mouseMove, this, &LaneChart::onHover);
    plot_->setContextMenuPolicy(Qt::CustomContextMenu);
    connect(plot_, &QWidget::customContextMenuRequested, this, [this](const QPoint& at) {
        offerExport(this, "lanes", plot_->mapToGlobal(at),
                    [this](const QString& path) { return exportTo(path); });
    });
    restyle();
    connect(&ThemeSwitch::instance(), &ThemeSwitch::changed, this, &LaneChart::restyle);
    clear();
}

void LaneChart::BandedLine::make(QCPAxis* x, QCPAxis* y) {
    low = new QCPGraph(x, y);
    high = new QCPGraph(x, y);
    high->setChannelFillGraph(low);
    line = new QCPGraph(x, y);
}

void LaneChart::BandedLine::dress(const QPen& pen, float opacity) const {
    QColor fill = pen.color();
    fill.setAlphaF(opacity);
    line->setPen(pen);
    low->setPen(Qt::NoPen);
    high->setPen(Qt::NoPen);
    high->setBrush(fill);
}

void LaneChart::BandedLine::add(double x, double y, double half) const {
    line->addData(x, y);
    low->addData(x, y - half);
    high->addData(x, y + half);
}

void LaneChart::BandedLine::clear() const {
    for (QCPGraph* g : {line, low, high})
        g->data()->clear();
}

LaneChart::DeviceQueue LaneChart::makeDeviceQueue(bool dec) {
    DeviceQueue lane;
    lane.rect = new QCPAxisRect(plot_);
    lane.rect->setRangeZoom(Qt::Horizontal);
    lane.rect->setRangeDrag(Qt::Horizontal);
    lane.rect->setMinimumMargins(QMargins(2, 2, 2, 2));
    auto* x = lane.rect->axis(QCPAxis::atBottom);
    auto* y = lane.rect->axis(QCPAxis::atLeft);
    x->setTicker(QSharedPointer<QCPAxisTicker>(new MinuteTicker));
    y->setTicker(QSharedPointer<QCPAxisTicker>(new ArcsecTicker));
    auto* pulseAxis = lane.rect->axis(QCPAxis::atRight);
    pulseAxis->setVisible(false);
    lane.foretold.make(x, y);
    lane.trace = new QCPGraph(x, y);
    lane.drift.make(x, y);
    lane.pulses = new QCPBars(x, pulseAxis);
    lane.pulses->setWidthType(QCPBars::wtAbsolute);
    lane.pulses->setWidth(barWidth_px);
    lane.deadband = new QCPItemRect(plot_);
    for (QCPItemPosition* position : {lane.deadband->topLeft, lane.deadband->bottomRight}) {
        position->setAxes(x, y);
        position->setAxisRect(lane.rect);
        position->setTypeX(QCPItemPosition::ptAxisRectRatio);
        position->setTypeY(QCPItemPosition::ptPlotCoords);
    }
    lane.deadband->setClipAxisRect(lane.rect);
    lane.title = new QCPItemText(plot_);
    lane.title->position->setAxisRect(lane.rect);
    lane.title->position->setType(QCPItemPosition::ptAxisRectRatio);
    lane.title->position->setCoords(0.01, 0.03);
    lane.title->setPositionAlignment(Qt::AlignLeft | Qt::AlignTop);
    lane.title->setText(dec ? "Dec" : "RA");
    return lane;
}

void LaneChart::restyle() {
    const Theme& t = theme();
    plot_->setBackground(t.base);
    const auto dress = [&](DeviceQueue& lane, const QColor& colour, bool dec) {
        lane.rect->setBackground(t.panel);
        for (auto type : {QCPAxis::atBottom, QCPAxis::atLeft, QCPAxis::atTop, QCPAxis::atRight}) {
            QCPAxis* axis = lane.rect->axis(type);
            axis->setBasePen(QPen(t.line));
            axis->setTickPen(QPen(t.line));
            axis->setSubTickPen(Qt::NoPen);
            axis->setTickLabelColor(t.muted);
            axis->setTickLabelFont(textFont(11));
            axis->grid()->setPen(QPen(t.line, 1, Qt::DotLine));
            axis->grid()->setZeroLinePen(QPen(t.line, 1));
        }
        QColor own = colour;
        own.setAlphaF(faded_ ? 0.4F : 1.0F);
        QPen pen(own, 1.4, dec && !faded_ ? Qt::DashLine : Qt::SolidLine);
        lane.trace->setPen(pen);
        lane.trace->setAntialiased(true);
        QCPScatterStyle scatter(dec ? QCPScatterStyle::ssSquare : QCPScatterStyle::ssDisc, dec ? 4 : 5);
        scatter.setPen(QPen(colour));
        scatter.setBrush(colour);
        lane.trace->setScatterStyle(faded_ ? QCPScatterStyle(QCPScatterStyle::ssNone) : scatter);
        lane.foretold.line->setLayer(faded_ ? "overlay" : "main");
        QColor bar = colour;
        bar.setAlphaF(0.45F);
        lane.drift.dress(QPen(t.text, 1.4, Qt::DashDotLine), 0.13F);
        lane.foretold.dress(QPen(t.text, faded_ ? 1.4 : 1.0), 0.09F);
        lane.pulses->setPen(Qt::NoPen);
        lane.pulses->setBrush(bar);
        QColor band = colour;
        band.setAlphaF(0.12F);
        lane.deadband->setPen(Qt::NoPen);
        lane.deadband->setBrush(band);
        lane.title->setColor(colour);
        lane.title->setFont(textFont(14, true));
    };
    dress(ra_, t.ra, false);
    dress(dec_, t.dec, true);
    for (QCPItemLine* line : eventLines_)
        line->setPen(QPen(t.accent, 1, Qt::DotLine));
    for (QCPItemText* text : eventTexts_)
        text->setColor(t.accent);
    plot_->replot();
}

void LaneChart::setFaded(bool faded) {
    faded_ = faded;
    restyle();
}

void LaneChart::clear() {
    rows_.clear();
    for (DeviceQueue* lane : {&ra_, &dec_}) {
        lane->trace->data()->clear();
        lane->pulses->data()->clear();
        lane->foretold.clear();
        drawDrift(*lane, std::nullopt);
    }
    for (QCPItemLine* line : eventLines_)
        plot_->removeItem(line);
    for (QCPItemText* text : eventTexts_)
        plot_->removeItem(text);
    eventLines_.clear();
    eventTexts_.clear();
    foretold_ = 0;
    follow_ = true;
    setTitles("RA", "Dec");
    fitRanges();
    plot_->replot();
}

void LaneChart::followAgain() {
    follow_ = true;
    fitRanges();
    plot_->replot();
    Q_EMIT followChanged();
}

void LaneChart::setSpan(double minutes) {
    spanMinutes_ = minutes;
    followAgain();
}

void LaneChart::showForetold(const std::vector<RowBelief>& beliefs) {
    if (rows_.size() < 2)
        return;
    // Each belief is about the row after it, and is drawn once that has come.
    for (; foretold_ + 1 < rows_.size() && foretold_ < beliefs.size(); ++foretold_) {
        const double minutes = rows_[foretold_ + 1].t_s / 60.0;
        const auto add = [&](DeviceQueue& lane, const AxisGlimpse& g) {
            lane.foretold.add(minutes, g.next_arcsec, 2.0 * g.nextSigma_arcsec);
        };
        add(ra_, beliefs[foretold_].ra);
        add(dec_, beliefs[foretold_].dec);
    }
}

void LaneChart::setFree(bool free) {
    free_ = free;
}

void LaneChart::drawDrift(DeviceQueue& lane, const std::optional<DriftLine>& line) {
    lane.drift.clear();
    if (!line)
        return;
    constexpr int points = 24;
    for (int i = 0; i <= points; ++i) {
        const double t = line->from_s + (line->to_s - line->from_s) * i / points;
        const double since = (t - line->middle_s) / 60.0;
        const double v = line->level_arcsec.value + line->drift_arcsec_min.value * since;
        const double sigma = std::hypot(line->level_arcsec.sigma, line->drift_arcsec_min.sigma * since);
        lane.drift.add(t / 60.0, v, 2.0 * sigma);
    }
}

void LaneChart::showDrift(const std::optional<DriftLine>& ra, const std::optional<DriftLine>& dec) {
    drawDrift(ra_, ra);
    drawDrift(dec_, dec);
    plot_->replot(QCustomPlot::rpQueuedReplot);
}

// No more bars than there is room for: where several pulses would stand in one, the longest does.
void LaneChart::showPulses() {
    const QCPRange shown = ra_.rect->axis(QCPAxis::atBottom)->range();
    const auto from = rowAt(rows_, 60.0 * shown.lower);
    const auto to = rowAt(rows_, 60.0 * shown.upper);
    const auto room = static_cast<std::ptrdiff_t>(std::max(ra_.rect->width(), 100) / barWidth_px);
    const std::ptrdiff_t each = std::max<std::ptrdiff_t>(1, (to - from) / (2 * room));
    for (DeviceQueue* lane : {&ra_, &dec_}) {
        QVector<double> at;
        QVector<double> length;
        for (auto r = from; r < to;) {
            const auto end = to - r > each ? r + each : to;
            double most = 0.0;
            const double middle = 0.5 * (r->t_s + std::prev(end)->t_s) / 60.0;
            for (; r != end; ++r)
                most = std::max(most, std::abs(lane == &dec_ ? r->pulseDec_ms : r->pulseRa_ms));
            if (most > 0.0) {
                at.push_back(middle);
                length.push_back(most);
            }
        }
        lane->pulses->setData(at, length, true);
    }
}

// Marks for single frames only where they can be told apart.
void LaneChart::showMarks() {
    const QCPRange shown = ra_.rect->axis(QCPAxis::atBottom)->range();
    const auto at = [&](double minutes) { return rowAt(rows_, 60.0 * minutes); };
    const bool few = at(shown.upper) - at(shown.lower) < 700;
    // Words that would run into each other: the later one is left to its line and to hovering. What began
    // before the view has neither.
    double free = -1e9;
    for (QCPItemText* text : eventTexts_) {
        const double x = ra_.rect->axis(QCPAxis::atBottom)->coordToPixel(text->position->coords().x());
        const double width = QFontMetrics(text->font()).horizontalAdvance(text->text()) + 12.0;
        const bool backwards = x + width > ra_.rect->right(); // there is no room on the right of its line
        text->setPositionAlignment((backwards ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignTop);
        const double from = backwards ? x - width : x;
        const bool shows = x >= ra_.rect->left() && from > free;
        text->setVisible(shows);
        if (shows)
            free = from + width;
    }
    for (DeviceQueue* lane : {&ra_, &dec_}) {
        QCPScatterStyle style = lane->trace->scatterStyle();
        style.setShape(!few            ? QCPScatterStyle::ssNone
                       : lane == &dec_ ? QCPScatterStyle::ssSquare
                                       : QCPScatterStyle::ssDisc);
        lane->trace->setScatterStyle(style);
        // Without marks a dense trace is all edges: smoothing them costs much and shows nothing.
        lane->trace->setAntialiased(few);
        QPen pen = lane->trace->pen();
        pen.setWidthF(few ? 1.4 : 1.0);
        pen.setStyle(few && lane == &dec_ ? Qt::DashLine : Qt::SolidLine);
        lane->trace->setPen(pen);
    }
}

void LaneChart::setTitles(const QString& ra, const QString& dec) {
    ra_.title->setText(ra);
    dec_.title->setText(dec);
}

void LaneChart::show(const Run& run, double deadbandRa, double deadbandDec) {
    if (run.rows.size() < rows_.size())
        clear();
    std::string lastEvent = rows_.empty() ? std::string() : eventText(rows_.back().events);
    for (size_t i = rows_.size(); i < run.rows.size(); ++i) {
        const RunRow& r = run.rows[i];
        const double minutes = r.t_s / 60.0;
        // NaN breaks the trace where the star was lost.
        ra_.trace->addData(minutes, r.dra_arcsec);
        dec_.trace->addData(minutes, r.ddec_arcsec);
        // One mark where an event begins, not one for each frame that it lasts.
        const std::string event = eventText(r.events);
        if (!event.empty() && event != lastEvent && !r.events.has(Happening::lostStill) &&
            eventTexts_.size() < mostMarks) {
            for (DeviceQueue* lane : {&ra_, &dec_}) {
                auto* line = new QCPItemLine(plot_);
                line->setClipAxisRect(lane->rect);
                line->setPen(QPen(theme().accent, 1, Qt::DotLine));
                for (QCPItemPosition* position : {line->start, line->end}) {
                    position->setAxes(lane->rect->axis(QCPAxis::atBottom), lane->rect->axis(QCPAxis::atLeft));
                    position->setAxisRect(lane->rect);
                    position->setTypeX(QCPItemPosition::ptPlotCoords);
                    position->setTypeY(QCPItemPosition::ptAxisRectRatio);
                }
                line->start->setCoords(minutes, 0);
                line->end->setCoords(minutes, 1);
                eventLines_.push_back(line);
            }
            auto* text = new QCPItemText(plot_);
            text->setClipAxisRect(ra_.rect);
            text->position->setAxes(ra_.rect->axis(QCPAxis::atBottom), ra_.rect->axis(QCPAxis::atLeft));
            text->position->setAxisRect(ra_.rect);
            text->position->setTypeX(QCPItemPosition::ptPlotCoords);
            text->position->setTypeY(QCPItemPosition::ptAxisRectRatio);
            text->position->setCoords(minutes, 0.14);
            text->setPadding(QMargins(4, 0, 4, 0));
            text->setFont(textFont(11));
            text->setColor(theme().accent);
            text->setText(qs(event));
            eventTexts_.push_back(text);
        }
        lastEvent = event;
        rows_.push_back(r);
    }
    const auto band = [](DeviceQueue& lane, double half) {
        lane.deadband->topLeft->setCoords(0, half);
        lane.deadband->bottomRight->setCoords(1, -half);
        lane.deadband->setVisible(half > 0.0);
    };
    band(ra_, deadbandRa);
    band(dec_, deadbandDec);
    fitRanges();
    plot_->replot(QCustomPlot::rpQueuedReplot);
}

// Nearly all of what is visible fits, each lane by itself.
void LaneChart::fitFree() {
    const double last = rows_.empty() ? 0.0 : rows_.back().t_s / 60.0;
    if (follow_)
        ra_.rect->axis(QCPAxis::atBottom)->setRange(0.0, std::max(last * 1.02, 2.0));
    const QCPRange shown = ra_.rect->axis(QCPAxis::atBottom)->range();
    for (DeviceQueue* lane : {&ra_, &dec_}) {
        double low = -1.0;
        double high = 1.0;
        bool first = true;
        for (const RunRow& r : rows_) {
            if (!r.measured() || r.t_s / 60.0 < shown.lower || r.t_s / 60.0 > shown.upper)
                continue;
            const double v = lane == &dec_ ? r.ddec_arcsec : r.dra_arcsec;
            low = first ? v : std::min(low, v);
            high = first ? v : std::max(high, v);
            first = false;
        }
        const double margin = std::max(0.6, 0.1 * (high - low));
        // Room for the title above the trace.
        lane->rect->axis(QCPAxis::atLeft)->setRange(low - margin, high + margin + 0.14 * (high - low));
        lane->rect->axis(QCPAxis::atRight)->setRange(0.0, 6000.0);
    }
}

void LaneChart::fitRanges() {
    if (free_) {
        fitFree();
        return;
    }
    const double last = rows_.empty() ? 0.0 : rows_.back().t_s / 60.0;
    if (follow_) {
        const double first = spanMinutes_ > 0.0 ? std::max(0.0, last - spanMinutes_) : 0.0;
        // Grows into the full window, so that the first minutes are not squeezed into a corner.
        ra_.rect->axis(QCPAxis::atBottom)->setRange(first, std::max(last * 1.02, first + 2.0));
    }
    const QCPRange shown = ra_.rect->axis(QCPAxis::atBottom)->range();
    // One scale for both lanes: nearly all of what is visible fits.
    std::vector<double> sizes;
    for (auto r = rows_.rbegin(); r != rows_.rend() && r->t_s / 60.0 >= shown.lower; ++r)
        if (r->measured() && r->t_s / 60.0 <= shown.upper) {
            sizes.push_back(std::abs(r->dra_arcsec));
            sizes.push_back(std::abs(r->ddec_arcsec));
        }
    double longestPulse_ms = 100.0;
    for (auto r = rows_.rbegin(); r != rows_.rend() && r->t_s / 60.0 >= shown.lower; ++r)
        longestPulse_ms = std::max({longestPulse_ms, std::abs(r->pulseRa_ms), std::abs(r->pulseDec_ms)});
    double reach = 2.0;
    if (!sizes.empty()) {
        const auto nth =
            sizes.begin() + static_cast<std::ptrdiff_t>(0.985 * static_cast<double>(sizes.size() - 1));
        std::nth_element(sizes.begin(), nth, sizes.end());
        const double most = *nth;
        for (double step : {2.0, 3.0, 4.0, 6.0, 10.0, 15.0, 20.0, 40.0, 60.0, 120.0}) {
            reach = step;
            if (most * 1.25 < step)
                break;
        }
    }
    for (DeviceQueue* lane : {&ra_, &dec_}) {
        lane->rect->axis(QCPAxis::atLeft)->setRange(-1.12 * reach, 1.12 * reach);
        // The longest pulse in view reaches a sixth of the lane's height.
        lane->rect->axis(QCPAxis::atRight)->setRange(0.0, 6.0 * longestPulse_ms);
    }
}

void LaneChart::repaintNow() {
    plot_->replot(QCustomPlot::rpImmediateRefresh);
}

void LaneChart::onHover(QMouseEvent* event) {
    const QCPAxisRect* over = plot_->axisRectAt(event->position());
    if (!over || rows_.empty()) {
        QToolTip::hideText();
        return;
    }
    const double t = 60.0 * over->axis(QCPAxis::atBottom)->pixelToCoord(event->position().x());
    auto at = rowAt(rows_, t);
    if (at == rows_.end())
        --at;
    if (at != rows_.begin() && std::abs(std::prev(at)->t_s - t) < std::abs(at->t_s - t))
        --at;
    QString text = tr("after %1").arg(qs(formatDuration(at->t_s)));
    if (at->measured())
        text += tr("\nRA %1″ · Dec %2″\npulses: RA %3 ms, Dec %4 ms\n%5, SNR %6")
                    .arg(qs(formatNumber(at->dra_arcsec, 2)), qs(formatNumber(at->ddec_arcsec, 2)),
                         qs(formatNumber(at->pulseRa_ms, 0)), qs(formatNumber(at->pulseDec_ms, 0)),
                         qs(Text::say("%n star|%n stars", "", at->stars)), qs(formatNumber(at->snr, 0)));
    if (!at->events.empty())
        text += "\n" + qs(eventText(at->events));
    QToolTip::showText(event->globalPosition().toPoint() + QPoint(8, 8), text, plot_);
}

bool LaneChart::exportTo(const QString& path) {
    if (path.endsWith(".csv", Qt::CaseInsensitive)) {
        QFile file(path);
        if (!file.open(QIODevice::WriteOnly))
            return false;
        QString text = "t_s,dra_arcsec,ddec_arcsec,pulse_ra_ms,pulse_dec_ms,event\n";
        for (const RunRow& r : rows_)
            text += QString("%1,%2,%3,%4,%5,\"%6\"\n")
                        .arg(r.t_s)
                        .arg(r.dra_arcsec)
                        .arg(r.ddec_arcsec)
                        .arg(r.pulseRa_ms)
                        .arg(r.pulseDec_ms)
                        .arg(qs(eventWords(r.events)));
        const QByteArray bytes = text.toUtf8();
        return file.write(bytes) == bytes.size();
    }
    if (path.endsWith(".svg", Qt::CaseInsensitive)) {
        QSvgGenerator svg;
        svg.setFileName(path);
        svg.setSize(plot_->size());
        svg.setViewBox(plot_->rect());
        QCPPainter p;
        if (!p.begin(&svg))
            return false;
        p.setMode(QCPPainter::pmVectorized);
        plot_->toPainter(&p, plot_->width(), plot_->height());
        return p.end();
    }
    return plot_->savePng(path, 0, 0, 2.0);
}

} // namespace nordstjerna
