// The stations in the order of a night, each with its state as a shape and its one figure.
#pragma once

#include <QFrame>
#include <vector>

#include "desk/session.h"
#include "desk/stations/station.h"

namespace nordstjerna {

class Rail : public QFrame {
    Q_OBJECT
public:
    Rail(Session& session, std::vector<Station*> stations, QWidget* parent = nullptr);
    void setCurrent(int index);

Q_SIGNALS:
    void chosen(int index);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;

private:
    QRectF row(int i) const;
    Session& session_;
    std::vector<Station*> stations_;
    int current_ = 0;
};

} // namespace nordstjerna
