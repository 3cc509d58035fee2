// The stations in the order of a night, each with its state as a shape and its one figure.
#pragma once

#include <QAbstractButton>
#include <QFrame>
#include <vector>

#include "desk/stations/station.h"

namespace nordstjerna {

class RailRow : public QAbstractButton {
    Q_OBJECT
public:
    RailRow(const Station& station, QWidget* parent);
    StationId id() const { return station_.id(); }
    void retell(); // state and figure of the station

protected:
    void paintEvent(QPaintEvent*) override;
    void keyPressEvent(QKeyEvent*) override;

private:
    const Station& station_;
};

class Rail : public QFrame {
    Q_OBJECT
public:
    Rail(RigBook& rigs, ThisNight& night, std::vector<Station*> stations, QWidget* parent = nullptr);
    void setCurrent(StationId id);
    void setNarrow(bool narrow); // marks and icons only
    void retell();

Q_SIGNALS:
    void chosen(nordstjerna::StationId id);

protected:
    void paintEvent(QPaintEvent*) override;
    void resizeEvent(QResizeEvent*) override;

private:
    void arrange();
    RigBook& rigs_;
    ThisNight& night_;
    std::vector<RailRow*> rows_;
};

} // namespace nordstjerna
