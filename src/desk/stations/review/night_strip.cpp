#include "desk/stations/review/night_strip.h"

#include <QHelpEvent>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>
#include <algorithm>

#include "charts/text.h"
#include "core/base/format.h"
#include "desk/theme.h"

namespace nordstjerna {

namespace {
constexpr int night_px = 56;
// Of a night's band, after noon.
constexpr double stripFrom_h = 4.5;
constexpr double stripTo_h = 20.5;

QColor colourOf(EntryKind kind) {
    switch (kind) {
    case EntryKind::series:
        return theme().good;
    case EntryKind::guidedRun:
        return theme().text;
    case EntryKind::trial:
        return theme().accent;
    default:
        break;
    }
    return theme().muted;
}
} // namespace

NightStrip::NightStrip(QWidget* parent) : QWidget(parent) {
    setObjectName("nights");
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("Nights"));
    connect(&ThemeSwitch::instance(), &ThemeSwitch::changed, this, [this] { update(); });
}

void NightStrip::show(const std::vector<NightSummary>& nights, const CivilTime& zone) {
    nights_ = nights;
    zone_ = zone;
    setMinimumHeight(sizeHint().height());
    updateGeometry();
    update();
}

void NightStrip::choose(std::optional<Instant> night) {
    chosen_ = night;
    update();
}

QSize NightStrip::sizeHint() const {
    return {150, std::max(1, static_cast<int>(nights_.size())) * night_px};
}

int NightStrip::indexAt(double y) const {
    const int i = static_cast<int>(y / night_px);
    return i >= 0 && i < static_cast<int>(nights_.size()) ? i : -1;
}

void NightStrip::paintNight(QPainter& p, const QRectF& row, const NightSummary& n) const {
    const bool chosen = chosen_ == n.night;
    if (chosen)
        p.fillRect(row, theme().raised);
    if (chosen)
        p.fillRect(QRectF(row.left(), row.top(), 3, row.height()), theme().accent);
    const QRectF inner = row.adjusted(11, 6, -8, -7);
    p.setPen(theme().text);
    p.setFont(textFont(13, true));
    // The night is that of its evening.
    p.drawText(inner, Qt::AlignLeft | Qt::AlignTop, qs(zone_.day(n.night)).section(' ', 0, 1));
    p.setFont(textFont(12));
    p.setPen(theme().muted);
    QString figure;
    if (n.best_arcsec)
        figure = qs(formatNumber(*n.best_arcsec, 2)) + "″";
    else
        figure = qs(Text::say("%n entry|%n entries", "", n.entries));
    p.drawText(inner, Qt::AlignRight | Qt::AlignTop, figure);
    const QRectF band(inner.left(), inner.bottom() - 14, inner.width(), 12);
    p.fillRect(band, theme().sky[3]);
    p.fillRect(QRectF(band.left(), band.top(), band.width() * 0.09, band.height()), theme().sky[1]);
    p.fillRect(QRectF(band.right() - band.width() * 0.09, band.top(), band.width() * 0.09, band.height()),
               theme().sky[1]);
    const auto x = [&](Instant t) {
        const double h = (t - n.night) / 3600.0;
        return band.left() +
               band.width() * std::clamp((h - stripFrom_h) / (stripTo_h - stripFrom_h), 0.0, 1.0);
    };
    for (const NightSummary::Span& s : n.spans) {
        QColor c = colourOf(s.kind);
        c.setAlpha(s.kind == EntryKind::guidedRun ? 150 : 230);
        const bool low = s.kind == EntryKind::series; // beside guiding
        p.fillRect(QRectF(x(s.from), low ? band.center().y() + 2 : band.top() + 2,
                          std::max(2.5, x(s.to) - x(s.from)), low ? 4 : 8),
                   c);
    }
}

void NightStrip::paintEvent(QPaintEvent* e) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    if (nights_.empty()) {
        p.setPen(theme().muted);
        p.setFont(textFont(12));
        p.drawText(QRectF(8, 8, width() - 16, 80), Qt::TextWordWrap,
                   tr("No night is kept yet. What you do is listed here automatically."));
    }
    for (size_t i = 0; i < nights_.size(); ++i) {
        const QRectF row(0, static_cast<double>(i) * night_px, width(), night_px);
        if (row.intersects(e->rect()))
            paintNight(p, row, nights_[i]);
    }
    if (hasFocus()) {
        p.setPen(QPen(theme().line, 1));
        p.setBrush(Qt::NoBrush);
        p.drawRect(QRectF(0.5, 0.5, width() - 1, height() - 1));
    }
}

void NightStrip::take(int index) {
    if (index < 0 || index >= static_cast<int>(nights_.size()))
        return;
    chosen_ = nights_[static_cast<size_t>(index)].night;
    update();
    Q_EMIT nightChosen(*chosen_);
}

void NightStrip::mousePressEvent(QMouseEvent* e) {
    take(indexAt(e->position().y()));
}

void NightStrip::keyPressEvent(QKeyEvent* e) {
    int at = -1;
    for (size_t i = 0; i < nights_.size(); ++i)
        if (chosen_ == nights_[i].night)
            at = static_cast<int>(i);
    if (e->key() == Qt::Key_Down)
        take(std::min(at + 1, static_cast<int>(nights_.size()) - 1));
    else if (e->key() == Qt::Key_Up)
        take(std::max(at - 1, 0));
    else
        QWidget::keyPressEvent(e);
}

bool NightStrip::event(QEvent* e) {
    if (e->type() == QEvent::ToolTip) {
        auto* help = static_cast<QHelpEvent*>(e);
        const int i = indexAt(help->pos().y());
        if (i >= 0) {
            const NightSummary& n = nights_[static_cast<size_t>(i)];
            QString text = qs(zone_.day(n.night));
            if (n.best_arcsec)
                text += tr("\nguided %1″ at best, %2″ at worst")
                            .arg(qs(formatNumber(*n.best_arcsec, 2)), qs(formatNumber(*n.worst_arcsec, 2)));
            if (n.frames > 0)
                text += "\n" + qs(Text::say("%n frame|%n frames", "", n.frames));
            QToolTip::showText(help->globalPos(), text, this);
        }
        return true;
    }
    return QWidget::event(e);
}

} // namespace nordstjerna
