// Right-hand column: ranked findings of the current station, each with a button that does what it says. Cards
// are updated where they stand; the first three are open, the rest show one line each until they are clicked.
#pragma once

#include <QFrame>
#include <QSet>
#include <QVBoxLayout>
#include <optional>
#include <vector>

#include "core/base/problem.h"
#include "core/findings/finding.h"

class QLabel;
class QScrollArea;

namespace nordstjerna {

class FindingCard;

class FindingsPanel : public QFrame {
    Q_OBJECT
public:
    explicit FindingsPanel(QWidget* parent = nullptr);
    // A problem stands above all findings until dismissed or solved; `action` is what its button does.
    void show(const std::vector<Finding>& findings, const std::optional<Problem>& problem,
              const std::string& action = "", const std::string& actionLabel = "");
    // Explanation of the station in place of the findings.
    void showHelp(const QString& title, const QString& html);
    bool helpShown() const { return help_; }
    void hideHelp();

    static constexpr int mostOpen = 3;

Q_SIGNALS:
    void actionWanted(const QString& id);
    void problemDismissed();

private:
    FindingCard* cardFor(const Finding& f);
    void openAtMost(FindingCard* kept);
    void arrange();
    QLabel* title_;
    QVBoxLayout* list_;
    QWidget* helpSheet_;
    QLabel* helpText_;
    QLabel* nothing_;
    FindingCard* problem_;
    std::vector<FindingCard*> cards_; // as they stand
    QSet<QString> later_;
    bool help_ = false;
};

} // namespace nordstjerna
