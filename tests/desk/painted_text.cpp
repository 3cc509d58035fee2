#include "painted_text.h"

#include <QPaintDevice>
#include <QPainterPath>

namespace nordstjerna {

namespace {

// Keeps the texts and drops all else.
class TextEngine final : public QPaintEngine {
public:
    TextEngine() : QPaintEngine(AllFeatures) {}
    std::vector<PaintedText> texts;

    bool begin(QPaintDevice*) override { return true; }
    bool end() override { return true; }
    void updateState(const QPaintEngineState&) override {}
    void drawPixmap(const QRectF&, const QPixmap&, const QRectF&) override {}
    void drawImage(const QRectF&, const QImage&, const QRectF&, Qt::ImageConversionFlags) override {}
    void drawPath(const QPainterPath&) override {}
    void drawRects(const QRectF*, int) override {}
    void drawRects(const QRect*, int) override {}
    void drawLines(const QLineF*, int) override {}
    void drawLines(const QLine*, int) override {}
    void drawEllipse(const QRectF&) override {}
    void drawEllipse(const QRect&) override {}
    void drawPoints(const QPointF*, int) override {}
    void drawPoints(const QPoint*, int) override {}
    void drawPolygon(const QPointF*, int, PolygonDrawMode) override {}
    void drawPolygon(const QPoint*, int, PolygonDrawMode) override {}
    void drawTiledPixmap(const QRectF&, const QPixmap&, const QPointF&) override {}
    Type type() const override { return User; }

    void drawTextItem(const QPointF& at, const QTextItem& item) override {
        const QString text = item.text().trimmed();
        if (text.isEmpty())
            return;
        const QFontMetricsF metrics(item.font());
        const QRectF letters(at.x(), at.y() - metrics.xHeight(), item.width(), metrics.xHeight());
        texts.push_back({text, state->transform().map(QPolygonF(letters))});
    }
};

class TextDevice final : public QPaintDevice {
public:
    explicit TextDevice(const QWidget& like) : like_(like) {}
    QPaintEngine* paintEngine() const override { return &engine; }
    mutable TextEngine engine;

protected:
    int metric(PaintDeviceMetric what) const override {
        switch (what) {
        case PdmWidth:
            return like_.width();
        case PdmHeight:
            return like_.height();
        case PdmWidthMM:
            return like_.widthMM();
        case PdmHeightMM:
            return like_.heightMM();
        case PdmDpiX:
        case PdmPhysicalDpiX:
            return like_.logicalDpiX();
        case PdmDpiY:
        case PdmPhysicalDpiY:
            return like_.logicalDpiY();
        case PdmNumColors:
        case PdmDepth:
            return 32;
        case PdmDevicePixelRatio:
            return 1;
        case PdmDevicePixelRatioScaled:
            return static_cast<int>(devicePixelRatioFScale());
        }
        return 0;
    }

private:
    const QWidget& like_;
};

bool lieOver(const PaintedText& a, const PaintedText& b) {
    return a.outline.boundingRect().intersects(b.outline.boundingRect()) && a.outline.intersects(b.outline) &&
           !a.outline.intersected(b.outline).isEmpty();
}

} // namespace

std::vector<PaintedText> paintedBy(QWidget& widget, Painted what) {
    TextDevice device(widget);
    widget.render(&device, {}, {},
                  what == Painted::withChildren ? QWidget::RenderFlags(QWidget::DrawChildren)
                                                : QWidget::RenderFlags());
    return device.engine.texts;
}

QStringList paintedBadly(QWidget& widget) {
    const auto texts = paintedBy(widget);
    const QRectF room = QRectF(widget.rect()).adjusted(-1.0, -1.0, 1.0, 1.0);
    QStringList bad;
    const QString who = QString("%1 %2").arg(widget.metaObject()->className(), widget.objectName());
    for (size_t i = 0; i < texts.size(); ++i) {
        const QRectF box = texts[i].outline.boundingRect();
        if (!room.contains(box))
            bad << QString("%1: \"%2\" is cut, it stands at %3, %4 to %5, %6 of %7 x %8")
                       .arg(who, texts[i].text)
                       .arg(box.left(), 0, 'f', 0)
                       .arg(box.top(), 0, 'f', 0)
                       .arg(box.right(), 0, 'f', 0)
                       .arg(box.bottom(), 0, 'f', 0)
                       .arg(widget.width())
                       .arg(widget.height());
        for (size_t j = 0; j < i; ++j)
            if (lieOver(texts[i], texts[j]))
                bad << QString("%1: \"%2\" lies over \"%3\"").arg(who, texts[i].text, texts[j].text);
    }
    return bad;
}

QStringList paintedBadlyIn(QWidget& window) {
    QStringList bad;
    for (QWidget* w : window.findChildren<QWidget*>()) {
        const bool ours = QByteArray(w->metaObject()->className()).startsWith("nordstjerna::");
        if (ours && w->isVisible() && !w->visibleRegion().isEmpty())
            bad << paintedBadly(*w);
    }
    bad.removeDuplicates();
    return bad;
}

} // namespace nordstjerna
