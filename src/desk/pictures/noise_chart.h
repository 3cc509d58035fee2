// A test of gain or exposure: a bar for each setting, with its uncertainty; the present one and the proposed
// one are named.
#pragma once

#include "core/image/noise_advice.h"
#include "desk/pictures/picture.h"

namespace nordstjerna {

class NoiseChart : public Picture {
    Q_OBJECT
public:
    explicit NoiseChart(QWidget* parent = nullptr);
    struct Shown {
        bool ofGain = true;
        double scale_arcsec_px = 0.0; // 0: not known, px are shown
        std::vector<NoiseAt> at;
        std::optional<size_t> present, proposed;
        QString hint; // while there is nothing to draw
    };
    void show(Shown shown);
    using QWidget::show;

protected:
    void draw(QPainter& p, const QRectF& area) override;
    QString readOut(QPointF at) const override;
    QString csv() const override;
    QString words() const override;

private:
    struct Lane {
        QString title, unit;
        std::vector<std::optional<Measured>> values;
    };
    struct Bar {
        QRectF where;
        QString words;
    };
    std::vector<Lane> lanes() const;
    QString settingName(size_t i) const;
    void drawLane(QPainter& p, const QRectF& area, const Lane& lane);
    Shown shown_;
    std::vector<Bar> bars_;
};

} // namespace nordstjerna
