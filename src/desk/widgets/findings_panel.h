// Right-hand column: ranked findings of the current station, each with a button that does what it says. Cards
// are updated where they stand; the first three are open, the rest show one line each until they are clicked.
#pragma once

#include <QFrame>
#include <QPixmap>
#include <QSet>
#include <QVBoxLayout>
#include <vector>

#include "core/findings/finding.h"
#include "desk/problem_list.h"

class QLabel;
class QScrollArea;

namespace nordstjerna {

class FindingCard;

class FindingsPanel : public QFrame {
    Q_OBJECT
public:
    explicit FindingsPanel(QWidget* parent = nullptr);
    // Problems stand above all findings until dismissed or solved.
    void show(const std::vector<Finding>& findings, const std::vector<ProblemList::Entry>& problems);
    // Explanation of the station in place of the findings.
    // picture: of the station, its parts numbered; words: what the picture shows, for who does not see it.
    void showHelp(const QString& title, const QPixmap& picture, const QString& words, const QString& html);
    static constexpr int helpWidth = 248; // of the picture
    bool helpShown() const { return help_; }
    void hideHelp();

    static constexpr int mostOpen = 3;

Q_SIGNALS:
    void actionWanted(const nordstjerna::Action& action);
    void problemDismissed(nordstjerna::ProblemCause cause);

private:
    FindingCard* cardFor(const Finding& f);
    void showProblems(const std::vector<ProblemList::Entry>& problems);
    void openAtMost(FindingCard* kept);
    void arrange();
    QLabel* title_;
    QVBoxLayout* list_;
    QWidget* helpSheet_;
    QLabel* helpPicture_;
    QLabel* helpText_;
    QLabel* nothing_;
    struct ProblemCard {
        ProblemCause cause;
        FindingCard* card;
    };
    std::vector<ProblemCard> problems_; // as they stand
    std::vector<FindingCard*> cards_;   // as they stand
    QSet<QString> later_;
    bool help_ = false;
};

} // namespace nordstjerna
