#include "desk/rail.h"

#include <QKeyEvent>
#include <QPainter>
#include <algorithm>

#include "charts/text.h"
#include "core/base/format.h"
#include "desk/theme.h"

namespace nordstjerna {

RailRow::RailRow(const Station& station, QWidget* parent) : QAbstractButton(parent), station_(station) {
    setCheckable(true);
    setText(station.name());
    setFocusPolicy(Qt::StrongFocus);
    setCursor(Qt::PointingHandCursor);
    retell();
}

void RailRow::retell() {
    QString words = tr("%1: %2, %3").arg(station_.name(), stateWords(station_.state()), station_.summary());
    if (const QKeySequence keys = stationKeys(station_.id()); !keys.isEmpty())
        words += " (" + keys.toString(QKeySequence::NativeText) + ")";
    if (accessibleName() != words) {
        setAccessibleName(words);
        setToolTip(words);
    }
    update();
}

void RailRow::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const QRectF r(rect());
    const bool narrow = width() < 120;
    if (isChecked() || hasFocus()) {
        p.setPen(QPen(hasFocus() ? theme().accent : theme().line, 1));
        p.setBrush(isChecked() ? theme().raised : QColor(Qt::transparent));
        p.drawRoundedRect(r.adjusted(0.5, 0.5, -0.5, -0.5), 4, 4);
    }
    if (isChecked())
        p.fillRect(QRectF(r.left(), r.top(), 3, r.height()), theme().accent);
    paintStateMark(p, {r.left() + (narrow ? 14 : 20), r.center().y()}, 12, station_.state());
    const QIcon icon = tintedIcon(station_.icon(), isChecked() ? theme().accent : theme().muted);
    icon.paint(&p,
               QRect(int(r.left()) + (narrow ? 27 : 36), int(r.center().y()) - (narrow ? 9 : 18), 18, 18));
    if (narrow)
        return;
    p.setPen(theme().text);
    p.setFont(textFont(15, isChecked()));
    const double middle = r.center().y();
    p.drawText(QRectF(r.left() + 60, middle - 20, 100, 22), Qt::AlignLeft | Qt::AlignVCenter,
               station_.name());
    p.setPen(theme().muted);
    p.setFont(textFont(11));
    p.drawText(QRectF(r.right() - 24, middle - 18, 16, 18), Qt::AlignRight | Qt::AlignVCenter,
               stationNumber(station_.id()));
    p.setFont(textFont(12));
    const QString line = p.fontMetrics().elidedText(station_.summary(), Qt::ElideRight, int(r.width()) - 66);
    p.drawText(QRectF(r.left() + 60, middle + 2, r.width() - 64, 18), Qt::AlignLeft | Qt::AlignVCenter, line);
}

void RailRow::keyPressEvent(QKeyEvent* e) {
    if (e->key() == Qt::Key_Up)
        focusNextPrevChild(false);
    else if (e->key() == Qt::Key_Down)
        focusNextPrevChild(true);
    else if (e->key() == Qt::Key_Return || e->key() == Qt::Key_Enter)
        click();
    else
        QAbstractButton::keyPressEvent(e);
}

Rail::Rail(RigBook& rigs, ThisNight& night, std::vector<Station*> stations, QWidget* parent)
    : QFrame(parent), rigs_(rigs), night_(night) {
    setObjectName("rail");
    setFixedWidth(200);
    for (Station* s : stations) {
        auto* row = new RailRow(*s, this);
        rows_.push_back(row);
        connect(row, &RailRow::clicked, this, [this, id = s->id()] { Q_EMIT chosen(id); });
        connect(s, &Station::changed, row, &RailRow::retell);
    }
    connect(&rigs, &RigBook::changed, this, [this] { retell(); });
    connect(&ThemeSwitch::instance(), &ThemeSwitch::changed, this, [this] { retell(); });
}

void Rail::retell() {
    for (RailRow* r : rows_)
        r->retell();
    update();
}

void Rail::setCurrent(StationId id) {
    for (RailRow* r : rows_)
        r->setChecked(r->id() == id);
}

void Rail::setNarrow(bool narrow) {
    setFixedWidth(narrow ? 64 : 200);
    arrange();
}

void Rail::resizeEvent(QResizeEvent* e) {
    QFrame::resizeEvent(e);
    arrange();
}

void Rail::arrange() {
    const double head = 76.0;
    const double pitch = std::clamp((height() - head) / static_cast<double>(rows_.size()), 36.0, 58.0);
    for (size_t i = 0; i < rows_.size(); ++i)
        rows_[i]->setGeometry(8, int(head + pitch * static_cast<double>(i)), width() - 16, int(pitch - 6));
    update();
}

void Rail::paintEvent(QPaintEvent* e) {
    QFrame::paintEvent(e);
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(QPen(theme().line, 1));
    p.drawLine(width() - 1, 0, width() - 1, height());
    paintStarMark(p, {31, 36}, 30, theme().accent);
    if (width() < 120)
        return;
    p.setPen(theme().text);
    p.setFont(textFont(18, true));
    p.drawText(QRectF(56, 22, 140, 28), Qt::AlignLeft | Qt::AlignVCenter, "Nordstjerna");
    const Rig& rig = rigs_.rig();
    double y = height() - 128.0;
    if (y < rows_.back()->geometry().bottom() + 14)
        return; // no room for what is told elsewhere too
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
    block(tr("NIGHT"), qs(rigs_.civilTime().day(night_.now())), qs(rig.siteName));
}

} // namespace nordstjerna
