// Small helpers for forms of numbers with units.
#pragma once

#include <QDoubleSpinBox>
#include <QFormLayout>
#include <QFrame>
#include <initializer_list>

class QLabel;

namespace nordstjerna {

// A number field without arrows; the unit stands in the field. Wheel turns do not change it; a comma is as
// good as a point. It shows a rounded figure and knows the exact one until somebody types another.
class NumberField : public QDoubleSpinBox {
public:
    NumberField(double low, double high, int decimals, const QString& unit);
    void setExact(double value);
    double exact() const;
    // As wide as what stands in it, not as what might.
    QSize sizeHint() const override;
    QSize minimumSizeHint() const override;

protected:
    void wheelEvent(QWheelEvent* e) override; // scrolling a page must not change a telescope
    QString textFromValue(double v) const override;
    QValidator::State validate(QString& text, int& pos) const override;

private:
    double exact_ = 0.0;
};
NumberField* numberField(double low, double high, int decimals, const QString& unit);

// Words that stand back behind what they name.
QLabel* mutedLabel(const QString& words);

// A row of a form: muted label and fields, which are named by it for those who do not see them.
void formRow(QFormLayout* form, const QString& label, std::initializer_list<QWidget*> fields);
// A titled card with a form inside; `body` receives the rows.
QFrame* formCard(const QString& title, QFormLayout*& body);

} // namespace nordstjerna
