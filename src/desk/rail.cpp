#include "desk/rail.h"

#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>

#include "charts/text.h"
#include "core/base/format.h"
#include "desk/theme.h"

namespace nordstjerna {

namespace {
QString stateWords(StationState s) {
    switch (s) {
    case StationState::open:
        return QObject::tr("not done yet");
    case StationState::good:
        return QObject::tr("good");
    case StationState::aged:
        return QObject::tr("out of date: the rig changed since");
    case StationState::attention:
        break;
    }
    return QObject::tr("wants attention");
}
} // namespace

Rail::Rail(Session& session, std::vector<Station*> stations, QWidget* parent)
    : QFrame(parent), session_(session), stations_(std::move(stations)) {
    setObjectName("rail");
    setFixedWidth(200);
    setMouseTracking(true);
    setFocusPolicy(Qt::NoFocus);
    for (Station* s : stations_)
        connect(s, &Station::changed, this, [this] { update(); });
    connect(&session, &Session::rigChanged, this, [this] { update(); });
    connect(&ThemeSwitch::instance(), &ThemeSwitch::changed, this, [this] { update(); });
}

void Rail::setCurrent(int index) {
    current_ = index;
    update();
}

QRectF Rail::row(int i) const {
    return {8.0, 76.0 + 58.0 * i, width() - 16.0, 52.0};
}

void Rail::paintEvent(QPaintEvent* e) {
    QFrame::paintEvent(e);
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(QPen(theme().line, 1));
    p.drawLine(width() - 1, 0, width() - 1, height());
    paintStarMark(p, {31, 36}, 30, theme().accent);
    p.setPen(theme().text);
    p.setFont(textFont(18, true));
    p.drawText(QRectF(56, 22, 140, 28), Qt::AlignLeft | Qt::AlignVCenter, "Nordstjerna");
    for (int i = 0; i < static_cast<int>(stations_.size()); ++i) {
        const Station& s = *stations_[static_cast<size_t>(i)];
        const QRectF r = row(i);
        if (i == current_) {
            p.setPen(QPen(theme().line, 1));
            p.setBrush(theme().raised);
            p.drawRoundedRect(r.adjusted(0.5, 0.5, -0.5, -0.5), 4, 4);
            p.fillRect(QRectF(r.left(), r.top(), 3, r.height()), theme().accent);
        }
        paintStateMark(p, {r.left() + 20, r.center().y()}, 12, s.state());
        const QIcon icon = tintedIcon(s.icon(), i == current_ ? theme().accent : theme().muted);
        icon.paint(&p, QRect(int(r.left()) + 36, int(r.top()) + 8, 18, 18));
        p.setPen(theme().text);
        p.setFont(textFont(15, i == current_));
        p.drawText(QRectF(r.left() + 60, r.top() + 6, 100, 22), Qt::AlignLeft | Qt::AlignVCenter, s.name());
        p.setPen(theme().muted);
        p.setFont(textFont(11));
        p.drawText(QRectF(r.right() - 24, r.top() + 8, 16, 18), Qt::AlignRight | Qt::AlignVCenter,
                   QString::number(i + 1));
        p.setFont(textFont(12));
        const QString line = p.fontMetrics().elidedText(s.summary(), Qt::ElideRight, int(r.width()) - 66);
        p.drawText(QRectF(r.left() + 60, r.top() + 28, r.width() - 64, 18), Qt::AlignLeft | Qt::AlignVCenter,
                   line);
    }
    const Rig& rig = session_.rig();
    double y = height() - 128.0;
    const auto block = [&](const QString& head, const QString& first, const QString& second) {
        p.setPen(theme().muted);
        p.setFont(textFont(11));
        p.drawText(QPointF(16, y), head);
        p.setPen(theme().text);
        p.setFont(textFont(13));
        p.drawText(QPointF(16, y + 20), p.fontMetrics().elidedText(first, Qt::ElideRight, width() - 28));
        p.setPen(theme().muted);
        p.setFont(textFont(11));
        p.drawText(QPointF(16, y + 37), p.fontMetrics().elidedText(second, Qt::ElideRight, width() - 28));
        y += 68;
    };
    block(tr("RIG"), qs(rig.name),
          tr("%1 mm f/%2 · guide %3 mm")
              .arg(qs(formatNumber(rig.imagingOptics.effectiveFocal_mm(), 0)),
                   qs(formatNumber(rig.imagingOptics.focalRatio(), 1)),
                   qs(formatNumber(rig.guidingOptics().effectiveFocal_mm(), 0))));
    block(tr("NIGHT"), qs(formatDay(session_.now(), rig.site.longitude.hours())), qs(rig.siteName));
}

void Rail::mousePressEvent(QMouseEvent* e) {
    for (int i = 0; i < static_cast<int>(stations_.size()); ++i)
        if (row(i).contains(e->position()))
            Q_EMIT chosen(i);
}

void Rail::mouseMoveEvent(QMouseEvent* e) {
    for (int i = 0; i < static_cast<int>(stations_.size()); ++i)
        if (row(i).contains(e->position())) {
            const Station& s = *stations_[static_cast<size_t>(i)];
            QToolTip::showText(e->globalPosition().toPoint() + QPoint(8, 8),
                               tr("%1: %2 (Ctrl+%3)").arg(s.name(), stateWords(s.state())).arg(i + 1), this);
            return;
        }
    QToolTip::hideText();
}

} // namespace nordstjerna
