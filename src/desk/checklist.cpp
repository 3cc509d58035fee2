#include "desk/checklist.h"

#include <QGridLayout>
#include <QLabel>
#include <QPainter>
#include <QPushButton>
#include <QTimer>
#include <QVBoxLayout>

#include "charts/palette.h"
#include "charts/text.h"

namespace nordstjerna {

namespace {
class StateMark : public QWidget {
public:
    explicit StateMark(const Station& station) : station_(station) { setFixedSize(20, 20); }

protected:
    void paintEvent(QPaintEvent*) override {
        QPainter p(this);
        p.setRenderHint(QPainter::Antialiasing);
        paintStateMark(p, QRectF(rect()).center(), 12, station_.state());
    }

private:
    const Station& station_;
};
} // namespace

Checklist::Checklist(std::vector<Station*> stations, QWidget* parent) : QDialog(parent), next_(new QLabel) {
    setWindowTitle(tr("Checklist of the night"));
    setMinimumWidth(720);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(20, 16, 20, 16);
    column->setSpacing(12);
    next_->setObjectName("checklist-next");
    next_->setFont(textFont(15, true));
    column->addWidget(next_);
    auto* grid = new QGridLayout;
    grid->setHorizontalSpacing(12);
    grid->setVerticalSpacing(8);
    grid->setColumnStretch(3, 1);
    for (const Station* s : stations) {
        const int line = static_cast<int>(rows_.size());
        Row row{s, new StateMark(*s), new QLabel};
        row.state->setObjectName("muted");
        auto* title = new QPushButton(s->name());
        title->setObjectName("checklist-go");
        title->setProperty("compact", true);
        title->setToolTip(tr("Go to %1").arg(s->name()));
        connect(title, &QPushButton::clicked, this, [this, id = s->id()] { Q_EMIT wanted(id); });
        grid->addWidget(row.mark, line, 0);
        grid->addWidget(title, line, 1);
        grid->addWidget(new QLabel(stationPurpose(s->id())), line, 2);
        grid->addWidget(row.state, line, 3);
        rows_.push_back(row);
    }
    column->addLayout(grid);
    column->addStretch();
    auto* timer = new QTimer(this);
    connect(timer, &QTimer::timeout, this, &Checklist::refresh);
    timer->start(1000);
    refresh();
    adjustSize();
}

const Station* Checklist::next() const {
    for (const Row& r : rows_)
        if (stationInfo(r.station->id()).everyNight && r.station->state() != StationState::good)
            return r.station;
    return nullptr;
}

void Checklist::refresh() {
    for (const Row& r : rows_) {
        const QString summary = r.station->summary();
        const QString words = stateWords(r.station->state());
        r.state->setText(summary.isEmpty() || r.station->state() == StationState::open
                             ? words
                             : tr("%1: %2").arg(words, summary));
        r.mark->setAccessibleName(words);
        r.mark->update();
    }
    const Station* todo = next();
    next_->setText(todo ? tr("Next: %1. There you %2.").arg(todo->name(), stationPurpose(todo->id()))
                        : tr("All is done that a night needs."));
}

} // namespace nordstjerna
