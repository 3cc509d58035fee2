// One figure over the nights of the rig, with what changed and when.
#pragma once

#include <QStringList>
#include <QWidget>

#include "desk/logbook.h"

class QComboBox;
class QLabel;

namespace nordstjerna {

class TrendChart;

class TrendsPage : public QWidget {
    Q_OBJECT
public:
    explicit TrendsPage(Logbook& book, QWidget* parent = nullptr);
    void refresh(const std::string& rigId, double utcOffset_h);
    void choose(const QString& figure);
    QString words() const;
    const QStringList& changes() const { return changes_; } // in words
    QString newest() const;                                 // entry; empty: none

Q_SIGNALS:
    void changed();
    void entryWanted(const QString& id);

private:
    void draw();
    Logbook& book_;
    QComboBox* choice_;
    QLabel* words_;
    TrendChart* chart_;
    std::vector<FigureAt> points_;
    QStringList changes_;
    std::string rigId_;
    double utcOffset_h_ = 0.0;
};

} // namespace nordstjerna
