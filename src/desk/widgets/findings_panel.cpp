#include "desk/widgets/findings_panel.h"

#include <QCoreApplication>
#include <QHBoxLayout>
#include <QLabel>
#include <QPainter>
#include <QPushButton>
#include <QScrollArea>
#include <algorithm>

#include "charts/text.h"
#include "desk/theme.h"
#include "desk/widgets/marks.h"

namespace nordstjerna {

namespace {

class WeightMark : public QWidget {
public:
    explicit WeightMark(Weight weight) : weight_(weight) { setFixedSize(16, 18); }

protected:
    void paintEvent(QPaintEvent*) override {
        QPainter p(this);
        paintWeightMark(p, {7, 10}, 11, weight_);
    }

private:
    Weight weight_;
};

QLabel* words(const QString& text, double px, bool bold, bool muted) {
    // A unit such as ″/min is one word.
    auto* label = new QLabel(QString(text).replace("″/", "″\u2060/\u2060"));
    label->setFont(textFont(px, bold));
    label->setWordWrap(true);
    if (muted)
        label->setObjectName("muted");
    return label;
}

} // namespace

FindingsPanel::FindingsPanel(QWidget* parent) : QFrame(parent), list_(new QVBoxLayout) {
    setObjectName("panel");
    setFixedWidth(280);
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(0, 0, 0, 0);
    auto* scroll = new QScrollArea;
    scroll->setWidgetResizable(true);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    auto* inside = new QWidget;
    list_->setContentsMargins(12, 12, 12, 12);
    list_->setSpacing(10);
    inside->setLayout(list_);
    scroll->setWidget(inside);
    outer->addWidget(scroll);
    connect(&ThemeSwitch::instance(), &ThemeSwitch::changed, this, &FindingsPanel::rebuild);
    rebuild();
}

void FindingsPanel::show(const std::vector<Finding>& findings, const std::optional<Problem>& problem) {
    // Stations tell their findings with every frame; cards that say the same stay, buttons and all.
    const auto same = [](const Finding& a, const Finding& b) {
        return a.id == b.id && a.weight == b.weight && a.headline == b.headline && a.evidence == b.evidence &&
               a.remedy == b.remedy && a.action == b.action && a.actionLabel == b.actionLabel;
    };
    const auto textOf = [](const std::optional<Problem>& p) { return p ? p->text() : std::string(); };
    if (std::equal(findings.begin(), findings.end(), findings_.begin(), findings_.end(), same) &&
        textOf(problem) == textOf(problem_))
        return;
    findings_ = findings;
    problem_ = problem;
    rebuild();
}

void FindingsPanel::showHelp(const QString& title, const QString& html) {
    help_ = true;
    helpTitle_ = title;
    helpText_ = html;
    rebuild();
}

void FindingsPanel::hideHelp() {
    help_ = false;
    rebuild();
}

void FindingsPanel::rebuild() {
    while (QLayoutItem* item = list_->takeAt(0)) {
        if (QWidget* w = item->widget()) {
            w->hide(); // it may be the button being clicked, so it goes only after this event
            w->deleteLater();
        }
        delete item;
    }
    list_->addWidget(words(help_ ? helpTitle_.toUpper() : tr("FINDINGS"), 11, false, true));
    if (help_) {
        auto* text = words(helpText_, 13, false, false);
        text->setTextFormat(Qt::RichText);
        list_->addWidget(text);
        auto* close = new QPushButton(tr("Back to the findings"));
        close->setObjectName("do");
        connect(close, &QPushButton::clicked, this, &FindingsPanel::hideHelp);
        list_->addWidget(close, 0, Qt::AlignLeft);
        list_->addStretch();
        return;
    }
    const auto card = [&](Weight weight, const QString& headline, const QString& evidence,
                          const QString& remedy) {
        auto* frame = new QFrame;
        frame->setObjectName("raised");
        auto* column = new QVBoxLayout(frame);
        column->setContentsMargins(12, 10, 12, 10);
        column->setSpacing(5);
        auto* top = new QHBoxLayout;
        top->setSpacing(6);
        top->addWidget(new WeightMark(weight), 0, Qt::AlignTop);
        top->addWidget(words(headline, 13, true, false), 1);
        column->addLayout(top);
        if (!evidence.isEmpty())
            column->addWidget(words(evidence, 12, false, true));
        if (!remedy.isEmpty())
            column->addWidget(words(remedy, 12, false, false));
        list_->addWidget(frame);
        return column;
    };
    if (problem_) {
        auto* column = card(Weight::act, qs(problem_->what), qs(problem_->why), qs(problem_->remedy));
        auto* row = new QHBoxLayout;
        auto* ok = new QPushButton(tr("Understood"));
        ok->setObjectName("do");
        connect(ok, &QPushButton::clicked, this, &FindingsPanel::problemDismissed);
        row->addWidget(ok);
        row->addStretch();
        column->addLayout(row);
    }
    int shown = 0;
    for (const Finding& f : findings_) {
        if (later_.contains(qs(f.id)))
            continue;
        ++shown;
        auto* column = card(f.weight, qs(f.headline), qs(f.evidence), qs(f.remedy));
        auto* row = new QHBoxLayout;
        row->setSpacing(4);
        if (!f.action.empty()) {
            auto* act = new QPushButton(qs(f.actionLabel));
            act->setObjectName("do");
            connect(act, &QPushButton::clicked, this, [this, id = qs(f.action)] { Q_EMIT actionWanted(id); });
            row->addWidget(act);
        }
        auto* later = new QPushButton(tr("later"));
        later->setObjectName("later");
        connect(later, &QPushButton::clicked, this, [this, id = qs(f.id)] {
            later_.insert(id);
            rebuild();
        });
        row->addWidget(later);
        row->addStretch();
        column->addLayout(row);
    }
    if (shown == 0 && !problem_)
        list_->addWidget(words(tr("Nothing needs attention here."), 12, false, true));
    list_->addStretch();
    // At once: half laid out cards must not be seen.
    QCoreApplication::sendPostedEvents(nullptr, QEvent::LayoutRequest);
}

} // namespace nordstjerna
