// Two runs side by side: bands of periods, spectra overlaid, settings that differ, and whether the difference
// is more than the air's.
#pragma once

#include <QWidget>

#include "core/review/compare.h"
#include "desk/stations/review/opened.h"

class QCheckBox;
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
    void setFirst(const Opened& first); // the same run, or all of its night
    void setSecond(const Opened& second);
    QString chosen() const; // entry of the second; empty: none
    bool wholeNights() const;
    const std::optional<RunComparison>& comparison() const { return comparison_; }
    QString words() const;

Q_SIGNALS:
    void secondWanted(const QString& id);
    void wholeNightsChanged();

private:
    void compare();
    QComboBox* choice_;
    QCheckBox* whole_;
    QLabel* words_;
    BandsChart* bands_;
    SpectrumChart* spectrum_; // owned by its view
    ChartView* spectrumView_;
    Opened first_, second_;
    std::optional<RunComparison> comparison_;
};

} // namespace nordstjerna
