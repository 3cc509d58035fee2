// What pictures over the nights draw alike: values with their ±, the levels they keep, dates below.
#pragma once

#include <QPainter>
#include <QString>
#include <functional>
#include <vector>

#include "core/review/trend.h"

namespace nordstjerna {

using PlaceOf = std::function<QPointF(size_t point, double value)>;

// Bands and lines of the levels, a little beyond their first and last point.
void drawLevels(QPainter& p, const Trend& trend, const PlaceOf& at);
void drawPoints(QPainter& p, const std::vector<TrendPoint>& points, const PlaceOf& at);
// Day and month below the places where there is room; one night is named once. top: of the letters.
void drawNightDates(QPainter& p, const std::vector<double>& x, const std::vector<QString>& days, double top);

} // namespace nordstjerna
