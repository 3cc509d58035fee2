#include "desk/widgets/enough_card.h"

#include <QPainter>

#include "charts/text.h"
#include "core/base/format.h"
#include "desk/theme.h"
#include "desk/widgets/marks.h"

namespace nordstjerna {

QString timeLeftText(double left_s) {
    if (left_s < 0.0)
        return QObject::tr("not yet known");
    if (left_s == 0.0)
        return QObject::tr("enough");
    if (left_s > 7200.0)
        return QObject::tr("hours more");
    return QObject::tr("%1 more").arg(qs(formatDuration(left_s)));
}

EnoughCard::EnoughCard(QWidget* parent) : QFrame(parent) {
    setObjectName("card");
    setFixedWidth(232);
    setMinimumHeight(180);
    connect(&ThemeSwitch::instance(), &ThemeSwitch::changed, this, [this] { update(); });
}

void EnoughCard::show(const std::vector<WantedFigure>& figures) {
    figures_ = figures;
    update();
}

void EnoughCard::paintEvent(QPaintEvent* e) {
    QFrame::paintEvent(e);
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(theme().muted);
    p.setFont(textFont(11));
    p.drawText(QRectF(14, 10, width() - 28, 16), Qt::AlignLeft, tr("RECORDED ENOUGH?"));
    if (figures_.empty()) {
        p.setFont(textFont(12));
        p.drawText(
            QRectF(14, 34, width() - 28, height() - 44), Qt::AlignLeft | Qt::TextWordWrap,
            tr("While a free run is recorded, each wanted figure stands here with the time left until it "
               "is good. Five minutes show drift and noise; two turns of the worm show its error."));
        return;
    }
    const double step = std::min(58.0, (height() - 40.0) / static_cast<double>(figures_.size()));
    double y = 34.0;
    for (const WantedFigure& f : figures_) {
        const bool good = f.left_s == 0.0;
        paintStateMark(p, {21, y + 9}, 10, good ? StationState::good : StationState::open);
        p.setPen(theme().text);
        p.setFont(textFont(13, true));
        p.drawText(QRectF(36, y, 120, 18), Qt::AlignLeft | Qt::AlignVCenter, qs(f.name));
        p.setPen(good ? theme().good : theme().text);
        p.setFont(textFont(12));
        p.drawText(QRectF(36, y, width() - 50, 18), Qt::AlignRight | Qt::AlignVCenter,
                   timeLeftText(f.left_s));
        if (step >= 34.0) {
            p.setPen(theme().muted);
            p.setFont(textFont(12));
            p.drawText(QRectF(36, y + 18, width() - 46, 16), Qt::AlignLeft | Qt::AlignVCenter, qs(f.state));
        }
        y += step;
    }
}

} // namespace nordstjerna
