#include "desk/stations/review/trends_page.h"

#include <QComboBox>
#include <QLabel>
#include <QSignalBlocker>
#include <QVBoxLayout>

#include "charts/text.h"
#include "core/base/format.h"
#include "desk/pictures/trend_chart.h"

namespace nordstjerna {

namespace {
// What is asked for most, above the rest.
constexpr const char* askedFirst[] = {"total_rms_arcsec",    "mount_part_arcsec", "worm_peak_to_peak_arcsec",
                                      "dec_backlash_arcsec", "pole_total_arcmin", "ra_rate_px_s"};
} // namespace

TrendsPage::TrendsPage(Logbook& book, QWidget* parent)
    : QWidget(parent), book_(book), choice_(new QComboBox), words_(new QLabel), chart_(new TrendChart) {
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
    connect(choice_, &QComboBox::currentIndexChanged, this, &TrendsPage::draw);
    connect(chart_, &TrendChart::pointChosen, this,
            [this](int i) { Q_EMIT entryWanted(qs(points_[static_cast<size_t>(i)].entry)); });
}

void TrendsPage::refresh(const std::string& rigId, const CivilTime& zone) {
    rigId_ = rigId;
    zone_ = zone;
    const auto log = book_.log();
    if (!log)
        return;
    const auto names = (*log)->figureNames(rigId);
    if (!names)
        return;
    const QString before = choice_->currentData().toString();
    {
        const QSignalBlocker quiet(choice_);
        choice_->clear();
        const auto add = [&](const std::string& name, int count) {
            choice_->addItem(tr("%1 (%2)").arg(qs(figureLook(name).title)).arg(count), qs(name));
        };
        const auto wanted = [](const std::string& name) {
            return std::find_if(std::begin(askedFirst), std::end(askedFirst),
                                [&](const char* f) { return name == f; }) != std::end(askedFirst);
        };
        for (const char* f : askedFirst)
            for (const auto& [name, count] : *names)
                if (name == f)
                    add(name, count);
        for (const auto& [name, count] : *names)
            if (!wanted(name) && name != "rows" && name != "span_s")
                add(name, count);
        choice_->setCurrentIndex(std::max(0, choice_->findData(before)));
    }
    draw();
}

void TrendsPage::choose(const QString& figure) {
    if (const int at = choice_->findData(figure); at >= 0)
        choice_->setCurrentIndex(at);
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
    const std::string name = figure();
    points_.clear();
    const auto log = book_.log();
    if (log && !name.empty())
        if (auto found = (*log)->figureOver(name, rigId_))
            points_ = std::move(*found);
    std::vector<TrendPoint> points;
    for (const FigureAt& f : points_)
        points.push_back({f.when, f.value});
    const FigureLook look = figureLook(name);
    trend_ = trendOf(points);
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
        text = tr("With five or more, changes are looked for.");
    words_->setText(text);
    Q_EMIT changed();
}

} // namespace nordstjerna
