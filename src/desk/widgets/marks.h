// Small shapes that carry state and weight without colour.
#pragma once

#include <QPainter>

#include "core/findings/finding.h"

namespace nordstjerna {

enum class StationState { open, good, aged, attention };

// Centred on `at`, about `size` px across.
void paintStateMark(QPainter& p, QPointF at, double size, StationState state);
void paintWeightMark(QPainter& p, QPointF at, double size, Weight weight);
void paintStarMark(QPainter& p, QPointF at, double size, const QColor& colour);

} // namespace nordstjerna
