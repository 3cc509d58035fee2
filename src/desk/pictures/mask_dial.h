// How far the focus is off by the spikes of a mask: one figure to be read at two metres, and a bar with the
// critical zone in its middle.
#pragma once

#include "core/focus/mask_read_out.h"
#include "desk/pictures/picture.h"

namespace nordstjerna {

class MaskDial : public Picture {
    Q_OBJECT
public:
    struct Shown {
        std::optional<MaskReadOut> read;
        Measured off_um;          // without sign
        double zone_um = 0.0;     // whole depth
        double step_um = 0.0;     // of a motor; 0: none
        std::vector<double> past; // offsets of the frames before, px
        QString trouble;          // while nothing is read
    };
    explicit MaskDial(QWidget* parent = nullptr);
    void show(Shown shown);
    // "inside the critical zone", or which way and how far.
    QString words() const;
    bool inside() const; // the critical zone, surely

protected:
    void draw(QPainter& p, const QRectF& area) override;
    QString readOut(QPointF at) const override;
    QString csv() const override;

private:
    Shown shown_;
};

} // namespace nordstjerna
