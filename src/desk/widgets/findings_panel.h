// Right-hand column: ranked findings of the current station, each with a button that does what it says.
#pragma once

#include <QFrame>
#include <QSet>
#include <QVBoxLayout>
#include <optional>
#include <vector>

#include "core/base/problem.h"
#include "core/findings/finding.h"

namespace nordstjerna {

class FindingsPanel : public QFrame {
    Q_OBJECT
public:
    explicit FindingsPanel(QWidget* parent = nullptr);
    // A problem stands above all findings until dismissed or solved.
    void show(const std::vector<Finding>& findings, const std::optional<Problem>& problem);
    // Explanation of the station in place of the findings.
    void showHelp(const QString& title, const QString& html);
    bool helpShown() const { return help_; }
    void hideHelp();

Q_SIGNALS:
    void actionWanted(const QString& id);
    void problemDismissed();

private:
    void rebuild();
    QVBoxLayout* list_;
    std::vector<Finding> findings_;
    std::optional<Problem> problem_;
    QSet<QString> later_;
    bool help_ = false;
    QString helpTitle_, helpText_;
};

} // namespace nordstjerna
