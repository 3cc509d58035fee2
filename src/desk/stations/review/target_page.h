// One target over its nights: the light gathered, what was flagged and why, and what is still to come.
#pragma once

#include <QWidget>

#include "core/sky/civil_time.h"
#include "desk/stations/review/log_view.h"

class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QTableWidget;

namespace nordstjerna {

class ChartView;
class LightChart;

class TargetPage : public QWidget {
    Q_OBJECT
public:
    explicit TargetPage(QWidget* parent = nullptr);
    void show(const LogView::OfTarget& target, const CivilTime& zone, double wanted_h);
    using QWidget::show;
    std::string target() const; // the one chosen
    // The one that is drawn: they differ while it is being read.
    const LogView::OfTarget& drawn() const { return drawn_; }
    double wanted_h() const;
    double wanted_s() const;
    QString words() const;

Q_SIGNALS:
    void targetWanted(); // another one was chosen; it is shown as soon as it is read
    void wantedChanged(const QString& target, double hours);

private:
    void tell();
    QComboBox* choice_;
    QDoubleSpinBox* wanted_;
    QLabel* words_;
    LightChart* chart_; // owned by its view
    ChartView* view_;
    QTableWidget* table_; // by filter
    LogView::OfTarget drawn_;
};

} // namespace nordstjerna
