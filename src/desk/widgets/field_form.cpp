#include "desk/widgets/field_form.h"

#include <QLabel>
#include <QVBoxLayout>
#include <QWheelEvent>

#include "desk/theme.h"

namespace nordstjerna {

namespace {
class CalmSpinBox : public QDoubleSpinBox {
protected:
    // Scrolling a page must not change a telescope.
    void wheelEvent(QWheelEvent* e) override { e->ignore(); }
    // 48000 and 58.35, not 48000.00 and 58.3500.
    QString textFromValue(double v) const override {
        QString text = locale().toString(v, 'f', decimals());
        if (text.contains('.')) {
            while (text.endsWith('0'))
                text.chop(1);
            if (text.endsWith('.'))
                text.chop(1);
        }
        return text;
    }
};
} // namespace

QDoubleSpinBox* numberField(double low, double high, int decimals, const QString& unit) {
    auto* box = new CalmSpinBox;
    QLocale plain = QLocale::c();
    plain.setNumberOptions(QLocale::OmitGroupSeparator);
    box->setLocale(plain);
    box->setButtonSymbols(QAbstractSpinBox::NoButtons);
    box->setDecimals(decimals);
    box->setRange(low, high);
    box->setKeyboardTracking(false);
    if (!unit.isEmpty())
        box->setSuffix(" " + unit);
    box->setMinimumWidth(64);
    return box;
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
