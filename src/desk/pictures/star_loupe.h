// One star large: its pixels with the half-flux ring, and below them counts against distance from its centre.
#pragma once

#include <memory>
#include <optional>

#include "core/image/frame.h"
#include "core/image/star.h"
#include "desk/pictures/picture.h"

namespace nordstjerna {

class StarLoupe : public Picture {
    Q_OBJECT
public:
    explicit StarLoupe(QWidget* parent = nullptr);
    void show(std::shared_ptr<const Frame> frame, const std::optional<Star>& star);

protected:
    void draw(QPainter& p, const QRectF& area) override;
    QString readOut(QPointF at) const override;
    QString csv() const override;

private:
    std::shared_ptr<const Frame> frame_;
    std::optional<Star> star_;
    QRectF plot_;
};

} // namespace nordstjerna
