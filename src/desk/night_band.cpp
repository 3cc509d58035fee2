#include "desk/night_band.h"

#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>
#include <algorithm>
#include <cmath>
#include <utility>

#include "charts/text.h"
#include "core/base/format.h"
#include "desk/theme.h"
#include "desk/widgets/pointer_keys.h"

namespace nordstjerna {

namespace {
constexpr double leftEdge = 16;
constexpr double rightEdge = 16;
constexpr double topEdge = 8;
constexpr double bottomEdge = 18;

QColor colourOf(NightBlock::Tone tone) {
    switch (tone) {
    case NightBlock::Tone::good:
        return theme().good;
    case NightBlock::Tone::attention:
        return theme().attention;
    case NightBlock::Tone::done:
        break;
    }
    return theme().muted;
}
} // namespace

NightBand::NightBand(const StationParts& parts, QWidget* parent) : QFrame(parent), parts_(parts) {
    setObjectName("band");
    setFixedHeight(76);
    setMouseTracking(true);
    setAccessibleName(tr("The night: target, twilight, what was done and what is planned"));
    new PointerKeys(this);
    compute();
    connect(&parts_.rigs, &RigBook::changed, this, &NightBand::compute);
    connect(&parts_.targets, &TargetBook::changed, this, &NightBand::compute);
    connect(&parts_.procedures, &ProcedureHost::busyChanged, this, [this] { update(); });
    connect(&ThemeSwitch::instance(), &ThemeSwitch::changed, this, [this] { update(); });
}

void NightBand::compute() {
    const Rig& rig = parts_.rigs.rig();
    night_ = parts_.night.almanac();
    if (night_) {
        track_ = skyTrack(rig.site, rig.horizon, parts_.targets.icrs(), night_->sunset, night_->sunrise, 180);
        meridian_ = meridianPassage(rig.site, parts_.targets.icrs(),
                                    night_->sunset + 0.5 * (night_->sunrise - night_->sunset));
    }
    update();
}

void NightBand::refresh() {
    update();
}

double NightBand::xOf(Instant t) const {
    const double f = (t - night_->sunset) / (night_->sunrise - night_->sunset);
    return leftEdge + f * (width() - leftEdge - rightEdge);
}

double NightBand::yOf(double altitude_deg) const {
    return height() - bottomEdge -
           std::clamp(altitude_deg, 0.0, 90.0) / 90.0 * (height() - topEdge - bottomEdge);
}

void NightBand::paintEvent(QPaintEvent* e) {
    QFrame::paintEvent(e);
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    p.setPen(QPen(theme().line, 1));
    p.drawLine(0, height() - 1, width(), height() - 1);
    p.setFont(textFont(11));
    if (!night_) {
        p.setPen(theme().muted);
        p.drawText(rect(), Qt::AlignCenter, tr("The Sun does not set here on this date."));
        return;
    }
    const double top = topEdge;
    const double bottom = height() - bottomEdge;
    const auto block = [&](Instant from, Instant to, const QColor& c) {
        p.fillRect(QRectF(xOf(from), top, xOf(to) - xOf(from), bottom - top), c);
    };
    const Night& n = *night_;
    block(n.sunset, n.sunrise, theme().sky[3]);
    const auto dusk = [&](const std::optional<Instant>& end, const std::optional<Instant>& start,
                          const QColor& c) {
        block(n.sunset, end.value_or(n.sunrise), c);
        if (start)
            block(*start, n.sunrise, c);
    };
    dusk(n.astronomicalEnd, n.astronomicalStart, theme().sky[2]);
    dusk(n.nauticalEnd, n.nauticalStart, theme().sky[1]);
    dusk(n.civilEnd, n.civilStart, theme().sky[0]);

    drawPlan(p);
    // What was done, at the lower edge.
    for (const NightBlock& b : parts_.night.blocks()) {
        const Instant to = b.open ? parts_.night.now() : b.to;
        p.fillRect(QRectF(xOf(b.from), bottom - 5, std::max(3.0, xOf(to) - xOf(b.from)), 5),
                   colourOf(b.tone));
    }
    p.setPen(QPen(theme().accent, 1, Qt::DashLine));
    if (meridian_ > n.sunset && meridian_ < n.sunrise) {
        p.drawLine(QPointF(xOf(meridian_), top), QPointF(xOf(meridian_), bottom));
        const Instant limit = meridian_ + parts_.rigs.rig().mount.meridianLimitEast.hours() * 3590.17;
        QColor window = theme().accent;
        window.setAlpha(45);
        p.fillRect(QRectF(xOf(meridian_), top, xOf(limit) - xOf(meridian_), bottom - top), window);
        p.setPen(theme().accent);
        const QRectF label(xOf(meridian_) - 84, bottom - 18, 80, 14);
        p.drawText(label, Qt::AlignRight | Qt::AlignBottom, tr("meridian"));
    }
    // Free stretches solid, hidden ones thin and dotted.
    for (size_t i = 1; i < track_.size(); ++i) {
        const bool hidden = track_[i].hidden;
        p.setPen(QPen(hidden ? theme().muted : theme().text, hidden ? 1.0 : 1.8,
                      hidden ? Qt::DotLine : Qt::SolidLine));
        p.drawLine(QPointF(xOf(track_[i - 1].when), yOf(track_[i - 1].place.altitude.deg())),
                   QPointF(xOf(track_[i].when), yOf(track_[i].place.altitude.deg())));
    }
    p.setPen(theme().muted);
    const int every = width() > 700 ? 1 : 2;
    int count = -1;
    for (const Instant t : parts_.rigs.civilTime().hours(n.sunset, n.sunrise)) {
        ++count;
        p.drawLine(QPointF(xOf(t), bottom), QPointF(xOf(t), bottom + 3));
        if (count % every == 0 && xOf(t) > leftEdge + 12 && xOf(t) < width() - rightEdge - 12)
            p.drawText(QRectF(xOf(t) - 30, bottom + 2, 60, 16), Qt::AlignCenter,
                       qs(parts_.rigs.civilTime().clock(t)));
    }
    const Instant now = parts_.night.now();
    if (now > n.sunset && now < n.sunrise) {
        p.setPen(QPen(theme().text, 2));
        p.drawLine(QPointF(xOf(now), 3), QPointF(xOf(now), bottom + 3));
        const ObservedFrame frame(parts_.rigs.rig().site, now);
        const AltAz place = altAzFrom(frame.seen(parts_.targets.icrs()));
        p.setFont(textFont(12));
        const bool right = xOf(now) < width() - 160;
        p.drawText(
            QRectF(right ? xOf(now) + 6 : xOf(now) - 156, 5, 150, 16), right ? Qt::AlignLeft : Qt::AlignRight,
            QString("%1 %2°").arg(qs(parts_.targets.name()), qs(formatNumber(place.altitude.deg(), 0))));
    }
}

// What the series means to do, lighter than what was done; its beginning and end can be drawn along.
void NightBand::drawPlan(QPainter& p) {
    const auto& plan = parts_.night.plan();
    if (!plan)
        return;
    const double bottom = height() - bottomEdge;
    drawBlocks(p, plan->blocks);
    // The targets after it, each with its name where there is room.
    p.setFont(textFont(11));
    for (const NightStretch& s : parts_.night.later()) {
        if (s.none)
            continue;
        drawBlocks(p, s.blocks);
        p.setPen(QPen(theme().muted, 1.0));
        p.drawLine(QPointF(xOf(s.from), bottom - 15), QPointF(xOf(s.from), bottom));
        p.setPen(theme().muted);
        p.drawText(QRectF(xOf(s.from) + 4, bottom - 22, xOf(s.to) - xOf(s.from) - 6, 14),
                   Qt::AlignLeft | Qt::AlignVCenter,
                   QFontMetrics(p.font()).elidedText(qs(s.name), Qt::ElideRight,
                                                     static_cast<int>(xOf(s.to) - xOf(s.from) - 6)));
    }
    const auto grip = [&](Grip which, Instant t) {
        const bool held = held_ == which;
        const double x = xOf(held ? heldAt_ : t);
        QColor line = theme().text;
        line.setAlpha(held ? 255 : 120);
        p.setPen(QPen(line, held ? 1.6 : 1.0));
        p.drawLine(QPointF(x, bottom - 15), QPointF(x, bottom));
        p.setPen(Qt::NoPen);
        p.setBrush(line);
        const double out = which == Grip::begin ? 6.0 : -6.0;
        p.drawPolygon(QPolygonF({{x, bottom - 17}, {x + out, bottom - 13}, {x, bottom - 9}}));
        if (!held)
            return;
        p.setPen(theme().text);
        const bool left = which == Grip::begin || x > width() - 60;
        p.drawText(QRectF(left ? x - 58 : x + 4, bottom - 32, 54, 16), left ? Qt::AlignRight : Qt::AlignLeft,
                   qs(parts_.rigs.civilTime().clock(heldAt_)));
    };
    if (const auto begins = planBegins())
        grip(Grip::begin, *begins);
    grip(Grip::end, plan->ends);
}

void NightBand::drawBlocks(QPainter& p, const std::vector<PlanBlock>& blocks) const {
    const double bottom = height() - bottomEdge;
    for (const PlanBlock& b : blocks) {
        if (b.kind == PlanKind::wait)
            continue;
        QColor c = b.kind == PlanKind::frame  ? theme().good
                   : b.kind == PlanKind::flip ? theme().attention
                                              : theme().accent;
        c.setAlpha(b.kind == PlanKind::frame ? 70 : 110);
        p.fillRect(QRectF(xOf(b.from), bottom - 5, std::max(1.0, xOf(b.to) - xOf(b.from)), 5), c);
    }
}

std::optional<Instant> NightBand::planBegins() const {
    const auto& plan = parts_.night.plan();
    if (!plan || plan->blocks.empty())
        return std::nullopt;
    const PlanBlock& first = plan->blocks.front();
    if (first.kind == PlanKind::wait)
        return first.to;
    return first.kind == PlanKind::begin ? std::optional(first.from) : std::nullopt;
}

Instant NightBand::timeAt(double x) const {
    const double f = std::clamp((x - leftEdge) / (width() - leftEdge - rightEdge), 0.0, 1.0);
    return night_->sunset + f * (night_->sunrise - night_->sunset);
}

NightBand::Grip NightBand::gripAt(QPointF at) const {
    constexpr double reach = 6.0;
    const auto& plan = parts_.night.plan();
    if (!night_ || !plan || at.y() < height() - bottomEdge - 22 || at.y() > height() - bottomEdge + 4)
        return Grip::none;
    if (std::abs(at.x() - xOf(plan->ends)) < reach)
        return Grip::end;
    const auto begins = planBegins();
    return begins && std::abs(at.x() - xOf(*begins)) < reach ? Grip::begin : Grip::none;
}

// The one that lies uppermost there.
const NightBlock* NightBand::blockAt(QPointF at) const {
    if (!night_ || at.y() < height() - bottomEdge - 8 || at.y() > height() - bottomEdge + 2)
        return nullptr;
    const auto& blocks = parts_.night.blocks();
    for (auto b = blocks.rbegin(); b != blocks.rend(); ++b)
        if (at.x() >= xOf(b->from) - 2 && at.x() <= std::max(xOf(b->to), xOf(b->from) + 3) + 2)
            return &*b;
    return nullptr;
}

void NightBand::mousePressEvent(QMouseEvent* e) {
    if (e->button() != Qt::LeftButton)
        return;
    held_ = gripAt(e->position());
    if (held_ != Grip::none)
        heldAt_ = timeAt(e->position().x());
    else if (const NightBlock* b = blockAt(e->position()); b && !b->entry.empty() && !b->open)
        Q_EMIT entryWanted(qs(b->entry));
    update();
}

void NightBand::mouseReleaseEvent(QMouseEvent*) {
    const Grip held = std::exchange(held_, Grip::none);
    if (held == Grip::begin)
        Q_EMIT beginDragged(heldAt_);
    else if (held == Grip::end)
        Q_EMIT endDragged(heldAt_);
    update();
}

void NightBand::mouseMoveEvent(QMouseEvent* e) {
    if (!night_)
        return;
    if (held_ != Grip::none) {
        heldAt_ = timeAt(e->position().x());
        update();
        return;
    }
    const Grip over = gripAt(e->position());
    setCursor(over == Grip::none ? Qt::ArrowCursor : Qt::SizeHorCursor);
    if (over != Grip::none) {
        QToolTip::showText(e->globalPosition().toPoint() + QPoint(8, 8),
                           over == Grip::begin ? tr("Start of the series: drag to change")
                                               : tr("End of the series: draw it to another time"),
                           this);
        return;
    }
    const double f = (e->position().x() - leftEdge) / (width() - leftEdge - rightEdge);
    if (f < 0.0 || f > 1.0)
        return;
    const Instant t = timeAt(e->position().x());
    const auto& point = track_[static_cast<size_t>(std::lround(f * static_cast<double>(track_.size() - 1)))];
    QString text =
        tr("%1 · %2 at altitude %3°, azimuth %4°%5 · Sun %6°")
            .arg(qs(parts_.rigs.civilTime().clock(t)), qs(parts_.targets.name()),
                 qs(formatNumber(point.place.altitude.deg(), 0)),
                 qs(formatNumber(point.place.azimuth.deg(), 0)), point.hidden ? tr(", hidden") : "",
                 qs(formatNumber(sunAltitude(parts_.rigs.rig().site, t).deg(), 0)));
    for (const NightBlock& b : parts_.night.blocks())
        if (e->position().x() >= xOf(b.from) - 2 &&
            e->position().x() <= std::max(xOf(b.to), xOf(b.from) + 3) + 2)
            text += "\n" + b.label + " " + qs(parts_.rigs.civilTime().clock(b.from));
    QToolTip::showText(e->globalPosition().toPoint() + QPoint(8, 8), text, this);
}

} // namespace nordstjerna
