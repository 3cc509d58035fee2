// Half-flux diameter over the frames of focusing, with its uncertainty and the best so far.
#pragma once

#include "core/procedure/focus_watch.h"
#include "desk/pictures/picture.h"

namespace nordstjerna {

class HfdTrace : public Picture {
    Q_OBJECT
public:
    explicit HfdTrace(QWidget* parent = nullptr);
    void show(const std::vector<FocusPoint>& points, int best);

protected:
    void draw(QPainter& p, const QRectF& area) override;
    QString readOut(QPointF at) const override;
    QString csv() const override;

private:
    std::vector<FocusPoint> shown() const; // the newest that fit
    std::vector<FocusPoint> points_;
    int best_ = -1;
    QRectF plot_;
};

} // namespace nordstjerna
