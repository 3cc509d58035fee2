// The reticle of a polar scope as a clock: where the pole star belongs now.
#pragma once

#include <optional>

#include "core/pole/reticle.h"
#include "desk/pictures/picture.h"

namespace nordstjerna {

class ReticleDial : public Picture {
    Q_OBJECT
public:
    explicit ReticleDial(QWidget* parent = nullptr);
    void show(const ReticlePlace& place, bool inverted);

protected:
    void draw(QPainter& p, const QRectF& area) override;
    QString readOut(QPointF at) const override;
    QString csv() const override;

private:
    std::optional<ReticlePlace> place_;
    bool inverted_ = true;
    QPointF centre_;
    double radius_ = 1.0; // of the dial, 60′
};

} // namespace nordstjerna
