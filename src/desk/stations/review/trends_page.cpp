#include "desk/stations/review/trends_page.h"

#include <QComboBox>
#include <QLabel>
#include <QSignalBlocker>
#include <QVBoxLayout>
#include <algorithm>

#include "charts/text.h"
#include "core/base/format.h"
#include "desk/pictures/trend_chart.h"

namespace nordstjerna {

TrendsPage::TrendsPage(QWidget* parent)
    : QWidget(parent), choice_(new QComboBox), words_(new QLabel), chart_(new TrendChart) {
    auto* all = new QVBoxLayout(this);
    all->setContentsMargins(0, 0, 0, 0);
    all->setSpacing(6);
    auto* row = new QHBoxLayout;
    choice_->setObjectName("trendOf");
    choice_->setAccessibleName(tr("The figure"));
    choice_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    choice_->setMinimumContentsLength(18);
    row->addWidget(choice_);
    words_->setObjectName("trendWords");
    words_->setWordWrap(true);
    row->addWidget(words_, 1);
    all->addLayout(row);
    all->addWidget(chart_, 1);
    connect(choice_, &QComboBox::currentIndexChanged, this, &TrendsPage::figureWanted);
    connect(chart_, &TrendChart::pointChosen, this,
            [this](int i) { Q_EMIT entryWanted(qs(points_[static_cast<size_t>(i)].entry)); });
}

void TrendsPage::show(const LogView& view, const CivilTime& zone) {
    zone_ = zone;
    const QSignalBlocker quiet(choice_);
    const QString before = choice_->currentData().toString();
    choice_->clear();
    for (const auto& [name, count] : view.figures)
        choice_->addItem(tr("%1 (%2)").arg(qs(figureLook(name).title)).arg(count), qs(name));
    choice_->setCurrentIndex(std::max(0, choice_->findData(before)));
    if (!view.trends)
        return;
    points_ = view.points;
    trend_ = view.trend;
    drawn_ = view.figure;
    draw();
}

QString TrendsPage::newest() const {
    return points_.empty() ? QString() : qs(points_.back().entry);
}

std::string TrendsPage::figure() const {
    return choice_->currentData().toString().toStdString();
}

QString TrendsPage::words() const {
    return words_->text();
}

void TrendsPage::draw() {
    std::vector<TrendPoint> points;
    for (const FigureAt& f : points_)
        points.push_back({f.when, f.value});
    const FigureLook look = figureLook(drawn_);
    const Trend& trend = trend_;
    chart_->show(points, trend, look, zone_);
    changes_.clear();
    for (const TrendChange& c : trend.changes)
        changes_ << tr("%1 changed on %2: %3 before, %4 since (%5 σ).")
                        .arg(qs(look.title), qs(zone_.day(points[c.at].when)),
                             qs(formatMeasured(c.before, look.unit, look.decimals)),
                             qs(formatMeasured(c.after, look.unit, look.decimals)),
                             qs(formatNumber(c.evidence_sigma, 1)));
    QString text = changes_.join(" ");
    if (!text.isEmpty())
        text[0] = text[0].toUpper();
    if (text.isEmpty() && points.size() >= 5)
        text = tr("No change stands out of the scatter: %1.")
                   .arg(qs(formatMeasured(trend.levels.front().value, look.unit, look.decimals)));
    else if (text.isEmpty())
        text = tr("Changes are searched for from five nights on.");
    words_->setText(text);
    Q_EMIT changed();
}

} // namespace nordstjerna
