// The mount over months: its figures, what was done to it, and what helped most.
#pragma once

#include <QWidget>

#include "core/review/season.h"
#include "core/sky/civil_time.h"

class QDateEdit;
class QLabel;
class QLineEdit;
class QListWidget;
class QPushButton;

namespace nordstjerna {

class ChartView;
class SeasonChart;

class MountPage : public QWidget {
    Q_OBJECT
public:
    explicit MountPage(QWidget* parent = nullptr);
    void show(const std::vector<SeasonLine>& lines, const std::vector<HardwareMark>& marks,
              const CivilTime& zone, Instant now);
    using QWidget::show;
    const std::vector<SeasonLine>& lines() const { return lines_; }
    const std::vector<HardwareMark>& marks() const { return marks_; }
    QString words() const;

Q_SIGNALS:
    void marksChanged();

private:
    void add();
    void takeAway();
    void draw();
    std::vector<SeasonLine> lines_;
    std::vector<HardwareMark> marks_;
    CivilTime zone_;
    SeasonChart* chart_; // owned by its view
    ChartView* view_;
    QLabel* words_;
    QListWidget* list_;
    QDateEdit* day_;
    QLineEdit* what_;
    QPushButton *add_, *takeAway_;
};

} // namespace nordstjerna
