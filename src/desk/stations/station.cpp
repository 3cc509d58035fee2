#include "desk/stations/station.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>
#include <algorithm>

#include "charts/text.h"
#include "core/procedure/slew.h"
#include "desk/pictures/picture.h"
#include "desk/theme.h"
#include "desk/widgets/phase_bar.h"
#include "desk/widgets/read_out.h"
#include "desk/widgets/step_bar.h"

namespace nordstjerna {

Station::Station(const StationParts& parts, StationId id, QWidget* parent)
    : QWidget(parent), parts_(parts), id_(id), phase_(new QLabel), sentence_(new QLabel),
      bench_(new QVBoxLayout), figures_(new QHBoxLayout), buttons_(new FlowRow), primary_(new QPushButton),
      steps_(new StepBar) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(16, 12, 16, 10);
    column->setSpacing(8);
    setFocusPolicy(Qt::ClickFocus); // no button waits for a careless Space
    phase_->setObjectName("muted");
    sentence_->setWordWrap(true);
    primary_->setObjectName("primary");
    auto* head = new QVBoxLayout;
    head->setSpacing(2);
    head->addWidget(phase_);
    head->addWidget(sentence_);
    column->addLayout(head);
    bench_->setSpacing(8);
    column->addLayout(bench_, 1);
    figures_->setSpacing(8);
    column->addLayout(figures_);
    buttons_->addWidget(primary_);
    column->addLayout(buttons_);
    column->addWidget(steps_);
    steps_->hide(); // nothing runs
    restyle();
    connect(&ThemeSwitch::instance(), &ThemeSwitch::changed, this, &Station::restyle);
}

void Station::restyle() {
    phase_->setFont(textFont(11));
    sentence_->setFont(textFont(16));
}

void Station::say(const QString& phase, const QString& sentence) {
    phase_->setText((name() + (phase.isEmpty() ? "" : " · " + phase)).toUpper());
    sentence_->setText(sentence);
}

void Station::setPrimary(const QString& text, bool enabled) {
    primary_->setText(text);
    primary_->setEnabled(enabled);
    primary_->setToolTip(enabled || procedures().free()
                             ? QString()
                             : tr("%1 is under way: stop it first.").arg(procedures().busyWith()));
}

void Station::slewTo(const HourAngleDec& target, const QString& purpose,
                     const std::function<void()>& refresh) {
    slewing_ = true;
    procedures().run<Slew, Progress>(
        std::make_shared<Slew>(rigs().rig(), target, purpose.toStdString()),
        [](const Slew& s) { return s.progress(); }, [this](const Progress& p) { steps_->show(p); },
        [this, refresh](const std::shared_ptr<Slew>&, const Expected<void>&) {
            slewing_ = false;
            steps_->clear();
            refresh();
        });
    if (!procedures().busy())
        slewing_ = false;
    refresh();
}

QList<Station::Landmark> Station::landmarks() const {
    QList<Landmark> all;
    const auto note = [&](const QWidget* part, const QString& words) {
        if (part && part->isVisibleTo(this) && part->width() > 0)
            all << Landmark{QRect(part->mapTo(this, QPoint(0, 0)), part->size()), words};
    };
    note(sentence_, tr("What is so now, and what to do about it."));
    note(findChild<PhaseBar*>(), tr("The pages of this station, in the order they are used."));
    // The largest picture, and the first figure.
    const QWidget* picture = nullptr;
    for (const Picture* p : findChildren<Picture*>())
        if (p->isVisibleTo(this) &&
            (!picture || p->width() * p->height() > picture->width() * picture->height()))
            picture = p;
    note(picture, tr("The picture. Point at it, or move a cursor with the arrow keys, to read a value."));
    for (const ReadOut* r : findChildren<ReadOut*>())
        if (r->isVisibleTo(this)) {
            note(r, tr("A figure with its ±. F11 lets it fill the screen."));
            break;
        }
    note(primary_, tr("The next step. What else can be done stands beside it."));
    std::stable_sort(all.begin(), all.end(),
                     [](const Landmark& a, const Landmark& b) { return a.where.top() < b.where.top(); });
    return all;
}

QList<std::function<FigureText()>> Station::largeFigures() const {
    QList<std::function<FigureText()>> all;
    for (const ReadOut* r : findChildren<ReadOut*>())
        if (r->isVisibleTo(this))
            all << [r] { return r->figure(); };
    return all;
}

} // namespace nordstjerna
