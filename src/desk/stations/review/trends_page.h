// One figure over the nights of the rig, with what changed and when.
#pragma once

#include <QStringList>
#include <QWidget>

#include "core/review/trend.h"
#include "core/sky/civil_time.h"
#include "desk/stations/review/log_view.h"

class QComboBox;
class QLabel;

namespace nordstjerna {

class TrendChart;

class TrendsPage : public QWidget {
    Q_OBJECT
public:
    explicit TrendsPage(QWidget* parent = nullptr);
    // The figures there are, and the trend where it was read.
    void show(const LogView& view, const CivilTime& zone);
    using QWidget::show;
    QString words() const;
    const QStringList& changes() const { return changes_; } // in words
    QString newest() const;                                 // entry; empty: none
    // What is drawn.
    const std::vector<FigureAt>& points() const { return points_; }
    const Trend& trend() const { return trend_; }
    // The one chosen, and the one that is drawn: they differ while it is being read.
    std::string figure() const;
    const std::string& drawn() const { return drawn_; }

Q_SIGNALS:
    void changed();
    void figureWanted(); // another one was chosen; it is shown as soon as it is read
    void entryWanted(const QString& id);

private:
    void draw();
    QComboBox* choice_;
    QLabel* words_;
    TrendChart* chart_;
    std::vector<FigureAt> points_;
    Trend trend_;
    QStringList changes_;
    std::string drawn_; // figure
    CivilTime zone_;
};

} // namespace nordstjerna
