#include "desk/stations/guide/tune_sheet.h"

#include <QCheckBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

#include "charts/text.h"
#include "core/base/format.h"
#include "desk/theme.h"
#include "desk/widgets/empty_layout.h"

namespace nordstjerna {

TuneSheet::TuneSheet(QWidget* parent)
    : QFrame(parent), headline_(new QLabel), detail_(new QLabel), rows_(new QVBoxLayout),
      use_(new QPushButton(tr("Use these"))), undo_(new QPushButton(tr("Undo all of it"))) {
    setObjectName("card");
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(14, 10, 14, 10);
    column->setSpacing(6);
    headline_->setFont(textFont(15, true));
    headline_->setWordWrap(true);
    headline_->setObjectName("tuneHeadline");
    detail_->setObjectName("muted");
    detail_->setFont(textFont(12));
    detail_->setWordWrap(true);
    rows_->setSpacing(3);
    column->addWidget(headline_);
    column->addWidget(detail_);
    column->addLayout(rows_);
    auto* line = new QHBoxLayout;
    auto* close = new QPushButton(tr("Close"));
    use_->setObjectName("tuneUse");
    undo_->setObjectName("tuneUndo");
    line->addWidget(use_);
    line->addWidget(undo_);
    line->addStretch();
    line->addWidget(close);
    column->addLayout(line);
    connect(use_, &QPushButton::clicked, this, [this] {
        std::vector<Recommendation> chosen;
        for (const auto& [box, change] : ticks_)
            if (box->isChecked())
                chosen.push_back(change);
        if (!chosen.empty())
            Q_EMIT useWanted(chosen);
    });
    connect(undo_, &QPushButton::clicked, this, &TuneSheet::undoWanted);
    connect(close, &QPushButton::clicked, this, [this] {
        hide();
        Q_EMIT closed();
    });
    hide();
}

void TuneSheet::clearChanges() {
    ticks_.clear();
    emptyLayout(*rows_);
    use_->hide();
    undo_->hide();
}

void TuneSheet::working(double share) {
    clearChanges();
    headline_->setText(tr("Replaying settings on the run"));
    detail_->setText(tr("%1 %").arg(static_cast<int>(100.0 * share)));
    QFrame::show();
}

void TuneSheet::show(const Tune& t, const QString& record) {
    clearChanges();
    const QString now = t.guided ? tr("Now %1").arg(qs(figuresText(t.now)))
                                 : tr("With the settings in use %1").arg(qs(figuresText(t.now)));
    const double bound = t.bound.total_arcsec();
    const QString from =
        tr("From %1, %2 settings replayed; no controller at this exposure could leave less than %3″.")
            .arg(record)
            .arg(t.tried)
            .arg(qs(formatNumber(bound, 2)));
    if (!t.gains()) {
        headline_->setText(tr("Nothing to gain. %1").arg(now));
        detail_->setText(from);
        QFrame::show();
        return;
    }
    headline_->setText(tr("%1 → %2").arg(now, qs(figuresText(t.proposed))));
    detail_->setText(from);
    for (const Recommendation& r : t.changes) {
        auto* box = new QCheckBox(qs(r.headline.then(r.reason, ". ")));
        box->setChecked(true);
        box->setToolTip(qs(r.evidence));
        box->setFont(textFont(13));
        rows_->addWidget(box);
        ticks_.emplace_back(box, r);
    }
    use_->show();
    QFrame::show();
}

void TuneSheet::show(const Problem& p) {
    clearChanges();
    headline_->setText(qs(p.what));
    detail_->setText(qs(p.why.then(p.remedy)));
    QFrame::show();
}

void TuneSheet::inUse(const QString& since, const QString& brought) {
    clearChanges();
    headline_->setText(brought.isEmpty() ? tr("In use since %1").arg(since) : brought);
    detail_->setText(brought.isEmpty() ? tr("After ten minutes this says what it achieved.")
                                       : tr("In use since %1.").arg(since));
    undo_->show();
}

void TuneSheet::over(const QString& words) {
    clearChanges();
    headline_->setText(words);
    detail_->clear();
}

} // namespace nordstjerna
