#include "desk/widgets/choice_tiles.h"

#include <QHBoxLayout>
#include <QPainter>
#include <algorithm>

#include "desk/theme.h"

namespace nordstjerna {

namespace {
constexpr int tileMargin = 8;
constexpr int titleSize = 12, summarySize = 12;
} // namespace

ChoiceTile::ChoiceTile(const QString& title, QWidget* parent) : QAbstractButton(parent) {
    setText(title);
    setCheckable(true);
    setFocusPolicy(Qt::TabFocus);
    setAttribute(Qt::WA_Hover);
    setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
    setMinimumWidth(minimumSizeHint().width());
    connect(&ThemeSwitch::instance(), &ThemeSwitch::changed, this, [this] { update(); });
}

void ChoiceTile::setSummary(const QString& summary) {
    if (summary == summary_)
        return;
    summary_ = summary;
    setAccessibleName(tr("%1: %2").arg(text(), summary));
    setToolTip(summary);
    update();
    Q_EMIT summaryChanged();
}

// The title is never cut.
QSize ChoiceTile::minimumSizeHint() const {
    QFont title = textFont(titleSize);
    title.setBold(true);
    return {2 * tileMargin + 2 + QFontMetrics(title).horizontalAdvance(text()), sizeHint().height()};
}

int ChoiceTile::wanted() const {
    const int summary = QFontMetrics(textFont(summarySize)).horizontalAdvance(summary_);
    return std::max(minimumSizeHint().width(), 2 * tileMargin + 2 + summary);
}

QSize ChoiceTile::sizeHint() const {
    const int lines =
        QFontMetrics(textFont(titleSize)).height() + QFontMetrics(textFont(summarySize)).height();
    return {120, lines + 12};
}

void ChoiceTile::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const Theme& t = theme();
    const QRectF box = QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5);
    p.setPen(Qt::NoPen);
    p.setBrush(isChecked() ? t.raised : t.base);
    p.drawRoundedRect(box, 4, 4);
    if (isChecked())
        p.fillRect(QRectF(box.left() + 4, box.bottom() - 2, box.width() - 8, 2), t.accent);
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(hasFocus() || underMouse() ? t.accent : t.line, hasFocus() ? 2.0 : 1.0));
    p.drawRoundedRect(hasFocus() ? box.adjusted(0.5, 0.5, -0.5, -0.5) : box, 4, 4);
    const int room = width() - 2 * tileMargin;
    QFont title = textFont(titleSize);
    title.setBold(isChecked());
    const QFontMetrics titleMetrics(title);
    const QFont summary = textFont(summarySize);
    const QFontMetrics metrics(summary);
    p.setFont(title);
    p.setPen(t.muted);
    p.drawText(tileMargin, 5 + titleMetrics.ascent(), titleMetrics.elidedText(text(), Qt::ElideRight, room));
    p.setFont(summary);
    p.setPen(t.text);
    p.drawText(tileMargin, 6 + titleMetrics.height() + metrics.ascent(),
               metrics.elidedText(summary_, Qt::ElideRight, room));
}

ChoiceTiles::ChoiceTiles(const QStringList& titles, QWidget* parent)
    : QWidget(parent), row_(new QHBoxLayout(this)) {
    row_->setContentsMargins(0, 0, 0, 0);
    row_->setSpacing(6);
    for (int i = 0; i < titles.size(); ++i) {
        auto* tile = new ChoiceTile(titles[i]);
        connect(tile, &QAbstractButton::clicked, this, [this, i] {
            open(i);
            Q_EMIT chosen(i);
        });
        row_->addWidget(tile, tile->wanted());
        connect(tile, &ChoiceTile::summaryChanged, this,
                [this, i] { row_->setStretch(i, tiles_[static_cast<size_t>(i)]->wanted()); });
        tiles_.push_back(tile);
    }
    open(0);
}

void ChoiceTiles::open(int index) {
    current_ = index;
    for (size_t i = 0; i < tiles_.size(); ++i)
        tiles_[i]->setChecked(static_cast<int>(i) == index);
}

} // namespace nordstjerna
