// Two runs beside each other: what each leaves in every band of periods, RA and Dec.
#pragma once

#include "core/review/compare.h"
#include "desk/pictures/picture.h"

namespace nordstjerna {

class BandsChart : public Picture {
    Q_OBJECT
public:
    explicit BandsChart(QWidget* parent = nullptr);
    void show(const std::optional<RunComparison>& comparison, const QString& hint);
    using QWidget::show;

protected:
    void draw(QPainter& p, const QRectF& area) override;
    QString readOut(QPointF at) const override;
    QString csv() const override;

private:
    struct Bar {
        QRectF where;
        QString words;
    };
    void drawAxis(QPainter& p, const QRectF& area, bool dec, double most);
    std::optional<RunComparison> comparison_;
    QString hint_;
    std::vector<Bar> bars_;
};

} // namespace nordstjerna
