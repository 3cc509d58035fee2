// What a recording still needs: each wanted figure with its state and the time left until it is good.
#pragma once

#include <QFrame>

#include "core/motion/enough.h"

namespace nordstjerna {

class EnoughCard : public QFrame {
    Q_OBJECT
public:
    explicit EnoughCard(QWidget* parent = nullptr);
    void show(const std::vector<WantedFigure>& figures);
    const std::vector<WantedFigure>& figures() const { return figures_; }

protected:
    void paintEvent(QPaintEvent*) override;

private:
    std::vector<WantedFigure> figures_;
};

// "enough", "2 min 10 s more", "not yet known".
QString timeLeftText(double left_s);

} // namespace nordstjerna
