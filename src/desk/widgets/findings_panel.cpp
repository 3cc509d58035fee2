#include "desk/widgets/findings_panel.h"

#include <QLabel>
#include <QPushButton>
#include <QScrollArea>
#include <algorithm>

#include "charts/text.h"
#include "desk/theme.h"
#include "desk/widgets/finding_card.h"
#include "desk/widgets/wrap_label.h"

namespace nordstjerna {

FindingsPanel::FindingsPanel(QWidget* parent)
    : QFrame(parent), title_(new QLabel(tr("FINDINGS"))), list_(new QVBoxLayout), helpSheet_(new QWidget),
      helpPicture_(new QLabel), helpText_(new WrapLabel),
      nothing_(new WrapLabel(tr("Nothing needs attention here."))) {
    setObjectName("panel");
    setFixedWidth(280);
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(0, 0, 0, 0);
    auto* scroll = new QScrollArea;
    scroll->setAccessibleName(tr("Findings"));
    scroll->setWidgetResizable(true);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll->setFocusPolicy(Qt::NoFocus);
    auto* inside = new QWidget;
    list_->setContentsMargins(12, 12, 12, 12);
    list_->setSpacing(8);
    inside->setLayout(list_);
    scroll->setWidget(inside);
    outer->addWidget(scroll);
    title_->setObjectName("muted");
    nothing_->setObjectName("muted");
    auto* help = new QVBoxLayout(helpSheet_);
    help->setContentsMargins(0, 0, 0, 0);
    helpText_->setTextFormat(Qt::RichText);
    help->addWidget(helpPicture_);
    help->addWidget(helpText_);
    auto* close = new QPushButton(tr("Back to the findings"));
    close->setObjectName("do");
    connect(close, &QPushButton::clicked, this, &FindingsPanel::hideHelp);
    help->addWidget(close, 0, Qt::AlignLeft);
    for (QWidget* w : {static_cast<QWidget*>(title_), helpSheet_, static_cast<QWidget*>(nothing_)})
        list_->addWidget(w);
    list_->addStretch();
    const auto restyle = [this] {
        title_->setFont(textFont(11));
        nothing_->setFont(textFont(12));
        helpText_->setFont(textFont(13));
    };
    connect(&ThemeSwitch::instance(), &ThemeSwitch::changed, this, restyle);
    restyle();
    arrange();
}

FindingCard* FindingsPanel::cardFor(const Finding& f) {
    for (FindingCard* c : cards_)
        if (c->id() == qs(f.id))
            return c;
    return nullptr;
}

void FindingsPanel::showProblems(const std::vector<ProblemList::Entry>& problems) {
    std::vector<ProblemCard> shown;
    for (const ProblemList::Entry& e : problems) {
        const auto own = std::find_if(problems_.begin(), problems_.end(),
                                      [&](const ProblemCard& c) { return c.cause == e.cause; });
        FindingCard* card = own == problems_.end() ? new FindingCard : own->card;
        if (own == problems_.end()) {
            card->setObjectName("problem");
            card->setOpen(true);
            connect(card, &FindingCard::laterWanted, this,
                    [this, cause = e.cause] { Q_EMIT problemDismissed(cause); });
            connect(card, &FindingCard::actionWanted, this, &FindingsPanel::actionWanted);
        }
        card->fill(
            {"problem", Weight::act, e.problem.what, e.problem.why, e.problem.remedy, e.action, e.label},
            tr("dismiss"));
        shown.push_back({e.cause, card});
    }
    for (const ProblemCard& c : problems_)
        if (std::none_of(shown.begin(), shown.end(),
                         [&](const ProblemCard& s) { return s.card == c.card; })) {
            c.card->hide(); // its button may be being clicked: it goes after this event
            c.card->deleteLater();
            list_->removeWidget(c.card);
        }
    problems_ = std::move(shown);
}

void FindingsPanel::show(const std::vector<Finding>& findings,
                         const std::vector<ProblemList::Entry>& problems) {
    showProblems(problems);
    std::vector<FindingCard*> wanted;
    for (size_t i = 0; i < findings.size(); ++i) {
        const Finding& f = findings[i];
        if (later_.contains(qs(f.id)))
            continue;
        FindingCard* card = cardFor(f);
        const bool fresh = !card;
        if (fresh) {
            card = new FindingCard;
            connect(card, &FindingCard::actionWanted, this, &FindingsPanel::actionWanted);
            connect(card, &FindingCard::opened, this, [this, card] { openAtMost(card); });
            connect(card, &FindingCard::laterWanted, this, [this, card] {
                later_.insert(card->id());
                std::erase(cards_, card);
                card->hide(); // its button is being clicked: it goes after this event
                card->deleteLater();
                arrange();
            });
        }
        // What weighs more now takes its new place; all else stands where it stood.
        const bool moved = !fresh && card->weight() != f.weight;
        card->fill(f, tr("later"));
        if (fresh || moved) {
            std::erase(cards_, card);
            const auto at = std::min(wanted.size(), cards_.size());
            cards_.insert(cards_.begin() + static_cast<std::ptrdiff_t>(at), card);
            const auto open =
                std::count_if(cards_.begin(), cards_.end(), [](FindingCard* c) { return c->isOpen(); });
            if (fresh && (open < mostOpen || f.weight == Weight::act || at < static_cast<size_t>(mostOpen))) {
                card->setOpen(true);
                openAtMost(card);
            }
        }
        wanted.push_back(card);
    }
    std::vector<FindingCard*> gone;
    for (FindingCard* c : cards_)
        if (std::find(wanted.begin(), wanted.end(), c) == wanted.end())
            gone.push_back(c);
    for (FindingCard* c : gone) {
        std::erase(cards_, c);
        c->hide();
        c->deleteLater();
    }
    // A panel that holds only closed cards tells nothing.
    int open = 0;
    for (FindingCard* c : cards_)
        open += c->isOpen();
    if (!gone.empty())
        for (FindingCard* c : cards_)
            if (open < mostOpen && !c->isOpen()) {
                c->setOpen(true);
                ++open;
            }
    arrange();
}

void FindingsPanel::openAtMost(FindingCard* kept) {
    int open = static_cast<int>(
        std::count_if(cards_.begin(), cards_.end(), [](FindingCard* c) { return c->isOpen(); }));
    for (auto c = cards_.rbegin(); c != cards_.rend() && open > mostOpen; ++c)
        if (*c != kept && (*c)->isOpen()) {
            (*c)->setOpen(false);
            --open;
        }
}

void FindingsPanel::arrange() {
    int at = 2; // behind title and help
    const auto place = [&](FindingCard* card) {
        if (list_->indexOf(card) != at) {
            list_->removeWidget(card);
            list_->insertWidget(at, card);
        }
        card->setVisible(!help_);
        ++at;
    };
    for (const ProblemCard& p : problems_)
        place(p.card);
    for (FindingCard* c : cards_)
        place(c);
    helpSheet_->setVisible(help_);
    nothing_->setVisible(!help_ && cards_.empty() && problems_.empty());
}

void FindingsPanel::showHelp(const QString& title, const QPixmap& picture, const QString& words,
                             const QString& html) {
    help_ = true;
    helpPicture_->setPixmap(picture);
    helpPicture_->setAccessibleName(words);
    title_->setText(title.toUpper());
    helpText_->setText(html);
    arrange();
}

void FindingsPanel::hideHelp() {
    help_ = false;
    title_->setText(tr("FINDINGS"));
    arrange();
}

} // namespace nordstjerna
