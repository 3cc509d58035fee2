// Which filters take turns in a series, how many frames each, and what becomes of the focus at a change.
#pragma once

#include <QWidget>
#include <map>

#include "core/series/series_setup.h"

class QComboBox;
class QGridLayout;

namespace nordstjerna {

class NumberField;

class FilterTurnsRow : public QWidget {
    Q_OBJECT
public:
    explicit FilterTurnsRow(QWidget* parent = nullptr);
    // Those of the rig; what stands in the fields of those that stay, stays.
    void setFilters(const std::vector<std::string>& filters);
    bool any() const { return !turns_.empty(); }
    // "3 L, 1 R"; that none is changed.
    QString summary() const;
    void setMotor(bool there);
    void read(SeriesSetup& setup) const;
    // By the names of the fields. Values of filters that are not there yet wait for them.
    void values(std::map<std::string, double>& all) const;
    void setValues(const std::map<std::string, double>& values);

Q_SIGNALS:
    void changed();

private:
    struct Turn {
        std::string filter;
        NumberField *frames, *exposure;
    };
    QGridLayout* grid_;
    QComboBox* focus_;
    std::vector<Turn> turns_;
    std::map<std::string, double> kept_; // of filters that are not there
};

} // namespace nordstjerna
