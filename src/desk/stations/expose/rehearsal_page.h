// The rehearsal by day in the window: the places of the plan, where the telescope is, what was found there.
#pragma once

#include "core/procedure/rehearsal.h"
#include "desk/logbook.h"
#include "desk/stations/station.h"

class QCheckBox;
class QLabel;
class QPushButton;
class QTableWidget;

namespace nordstjerna {

class RehearsalPage : public QWidget {
    Q_OBJECT
public:
    RehearsalPage(const StationParts& parts, Logbook& logbook, StepBar& steps, QWidget* parent = nullptr);
    // Of the plan as it is now; while it runs, the places stay as they were.
    void plan(std::vector<RehearsalStop> stops);
    void begin();
    bool running() const { return running_; }
    bool possible() const { return !stops_.empty(); }
    QString sentence() const;

Q_SIGNALS:
    void changed(); // began, went on or ended

private:
    struct Seen {
        Progress progress;
        std::vector<Rehearsal::Outcome> outcomes;
        std::optional<size_t> restsAt;
    };
    void fill();
    void log(const Rehearsal& done, bool whole);
    static QString outcomeWords(Rehearsal::Outcome outcome);
    StationParts parts_;
    Logbook& logbook_;
    StepBar& steps_;
    QTableWidget* table_;
    QCheckBox* stay_;
    QPushButton *goOn_, *caught_;
    QLabel* words_;
    std::vector<RehearsalStop> stops_;
    Seen seen_;
    bool running_ = false;
};

} // namespace nordstjerna
