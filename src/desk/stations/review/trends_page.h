// One figure over the nights of the rig, with what changed and when.
#pragma once

#include <QStringList>
#include <QWidget>

#include "core/review/trend.h"
#include "core/sky/civil_time.h"
#include "desk/logbook.h"

class QComboBox;
class QLabel;

namespace nordstjerna {

class TrendChart;

class TrendsPage : public QWidget {
    Q_OBJECT
public:
    explicit TrendsPage(Logbook& book, QWidget* parent = nullptr);
    void refresh(const std::string& rigId, const CivilTime& zone);
    void choose(const QString& figure);
    QString words() const;
    const QStringList& changes() const { return changes_; } // in words
    QString newest() const;                                 // entry; empty: none
    // What is drawn.
    const std::vector<FigureAt>& points() const { return points_; }
    const Trend& trend() const { return trend_; }
    std::string figure() const;

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
    Trend trend_;
    QStringList changes_;
    std::string rigId_;
    CivilTime zone_;
};

} // namespace nordstjerna
