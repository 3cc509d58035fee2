// A picture of a part of the window as it stands, its pieces numbered.
#pragma once

#include <QPixmap>
#include <QRect>
#include <QWidget>

namespace nordstjerna {

// pieces: in the coordinates of `whole`; width: of the picture.
QPixmap numberedPicture(QWidget& whole, const QList<QRect>& pieces, int width);

} // namespace nordstjerna
