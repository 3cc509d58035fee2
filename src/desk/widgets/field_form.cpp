#include "desk/widgets/field_form.h"

#include <QLabel>
#include <QVBoxLayout>
#include <QWheelEvent>
#include <cmath>

#include "charts/text.h"
#include "core/base/format.h"
#include "desk/theme.h"

namespace nordstjerna {

NumberField::NumberField(double low, double high, int decimals, const QString& unit) {
    QLocale plain = QLocale::c();
    plain.setNumberOptions(QLocale::OmitGroupSeparator);
    setLocale(plain);
    setButtonSymbols(QAbstractSpinBox::NoButtons);
    setDecimals(decimals);
    setRange(low, high);
    setKeyboardTracking(false);
    if (!unit.isEmpty())
        setSuffix(qs(formatUnit(unit.toStdString())));
    // Its words decide how narrow it may become.
    connect(this, &QDoubleSpinBox::valueChanged, this, [this] { updateGeometry(); });
}

QSize NumberField::sizeHint() const {
    return {fontMetrics().horizontalAdvance(text()) + 18, QDoubleSpinBox::sizeHint().height()};
}

QSize NumberField::minimumSizeHint() const {
    // A word in place of a number is not cut.
    constexpr int frame = 6; // with the focus on it
    const bool word = value() == minimum() && !specialValueText().isEmpty();
    return {word ? sizeHint().width() + frame : std::clamp(sizeHint().width(), 52, 90),
            QDoubleSpinBox::minimumSizeHint().height()};
}

void NumberField::wheelEvent(QWheelEvent* e) {
    e->ignore();
}

void NumberField::setExact(double value) {
    exact_ = value;
    setValue(value);
}

double NumberField::exact() const {
    const double unit = std::pow(10.0, -decimals());
    return std::abs(value() - exact_) <= 0.5000001 * unit ? exact_ : value();
}

// 48000 and 58.35, not 48000.00 and 58.3500.
QString NumberField::textFromValue(double v) const {
    QString text = locale().toString(v, 'f', decimals());
    if (text.contains('.')) {
        while (text.endsWith('0'))
            text.chop(1);
        if (text.endsWith('.'))
            text.chop(1);
    }
    return text;
}

QValidator::State NumberField::validate(QString& text, int& pos) const {
    text.replace(',', '.');
    return QDoubleSpinBox::validate(text, pos);
}

NumberField* numberField(double low, double high, int decimals, const QString& unit) {
    return new NumberField(low, high, decimals, unit);
}

QLabel* mutedLabel(const QString& words) {
    auto* label = new QLabel(words);
    label->setObjectName("muted");
    return label;
}

void formRow(QFormLayout* form, const QString& label, std::initializer_list<QWidget*> fields) {
    auto* text = mutedLabel(label);
    for (QWidget* f : fields) {
        const auto* number = qobject_cast<QDoubleSpinBox*>(f);
        const QString unit = number ? number->suffix().trimmed() : QString();
        if (f->accessibleName().isEmpty())
            f->setAccessibleName(fields.size() > 1 && !unit.isEmpty() ? label + ", " + unit : label);
    }
    text->setBuddy(*fields.begin());
    if (fields.size() == 1) {
        form->addRow(text, *fields.begin());
        return;
    }
    auto* line = new QHBoxLayout;
    line->setSpacing(6);
    for (QWidget* f : fields)
        line->addWidget(f);
    form->addRow(text, line);
}

QFrame* formCard(const QString& title, QFormLayout*& body) {
    auto* card = new QFrame;
    card->setObjectName("card");
    auto* column = new QVBoxLayout(card);
    column->setContentsMargins(12, 8, 12, 8);
    column->setSpacing(4);
    auto* head = new QLabel(title.toUpper());
    head->setObjectName("muted");
    head->setFont(textFont(11));
    column->addWidget(head);
    body = new QFormLayout;
    body->setHorizontalSpacing(10);
    body->setVerticalSpacing(4);
    body->setLabelAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    body->setFieldGrowthPolicy(QFormLayout::AllNonFixedFieldsGrow);
    column->addLayout(body);
    column->addStretch();
    return card;
}

} // namespace nordstjerna
