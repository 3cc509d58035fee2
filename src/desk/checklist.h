// The night in the order of the rail: what is done, what is out of date, what comes next. Stays open beside
// the work.
#pragma once

#include <QDialog>
#include <vector>

#include "desk/stations/station.h"

class QLabel;

namespace nordstjerna {

class Checklist : public QDialog {
    Q_OBJECT
public:
    Checklist(std::vector<Station*> stations, QWidget* parent);
    // The first thing that is to be done; absent: nothing is.
    const Station* next() const;

Q_SIGNALS:
    void wanted(nordstjerna::StationId id);

private:
    void refresh();
    struct Row {
        const Station* station;
        QWidget* mark;
        QLabel* state;
    };
    std::vector<Row> rows_;
    QLabel* next_;
};

} // namespace nordstjerna
