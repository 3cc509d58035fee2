// What was done in a night, or what a search found: a list, and of the chosen entry its figures, findings,
// changes of settings and the person's note.
#pragma once

#include <QWidget>

#include "core/review/entry.h"
#include "core/sky/civil_time.h"

class QLabel;
class QPlainTextEdit;
class QTableWidget;
class QTimer;

namespace nordstjerna {

class NightPage : public QWidget {
    Q_OBJECT
public:
    explicit NightPage(QWidget* parent = nullptr);
    // withDay: entries of more than one night.
    void show(const std::vector<LogEntry>& entries, const CivilTime& zone, bool withDay);
    using QWidget::show;
    void choose(const std::string& id);
    const LogEntry* chosen() const;
    void keepNote(); // at once, if it was changed

Q_SIGNALS:
    void entryChosen();
    void openWanted();
    void noteChanged(const QString& id, const QString& text);

private:
    void tell();
    QTableWidget* table_;
    QLabel* words_;
    QPlainTextEdit* note_;
    QTimer* pause_;
    std::vector<LogEntry> entries_;
    std::string noteOf_; // the entry whose note stands in the field
    QString noteBefore_;
    CivilTime zone_;
};

} // namespace nordstjerna
