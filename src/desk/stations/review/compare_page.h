// Two runs side by side: bands of periods, spectra overlaid, settings that differ, and whether the difference
// is more than the air's.
#pragma once

#include <QWidget>

#include "core/review/compare.h"
#include "desk/stations/review/opened.h"

class QComboBox;
class QLabel;

namespace nordstjerna {

class BandsChart;
class ChartView;
class SpectrumChart;

class ComparePage : public QWidget {
    Q_OBJECT
public:
    explicit ComparePage(QWidget* parent = nullptr);
    // The first one, and those it can be held against, by identity and name.
    void show(const Opened& first, const std::vector<std::pair<std::string, QString>>& others);
    using QWidget::show;
    void setSecond(const Opened& second);
    const std::optional<RunComparison>& comparison() const { return comparison_; }
    QString words() const;

Q_SIGNALS:
    void secondWanted(const QString& id);

private:
    void compare();
    QComboBox* choice_;
    QLabel* words_;
    BandsChart* bands_;
    SpectrumChart* spectrum_; // owned by its view
    ChartView* spectrumView_;
    Opened first_, second_;
    std::optional<RunComparison> comparison_;
};

} // namespace nordstjerna
