// Steps of the running procedure: done, running, ahead; what it waits for and the time left. Where a narrow
// window cuts the line short its tooltip has all of it.
#pragma once

#include <QWidget>

#include "core/procedure/procedure.h"

namespace nordstjerna {

class StepBar : public QWidget {
    Q_OBJECT
public:
    explicit StepBar(QWidget* parent = nullptr);
    void show(const Progress& progress);
    void clear() { show({}); }

protected:
    void paintEvent(QPaintEvent*) override;

private:
    QString line() const;
    Progress progress_;
};

} // namespace nordstjerna
