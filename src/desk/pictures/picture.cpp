#include "desk/pictures/picture.h"

#include <QAccessible>
#include <QContextMenuEvent>
#include <QFile>
#include <QFileDialog>
#include <QMenu>
#include <QMessageBox>
#include <QMouseEvent>
#include <QSvgGenerator>
#include <QToolTip>
#include <algorithm>
#include <cmath>

#include "desk/theme.h"
#include "desk/widgets/pointer_keys.h"

namespace nordstjerna {

Picture::Picture(const QString& exportName, const QString& name, QWidget* parent)
    : QWidget(parent), exportName_(exportName) {
    setMouseTracking(true);
    setAccessibleName(name);
    new PointerKeys(this);
    connect(&ThemeSwitch::instance(), &ThemeSwitch::changed, this, [this] { update(); });
}

void Picture::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    draw(p, rect());
    if (const QString now = words();
        !now.isEmpty() && !hasFocus()) // with focus it tells what lies at the cursor
        tell(now);
}

void Picture::tell(const QString& text) {
    if (text == accessibleDescription())
        return;
    setAccessibleDescription(text);
    QAccessibleEvent event(this, QAccessible::DescriptionChanged);
    QAccessible::updateAccessibility(&event);
}

void Picture::mouseMoveEvent(QMouseEvent* e) {
    const QString text = readOut(e->position());
    if (hasFocus() && !text.isEmpty())
        tell(text);
    if (text.isEmpty())
        QToolTip::hideText();
    else
        QToolTip::showText(e->globalPosition().toPoint() + QPoint(8, 8), text, this);
}

void Picture::leaveEvent(QEvent*) {
    QToolTip::hideText();
}

void Picture::wheelEvent(QWheelEvent* e) {
    zoom_ = std::clamp(zoom_ * std::pow(1.0015, e->angleDelta().y()), 0.25, greatestZoom());
    update();
}

void Picture::mouseDoubleClickEvent(QMouseEvent*) {
    zoom_ = 1.0;
    update();
}

bool Picture::exportTo(const QString& path) {
    if (path.endsWith(".csv", Qt::CaseInsensitive)) {
        QFile file(path);
        const QByteArray text = csv().toUtf8();
        return file.open(QIODevice::WriteOnly) && file.write(text) == text.size();
    }
    if (path.endsWith(".svg", Qt::CaseInsensitive)) {
        QSvgGenerator svg;
        svg.setFileName(path);
        svg.setSize(size());
        svg.setViewBox(rect());
        QPainter p;
        if (!p.begin(&svg))
            return false;
        draw(p, rect());
        return p.end();
    }
    QPixmap pixmap(size() * 2);
    pixmap.setDevicePixelRatio(2);
    pixmap.fill(theme().base);
    QPainter p(&pixmap);
    p.setRenderHint(QPainter::Antialiasing);
    draw(p, rect());
    p.end();
    return pixmap.save(path);
}

void Picture::contextMenuEvent(QContextMenuEvent* e) {
    offerExport(this, exportName_, e->globalPos(), [this](const QString& path) { return exportTo(path); });
}

void paintCurve(QPainter& p, const QPolygonF& line, const QPolygonF& band) {
    QColor shade = theme().text;
    shade.setAlpha(30);
    p.setPen(Qt::NoPen);
    p.setBrush(shade);
    p.drawPolygon(band);
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(theme().text, 1.4));
    p.drawPolyline(line);
}

void offerExport(QWidget* parent, const QString& name, const QPoint& at,
                 const std::function<bool(const QString&)>& save) {
    QMenu menu(parent);
    for (const char* kind : {"svg", "png", "csv"})
        menu.addAction(QObject::tr("Save as %1…").arg(QString(kind).toUpper()))->setData(kind);
    const QAction* chosen = menu.exec(at);
    if (!chosen)
        return;
    const QString path = QFileDialog::getSaveFileName(parent, QObject::tr("Save picture"),
                                                      name + "." + chosen->data().toString());
    if (!path.isEmpty() && !save(path))
        QMessageBox::warning(
            parent, QObject::tr("Not saved"),
            QObject::tr("%1 could not be written. Check the folder and the free space.").arg(path));
}

} // namespace nordstjerna
