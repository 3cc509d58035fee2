// A label of several lines that always has the height its words need: layouts may not squeeze them over each
// other.
#pragma once

#include <QLabel>

namespace nordstjerna {

class WrapLabel : public QLabel {
public:
    explicit WrapLabel(const QString& text = {}) : QLabel(text) {
        setWordWrap(true);
        QSizePolicy policy(QSizePolicy::Ignored, QSizePolicy::Minimum);
        policy.setHeightForWidth(true);
        setSizePolicy(policy);
    }
    QSize minimumSizeHint() const override {
        return {0, wordWrap() && width() > 0 ? heightForWidth(width()) : QLabel::minimumSizeHint().height()};
    }
    QSize sizeHint() const override { return {QLabel::sizeHint().width(), minimumSizeHint().height()}; }

protected:
    void resizeEvent(QResizeEvent* e) override {
        QLabel::resizeEvent(e);
        updateGeometry();
    }
};

} // namespace nordstjerna
