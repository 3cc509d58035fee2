// One figure over the whole screen, to be read from where the hands are: at the levers, at the focuser.
#pragma once

#include <QList>
#include <QWidget>
#include <functional>

#include "desk/widgets/figure_text.h"

namespace nordstjerna {

class BigFigure : public QWidget {
    Q_OBJECT
public:
    using Source = std::function<FigureText()>;
    // At least one. Left and right change between them; Escape, F11 or a click close it.
    BigFigure(QList<Source> sources, QWidget* parent);
    FigureText shown() const { return shown_; }

protected:
    void paintEvent(QPaintEvent*) override;
    void keyPressEvent(QKeyEvent* e) override;
    void mousePressEvent(QMouseEvent*) override { close(); }

private:
    void look();
    void change(int by);
    QList<Source> sources_;
    int current_ = 0;
    FigureText shown_;
};

} // namespace nordstjerna
