// Small helpers for forms of numbers with units.
#pragma once

#include <QDoubleSpinBox>
#include <QFormLayout>
#include <QFrame>

namespace nordstjerna {

// A number field without arrows; the unit stands in the field. Wheel turns do not change it.
QDoubleSpinBox* numberField(double low, double high, int decimals, const QString& unit);
// A titled card with a form inside; `body` receives the rows.
QFrame* formCard(const QString& title, QFormLayout*& body);

} // namespace nordstjerna
