// Small shapes that carry state and weight without colour.
#pragma once

#include <QPainter>
#include <QString>

#include "core/findings/finding.h"

namespace nordstjerna {

enum class StationState { open, good, aged, attention };
QString stateWords(StationState state);

// Centred on `at`, about `size` px across.
void paintStateMark(QPainter& p, QPointF at, double size, StationState state);
void paintWeightMark(QPainter& p, QPointF at, double size, Weight weight);
void paintStarMark(QPainter& p, QPointF at, double size, const QColor& colour);

} // namespace nordstjerna
