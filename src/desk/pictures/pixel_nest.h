// One guide pixel over the imaging pixels, to scale, with the star's blur; above it both fields on a patch of
// sky with the Moon's disc.
#pragma once

#include "core/rig/rig.h"
#include "desk/pictures/picture.h"

namespace nordstjerna {

class PixelNest : public Picture {
    Q_OBJECT
public:
    explicit PixelNest(QWidget* parent = nullptr);
    void show(const Rig& rig, double blur_arcsec);

protected:
    void draw(QPainter& p, const QRectF& area) override;
    QString readOut(QPointF at) const override;
    QString csv() const override;

private:
    void drawFields(QPainter& p, const QRectF& area);
    void drawPixels(QPainter& p, const QRectF& area);
    Rig rig_;
    double blur_arcsec_ = 2.0;
    bool valid_ = false;
    QRectF fieldsArea_, pixelsArea_;
};

} // namespace nordstjerna
