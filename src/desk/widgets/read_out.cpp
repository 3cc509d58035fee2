#include "desk/widgets/read_out.h"

#include <QHBoxLayout>
#include <QVBoxLayout>

#include "desk/theme.h"

namespace nordstjerna {

namespace {
constexpr int cardMargin = 14, cardHeight = 92;

// Whole parts of it, as many as there is room for; the rest is in the tooltip.
QString shortened(QString note, const QFontMetrics& metrics, int room) {
    const auto lastBegins = [&] { return std::max(note.lastIndexOf(" · "), note.lastIndexOf(", ")); };
    while (metrics.horizontalAdvance(note) > room && lastBegins() > 0)
        note.truncate(lastBegins());
    return metrics.elidedText(note, Qt::ElideRight, room);
}
} // namespace

ReadOut::ReadOut(const QString& title, QWidget* parent)
    : QFrame(parent), title_(new QLabel), value_(new QLabel), unit_(new QLabel), note_(new QLabel) {
    setObjectName("card");
    // All in a row are as wide as each other, whatever they show: nothing shifts while figures change.
    setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(cardMargin, 8, cardMargin, 8);
    column->setSpacing(0);
    auto* row = new QHBoxLayout;
    row->setSpacing(6);
    row->addWidget(value_, 0, Qt::AlignBaseline);
    row->addWidget(unit_, 0, Qt::AlignBaseline);
    row->addStretch();
    column->addWidget(title_);
    column->addLayout(row);
    column->addWidget(note_);
    title_->setObjectName("muted");
    title_->setWordWrap(true);
    title_->setAlignment(Qt::AlignLeft | Qt::AlignTop); // alike in all of a row, whatever they show
    note_->setAlignment(Qt::AlignLeft | Qt::AlignBottom);
    unit_->setObjectName("muted");
    note_->setObjectName("muted");
    for (QLabel* l : {value_, note_})
        l->setMinimumWidth(1);
    setMinimumWidth(110);
    value_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    setTitle(title);
    showNothing("");
    restyle();
    connect(&ThemeSwitch::instance(), &ThemeSwitch::changed, this, &ReadOut::restyle);
}

void ReadOut::restyle() {
    title_->setFont(textFont(11));
    unit_->setFont(textFont(14));
    note_->setFont(textFont(12));
    fitTitle();
    fit();
}

void ReadOut::fitTitle() {
    // A title that is too long for one line makes the card higher, and shifts nothing beside it.
    const QFontMetrics title(textFont(11));
    const int lines = title
                          .boundingRect(QRect(0, 0, std::max(width() - 2 * cardMargin, 40), 1000),
                                        Qt::TextWordWrap, title_->text())
                          .height() /
                      std::max(1, title.height());
    setFixedHeight(cardHeight + (std::max(lines, 1) - 1) * title.lineSpacing());
}

void ReadOut::fit() {
    const int room = width() - 3 * cardMargin; // with the gaps beside the unit
    const int unit =
        unit_->text().isEmpty() ? 0 : QFontMetrics(textFont(14)).horizontalAdvance(unit_->text()) + 6;
    const auto fits = [&](int px, int beside) {
        return QFontMetrics(textFont(px, true)).horizontalAdvance(value_->text()) + beside <= room;
    };
    // Too narrow for both: the unit goes down to the note, the figure stays whole.
    constexpr int smallest = 22;
    const bool beside = fits(smallest, unit);
    unit_->setVisible(beside);
    int px = 34;
    while (px > 18 && !fits(px, beside ? unit : 0))
        --px;
    value_->setFont(textFont(px, true));
    const QString note = beside || unit_->text().isEmpty() ? fullNote_
                         : fullNote_.isEmpty()             ? unit_->text()
                                                           : unit_->text() + " · " + fullNote_;
    note_->setText(shortened(note, QFontMetrics(textFont(12)), width() - 2 * cardMargin - 2));
    note_->setToolTip(note);
}

void ReadOut::setTitle(const QString& title) {
    title_->setText(title.toUpper());
    fitTitle();
}

void ReadOut::show(const QString& value, const QString& unit, const QString& note) {
    value_->setText(value);
    unit_->setText(unit);
    fullNote_ = note;
    fit();
}

} // namespace nordstjerna
