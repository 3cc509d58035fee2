// Cut-outs of all guide stars with their signal-to-noise ratio.
#pragma once

#include <QImage>
#include <memory>

#include "core/guide/star_group.h"
#include "core/image/frame.h"
#include "desk/pictures/picture.h"

namespace nordstjerna {

class StarStrip : public Picture {
    Q_OBJECT
public:
    explicit StarStrip(QWidget* parent = nullptr);
    // Cut-outs come from the frame on which the stars were chosen; their state from the newest measurement.
    void show(const std::shared_ptr<const Frame>& frame, const std::vector<StarGroup::Member>& stars);

protected:
    void draw(QPainter& p, const QRectF& area) override;
    QString readOut(QPointF at) const override;
    QString csv() const override;

private:
    QRectF cell(size_t i, const QRectF& area) const;
    std::shared_ptr<const Frame> frame_;
    std::vector<StarGroup::Member> stars_;
    std::vector<QImage> images_;
};

} // namespace nordstjerna
