#include "desk/widgets/step_bar.h"

#include <QPainter>
#include <cmath>

#include "charts/text.h"
#include "core/base/format.h"
#include "desk/theme.h"

namespace nordstjerna {

StepBar::StepBar(QWidget* parent) : QWidget(parent) {
    setMinimumHeight(40);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    connect(&ThemeSwitch::instance(), &ThemeSwitch::changed, this, [this] { update(); });
}

void StepBar::show(const Progress& progress) {
    progress_ = progress;
    setVisible(!progress.steps.empty());
    // Told once, however often it comes.
    if (const QString whole = line(); whole != toolTip()) {
        setToolTip(whole);
        setAccessibleDescription(whole);
    }
    update();
}

QString StepBar::line() const {
    QString text = qs(progress_.waitingFor);
    if (!text.isEmpty())
        text = tr("Now: ") + text;
    if (progress_.timeLeft_s >= 0.5) { // less is told by what it waits for
        // Rounded, since the estimate is rough.
        const double left =
            progress_.timeLeft_s > 60 ? std::round(progress_.timeLeft_s / 10) * 10 : progress_.timeLeft_s;
        text += (text.isEmpty() ? "" : " · ") + tr("about %1 left").arg(qs(formatDuration(left)));
    }
    return text;
}

void StepBar::paintEvent(QPaintEvent*) {
    if (progress_.steps.empty())
        return;
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.setFont(textFont(12));
    const QFontMetricsF metrics(p.font());
    double x = 4;
    const double y = 14;
    for (const ProgressStep& s : progress_.steps) {
        using State = ProgressStep::State;
        const QPointF c(x + 5, y - 4);
        p.setPen(QPen(s.state == State::ahead ? theme().muted : theme().text, 1.3));
        p.setBrush(s.state == State::done ? QBrush(theme().text) : Qt::NoBrush);
        p.drawEllipse(c, 4, 4);
        if (s.state == State::running) {
            p.setBrush(theme().accent);
            p.setPen(Qt::NoPen);
            p.drawPie(QRectF(c.x() - 4, c.y() - 4, 8, 8), 90 * 16, -180 * 16);
        }
        p.setPen(s.state == State::running ? theme().text : theme().muted);
        const QString name = qs(s.name);
        p.drawText(QPointF(x + 13, y), name);
        x += 13 + metrics.horizontalAdvance(name) + 14;
    }
    p.setPen(theme().muted);
    p.drawText(QPointF(4, y + 19), metrics.elidedText(toolTip(), Qt::ElideRight, width() - 8));
}

} // namespace nordstjerna
